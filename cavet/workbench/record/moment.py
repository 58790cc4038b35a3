"""How everything stood at a moment, told by the record alone: links, what was asked and got."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from math import inf, nextafter

import msgspec

from cavet.bench import RunningBench
from cavet.hosts import Asked
from cavet.record import Event, Kind, Topic, words_of

READY = "ready"
States = Mapping[tuple[str, Topic, str, Kind], Event]


class PointThen(msgspec.Struct, frozen=True):
    """A point as its host believed it to stand, and how old that was, in s; whether both are the same, as far as both
    were known."""

    asked: Asked | None
    got: Asked | None
    age: float | None
    agrees: bool


class Moment(msgspec.Struct, frozen=True):
    """All of it: when, after which event, in words; how the sessions stood, by their hosts; the points that had been
    asked or had answered, by name; what was the latest of each subject and kind."""

    t: float
    number: int
    event: str
    links: Mapping[str, str]
    points: Mapping[str, PointThen]
    states: States


def moment_at(bench: RunningBench, number: int) -> Moment:
    """How everything stood just after an event."""
    record = bench.history
    event = record[number]
    earlier = nextafter(event.t, -inf)
    states = dict(record.state_at(earlier))
    begin = record.number_at(earlier)
    for each in record.since(begin, number + 1 - begin):
        states[each.board, each.topic, each.subject, each.kind] = each
    return Moment(
        event.t, number, words_of(event), dict(_links(bench, states)), dict(_points(bench, states, event.t)), states
    )


def _links(bench: RunningBench, states: States) -> Iterator[tuple[str, str]]:
    for host in bench.setup.hosts:
        board = bench.setup.board_of(host)
        state = states.get((board, Topic.SESSION, host, Kind.LINK))
        link = states.get((board, Topic.LINK, bench.setup.hosts[host].link, Kind.LINK))
        if state is not None:
            yield host, str(state.value)
        elif link is not None:
            yield host, f"another program {'has' if link.value == 'open' else 'had'} it open"
        else:
            yield host, "not open yet"


def _points(bench: RunningBench, states: States, t: float) -> Iterator[tuple[str, PointThen]]:
    for point in bench.setup.points.values():
        of = {
            kind: states.get((bench.setup.board_of(point.board), Topic.POINT, point.name, kind))
            for kind in (Kind.ASKED, Kind.HEARD, Kind.CONFIRMED)
        }
        asked = _value(of[Kind.ASKED])
        heard = [event for event in (of[Kind.HEARD], of[Kind.CONFIRMED]) if event is not None]
        latest = max(heard, key=lambda event: event.number) if heard else None
        got = _value(latest)
        if asked is None and got is None:
            continue
        age = t - latest.t if latest is not None else None
        yield point.name, PointThen(asked, got, age, asked is None or got is None or point.same(asked, got))


def _value(event: Event | None) -> Asked | None:
    value = event.value if event is not None else None
    return None if isinstance(value, bytes) else value
