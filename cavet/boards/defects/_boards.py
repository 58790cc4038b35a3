"""Defects of a board itself, of its supply, and of what hangs on it."""

from typing import Annotated

from cavet.boards.defects._base import Defect, Spoiled
from cavet.settings import Meaning
from cavet.units import show


class StuckBus(Defect, kw_only=True):
    """Something holds a line of the bus down."""

    KIND = "stuck-bus"
    line: Annotated[str, Meaning("which line stays low", ("data", "clock"))] = "data"

    @property
    def tells(self) -> str:
        return f"the {self.line} line of the bus stays low"

    def spoil(self, board: Spoiled) -> None:
        board.stuck = board.stuck or self.line


class SilentDevice(Defect, kw_only=True):
    """A device on the bus does not hear its address."""

    KIND = "silent-device"
    part: Annotated[str, Meaning("the part on the bus that does not acknowledge", names="part")]

    @property
    def tells(self) -> str:
        return f"{self.part} does not acknowledge its address"

    def spoil(self, board: Spoiled) -> None:
        board.silent.add(self.part)


class Seized(Defect, kw_only=True):
    """A part does not follow its line any more: a contact is welded, a shaft is blocked. It stays as it stands."""

    KIND = "seized"
    part: Annotated[str, Meaning("the part that stays as it stands", names="part")]

    @property
    def tells(self) -> str:
        return f"{self.part} is stuck: it stays as it stands"

    def spoil(self, board: Spoiled) -> None:
        board.seized.add(self.part)


class Sagging(Defect, kw_only=True):
    """The supply sags under load, until the board starts anew."""

    KIND = "sagging"
    current: Annotated[float, Meaning("what may be drawn before the board starts anew", unit="A", low=0, high=1000)]

    @property
    def tells(self) -> str:
        return f"the supply sags: at more than {show(1000 * self.current, 'mA')} the board starts anew"

    def spoil(self, board: Spoiled) -> None:
        board.current = min(board.current, self.current)


class OtherStart(Defect, kw_only=True):
    """The board starts with an output that is on."""

    KIND = "other-start"
    pin: Annotated[int, Meaning("the pin that it drives from its start on", kind="pin")]
    share: Annotated[float, Meaning("the share of full that it drives it with", low=0, high=1)] = 1.0

    @property
    def tells(self) -> str:
        return f"the board starts with pin {self.pin} at {show(100 * self.share, '%')}"

    def spoil(self, board: Spoiled) -> None:
        board.begins[self.pin] = self.share


class Drifting(Defect, kw_only=True):
    """The board's clock runs slow, or fast: what it does at intervals of its own comes later, or earlier."""

    KIND = "drifting-clock"
    by: Annotated[float, Meaning("by how much it runs slow; below 0 for fast", low=-0.5, high=1)]

    @property
    def tells(self) -> str:
        return f"the board's clock runs {show(100 * abs(self.by), '%')} {'slow' if self.by >= 0 else 'fast'}"

    def spoil(self, board: Spoiled) -> None:
        board.drift += self.by
