"""The commands of a stretch of time as a list: those that broke first, then those that took longest."""

from __future__ import annotations

import msgspec

from cavet.bench import PastTrails
from cavet.library.past import trails_of
from cavet.library.trails import Trail
from cavet.record import Record
from cavet.units import show_duration
from cavet.wording import plain
from cavet.workbench.desk import Desk

MOST, AT_ONCE = 2000, 16_384
MOST_EVENTS = 200_000
"""So many events are looked through at most: the latest of the time that is wanted."""
SETTLED = 5.0
"""So many seconds behind it are read in any case: what has moved may still not be confirmed."""

MOST_TITLE = 80


class CommandView(msgspec.Struct, frozen=True):
    """A command: its point, when it began, in words what was asked and what became of it."""

    point: str
    t: float
    title: str
    told: str


class Commands(msgspec.Struct, frozen=True):
    """Commands, and from when on they were looked for, in s."""

    found: list[CommandView]
    begin: float


def commands_in(desk: Desk, begin: float, end: float) -> Commands:
    """The commands that began between two times, with what became of them later."""
    record: Record = desk.bench.record
    first, last = record.number_at(begin - 1e-9), record.number_at(end)
    read, number = PastTrails(desk.bench.setup), max(first, last - MOST_EVENTS)
    looked = begin if number == first else record[number].t
    settled = record.number_at(end + SETTLED)
    while number < len(record) and (number < settled or read.is_under_way(end)):
        events = record.since(number, AT_ONCE)
        if not events:
            break
        read.read(events)
        number = events[-1].number + 1
    trails = [trail for trail in trails_of(read) if trail.is_command and trail.stages[0].t <= end]
    trails.sort(key=lambda trail: (trail.ended != "broken", -trail.took))
    return Commands([_view(trail) for trail in trails[:MOST]], looked)


def _view(trail: Trail) -> CommandView:
    told = f"{trail.stages[0].t:.3f} s · {trail.ended or 'under way'} after {show_duration(trail.took)}"
    if trail.broken_at is not None:
        told += f" · ✕ before {trail.broken_at}: {plain(trail.why)}"
    return CommandView(trail.point, trail.stages[0].t, plain(f"{trail.point} ← {trail.shown}", MOST_TITLE), told)
