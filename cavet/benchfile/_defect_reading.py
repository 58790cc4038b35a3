"""Whether a defect of the file fits the board that it is for."""

from __future__ import annotations

from collections.abc import Sequence

from cavet.benchfile._check import Checker
from cavet.benchfile._links import LinkTable
from cavet.benchfile._places import Path
from cavet.benchfile._setup import BoardSetup
from cavet.boards import DEFECTS, KINDS, Defect, SilentDevice
from cavet.boards.buses import BusDevice
from cavet.boards.defects import Renamed, Seized, StuckBus, Swapped
from cavet.wording import listed

NAMED_KINDS = ("serial", "tcp")
"""The links whose boards are found by a name that can become another one."""


def check_defect(checker: Checker, path: Path, defect: Defect, board: BoardSetup, links: Sequence[LinkTable]) -> None:
    """Tell where a defect does not fit its board."""
    over_broker, over_usb = board.firmware == "mqtt", bool(links) and all(link.kind == "usb" for link in links)
    fits = [
        name
        for name, each in DEFECTS.items()
        if each.over_broker in (None, over_broker) and (each.over_usb or not over_usb)
    ]
    if defect.kind not in fits:
        place = "on USB" if over_usb else "on a broker" if over_broker else "not on a broker"
        checker.wrong((*path, "kind"), found=defect.kind, expected=f"one for a board {place}: {listed(fits)}")
    called = [part for part, each in board.parts.items() if issubclass(KINDS[each.kind], BusDevice)]
    if isinstance(defect, SilentDevice):
        checker.one_of((*path, "part"), defect.part, called, "a part on its bus")
    elif isinstance(defect, StuckBus) and not called:
        checker.wrong((*path, "board"), found=board.name, expected="a board with something on its I2C bus")
    elif isinstance(defect, Seized):
        kinds = {part: KINDS[each.kind] for part, each in board.parts.items()}
        moved = [part for part, kind in kinds.items() if not kind.on_bus and not kind.senses]
        checker.one_of((*path, "part"), defect.part, moved, "a part of it that a line moves")
    elif isinstance(defect, Swapped) and len(set(defect.pins)) == 1:
        checker.wrong((*path, "pins"), found=f"pin {defect.pins[0]} twice", expected="two pins")
    elif isinstance(defect, Renamed) and not any(
        link.kind in NAMED_KINDS and not getattr(link, "shares", "") for link in links
    ):
        expected = "a board on a serial line or a network, which it does not share"
        checker.wrong((*path, "board"), found=board.name, expected=expected)
