"""Things made wrong on purpose: each kind is a class here, and says what it spoils."""

from __future__ import annotations

from typing import ClassVar

import msgspec

from cavet.settings import Key


class Spoiled(msgspec.Struct):
    """What is wrong with a board now: all its defects that are on, taken together."""

    dead: set[int] = set()
    """Pins whose lines do not follow."""
    swapped: dict[int, int] = {}
    """Pins, each with the one whose wire it has instead."""
    stuck: str = ""
    """The line of its bus that stays low: `data` or `clock`."""
    silent: set[str] = set()
    """Devices that do not acknowledge."""
    mute: bool = False
    """Whether it reports nothing of what it has done."""
    delay: float = 0.0
    """By how much it answers late, in seconds."""
    lost: float = 0.0
    """The share of the bytes on its links that is lost."""
    away: bool = False
    """Whether it is off its link."""


class Defect(msgspec.Struct, kw_only=True):
    """One defect of a board; it can be switched while the bench runs."""

    kind: ClassVar[str]
    SETTINGS: ClassVar[tuple[Key, ...]] = ()
    """The keys of its table, which are its fields."""
    over_broker: ClassVar[bool | None] = None
    """Whether it is for boards on a broker only, or only for others."""

    name: str
    board: str
    on: bool = True

    @property
    def tells(self) -> str:
        """What it does, for a person."""
        raise NotImplementedError

    def spoil(self, board: Spoiled) -> None:
        """Make it wrong."""
        raise NotImplementedError


class DeadPin(Defect, kw_only=True):
    """A pin is driven, and its line stays low."""

    kind = "dead-pin"
    SETTINGS = (Key(name="pin", kind="pin", doc="the pin whose line does not follow", required=True),)
    pin: int

    @property
    def tells(self) -> str:
        return f"pin {self.pin} is dead"

    def spoil(self, board: Spoiled) -> None:
        board.dead.add(self.pin)


class Swapped(Defect, kw_only=True):
    """The wires of two pins are swapped."""

    kind = "swapped"
    SETTINGS = (Key(name="pins", kind="whole-list", doc="the two pins whose wires are swapped", required=True),)
    pins: tuple[int, ...]

    @property
    def tells(self) -> str:
        return f"the wires of pins {self.pins[0]} and {self.pins[1]} are swapped"

    def spoil(self, board: Spoiled) -> None:
        first, second = self.pins
        board.swapped |= {first: second, second: first}


class Lossy(Defect, kw_only=True):
    """Bytes are lost on the way."""

    kind = "lossy"
    SETTINGS = (
        Key(
            name="share", kind="quantity", unit="", doc="the share of the bytes that is lost", required=True, low=0,
            high=1,
        ),
    )  # fmt: skip
    over_broker = False
    share: float

    @property
    def tells(self) -> str:
        return f"the link loses {self.share:.1%} of the bytes"

    def spoil(self, board: Spoiled) -> None:
        board.lost = max(board.lost, self.share)


class Late(Defect, kw_only=True):
    """The board takes longer than it should."""

    kind = "late"
    SETTINGS = (
        Key(
            name="delay", kind="quantity", unit="s", doc="by how much it answers late", required=True, low=0, high=60,
        ),
    )  # fmt: skip
    delay: float

    @property
    def tells(self) -> str:
        return f"the board answers {self.delay * 1000:.0f} ms late"

    def spoil(self, board: Spoiled) -> None:
        board.delay += self.delay


class Mute(Defect, kw_only=True):
    """The board does what it is told, and does not say so."""

    kind = "mute"
    over_broker = True

    @property
    def tells(self) -> str:
        return "the board does what it is told, and reports nothing of it"

    def spoil(self, board: Spoiled) -> None:
        board.mute = True


class Away(Defect, kw_only=True):
    """The board is not at its broker."""

    kind = "away"
    over_broker = True

    @property
    def tells(self) -> str:
        return "the board is off its link"

    def spoil(self, board: Spoiled) -> None:
        board.away = True


class StuckBus(Defect, kw_only=True):
    """Something holds a line of the bus down."""

    kind = "stuck-bus"
    SETTINGS = (Key(name="line", kind="word", doc="which line stays low", choices=("data", "clock"), default="data"),)
    line: str

    @property
    def tells(self) -> str:
        return f"the {self.line} line of the bus stays low"

    def spoil(self, board: Spoiled) -> None:
        board.stuck = board.stuck or self.line


class SilentDevice(Defect, kw_only=True):
    """A device on the bus does not hear its address."""

    kind = "silent-device"
    SETTINGS = (
        Key(name="part", kind="text", names="part", doc="the part on the bus that does not acknowledge", required=True),
    )
    part: str

    @property
    def tells(self) -> str:
        return f"{self.part} does not acknowledge its address"

    def spoil(self, board: Spoiled) -> None:
        board.silent.add(self.part)


DEFECTS: dict[str, type[Defect]] = {
    each.kind: each for each in (DeadPin, Swapped, Lossy, Late, Mute, Away, StuckBus, SilentDevice)
}
"""All kinds: a new one is its class, and its name here."""
