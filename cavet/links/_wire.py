"""One direction of a line: bytes take their time on it, and may be lost.

A line is busy for as long as its bytes take; what is put on it while it is busy waits its turn. So when a byte comes
over follows from the bytes before it alone, not from when the machine gets round to it: each piece bears the line's own
time, and readers that reckon with silences (RTU) go by that. Bytes are handed over in slices, since a timer for each
would cost more than it tells.
"""

from __future__ import annotations

import asyncio
import random
from collections import deque
from collections.abc import Callable
from math import inf

from cavet.clock import time_of

SLICE_SECONDS = 0.0005
"""Bytes are handed over in slices of about this long, so that a frame is not held up by the one behind it."""
GATHER_SECONDS = 0.0012
"""The same on a wire that gathers: what a board says in one go, nobody waits for in the middle."""

Watch = Callable[[int, float, float, bytes, "bytes | None"], None]
"""Told of bytes that were put on a wire in one go, when the last of them has come over: the offset of the first, the
loop's times of begin and end, what came over, and what was put on it where that is something else."""
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


class _Sent:
    """What was put on a wire in one go, and what of it has come over; `None` while nothing of it was lost."""

    def __init__(self, offset: int, begin: float, data: bytes, said: bytes | None) -> None:
        self.offset, self.begin, self.data, self.said = offset, begin, data, said
        self.passed = 0
        self.arrived: bytearray | None = None


class Wire:
    """Hands bytes over when the line has carried them, with their offsets. `byte_seconds` 0 does so at once."""

    def __init__(
        self,
        deliver: Deliver,
        byte_seconds: float,
        losses: Losses,
        *,
        gathers: bool = False,
        watch: Watch | None = None,
    ) -> None:
        self._deliver = deliver
        self._watch = watch
        self._byte_seconds = byte_seconds
        self._losses = losses
        self._slice = max(1, int((GATHER_SECONDS if gathers else SLICE_SECONDS) / byte_seconds)) if byte_seconds else 0
        self._pieces: deque[tuple[float, bytes, int, _Sent | None]] = deque()
        """Pieces under way: when each will have come over, its bytes, the offset of the first, and what it is of."""
        self.waiting = 0
        """How many bytes are under way."""
        self._busy_until = 0.0
        self._timer: asyncio.TimerHandle | None = None
        self._time: Callable[[], float] | None = None
        """What tells the loop's time, as soon as there is one."""
        self._sent = 0

    @property
    def free_at(self) -> float:
        """The loop's time at which the last byte that is under way will have come over."""
        return max(self._busy_until, asyncio.get_running_loop().time())

    def send(self, data: bytes, said: bytes | None = None) -> int:
        """Put bytes on the line; give the offset behind the last of them. `said` is what they were before they were
        spoiled."""
        offset, size = self._sent, len(data)
        end = self._sent = offset + size
        pace = self._byte_seconds
        at = (self._time or self._learn_time())()
        if not pace and not self._losses.share:
            if self._watch is not None and data:
                self._watch(offset, at, at, data, said)
            self._deliver(data, offset, at)
            return end
        if at < self._busy_until:
            at = self._busy_until
        sent = _Sent(offset, at, data, said) if self._watch is not None and data else None
        if not pace:
            self._hand_over(at, data, offset, sent)
            return end
        for start in range(0, size, self._slice):
            piece = data[start : start + self._slice]
            at += len(piece) * pace
            self._pieces.append((at, piece, offset + start, sent))
        self.waiting += size
        self._busy_until = at
        if self._timer is None and size:
            self._timer = asyncio.get_running_loop().call_at(self._pieces[0][0], self._due)
        return end

    def _learn_time(self) -> Callable[[], float]:
        self._time = time_of(asyncio.get_running_loop())
        return self._time

    def arrival(self, size: int, at: float) -> float:
        """When so many bytes that are put on it at a time will have come over; `inf` where others are under way, or
        some may be lost."""
        if self._pieces or self._losses.share or at < self._busy_until or not self._byte_seconds:
            return inf
        return at + size * self._byte_seconds

    def bring(self, data: bytes, at: float, leap: Callable[[float], None]) -> None:
        """Bytes put on it at a time come over with nothing between: the clock leaps to when each piece does."""
        offset, begin, size = self._sent, at, len(data)
        self._sent = offset + size
        self._busy_until = self.arrival(size, at)
        for start in range(0, size, self._slice):
            piece = data[start : start + self._slice]
            at += len(piece) * self._byte_seconds
            leap(at)
            if start + len(piece) == size and self._watch is not None:
                self._watch(offset, begin, at, data, None)
            self._deliver(piece, offset + start, at)

    @property
    def sent(self) -> int:
        """How many bytes were put on it so far."""
        return self._sent

    def _due(self) -> None:
        self._timer = None
        loop = asyncio.get_running_loop()
        pieces, now = self._pieces, loop.time() + 1e-9
        while pieces and pieces[0][0] <= now:
            at, data, offset, sent = pieces.popleft()
            self.waiting -= len(data)
            self._hand_over(at, data, offset, sent)
        if pieces and self._timer is None:
            self._timer = loop.call_at(pieces[0][0], self._due)

    def _hand_over(self, at: float, data: bytes, offset: int, sent: _Sent | None) -> None:
        if not self._losses.share:
            if sent is not None:
                if sent.data is data and self._watch is not None:  # all of it, in one piece
                    self._watch(offset, sent.begin, at, data, sent.said)
                else:
                    self._note(sent, len(data), [(0, data)], at)
            self._deliver(data, offset, at)
            return
        runs = self._losses.runs(data)
        if sent is not None:
            self._note(sent, len(data), runs, at)
        for place, run in runs:
            self._deliver(run, offset + place, at)

    def _note(self, sent: _Sent, size: int, runs: list[tuple[int, bytes]], at: float) -> None:
        """So many bytes have come over, or what is left of them: tell it when they are the last of what was sent."""
        whole = len(runs) == 1 and len(runs[0][1]) == size
        if not whole and sent.arrived is None:
            sent.arrived = bytearray(sent.data[: sent.passed])
        if sent.arrived is not None:
            sent.arrived += b"".join(run for _, run in runs)
        sent.passed += size
        if sent.passed >= len(sent.data):
            self._tell(sent, at)

    def _tell(self, sent: _Sent, at: float) -> None:
        assert self._watch is not None  # else nothing is under watch
        if sent.arrived is None:
            self._watch(sent.offset, sent.begin, at, sent.data, sent.said)
        else:
            self._watch(sent.offset, sent.begin, at, bytes(sent.arrived), sent.said or sent.data)

    def until_quiet(self, seconds: float) -> float:
        """How long it takes until nothing has come over for so many seconds; 0 or less where that is so already."""
        return self._busy_until + seconds - asyncio.get_running_loop().time()

    def rush(self) -> None:
        """Let what is under way come over at once."""
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        self._busy_until = asyncio.get_running_loop().time()
        while self._pieces:
            at, data, offset, sent = self._pieces.popleft()
            self.waiting -= len(data)
            self._hand_over(min(at, self._busy_until), data, offset, sent)

    def clear(self) -> None:
        """Drop what is under way, and count from 0 again."""
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        unfinished = dict.fromkeys(sent for *_, sent in self._pieces if sent is not None)
        self._pieces.clear()
        for sent in unfinished:  # the rest of it is lost
            sent.arrived = bytearray(sent.data[: sent.passed]) if sent.arrived is None else sent.arrived
            self._tell(sent, asyncio.get_running_loop().time())
        self.waiting = 0
        self._busy_until = 0.0
        self._sent = 0
