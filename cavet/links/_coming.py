"""Waiting for an answer on a line."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from math import inf

from cavet.clock import BenchClock


class Coming:
    """Waits for an answer. The time for it is put off while it comes down a line where each byte takes `byte_seconds`:
    by the time of these bytes, of `most` of them, so that what never ends is no answer; by that in which nobody was
    here; and not beyond `until`, a time of the clock's."""

    def __init__(self, clock: BenchClock, byte_seconds: float, most: int, until: float = inf) -> None:
        self._clock = clock
        self._byte_seconds = byte_seconds
        self._left = most
        self._until = until
        self._timeout: asyncio.Timeout | None = None

    def comes(self, size: int) -> None:
        """So many bytes have come."""
        timeout = self._timeout
        counted = min(size, self._left)
        due = timeout.when() if timeout is not None and not timeout.expired() else None
        if timeout is None or due is None or not counted or not self._byte_seconds:
            return
        self._left -= counted
        timeout.reschedule(min(due + counted * self._byte_seconds, self._clock.at(self._until)))

    async def wait(self, has_come: Callable[[], bool], stirred: asyncio.Event, seconds: float) -> None:
        """Wait until it has come, and look whenever something has stirred; so many seconds at most."""
        while seconds > 0 and not has_come():
            began = self._clock.now()
            try:
                async with asyncio.timeout_at(self._clock.at(min(began + seconds, self._until))) as self._timeout:
                    while not has_come():
                        stirred.clear()
                        await stirred.wait()
            except TimeoutError:
                seconds = self._clock.away_since(began)
