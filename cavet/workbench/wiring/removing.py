"""Taking something away, with what hangs on it: parts on a device's lines, points that mean them, a whole board."""

from __future__ import annotations

from cavet.benchfile import Setup
from cavet.boards import CableSettings
from cavet.boards.buses import TargetBoardSettings
from cavet.boards.parts import OverloadSettings
from cavet.wiring import Wiring
from cavet.wording import WrongError
from cavet.workbench.wiring.changing import Changes

OF_A_BOARD = ("map", "topics", "commands")
"""Tables of a board whose entries go with a row."""


def removal(setup: Setup, board: str, points: tuple[str, ...], part: str, table: tuple[str, ...]) -> Changes:
    """What is to be taken out of the file, so that a row is empty: its points, its part with what hangs on it, its
    entry of the map. Raises `WrongError` where something that stays needs it."""
    parts = hanging_on(setup, board, part)
    _refuse_needed(setup, board, parts)
    found = [*points, *(name for name in points_of(setup, board, parts[1:]) if name not in points)]
    changes: list[tuple[tuple[str, ...], None]] = [(("points", name), None) for name in found]
    changes += [(("boards", board, "parts", name), None) for name in parts]
    if table and table[0] in OF_A_BOARD:
        changes.append((("boards", board, *table), None))
    return changes


def hanging_on(setup: Setup, board: str, part: str) -> list[str]:
    """A part, and the parts on its lines, where it is a device; none where it is not in the file."""
    there = setup.boards.get(board)
    if there is None or part not in there.parts:
        return []
    return [part, *(name for name, other in there.parts.items() if other.hangs_on == part)]


def points_of(setup: Setup, board: str, parts: list[str]) -> list[str]:
    """The points of a board that mean these parts, or lead to them."""
    wiring = Wiring(setup, board)
    return [
        point.name
        for point in wiring.points
        if (point.part or point.name) in parts or set(wiring.reached(point)) & set(parts)
    ]


def _refuse_needed(setup: Setup, board: str, parts: list[str]) -> None:
    there = setup.boards.get(board)
    others = {name: table for name, table in there.parts.items() if name not in parts} if there is not None else {}
    for part in parts:
        needs = [name for name, other in others.items() if isinstance(other, OverloadSettings) and part in other.guards]
        needs += [name for name, defect in setup.defects.items() if getattr(defect, "part", None) == part]
        if needs:
            raise WrongError(part, found=f"needed by {', '.join(needs)}", expected="those taken away first")


def board_removal(setup: Setup, board: str) -> Changes:
    """What is to be taken out of the file, so that a board is gone with its links, its hosts, its points, its defects.
    Raises `WrongError` where another board, or the world around, needs it."""
    links = [name for name, link in setup.links.items() if link.board == board]
    hosts = [name for name, host in setup.hosts.items() if host.link in links]
    needs = [
        f"{other.name}.{name}"
        for other in setup.boards.values()
        for name, table in other.parts.items()
        if other.name != board and isinstance(table, TargetBoardSettings | CableSettings) and table.board == board
    ]
    if needs:
        raise WrongError(board, found=f"needed by {', '.join(needs)}", expected="those taken away first")
    gone = [
        *(("points", name) for name, point in setup.points.items() if point.board in hosts),
        *(("hosts", name) for name in hosts),
        *(("links", name) for name in links),
        *(("defects", name) for name, defect in setup.defects.items() if defect.board == board),
    ]
    if board in setup.boards:
        gone.append(("boards", board))
    return [(path, None) for path in gone]
