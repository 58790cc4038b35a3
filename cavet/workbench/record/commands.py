"""The commands of a stretch of time as a list: those that broke first, then those that took longest."""

from __future__ import annotations

import msgspec

from cavet.library.past import past_trails
from cavet.library.trails import Trail
from cavet.record import Record
from cavet.units import show_duration
from cavet.wording import plain
from cavet.workbench.desk import Desk

MOST = 2000
MOST_EVENTS = 200_000
"""So many events are looked through at most: the latest of the time that is wanted."""


class CommandView(msgspec.Struct, frozen=True):
    """A command: its point, when it began, in words what was asked and what became of it."""

    point: str
    t: float
    title: str
    told: str


def commands_in(desk: Desk, begin: float, end: float) -> list[CommandView]:
    """The commands that began between two times."""
    record: Record = desk.bench.record
    first, last = record.number_at(begin - 1e-9), record.number_at(end)
    events = record.since(max(first, last - MOST_EVENTS))
    trails = [trail for trail in past_trails(events, desk.bench.setup) if trail.is_command and trail.stages[0].t <= end]
    trails.sort(key=lambda trail: (trail.ended != "broken", -trail.took))
    return [_view(trail) for trail in trails[:MOST]]


def _view(trail: Trail) -> CommandView:
    told = f"{trail.stages[0].t:.3f} s · {trail.ended or 'under way'} after {show_duration(trail.took)}"
    if trail.broken_at is not None:
        told += f" · ✕ before {trail.broken_at}: {plain(trail.why)}"
    return CommandView(trail.point, trail.stages[0].t, plain(f"{trail.point} ← {trail.shown}", 40), told)
