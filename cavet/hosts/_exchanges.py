"""What is said and answered: things that wait to be said, those whose answers are due, and until when.

So many are under way at once as their answers can be told apart. What is not answered in time is given back; whether
that is said again is for whoever put it here, by how often it was. The questions of polling sessions stand in such a
queue, and the transactions on the buses behind a board.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from math import inf
from typing import Generic, TypeVar

import msgspec

AT_ONCE = 1e-9
"""Times that differ by less are the same, in s."""


class Exchange(msgspec.Struct):
    """Something that is to be said: how often it was said in vain, when last, and until when it is waited for."""

    tries: int = 0
    sent_at: float = 0.0
    deadline: float = inf
    prolonged: float = 0.0
    """By how much that was put off, while its answer came down a line."""


E = TypeVar("E", bound=Exchange)


class Exchanges(Generic[E]):
    """A queue of them. `put` says one, and gives what its answer will bear: a number, or 0 where answers bear none;
    `None` where nobody answers it; `answer_by` tells
    until when something said then is waited for. Times are in seconds."""

    def __init__(
        self, put: Callable[[E, float], int | None], answer_by: Callable[[float], float], retries: int
    ) -> None:
        self._put = put
        self._answer_by = answer_by
        self._retries = retries
        self.waiting: deque[E] = deque()
        self.under_way: dict[int, E] = {}
        """Those whose answers are awaited, by what these bear."""
        self.free_at = 0.0
        """Until then nothing is said: the line is not free, the device rests, or late answers are waited for."""

    def __iter__(self) -> Iterator[E]:
        return iter([*self.under_way.values(), *self.waiting])

    def clear(self) -> list[E]:
        """Forget all; give what there was."""
        there = list(self)
        self.waiting.clear()
        self.under_way.clear()
        return there

    def keep(self, is_kept: Callable[[E], bool]) -> None:
        """Say no more of what waits than what is to be kept."""
        self.waiting = deque(exchange for exchange in self.waiting if is_kept(exchange))

    @property
    def is_idle(self) -> bool:
        """Whether no answer is awaited."""
        return not self.under_way

    def send_on(self, now: float, most: int = 1) -> None:
        """Say as much as may be under way at once."""
        while self.waiting and len(self.under_way) < most and now >= self.free_at - AT_ONCE:
            exchange = self.waiting.popleft()
            number = self._put(exchange, now)
            if number is not None:
                exchange.sent_at, exchange.deadline, exchange.prolonged = now, self._answer_by(now), 0.0
                self.under_way[number] = exchange

    def answered(self, number: int = 0) -> E | None:
        """What an answer is for; `None` where nothing of that number is under way."""
        return self.under_way.pop(number, None)

    def overdue(self, now: float) -> list[E]:
        """Those that were not answered in time; they are waited for no longer."""
        late = [number for number, exchange in self.under_way.items() if now >= exchange.deadline]
        return [self.under_way.pop(number) for number in late]

    def extend(self, seconds: float) -> None:
        """Wait so much longer for each answer."""
        for exchange in self.under_way.values():
            exchange.deadline += seconds

    def prolong(self, seconds: float, most: float) -> None:
        """Wait so much longer for each answer, while it comes: `most` in all, so that what never ends is no answer."""
        for exchange in self.under_way.values():
            more = min(seconds, most - exchange.prolonged)
            exchange.prolonged += more
            exchange.deadline += more

    def again(self, exchange: E) -> bool:
        """Say it once more, before all others, where it was not said often enough."""
        if exchange.tries >= self._retries:
            return False
        exchange.tries += 1
        self.waiting.appendleft(exchange)
        return True

    @property
    def due(self) -> float:
        """When something is overdue, or can be said."""
        if self.under_way:
            return min(exchange.deadline for exchange in self.under_way.values())
        return self.free_at if self.waiting else inf
