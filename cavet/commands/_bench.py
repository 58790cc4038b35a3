"""What the commands that take a bench have in common."""

from __future__ import annotations

import click

from cavet.benchfile import BenchFile, Plan, load_bench, with_addresses
from cavet.demo import find_bench
from cavet.wording import WrongError, listed, nearest


def open_bench(bench: str) -> BenchFile:
    """Read the bench file that a word of the command line means: a path, or `demo`."""
    return load_bench(find_bench(bench))


broker_option = click.option(
    "--broker", metavar="HOST:PORT", help="Put all that speaks MQTT on this broker, instead of our own."
)


def on_broker(plan: Plan, address: str | None) -> Plan:
    """Give the plan with all that speaks MQTT on this broker, if one is named."""
    return plan if address is None else plan.on_broker(address)


def at_addresses(plan: Plan, words: tuple[str, ...]) -> Plan:
    """Give the plan with some boards found elsewhere, `BOARD=ADDRESS` each."""
    addresses = {}
    for word in words:
        board, equals, address = word.partition("=")
        if not equals or not address:
            raise WrongError("--at", found=word, expected="BOARD=ADDRESS")
        addresses[board] = address
    return with_addresses(plan, addresses, "--at")


def chosen_boards(plan: Plan, names: tuple[str, ...]) -> list[str]:
    """Give the boards that are meant: those named, or all."""
    for name in names:
        if name not in plan.boards:
            known = plan.boards
            raise WrongError("--board", found=name, expected=f"one of {listed(known)}", nearest=nearest(name, known))
    return list(names) or list(plan.boards)
