"""What the commands that take a bench have in common."""

from __future__ import annotations

import click

from cavet.benchfile import BenchFile, Setup, load_bench, with_addresses
from cavet.demo import find_bench
from cavet.wording import WrongError, unknown


def open_bench(bench: str) -> BenchFile:
    """Read the bench file that a word of the command line means: a path, or `demo`."""
    return load_bench(find_bench(bench))


broker_option = click.option(
    "--broker", metavar="HOST:PORT", help="Put all that speaks MQTT on this broker, instead of our own."
)


def on_broker(setup: Setup, address: str | None) -> Setup:
    """Give the set-up with all that speaks MQTT on this broker, if one is named."""
    return setup if address is None else setup.on_broker(address)


def at_addresses(setup: Setup, words: tuple[str, ...]) -> Setup:
    """Give the set-up with some boards found elsewhere, `BOARD=ADDRESS` each."""
    addresses = {}
    for word in words:
        board, equals, address = word.partition("=")
        if not equals or not address:
            raise WrongError("--at", found=word, expected="BOARD=ADDRESS")
        addresses[board] = address
    return with_addresses(setup, addresses, "--at")


def chosen_boards(setup: Setup, names: tuple[str, ...]) -> list[str]:
    """Give the boards that are meant: those named, or all."""
    for name in names:
        if name not in setup.boards:
            known = setup.boards
            raise unknown("--board", name, known)
    return list(names) or list(setup.boards)
