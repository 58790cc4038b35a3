"""Transactions that a host wants, one after the other: each waits for its answer before the next is sent."""

from __future__ import annotations

from collections.abc import Callable
from itertools import takewhile
from operator import attrgetter

import msgspec

from cavet.hosts._base import Wish
from cavet.hosts._exchanges import Exchange, Exchanges
from cavet.hosts._session import SessionSettings
from cavet.record import Purpose
from cavet.wording import digits

MAX_WAITING = 2000
NO_ANSWER = "no answer"
"""How it is told that nobody has answered, neither with what was read nor that nobody is there."""
ONLY = 0
"""What the answer of the one call under way bears."""
Then = Callable[[bytes, float, "int | None"], None]
"""What is done when a call has been answered, or sent where nothing answers it: what was read, the time, the event."""


class SpiPlace(msgspec.Struct, frozen=True):
    """Where on SPI something is, and how it is clocked; the rate in Hz."""

    chip: int = 0
    mode: int = 0
    rate: int = 1_000_000


class Call(Exchange, kw_only=True):
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
    is_poll: bool = False


class Calls:
    """Sends calls in their order. A read's answer is waited for; a write has none, unless `acknowledged`."""

    def __init__(
        self, send: Callable[[Call, float], None], answer_by: Callable[[float], float], settings: SessionSettings,
        *, acknowledged: bool = False,
    ) -> None:  # fmt: skip
        self._send = send
        self._within = settings.reply_within
        self._acknowledged = acknowledged
        self._queue: Exchanges[Call] = Exchanges(self._put, answer_by, settings.retries)

    def _put(self, call: Call, now: float) -> int | None:
        self._send(call, now)
        self._queue.free_at = now + call.pause
        if call.count or self._acknowledged:
            return ONLY
        if call.then is not None:
            call.then(b"", now, None)
        return None

    def clear(self, why: str = "", now: float = 0.0) -> None:
        """Forget all; with a reason, tell those who wait."""
        calls = self._queue.clear()
        self._queue.free_at = 0.0
        for call in calls if why else ():
            if call.failed is not None:
                call.failed(why, now)

    def push_first(self, *calls: Call) -> None:
        """Put calls before those that wait: what was read before a change must not have changed meanwhile."""
        self._queue.waiting.extendleft(reversed(calls))

    def push(self, *calls: Call) -> None:
        """Put calls behind those that wait, but before polls at their end. Polls are left out when too many wait."""
        for call in calls:
            if call.is_poll:
                if len(self._queue.waiting) < MAX_WAITING:
                    self._queue.waiting.append(call)
                continue
            polls = sum(1 for _ in takewhile(attrgetter("is_poll"), reversed(self._queue.waiting)))
            self._queue.waiting.insert(len(self._queue.waiting) - polls, call)

    @property
    def has_poll(self) -> bool:
        """Whether a poll still waits, so that no other need be added."""
        return any(call.is_poll for call in self._queue)

    def before(self, point: str) -> int | None:
        """How many calls come before the first one for a wish at a point; `None` where there is none of that."""
        there = enumerate(self._queue)
        return next((place for place, call in there if call.wish is not None and call.wish.point.name == point), None)

    @property
    def open(self) -> Call | None:
        """The call whose answer is awaited."""
        return self._queue.under_way.get(ONLY)

    def advance(self, now: float) -> float:
        """Send what can be sent; give when something is due next."""
        for call in self._queue.overdue(now):
            if not self._queue.again(call) and call.failed is not None:
                why = f"{NO_ANSWER} from 0x{call.address:02X} within {digits(self._within)} s, {call.tries + 1} times"
                call.failed(why, now)
        self._queue.send_on(now)
        return self._queue.due

    def extend(self, seconds: float) -> None:
        """Wait so much longer for the answer that is due."""
        self._queue.extend(seconds)

    def answered(self, data: bytes, now: float, cause: int | None) -> None:
        """The call that is open has its answer."""
        call = self._queue.answered(ONLY)
        if call is not None and call.then is not None:
            call.then(data, now, cause)

    def refused(self, why: str, now: float) -> None:
        """The call that is open has failed."""
        call = self._queue.answered(ONLY)
        if call is not None and call.failed is not None:
            call.failed(why, now)
