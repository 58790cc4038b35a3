"""Defects of pins and wires."""

from __future__ import annotations

from cavet.boards.defects._base import Defect, Spoiled
from cavet.settings import Key


class DeadPin(Defect, kw_only=True):
    """A pin is driven, and its line stays low."""

    kind = "dead-pin"
    SETTINGS = (Key("pin", "pin", "the pin whose line does not follow", required=True),)
    pin: int

    @property
    def tells(self) -> str:
        return f"pin {self.pin} is dead"

    def spoil(self, board: Spoiled) -> None:
        board.dead.add(self.pin)


class Swapped(Defect, kw_only=True):
    """The wires of two pins are swapped."""

    kind = "swapped"
    SETTINGS = (Key("pins", "whole-list", "the two pins whose wires are swapped", required=True),)
    pins: tuple[int, ...]

    @property
    def tells(self) -> str:
        return f"the wires of pins {self.pins[0]} and {self.pins[1]} are swapped"

    def spoil(self, board: Spoiled) -> None:
        first, second = self.pins
        board.swapped |= {first: second, second: first}


class Inverted(Defect, kw_only=True):
    """What hangs on a pin is wired the wrong way round: to the supply instead of to ground. It is on while the line is
    low."""

    kind = "inverted"
    SETTINGS = (Key("pin", "pin", "the pin with what is wired the wrong way round", required=True),)
    pin: int

    @property
    def tells(self) -> str:
        return f"what hangs on pin {self.pin} is wired the wrong way round: on while the line is low"

    def spoil(self, board: Spoiled) -> None:
        board.inverted.add(self.pin)


class Floating(Defect, kw_only=True):
    """An input that nothing holds: its wire is off, its resistor is missing. It picks up whatever is near."""

    kind = "floating"
    SETTINGS = (Key("pin", "pin", "the input that nothing holds", required=True),)
    pin: int

    @property
    def tells(self) -> str:
        return f"pin {self.pin} floats: what is read there is chance"

    def spoil(self, board: Spoiled) -> None:
        board.floating.add(self.pin)
