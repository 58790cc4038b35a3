"""How long to wait before a connection is tried again."""

from __future__ import annotations

import random

JITTER = 0.2


class Pauses:
    """Each pause is twice the one before, up to the longest, and none is exactly that: clients that were cut off at
    the same time must not all come back at the same time."""

    def __init__(self, seed: str, *, first: float = 0.25, longest: float = 2.0) -> None:
        self._random = random.Random(seed)
        self._first = first
        self._longest = longest
        self._tries = 0

    def next(self) -> float:
        """The pause before the next try, in seconds."""
        pause = min(self._longest, self._first * float(1 << self._tries))
        self._tries = min(self._tries + 1, 30)
        return pause * (1 + self._random.uniform(-JITTER, JITTER))

    def succeeded(self) -> None:
        """The connection stands: the next pause is a short one."""
        self._tries = 0
