"""The trails of a record, and how long each stage took."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from cavet.bench import PastTrails
from cavet.benchfile import Setup
from cavet.library.trails import Trail
from cavet.record import Event


def past_trails(events: Iterable[Event], setup: Setup | None) -> list[Trail]:
    """All trails of some events, the oldest first, as they stood at the end."""
    return trails_of(PastTrails(setup).read(events))


def trails_of(read: PastTrails) -> list[Trail]:
    """All trails of what was read, the oldest first, as they stood at its end."""
    return [Trail(trail, read.diagnose(trail), read.point_of(trail)) for trail in read.all]


class Delays(msgspec.Struct, frozen=True, kw_only=True):
    """How long it took from a stage to the next one at a board: in s, over `count` trails."""

    board: str
    begin: str
    end: str
    count: int
    median: float
    p95: float
    p99: float
    most: float
    all: tuple[float, ...]


def delays_of(trails: Iterable[Trail]) -> list[Delays]:
    """The delays between each two stages, for each board, in the order of the stages."""
    found: dict[tuple[str, str, str], list[float]] = {}
    for trail in trails:
        for (begin, end), took in trail.delays.items():
            found.setdefault((trail.board, begin, end), []).append(took)
    made = []
    for (board, begin, end), seconds in found.items():
        ordered = sorted(seconds)
        made.append(
            Delays(
                board=board, begin=begin, end=end, count=len(ordered), median=percentile(ordered, 0.5),
                p95=percentile(ordered, 0.95), p99=percentile(ordered, 0.99), most=ordered[-1], all=tuple(ordered),
            )
        )  # fmt: skip
    return made


def percentile(ordered: list[float], share: float) -> float:
    """A percentile of ordered values, between two of them by how near it is to each (Hyndman and Fan, type 7)."""
    place = share * (len(ordered) - 1)
    low = int(place)
    high = min(low + 1, len(ordered) - 1)
    return ordered[low] + (ordered[high] - ordered[low]) * (place - low)
