"""Saying a message by hand on a link that a session holds, and hearing what answers it.

Where only one question can be under way (Modbus on a serial line, SCPI), the session keeps quiet meanwhile; elsewhere
it goes on. It hears all that the board says in any case, and takes no notice of what it has not asked for.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable

import msgspec

from cavet.protocols import Decoder, Frame


class Answer(msgspec.Struct, frozen=True):
    """What came of a message: the event that its trail begins with, the frame that answered it, `None` where none did,
    and after how long, in seconds, from when it had gone out."""

    asked: int
    frame: Frame | None
    delay: float | None


class ByHand:
    """One message that is answered, or not."""

    def __init__(self, decoder: Decoder, is_answer: Callable[[Frame], bool]) -> None:
        self._decoder = decoder
        self._is_answer = is_answer
        self.found: asyncio.Future[tuple[Frame, float]] = asyncio.get_running_loop().create_future()

    def hear(self, data: bytes, now: float) -> None:
        """The board has said something."""
        for frame in self._decoder.feed(data):
            if not self.found.done() and self._is_answer(frame):
                self.found.set_result((frame, now))
