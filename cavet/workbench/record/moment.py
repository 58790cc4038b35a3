"""How everything stood at a moment, told by the record alone: links, what was asked and got, pins, parts, the rig."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from cavet.bench import RunningBench
from cavet.hosts import Point
from cavet.lanes import CURVE, PARTS, PINS, RIG, SENSED, Lane, Lanes
from cavet.record import Event, Kind, Topic
from cavet.units import show, show_duration
from cavet.wording import plain

READY = "ready"
States = dict[tuple[str, Topic, str, Kind], Event]


class PointThen(msgspec.Struct, frozen=True):
    """A point as its host believed it to stand, and how old that was, in s; whether both are the same, as far as both
    were known."""

    name: str
    asked: str
    got: str
    age: float | None
    agrees: bool


class ThingThen(msgspec.Struct, frozen=True):
    """A pin, a part, or a quantity as it stood."""

    group: str
    name: str
    value: str


class Moment(msgspec.Struct, frozen=True):
    """All of it: when, after which event, in words; how the sessions stood, by their hosts."""

    t: float
    number: int
    event: str
    links: tuple[tuple[str, str], ...]
    points: tuple[PointThen, ...]
    things: tuple[ThingThen, ...]


def moment_at(bench: RunningBench, lanes: Lanes, number: int) -> Moment:
    """How everything stood just after an event."""
    record = bench.record
    event = record[number]
    states = {key: each for key, each in record.state_at(event.t).items() if each.number <= number}
    return Moment(
        event.t, number, words_of(event), tuple(_links(bench, states)), tuple(_points(bench, states, event.t)),
        tuple(_things(lanes, event.t)),
    )  # fmt: skip


def words_of(event: Event) -> str:
    """What an event was, in a line."""
    value = "" if event.value is None or isinstance(event.value, bytes) else f" {event.value}"
    note = f" · {event.note}" if event.note else ""
    return plain(f"{event.board} {event.kind.value} {event.subject}{value}{note}".strip(), 90)


def _links(bench: RunningBench, states: States) -> Iterator[tuple[str, str]]:
    for host in bench.plan.hosts:
        state = states.get((host, Topic.SESSION, host, Kind.LINK))
        yield host, str(state.value) if state is not None else "not open yet"


def _points(bench: RunningBench, states: States, t: float) -> Iterator[PointThen]:
    for point in bench.plan.points.values():
        of = {
            kind: states.get((point.board, Topic.POINT, point.name, kind))
            for kind in (Kind.ASKED, Kind.HEARD, Kind.CONFIRMED)
        }
        asked = of[Kind.ASKED]
        heard = [event for event in (of[Kind.HEARD], of[Kind.CONFIRMED]) if event is not None]
        got = max(heard, key=lambda event: event.number) if heard else None
        if asked is None and got is None:
            continue
        agrees = asked is None or got is None or _same(point, asked, got)
        yield PointThen(
            point.name, _shown(point, asked), _shown(point, got), t - got.t if got is not None else None, agrees
        )


def _same(point: Point, asked: Event, got: Event) -> bool:
    one, other = asked.value, got.value
    if isinstance(one, bytes) or isinstance(other, bytes) or one is None or other is None:
        return one == other
    return point.same(one, other)


def _shown(point: Point, event: Event | None) -> str:
    value = event.value if event is not None else None
    return "—" if value is None or isinstance(value, bytes) else point.show(value)


def _things(lanes: Lanes, t: float) -> Iterator[ThingThen]:
    for lane in lanes.all():
        if lane.group in (PINS, PARTS, RIG, SENSED):
            value = lane.course.at(t)
            if value is not None:
                name = f"{lane.board} pin {lane.name}" if lane.group == PINS else f"{lane.board} {lane.name}".strip()
                yield ThingThen(lane.group, name, _value(lane, value))


def _value(lane: Lane, value: float) -> str:
    if lane.kind != CURVE:
        return "on" if value else "off"
    return show(float(f"{value:.5g}"), lane.unit) if lane.unit else f"{value:.5g}"


def age_words(age: float | None) -> str:
    """How old something was."""
    return "" if age is None else show_duration(age)
