"""Whether a defect of the file fits the board that it is for."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.benchfile._setup import BoardSetup
from cavet.boards import DEFECTS, KINDS, Defect
from cavet.wording import listed

NAMED_KINDS = ("serial", "tcp")
"""The links whose boards are found by a name that can become another one."""


def fitting_defect(
    checker: Checker, path: Path, table: dict[str, Any], board: BoardSetup, links: Sequence[dict[str, Any]]
) -> type[Defect]:
    """Give the kind of a defect; tell where it does not fit its board."""
    kind = table["kind"]
    made = DEFECTS[kind]
    over_broker = board.firmware == "mqtt"
    if made.over_broker is not None and made.over_broker != over_broker:
        fits = [name for name, each in DEFECTS.items() if each.over_broker in (None, over_broker)]
        expected = f"one for a board {'on' if over_broker else 'not on'} a broker: {listed(fits)}"
        checker.wrong((*path, "kind"), found=kind, expected=expected)
    if kind == "silent-device":
        on_bus = [part for part, each in board.parts.items() if KINDS[each["kind"]].on_bus]
        checker.one_of((*path, "part"), table["part"], on_bus, "a part on its bus")
    elif kind == "seized":
        checker.one_of((*path, "part"), table["part"], board.parts, "a part of it")
    elif kind == "renamed" and not any(link["kind"] in NAMED_KINDS for link in links):
        checker.wrong((*path, "board"), found=board.name, expected="a board on a serial line or a network")
    return made
