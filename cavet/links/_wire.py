"""One direction of a line: bytes take their time on it, and may be lost."""

from __future__ import annotations

import asyncio
import random
from collections import deque
from collections.abc import Callable

SLICE_SECONDS = 0.0005
"""Bytes are handed over in slices of about this long, so that a frame is not held up by the one behind it."""
GATHER_SECONDS = 0.0012
"""The same on a wire that gathers: what a board says in one go, nobody waits for in the middle."""

Deliver = Callable[[bytes, int, float], None]
"""Takes bytes, the offset of the first, and the loop's time at which the last had come over the line."""


class Losses:
    """Decides, repeatably from a seed, which bytes are lost. `share` may be changed at any time."""

    def __init__(self, seed: str) -> None:
        self._random = random.Random(seed)
        self.share = 0.0

    def runs(self, data: bytes) -> list[tuple[int, bytes]]:
        """Give what gets through: runs of bytes, each with its place in `data`."""
        runs: list[tuple[int, bytes]] = []
        for place in range(len(data)):
            if self._random.random() < self.share:
                continue
            if runs and runs[-1][0] + len(runs[-1][1]) == place:
                runs[-1] = (runs[-1][0], runs[-1][1] + data[place : place + 1])
            else:
                runs.append((place, data[place : place + 1]))
        return runs


class Wire:
    """Hands bytes over when the line has carried them, with their offsets. `byte_seconds` 0 does so at once."""

    def __init__(self, deliver: Deliver, byte_seconds: float, losses: Losses, *, gathers: bool = False) -> None:
        self._deliver = deliver
        self._byte_seconds = byte_seconds
        self._losses = losses
        self._slice = max(1, int((GATHER_SECONDS if gathers else SLICE_SECONDS) / byte_seconds)) if byte_seconds else 0
        self._waiting: deque[tuple[float, bytes, int]] = deque()
        self._under_way = 0
        self._busy_until = 0.0
        self._timer: asyncio.TimerHandle | None = None
        self._sent = 0

    @property
    def waiting(self) -> int:
        """How many bytes are under way."""
        return self._under_way

    @property
    def free_at(self) -> float:
        """The loop's time at which the last byte that is under way will have come over."""
        return max(self._busy_until, asyncio.get_running_loop().time())

    def send(self, data: bytes) -> int:
        """Put bytes on the line; give the offset behind the last of them."""
        offset = self._sent
        self._sent += len(data)
        if not self._byte_seconds:
            self._hand_over(data, offset, asyncio.get_running_loop().time())
            return self._sent
        loop = asyncio.get_running_loop()
        at = max(loop.time(), self._busy_until)
        for start in range(0, len(data), self._slice):
            piece = data[start : start + self._slice]
            at += len(piece) * self._byte_seconds
            self._waiting.append((at, piece, offset + start))
            self._under_way += len(piece)
        self._busy_until = at
        if self._timer is None and self._waiting:
            self._timer = loop.call_at(self._waiting[0][0], self._due)
        return self._sent

    def _due(self) -> None:
        self._timer = None
        loop = asyncio.get_running_loop()
        waiting, now = self._waiting, loop.time() + 1e-9
        while waiting and waiting[0][0] <= now:
            at, data, offset = waiting.popleft()
            self._under_way -= len(data)
            self._hand_over(data, offset, at)
        if waiting and self._timer is None:
            self._timer = loop.call_at(waiting[0][0], self._due)

    def _hand_over(self, data: bytes, offset: int, at: float) -> None:
        if not self._losses.share:
            self._deliver(data, offset, at)
            return
        for place, run in self._losses.runs(data):
            self._deliver(run, offset + place, at)

    def clear(self) -> None:
        """Drop what is under way, and count from 0 again."""
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        self._waiting.clear()
        self._under_way = 0
        self._busy_until = 0.0
        self._sent = 0
