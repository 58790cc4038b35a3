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

UNANSWERED_SECONDS = 2.0
"""So long after a message to which no answer was due a board may still say that it refuses it."""
BEHIND_SECONDS = 0.1
"""A board answers in the order in which it hears: so soon behind such a refusal it has answered the next message."""


class Heard(msgspec.Struct, frozen=True):
    """A frame that answers, and how long after the message had gone out it came, in seconds."""

    frame: Frame
    delay: float


class Answer(msgspec.Struct, frozen=True):
    """What came of a message: the event that its trail begins with, and what answered it."""

    asked: int
    heard: tuple[Heard, ...] = ()


class ByHand:
    """One message that is answered, or not; `count` is how many answers are waited for. What `may_be_older` is an
    answer to the message before, if a better one comes behind it."""

    def __init__(
        self, decoder: Decoder, is_answer: Callable[[Frame], bool] | None, count: int = 1,
        may_be_older: Callable[[Frame], bool] | None = None,
    ) -> None:  # fmt: skip
        self._decoder = decoder
        self._is_answer = is_answer
        self._count = count
        self._may_be_older = may_be_older
        self._set_aside: list[Heard] = []
        self._gone: list[float] = []
        self._heard: list[Heard] = []
        self.coming: Coming | None = None
        """How long it is waited for; `None` before it is."""
        self.stirred = asyncio.Event()

    @property
    def heard(self) -> tuple[Heard, ...]:
        """What has answered."""
        return tuple(self._heard or self._set_aside)

    def is_answered(self) -> bool:
        """Whether all that was waited for has come, for sure."""
        return len(self._heard) == self._count

    def has_heard(self) -> bool:
        """Whether all has come, or what may be an answer to the message before."""
        return self.is_answered() or bool(self._set_aside)

    @property
    def is_in_doubt(self) -> bool:
        """Whether only that has come which may be an answer to the message before."""
        return bool(self._set_aside) and not self._heard

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
            if self._is_answer and self._gone and not self.is_answered() and self._is_answer(frame):
                gone = self._gone[min(len(self._heard), len(self._gone) - 1)]
                kept = self._set_aside if self._may_be_older and self._may_be_older(frame) else self._heard
                kept.append(Heard(frame, max(0.0, now - gone)))
        if self.has_heard():
            self.stirred.set()
