"""Defects of pins and wires."""

from typing import Annotated

from cavet.boards.defects._base import Defect, Spoiled
from cavet.settings import Meaning


class DeadPin(Defect, kw_only=True):
    """A pin is driven, and its line stays low."""

    KIND = "dead-pin"
    pin: Annotated[int, Meaning("the pin whose line does not follow", kind="pin")]

    @property
    def tells(self) -> str:
        return f"pin {self.pin} is dead"

    def spoil(self, board: Spoiled) -> None:
        board.dead.add(self.pin)


class Swapped(Defect, kw_only=True):
    """The wires of two pins are swapped."""

    KIND = "swapped"
    pins: Annotated[tuple[int, int], Meaning("the two pins whose wires are swapped")]

    @property
    def tells(self) -> str:
        return f"the wires of pins {self.pins[0]} and {self.pins[1]} are swapped"

    def spoil(self, board: Spoiled) -> None:
        first, second = self.pins
        board.swapped |= {first: second, second: first}


class Inverted(Defect, kw_only=True):
    """What hangs on a pin is wired the wrong way round: to the supply instead of to ground. It is on while the line is
    low."""

    KIND = "inverted"
    pin: Annotated[int, Meaning("the pin with what is wired the wrong way round", kind="pin")]

    @property
    def tells(self) -> str:
        return f"what hangs on pin {self.pin} is wired the wrong way round: on while the line is low"

    def spoil(self, board: Spoiled) -> None:
        board.inverted.add(self.pin)


class Floating(Defect, kw_only=True):
    """An input that nothing holds: its wire is off, its resistor is missing. It picks up whatever is near."""

    KIND = "floating"
    pin: Annotated[int, Meaning("the input that nothing holds", kind="pin")]

    @property
    def tells(self) -> str:
        return f"pin {self.pin} floats: what is read there is chance"

    def spoil(self, board: Spoiled) -> None:
        board.floating.add(self.pin)
