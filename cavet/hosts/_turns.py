"""Whose turn it is on a line that several hosts share: one asks and is answered, then the next one does."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from math import inf


class Turns:
    """Gives turns in the order in which they were wanted. Nobody has one before `free_at`, a time of the sessions'."""

    def __init__(self) -> None:
        self.free_at = -inf
        """Until then the line is not free: the silence behind a frame, or late answers that are waited for."""
        self._wakes: dict[Hashable, Callable[[], None]] = {}
        self._has: Hashable | None = None
        self._want: list[Hashable] = []

    def join(self, who: Hashable, wake: Callable[[], None]) -> None:
        """Somebody more is on the line; `wake` is called when it may be its turn."""
        self._wakes[who] = wake

    def take(self, who: Hashable, now: float) -> bool:
        """Have the turn, if it is free; else it is wanted, until it comes or is not wanted any more."""
        if self._has == who:
            return True
        if self._has is None and now >= self.free_at and self._want[:1] in ([], [who]):
            self._want = self._want[1:]
            self._has = who
            return True
        if who not in self._want:
            self._want.append(who)
        return False

    def waits(self, who: Hashable) -> bool:
        """Whether it wants its turn, and others come before it: it is woken for that."""
        return who in self._want and (self._has is not None or self._want[0] != who)

    def give_back(self, who: Hashable) -> None:
        """Neither have it nor want it any more."""
        was_first = self._has == who or self._want[:1] == [who]
        if self._has == who:
            self._has = None
        if who in self._want:
            self._want.remove(who)
        if was_first and self._has is None and self._want:
            self._wakes[self._want[0]]()
