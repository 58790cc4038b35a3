"""Whose turn it is on a line that several hosts share: one asks and is answered, then the next one does.

What a person or a program waits for goes before what is only polled, as within one session. Who was passed over for
that a few times is not passed over any more, but for those who only look whether something silent is there again.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable
from enum import Enum
from itertools import takewhile
from math import inf


class Patience(float, Enum):
    """How often one lets others go before."""

    WISHING = 0.0
    POLLING = 4.0
    LOOKING = inf
    """Nothing answers there: it looks whether something does again."""


class Turns:
    """Gives turns in the order in which they were wanted. Nobody has one before `free_at`, a time of the sessions'."""

    def __init__(self) -> None:
        self.free_at = -inf
        """Until then the line is not free: the silence behind a frame, or late answers that are waited for."""
        self._wakes: dict[Hashable, Callable[[], None]] = {}
        self._has: Hashable | None = None
        self._want: dict[Hashable, float] = {}
        """Who wants a turn, and how often others may still go before."""

    def join(self, who: Hashable, wake: Callable[[], None]) -> None:
        """Somebody more is on the line; `wake` is called when it may be its turn."""
        self._wakes[who] = wake

    def leave(self, who: Hashable) -> None:
        """Somebody is on the line no more."""
        self.give_back(who)
        del self._wakes[who]

    def take(self, who: Hashable, now: float, patience: Patience) -> bool:
        """Have the turn, if it is free; else it is wanted, until it comes or is not wanted any more."""
        if self._has == who:
            return True
        self._want[who] = min(patience, self._want.get(who, inf))
        if self._has is not None or now < self.free_at or self._next != who:
            return False
        for other in takewhile(lambda other: other != who, list(self._want)):  # they have wanted it for longer
            self._want[other] = max(0, self._want[other] - 1)
        del self._want[who]
        self._has = who
        return True

    @property
    def _next(self) -> Hashable | None:
        """Whose turn it is next."""
        urgent = (who for who, left in self._want.items() if not left)
        return next(urgent, None) or next(iter(self._want), None)

    def waits(self, who: Hashable) -> bool:
        """Whether it wants its turn, and others come before it: it is woken for that."""
        return who in self._want and (self._has is not None or self._next != who)

    def give_back(self, who: Hashable) -> None:
        """Neither have it nor want it any more."""
        was_first = self._has == who or self._next == who
        if self._has == who:
            self._has = None
        self._want.pop(who, None)
        if was_first and self._has is None and self._want:
            self._wakes[self._next]()
