"""What a board runs: who talks to it, what it says, and the base of all firmware."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from math import inf

import msgspec

from cavet.boards._pins import Pin
from cavet.protocols import Decoder, Frame

Carried = Callable[[int, bytes], int]
"""Gives the event that brought a frame over the link, by the offset behind its last byte, and its bytes."""
CauseOf = Callable[[Frame], int]
"""The same for a frame of the firmware's decoder."""


class Client(msgspec.Struct, frozen=True, eq=False):
    """A program that has opened one of the board's links: what is spoken there, and how long a character takes on it
    (0 where there are none, as on a network). `unread` tells how many bytes it has not been able to take yet.

    Where several boards hang on that line, `units` has that of each by its name, as it is now; `board` is this one."""

    protocol: str
    character: float = 0.0
    unread: Callable[[], int] = lambda: 0
    units: Mapping[str, int] = {}
    board: str = ""

    @property
    def others(self) -> frozenset[int]:
        """The units of the others on the line."""
        own = self.units.get(self.board)
        return frozenset(unit for unit in self.units.values() if unit != own)

    @property
    def leads(self) -> bool:
        """Whether it is this one that tells what is for none of them."""
        return next(iter(self.units), self.board) == self.board


class Outgoing(msgspec.Struct):
    """Bytes that a board says, to whom, the event they follow from, and when it is ready to say them."""

    client: Client
    data: bytes
    cause: int | None
    at: float
    hangs_up: bool = False
    """Whether its connection is shut behind this."""


def rest_of(decoder: Decoder) -> bytes:
    """The bytes that a decoder has kept for a message whose end has not come."""
    return b"".join([frame.data for frame in decoder.finish()])


class Firmware:
    """What a board runs. It speaks one protocol, on any number of links; it works on the circuit.

    As it stands here it hears nothing, and says what stands in `_out`: each one does what it is there for.
    """

    def __init__(self) -> None:
        self._out: list[Outgoing] = []
        self.is_done = False
        """Whether all that it has heard last is done, so that it wants no call for that."""

    @property
    def restless(self) -> bool:
        """Whether it is advanced whenever the world is, and not only when it was touched or something is due."""
        return False

    def start(self, now: float) -> None:
        """Begin anew, as after power-on."""

    def was_away(self, seconds: float) -> None:
        """Nobody was here for so long, since the program was stopped, say: silence meanwhile does not count."""

    def was_reset(self, now: float) -> None:
        """Its board begins anew: what its links have carried so far holds no more."""

    def stop(self, now: float) -> None:
        """It is switched off in good order."""

    def joined(self, client: Client, now: float) -> None:
        """A program is there."""

    def heeds(self, client: Client, data: bytes, now: float) -> bool:
        """Whether what a program says may be for this board: on a line that is shared all hear all."""
        return True

    def unfinished(self, client: Client) -> bytes:
        """What a program that is about to be gone has said that is no whole message."""
        return b""

    def left(self, client: Client, now: float) -> None:
        """It is gone."""

    def feed(self, client: Client, data: bytes, now: float, cause_of: CauseOf) -> None:
        """Hear bytes of a program."""

    def levels_changed(self, pins: list[Pin], now: float) -> None:
        """Input pins have changed."""

    def pins_driven(self, pins: list[Pin], now: float) -> None:
        """The board's own reflexes have driven pins."""

    def advance(self, now: float) -> float:
        """Do what is due; give when something is due next."""
        return inf

    @property
    def reports_at(self) -> float:
        """When it tells of its inputs by itself, where it does nothing else before that or then; `inf` for never."""
        return inf

    @property
    def else_at(self) -> float:
        """When something else is due."""
        return inf

    @property
    def report_bytes(self) -> int:
        """How long what it tells then is at most."""
        return 0

    def report(self, now: float) -> float:
        """Tell of its inputs; give when something is due next."""
        return inf

    def take_out(self) -> list[Outgoing]:
        """Give what it wants to say, and forget it."""
        out, self._out = self._out, []
        return out
