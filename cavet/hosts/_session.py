"""What the sessions of all protocols have in common."""

from __future__ import annotations

from enum import Enum

import msgspec

from cavet.hosts._point import Asked


class SessionState(Enum):
    """How a session stands towards its board."""

    SHUT = "shut"
    BOOTING = "boots"
    """The link is open; the board has not said a word yet."""
    ASKING = "asks"
    """It was silent for so long that it is asked who it is."""
    LEARNING = "learns"
    """It is asked what it can do, and how it stands."""
    READY = "ready"
    SILENT = "silent"
    """The link is open, and nothing answers."""


_WORDS = {
    SessionState.SHUT: "not open",
    SessionState.BOOTING: "open; waits for the board to boot",
    SessionState.ASKING: "open; asks the board who it is",
    SessionState.LEARNING: "asks how everything stands",
    SessionState.READY: "ready",
    SessionState.SILENT: "open, but nothing answers: another rate at the other end, or no such firmware?",
}


def state_words(state: SessionState) -> str:
    """Say a state to a person."""
    return _WORDS[state]


class SessionSettings(msgspec.Struct, frozen=True, kw_only=True):
    """How patient a session is; times in seconds. All of it can be set in the bench file."""

    boot_wait: float = 2.0
    """How long an announcement is waited for before the board is asked."""
    reply_within: float = 0.5
    retries: int = 2
    sampling: float = 0.0
    """How often analog inputs are to be reported, 0 for the board's own default."""
    reopen: float = 0.5
    """The pause before a lost link is opened again."""
    lost_after: float = 30.0
    """A link that is not back after so long is lost for good: a routine that needs it ends."""
    poll: float = 0.25
    """How often points are read, where the board does not report them by itself."""
    in_flight: int = 4
    """How many requests may wait for their answers at once, where answers bear numbers."""
    repeat_writes: bool = False
    """Whether a write is repeated though it is not known whether the first one was done."""
    unit: int = 1
    """The number of the device behind the link, where several can be; 0 for all of them at once."""
    turnaround: float = 0.1
    """The pause after what was told to all: they need it to do it."""


class Said(msgspec.Struct, frozen=True):
    """Bytes for the link, and the event by which each frame in them was framed: its end within the bytes, the event."""

    data: bytes
    frames: tuple[tuple[int, int], ...]


class Reading(msgspec.Struct):
    """What the host knows of a point: what it asked for and when, what it read back or heard and when."""

    asked: Asked | None = None
    asked_at: float = 0.0
    wanted: Asked | None = None
    """What was wanted, where that lay outside the limits."""
    got: Asked | None = None
    got_at: float = 0.0
    heard: int = 0
    """How often it was read back or heard."""
    trail: int | None = None
    """The event of the latest wish."""
    refusal: str = ""
    """Why this point can't work on this board."""
    remark: str = ""
    """Where host and board began with different values; "" once it was asked for anything."""

    agreed: bool = False
    """Whether what was got is what was asked, as near as the wire can say."""

    doubtful: bool = False
    """Whether something was sent to it of which nobody has told what became of it: how it stands is not known."""

    def assume(self, value: Asked) -> None:
        """It counts as standing so, since nobody tells how it stands."""
        self.got, self.doubtful = value, False

    def hear(self, value: Asked | None, now: float) -> None:
        """The board has said that it stands so; `None` for no number."""
        self.agreed = self.agreed and value == self.got
        self.got, self.got_at = value, now
        self.doubtful = False
        self.heard += 1
