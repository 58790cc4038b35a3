"""What the commands that take a bench have in common."""

from __future__ import annotations

import re
from pathlib import Path

import msgspec

from cavet.bench import BenchFile, Plan, load_bench
from cavet.demo import demo_path
from cavet.wording import WrongError, listed, nearest


def open_bench(bench: str) -> BenchFile:
    """Read the bench file that a word of the command line means: a path, or `demo`."""
    path = Path(bench)
    if bench == "demo" and not path.exists():
        path = demo_path()
    return load_bench(path)


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


def chosen_boards(plan: Plan, names: tuple[str, ...]) -> list[str]:
    """Give the boards that are meant: those named, or all."""
    for name in names:
        if name not in plan.boards:
            known = plan.boards
            raise WrongError("--board", found=name, expected=f"one of {listed(known)}", nearest=nearest(name, known))
    return list(names) or list(plan.boards)
