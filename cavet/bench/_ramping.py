"""Going to a value in time: what routines and scripts do alike."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable

from cavet.bench._running import RunningBench
from cavet.bench._standing import Standings
from cavet.hosts import Point
from cavet.record import Kind
from cavet.units import places

RAMP_SECONDS = 0.02
"""The next value is asked for so often, and not before the last one was carried."""
LEAST_WAIT = 1e-6
"""A wait that is shorter may be none: a clock that has run for long is no finer."""


async def ramp(
    bench: RunningBench, standings: Standings, point: Point, wanted: float, over: float,
    ask: Callable[[float], Awaitable[int]], look: Callable[[], None] = lambda: None,
) -> None:  # fmt: skip
    """Ask for one value after the other on the way to another one, each when the last one has left, and none that is
    the end's on the wire: that is to be asked for behind them. Where it is not known how the point stands, the way
    begins at rest. Each value has a digit more than the wire can tell apart.

    `ask` asks for a value, and gives the number of the wish. `look` is called in each turn, and may raise.
    """
    reading, clock = bench.reading(point), bench.clock
    begin = float(next(v for v in (reading.asked, reading.got, point.start, point.rest) if v is not None))
    began, last, digits = clock.now(), None, places(point.resolution) + 1
    while over > 0 and (share := (clock.now() - began) / over) < 1:
        standings.follow()
        trail = standings.trails.all.get(last) if last is not None else None
        has_left = trail is None or trail.stopped is not None or trail.reached(Kind.CARRIED) is not None
        value = round(begin + (wanted - begin) * share, digits)
        if has_left and not point.same(value, wanted):
            last = await ask(value)
        look()
        await asyncio.sleep(min(RAMP_SECONDS, max(LEAST_WAIT, began + over - clock.now())))
