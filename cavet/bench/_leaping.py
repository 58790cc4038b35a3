"""In fast time: what a board tells by itself, again and again, with nothing between.

A board that samples its inputs tells of them at every interval, and its host hears that some milliseconds later; for
most of the time nothing else happens. Through the loop, its alarms and the timers of the wire each of these takes twice
what there is to do. Here the clock is set to the time of each sampling, and to that of its arrival, and the same
functions of the board and of the session are called: the record is the same, event for event. As soon as anything else
is due before a sampling would have arrived (a timer of anybody's, another board, a part, a quantity that sets out), all
goes its usual way.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from math import inf
from typing import Protocol

from cavet.boards import Board, Outgoing, World
from cavet.clock import BenchClock, FastLoop
from cavet.links import Wire

MOST = 64
"""So many reports are told in one go: then the loop looks at its files."""


class Saying(Protocol):
    """A program at a board, and the wire to it."""

    @property
    def wire(self) -> Wire | None: ...
    def bring(self, out: list[Outgoing], wire: Wire, at: float, leap: Callable[[float], None]) -> None: ...


class Leaping:
    """Tells what boards tell by themselves, in the loop that is running; the programs at a board are given by
    `programs`."""

    def __init__(self, clock: BenchClock, programs: Callable[[Board], list[Saying]]) -> None:
        self._clock = clock
        self._programs = programs

    def go(self, world: World) -> float | None:
        """Tell what is due now and nothing comes between, and what follows; give when something is due next. `None`
        where the world is to be advanced as always."""
        loop = asyncio.get_running_loop()
        if not isinstance(loop, FastLoop):
            return None
        board = min(world.all_boards, key=lambda board: board.reports_at, default=None)
        if board is None or board.reports_at == inf:
            return None
        programs = self._programs(board)
        wire = programs[0].wire if len(programs) == 1 else None
        if wire is None:
            return None
        told = 0
        while told < MOST:
            at = self._clock.at(board.reports_at)
            arrival = wire.arrival(board.firmware.report_bytes, at)
            if arrival >= min(loop.next_due(), self._clock.at(world.alone_until(board))):
                break
            loop.leap(at)
            out = world.report(board, self._clock.now())
            if out is None:
                return None
            if out:
                programs[0].bring(out, wire, at, loop.leap)
            told += 1
        return world.reported(board) if told else None
