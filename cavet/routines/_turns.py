"""The turns of loops: between two of them, whoever else waits has its turn."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Iterable
from typing import Any

from cavet.routines._telling import End, OverError

MOST_IDLE = 10_000
"""So many turns of an endless loop may take no time."""
MOST_TURNS = 1_000_000
Now = Callable[[], float]


class Turns:
    """Goes on for ever, one turn after the other; each has a value."""

    def __init__(self) -> None:
        self.turn = 0
        """How many have ended."""
        self._is_begun = False

    def __aiter__(self) -> Turns:
        return self

    async def __anext__(self) -> Any:
        if self._is_begun:
            await asyncio.sleep(0)  # whoever wants to stop it must come to its turn
            self.turn += 1
        self._is_begun = True
        return await self._next()

    async def _next(self) -> Any:
        """Wait for the next turn; give its value. Raises `StopAsyncIteration`."""
        return self.turn


class Counted(Turns):
    """So many of them."""

    def __init__(self, times: float) -> None:
        super().__init__()
        self._times = times

    async def _next(self) -> Any:
        if self.turn >= self._times:
            raise StopAsyncIteration
        return self.turn


class Each(Turns):
    """One for each value."""

    def __init__(self, values: Iterable[Any]) -> None:
        super().__init__()
        self._values = iter(values)

    async def _next(self) -> Any:
        for value in self._values:
            return value
        raise StopAsyncIteration


class Endless(Turns):
    """As long as something holds; it must not stand still."""

    def __init__(self, line: int, now: Now, goes_on: Callable[[], bool]) -> None:
        super().__init__()
        self._line = line
        self._now = now
        self._goes_on = goes_on
        self._began = now()
        self._idle = -1

    async def _next(self) -> Any:
        self._idle = self._idle + 1 if self._now() == self._began else 0
        if self._idle > MOST_IDLE:
            why = f"{MOST_IDLE} turns took no time: nothing in it waits"
            raise OverError(End(result="failed", line=self._line, why=why))
        if not self._goes_on():
            raise StopAsyncIteration
        self._began = self._now()
        return self.turn


class Every(Turns):
    """One each period, without drift. Where one takes longer than the period, the missed ones are left out."""

    def __init__(self, period: float, now: Now, late: Callable[[], None]) -> None:
        super().__init__()
        self._period = period
        self._now = now
        self._late = late
        """Told where turns are left out."""
        self._began = now()
        self._due = 0

    async def _next(self) -> Any:
        if self.turn:
            self._due += 1
            if self._now() > self._began + self._due * self._period + 1e-9:
                self._due += int((self._now() - self._began) / self._period) - self._due + 1
                self._late()
            await asyncio.sleep(max(0.0, self._began + self._due * self._period - self._now()))
        return self.turn


def counted(first: float, last: float, by: float) -> list[float]:
    """The values from one to another, in steps. Raises `ValueError` where they are too many."""
    by = abs(by) if last >= first else -abs(by)
    count = int((last - first) / by + 1e-9) + 1 if by else 0
    if count > MOST_TURNS:
        raise ValueError(f"found {count} turns, expected {MOST_TURNS} at most")
    return [float(f"{first + by * number:.12g}") for number in range(count)]
