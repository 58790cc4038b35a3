"""Transactions that a host wants, one after the other: each waits for its answer before the next is sent."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from itertools import takewhile
from math import inf
from operator import attrgetter

import msgspec

from cavet.hosts._base import Wish
from cavet.record import Purpose

MAX_WAITING = 2000
Then = Callable[[bytes, float, "int | None"], None]
"""What is done when a call has been answered, or sent where nothing answers it: what was read, the time, the event."""


class SpiPlace(msgspec.Struct, frozen=True):
    """Where on SPI something is, and how it is clocked; the rate in Hz."""

    chip: int = 0
    mode: int = 0
    rate: int = 1_000_000


class Call(msgspec.Struct, kw_only=True):
    """A transaction: `data` is written, then `count` bytes are read. After it the bus rests for `pause` seconds."""

    address: int
    ten_bit: bool = False
    data: bytes = b""
    count: int = 0
    spi: SpiPlace | None = None
    """For SPI, instead of an address; the bytes that come in are as many as go out."""
    wish: Wish | None = None
    purpose: Purpose = Purpose.NONE
    pause: float = 0.0
    then: Then | None = None
    failed: Callable[[str, float], None] | None = None
    tries: int = 0
    is_poll: bool = False


class Calls:
    """Sends calls in their order. A read's answer is waited for; a write has none, unless `acknowledged`."""

    def __init__(
        self, send: Callable[[Call, float], None], within: float, retries: int, *, acknowledged: bool = False
    ) -> None:
        self._send = send
        self._within = within
        self._retries = retries
        self._acknowledged = acknowledged
        self._waiting: deque[Call] = deque()
        self._open: Call | None = None
        self._deadline = inf
        self._free_at = 0.0

    def clear(self, why: str = "", now: float = 0.0) -> None:
        """Forget all; with a reason, tell those who wait."""
        calls = [*([self._open] if self._open else []), *self._waiting]
        self._waiting.clear()
        self._open, self._deadline, self._free_at = None, inf, 0.0
        for call in calls if why else ():
            if call.failed is not None:
                call.failed(why, now)

    def push_first(self, *calls: Call) -> None:
        """Put calls before those that wait: what was read before a change must not have changed meanwhile."""
        self._waiting.extendleft(reversed(calls))

    def push(self, *calls: Call) -> None:
        """Put calls behind those that wait, but before polls at their end. Polls are left out when too many wait."""
        for call in calls:
            if call.is_poll:
                if len(self._waiting) < MAX_WAITING:
                    self._waiting.append(call)
                continue
            polls = sum(1 for _ in takewhile(attrgetter("is_poll"), reversed(self._waiting)))
            self._waiting.insert(len(self._waiting) - polls, call)

    @property
    def has_poll(self) -> bool:
        """Whether a poll still waits, so that no other need be added."""
        return any(call.is_poll for call in self._waiting) or (self._open is not None and self._open.is_poll)

    @property
    def open(self) -> Call | None:
        """The call whose answer is awaited."""
        return self._open

    def advance(self, now: float) -> float:
        """Send what can be sent; give when something is due next."""
        if self._open is not None and now >= self._deadline:
            self._overdue(now)
        while self._open is None and self._waiting and now >= self._free_at - 1e-9:
            call = self._waiting.popleft()
            self._send(call, now)
            self._free_at = now + call.pause
            if call.count or self._acknowledged:
                self._open, self._deadline = call, now + self._within
            elif call.then is not None:
                call.then(b"", now, None)
        if self._open is not None:
            return self._deadline
        return self._free_at if self._waiting else inf

    def _overdue(self, now: float) -> None:
        call, self._open = self._open, None
        self._deadline = inf
        assert call is not None
        if call.tries < self._retries:
            call.tries += 1
            self._waiting.appendleft(call)
        elif call.failed is not None:
            call.failed(f"no answer from 0x{call.address:02X} within {self._within:g} s, {call.tries + 1} times", now)

    def answered(self, data: bytes, now: float, cause: int | None) -> None:
        """The call that is open has its answer."""
        call, self._open = self._open, None
        self._deadline = inf
        if call is not None and call.then is not None:
            call.then(data, now, cause)

    def refused(self, why: str, now: float) -> None:
        """The call that is open has failed."""
        call, self._open = self._open, None
        self._deadline = inf
        if call is not None and call.failed is not None:
            call.failed(why, now)
