"""Saying a message by hand on a link that a session holds, and hearing what answers it.

Where only one question can be under way (Modbus on a serial line, SCPI), the session keeps quiet meanwhile; elsewhere
it goes on. It hears all that the board says in any case, and takes no notice of what it has not asked for.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable

import msgspec

from cavet.hosts import LONGEST_ANSWER
from cavet.protocols import Decoder, Frame


class Heard(msgspec.Struct, frozen=True):
    """A frame that answers, and how long after the message had gone out it came, in seconds."""

    frame: Frame
    delay: float


class Answer(msgspec.Struct, frozen=True):
    """What came of a message: the event that its trail begins with, and what answered it."""

    asked: int
    heard: tuple[Heard, ...] = ()


class ByHand:
    """One message that is answered, or not; `count` is how many answers are waited for."""

    def __init__(self, decoder: Decoder, is_answer: Callable[[Frame], bool], count: int = 1) -> None:
        self._decoder = decoder
        self._is_answer = is_answer
        self._count = count
        self._gone: list[float] = []
        self.heard: list[Heard] = []
        self.until: asyncio.Timeout | None = None
        """How long it is waited for: no longer, but for an answer that comes down a line meanwhile."""
        self._spare = LONGEST_ANSWER
        self.all_heard = asyncio.Event()

    @property
    def gone(self) -> float:
        """When the last of it had gone out."""
        return self._gone[-1]

    def listen(self, gone: float) -> None:
        """Something that is answered has gone out, or will have by then."""
        self._gone.append(gone)

    def hear(self, data: bytes, now: float, byte_seconds: float) -> None:
        """The board has said something, on a line where each byte takes so long."""
        self._prolong(min(len(data), self._spare), byte_seconds)
        for frame in self._decoder.feed(data):
            if self._gone and len(self.heard) < self._count and self._is_answer(frame):
                gone = self._gone[min(len(self.heard), len(self._gone) - 1)]
                self.heard.append(Heard(frame, max(0.0, now - gone)))
        if len(self.heard) == self._count:
            self.all_heard.set()

    def _prolong(self, size: int, byte_seconds: float) -> None:
        due = self.until.when() if self.until is not None and not self.until.expired() else None
        if self.until is not None and due is not None and byte_seconds:
            self._spare -= size
            self.until.reschedule(due + size * byte_seconds)
