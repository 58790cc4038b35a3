"""What the sessions of all protocols have in common."""

from enum import Enum
from typing import Annotated

import msgspec

from cavet.hosts._point import Asked
from cavet.settings import Meaning, Table

MODBUS = ("modbus",)
LONGEST_ANSWER = 512
"""Of so many bytes of an answer the time on a line is waited for, beside what the board itself may take."""


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
    SessionState.SILENT: "open, but nothing answers",
}


def state_words(state: SessionState) -> str:
    """Say a state to a person."""
    return _WORDS[state]


class SessionSettings(Table, kw_only=True):
    """How patient a session is; times in seconds."""

    poll: Annotated[
        float,
        Meaning(
            "how often points are read, where the board does not tell them by itself; with Firmata those on its buses",
            unit="s",
            low=0.005,
            concerns=("firmata", "modbus", "scpi", "plan", "buses"),
        ),
    ] = 0.25
    boot_wait: Annotated[float, Meaning("how long it waits for the board to announce itself", unit="s", low=0)] = 2.0
    reply_within: Annotated[
        float,
        Meaning("how long an answer may take; the time that a line needs for the bytes is not part of it", unit="s",
                low=0.001),
    ] = 0.5  # fmt: skip
    retries: Annotated[int, Meaning("how often it sends again what was not confirmed", low=0, high=100)] = 2
    sampling: Annotated[
        float,
        Meaning(
            "Firmata: how often analog inputs are reported; 0 for the board's default",
            unit="s",
            low=0,
            high=16,
            concerns=("firmata",),
        ),
    ] = 0.0
    alive: Annotated[
        float,
        Meaning(
            "Firmata: how often it asks for the version, so that a board with a `failsafe` hears of it; 0 for never",
            unit="s", low=0, least=0.01, concerns=("firmata",),
        ),
    ] = 0.0  # fmt: skip
    reopen: Annotated[
        float,
        Meaning("the pause before a lost link is opened again; with MQTT it grows by itself", unit="s", low=0.05),
    ] = 0.5
    lost_after: Annotated[
        float,
        Meaning(
            "a link that is not back after so long is lost for good: a routine that needs it ends", unit="s", low=0.1
        ),
    ] = 30.0
    unit: Annotated[
        int,
        Meaning(
            "Modbus: the unit that it talks to; 0 on a serial line for all at once, who do not answer",
            low=0, high=255, concerns=MODBUS,
        ),
    ] = 1  # fmt: skip
    turnaround: Annotated[
        float,
        Meaning(
            "Modbus: the pause after what was told to all, and before what was busy is asked again",
            unit="s",
            low=0,
            high=10,
            concerns=MODBUS,
        ),
    ] = 0.1
    in_flight: Annotated[
        int,
        Meaning(
            "Modbus over TCP: how many requests may wait for their answers at once", low=1, high=64, concerns=MODBUS
        ),
    ] = 4
    repeat_writes: Annotated[
        bool,
        Meaning(
            "Modbus: whether a write is sent again when it is not known whether the first one was done",
            concerns=MODBUS,
        ),
    ] = False

    def patience(self, byte_seconds: float) -> float:
        """How long all tries together may take, in s, on a line where a byte takes `byte_seconds`."""
        return (self.retries + 1) * (self.reply_within + LONGEST_ANSWER * byte_seconds)


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
    latest: int | None = None
    """That of the latest one for which something was to be sent."""
    refusal: str = ""
    """Why this point can't work on this board."""
    remark: str = ""
    """Where host and board began with different values; "" once it was asked for anything."""

    agreed: bool = False
    """Whether what was got is what was asked, as near as the wire can say."""

    settled: Asked | None = None
    """The wish that was confirmed by what was got last, which may lie beside it, as near as the board can come."""

    doubtful: bool = False
    """Whether something was sent to it of which nobody has told what became of it: how it stands is not known."""

    assumed: Asked | None = None
    """Where it is taken to stand since it was asked to, and nobody has told: nothing was got by that."""

    @property
    def stands(self) -> Asked | None:
        """Where it stands, as far as that is known or taken for granted."""
        return self.got if self.assumed is None else self.assumed

    def assume(self, value: Asked) -> None:
        """It counts as standing so, since nobody tells how it stands."""
        self.assumed, self.doubtful = value, False

    def assume_nothing(self) -> None:
        """The link or the board was away: what nobody has told may be otherwise now."""
        self.assumed = None

    def hear(self, value: Asked | None, now: float) -> None:
        """The board has said that it stands so; `None` for no number."""
        self.agreed = self.agreed and value == self.got
        self.settled = self.settled if value == self.got else None
        self.got, self.got_at, self.assumed = value, now, None
        self.doubtful = False
        self.heard += 1
