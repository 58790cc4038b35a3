"""A conversation: something is said at an end, and what comes back is looked at until it is understood."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from math import inf
from typing import TypeVar

from cavet.clock import BenchClock
from cavet.hosts import LONGEST_ANSWER
from cavet.links import Coming, HostEnd

T = TypeVar("T")


class Talk:
    """What is said and heard at an end. `heard` is all that has come since the last question."""

    def __init__(self, end: HostEnd, until: float = inf) -> None:
        self._clock = BenchClock.of_loop(asyncio.get_running_loop())
        self._may_last = self._clock.of(until)
        self.byte_seconds = 0.0
        """How long a byte takes on a line, in s: so much longer is waited, for what goes and for what comes."""
        self._end = end
        self._coming: Coming | None = None
        self._came = asyncio.Event()
        self.heard = b""
        self.over = ""
        """Why the other end has hung up, once it has."""
        self.left_out = ""
        """What there was no time for."""

    async def __aenter__(self) -> Talk:
        await self._end.open(self)
        return self

    async def __aexit__(self, *error: object) -> None:
        self._end.close()

    def opened(self) -> None:
        """The end is open."""

    def received(self, data: bytes, offset: int, at: float) -> None:
        """Bytes have come."""
        del offset, at
        self.heard += data
        if self._coming is not None:
            self._coming.comes(len(data))
        self._came.set()

    def closed(self, reason: str) -> None:
        """The other end is gone."""
        self.over = reason
        self._came.set()

    def say(self, data: bytes) -> None:
        """Put bytes on the way."""
        if not self.over:
            self._end.write(data)

    @property
    def ended(self) -> bool:
        """Whether nothing more can be asked: it has hung up, or the time for it all is up."""
        return bool(self.over) or self._clock.now() >= self._may_last

    async def ask(self, data: bytes, understand: Callable[[bytes], T | None], seconds: float) -> T | None:
        """Say something, and look at what comes back until it is understood; `None` when time is up, or it hung up."""
        self.heard = b""
        if self.ended:
            return None
        self.say(data)
        return await self.listen(understand, seconds and seconds + len(data) * self.byte_seconds)

    async def listen(self, understand: Callable[[bytes], T | None], seconds: float) -> T | None:
        """Look at what comes until it is understood."""
        self._coming = Coming(self._clock, self.byte_seconds, LONGEST_ANSWER, self._may_last)
        try:
            await self._coming.wait(lambda: bool(self.over) or understand(self.heard) is not None, self._came, seconds)
        finally:
            self._coming = None
        return understand(self.heard)

    async def pause(self, seconds: float) -> None:
        """Say nothing for a while: what is heard meanwhile is forgotten."""
        await asyncio.sleep(seconds)
        self.heard = b""
