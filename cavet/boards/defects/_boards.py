"""Defects of a board itself, of its supply, and of what hangs on it."""

from __future__ import annotations

from cavet.boards.defects._base import Defect, Spoiled
from cavet.settings import Key


class StuckBus(Defect, kw_only=True):
    """Something holds a line of the bus down."""

    kind = "stuck-bus"
    SETTINGS = (Key("line", "word", "which line stays low", choices=("data", "clock"), default="data"),)
    line: str

    @property
    def tells(self) -> str:
        return f"the {self.line} line of the bus stays low"

    def spoil(self, board: Spoiled) -> None:
        board.stuck = board.stuck or self.line


class SilentDevice(Defect, kw_only=True):
    """A device on the bus does not hear its address."""

    kind = "silent-device"
    SETTINGS = (Key("part", "text", "the part on the bus that does not acknowledge", names="part", required=True),)
    part: str

    @property
    def tells(self) -> str:
        return f"{self.part} does not acknowledge its address"

    def spoil(self, board: Spoiled) -> None:
        board.silent.add(self.part)


class Seized(Defect, kw_only=True):
    """A part does not follow its line any more: a contact is welded, a shaft is blocked. It stays as it stands."""

    kind = "seized"
    SETTINGS = (Key("part", "text", "the part that stays as it stands", names="part", required=True),)
    part: str

    @property
    def tells(self) -> str:
        return f"{self.part} is stuck: it stays as it stands"

    def spoil(self, board: Spoiled) -> None:
        board.seized.add(self.part)


class Sagging(Defect, kw_only=True):
    """The supply sags under load, until the board starts anew."""

    kind = "sagging"
    SETTINGS = (
        Key(
            "current",
            "quantity",
            "what may be drawn before the board starts anew",
            unit="A",
            required=True,
            low=0,
            high=1000,
        ),
    )
    current: float

    @property
    def tells(self) -> str:
        return f"the supply sags: at more than {1000 * self.current:.0f} mA the board starts anew"

    def spoil(self, board: Spoiled) -> None:
        board.current = min(board.current, self.current)


class OtherStart(Defect, kw_only=True):
    """The board starts with an output that is on."""

    kind = "other-start"
    SETTINGS = (
        Key("pin", "pin", "the pin that it drives from its start on", required=True),
        Key("share", "quantity", "the share of full that it drives it with", unit="", default=1.0, low=0, high=1),
    )  # fmt: skip
    pin: int
    share: float

    @property
    def tells(self) -> str:
        return f"the board starts with pin {self.pin} at {self.share:.0%}"

    def spoil(self, board: Spoiled) -> None:
        board.begins[self.pin] = self.share


class Drifting(Defect, kw_only=True):
    """The board's clock runs slow, or fast: what it does at intervals of its own comes later, or earlier."""

    kind = "drifting-clock"
    SETTINGS = (
        Key("by", "quantity", "by how much it runs slow; below 0 for fast", unit="", required=True, low=-0.5, high=1),
    )  # fmt: skip
    by: float

    @property
    def tells(self) -> str:
        return f"the board's clock runs {abs(self.by):.1%} {'slow' if self.by >= 0 else 'fast'}"

    def spoil(self, board: Spoiled) -> None:
        board.drift += self.by
