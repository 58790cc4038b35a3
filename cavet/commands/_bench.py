"""What the commands that take a bench have in common."""

from __future__ import annotations

import re
from pathlib import Path

import click
import msgspec

from cavet.bench import BenchFile, Plan, address_problem, load_bench
from cavet.demo import demo_path
from cavet.wording import WrongError, listed, nearest


def open_bench(bench: str) -> BenchFile:
    """Read the bench file that a word of the command line means: a path, or `demo`."""
    path = Path(bench)
    if bench == "demo" and not path.exists():
        path = demo_path()
    return load_bench(path)


broker_option = click.option(
    "--broker", metavar="HOST:PORT", help="Put all that speaks MQTT on this broker, instead of our own."
)


def on_broker(plan: Plan, address: str | None) -> Plan:
    """Give the plan with all that speaks MQTT on this broker, if one is named."""
    return plan if address is None else plan.on_broker(address)


def with_addresses(plan: Plan, words: tuple[str, ...]) -> Plan:
    """Give the plan with some boards found elsewhere, `BOARD=ADDRESS` each: their hosts open that."""
    for word in words:
        board, equals, address = word.partition("=")
        if not equals or not address:
            raise WrongError("--at", found=word, expected="BOARD=ADDRESS")
        boards = sorted({link.board for link in plan.links.values()})
        if board not in boards:
            raise WrongError("--at", found=board, expected=f"one of {listed(boards)}", nearest=nearest(board, boards))
        plan = _moved(plan, board, address)
    return plan


def _moved(plan: Plan, board: str, address: str) -> Plan:
    """A board's hosts open its link of the kind that the address is of; none of its links is simulated any more."""
    if any(link.broker for link in plan.links.values() if link.board == board):
        return _on_its_broker(plan, board, address)
    kind = "tcp" if re.fullmatch(r"[^/]+:\d{1,5}", address) else "serial"
    own = {name: link for name, link in plan.links.items() if link.board == board}
    fitting = [name for name, link in own.items() if link.kind == kind]
    if not fitting:
        has = listed(sorted({link.kind for link in own.values()}))
        raise WrongError("--at", found=address, expected=f"the address of a {has} link, which is what {board} has")
    links = plan.links | {name: msgspec.structs.replace(link, address=address) for name, link in own.items()}
    hosts = {
        name: msgspec.structs.replace(host, link=fitting[0]) if host.link in own and host.link not in fitting else host
        for name, host in plan.hosts.items()
    }
    return msgspec.structs.replace(plan, links=links, hosts=hosts)


def _on_its_broker(plan: Plan, board: str, address: str) -> Plan:
    """A board that is a client of the broker at an address."""
    if problem := address_problem(address):
        raise WrongError("--at", found=address, expected=f"{problem}: that of the broker which {board} is on")
    links = {
        name: msgspec.structs.replace(link, address="real", broker=address) if link.board == board else link
        for name, link in plan.links.items()
    }
    return msgspec.structs.replace(plan, links=links)


def chosen_boards(plan: Plan, names: tuple[str, ...]) -> list[str]:
    """Give the boards that are meant: those named, or all."""
    for name in names:
        if name not in plan.boards:
            known = plan.boards
            raise WrongError("--board", found=name, expected=f"one of {listed(known)}", nearest=nearest(name, known))
    return list(names) or list(plan.boards)
