"""What a defect is, and what all that are on make wrong with a board, taken together."""

from math import inf
from typing import Annotated, ClassVar

import msgspec

from cavet.settings import Meaning, Table


class Spoiled(msgspec.Struct):
    """What is wrong with a board now: all its defects that are on, taken together."""

    dead: set[int] = set()
    """Pins whose lines do not follow."""
    swapped: dict[int, int] = {}
    """Pins, each with the one whose wire it has instead."""
    inverted: set[int] = set()
    """Pins at which a part sees the opposite of what is driven."""
    floating: set[int] = set()
    """Pins that nothing holds: what is read there is chance."""
    seized: set[str] = set()
    """Parts that stay as they stand."""
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
    stale: float = 0.0
    """The share of its answers in whose place it says the one before once more."""
    twice: float = 0.0
    """The share of its answers that it says twice."""
    queue: tuple[int, float] | None = None
    """How many bytes its receiver can keep, and how many of them it takes each second."""
    drift: float = 0.0
    """By how much its clock runs slow, as a share: 0.02 for 2 %."""
    begins: dict[int, float] = {}
    """Pins that it drives from its start on, each with the share of full."""
    current: float = inf
    """What its supply gives, in A, before it sags so far that the board starts anew."""
    away: bool = False
    """Whether it is off its link."""
    renamed: bool = False
    """Whether its links are to be found under other names than before."""
    forgets: float = inf
    """How often it ends all sessions of its clients and forgets them, in seconds."""


class Defect(Table, kw_only=True):
    """Something made wrong on purpose; it can be switched while the bench runs."""

    TITLE = "[defects.NAME]"
    KIND: ClassVar[str]
    over_broker: ClassVar[bool | None] = None
    """Whether it is for boards on a broker only, or only for others."""
    over_usb: ClassVar[bool] = True
    """Whether it can be at a USB device, whose transfers are acknowledged: nothing is lost there, or comes twice."""

    name: str = ""
    kind: Annotated[str, Meaning("what is wrong", kind="word")] = ""
    board: Annotated[str, Meaning("at which board", names="board")]
    on: Annotated[bool, Meaning("whether it is on at the start")] = True

    def __post_init__(self) -> None:
        self.kind = self.kind or self.KIND

    @property
    def tells(self) -> str:
        """What it does, for a person."""
        raise NotImplementedError

    def spoil(self, board: Spoiled) -> None:
        """Make it wrong."""
        raise NotImplementedError
