"""What the commands that take a bench have in common."""

from __future__ import annotations

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
    """Give the plan with the links of some boards pointed elsewhere, `BOARD=ADDRESS` each."""
    links = dict(plan.links)
    for word in words:
        board, equals, address = word.partition("=")
        names = [link.name for link in links.values() if link.board == board]
        if not equals or not address:
            raise WrongError("--at", found=word, expected="BOARD=ADDRESS")
        if not names:
            boards = sorted({link.board for link in links.values()})
            raise WrongError("--at", found=board, expected=f"one of {listed(boards)}", nearest=nearest(board, boards))
        for name in names:
            links[name] = msgspec.structs.replace(links[name], address=address)
    return msgspec.structs.replace(plan, links=links)


def chosen_boards(plan: Plan, names: tuple[str, ...]) -> list[str]:
    """Give the boards that are meant: those named, or all."""
    for name in names:
        if name not in plan.boards:
            known = plan.boards
            raise WrongError("--board", found=name, expected=f"one of {listed(known)}", nearest=nearest(name, known))
    return list(names) or list(plan.boards)
