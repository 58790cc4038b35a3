"""Saying a message by hand on a link that a session holds, and hearing what answers it.

Where only one question can be under way (Modbus on a serial line, SCPI), the session keeps quiet meanwhile; elsewhere
it goes on. It hears all that the board says in any case, and takes no notice of what it has not asked for.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable

import msgspec

from cavet.links import Coming
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
        self.coming: Coming | None = None
        """How long it is waited for; `None` before it is."""
        self.all_heard = asyncio.Event()

    @property
    def gone(self) -> float:
        """When the last of it had gone out."""
        return self._gone[-1]

    def listen(self, gone: float) -> None:
        """Something that is answered has gone out, or will have by then."""
        self._gone.append(gone)

    def hear(self, data: bytes, now: float) -> None:
        """The board has said something."""
        if self.coming is not None:
            self.coming.comes(len(data))
        for frame in self._decoder.feed(data):
            if self._gone and len(self.heard) < self._count and self._is_answer(frame):
                gone = self._gone[min(len(self.heard), len(self._gone) - 1)]
                self.heard.append(Heard(frame, max(0.0, now - gone)))
        if len(self.heard) == self._count:
            self.all_heard.set()
