"""An alarm on the loop: one call at one bench time, set anew at each turn."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from math import inf

from cavet.clock import BenchClock


class Alarm:
    """Calls `ring` once at the time that it was set to last; `inf` is never."""

    def __init__(self, clock: BenchClock, ring: Callable[[], None]) -> None:
        self._clock = clock
        self._ring = ring
        self._timer: asyncio.TimerHandle | None = None
        self.due = inf
        """The bench time that it is set to; while it rings, the one that it was set to."""

    def set(self, due: float) -> None:
        """Set it to a bench time; an earlier setting is forgotten."""
        if due == self.due and self._timer is not None:
            return
        self.due = due
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        if due < inf:
            self._timer = asyncio.get_running_loop().call_at(self._clock.at(due), self._go_off)

    def _go_off(self) -> None:
        self._timer = None
        self._ring()
