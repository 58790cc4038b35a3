"""What becomes of a wish, as the host sees it: the same on a simulated board and on a real one."""

from __future__ import annotations

import asyncio
from collections.abc import Set

from cavet.bench import LOOK_SECONDS, RunningBench, Standings, check_link, followed, sent_for
from cavet.hosts import Asked, Point
from cavet.record import Event, Kind, Reason, Record, Topic, Trail

SOON_SECONDS, SOON_LOOKS = 0.0005, 40
"""At first it is looked again after so short a while, so often."""
AT_ONCE = (Kind.UNCHANGED, Kind.OVERTAKEN)
"""Ends of a wish that are no failure: it stands there, or another wish took its place."""
ENDED = (*AT_ONCE, Kind.REFUSED, Kind.UNCONFIRMED)
MOST_EVENTS = 2000
"""So many events are looked through for the edge that something follows from."""
EDGES = (Kind.LEVEL, Kind.SENSED)


async def follow_wish(
    bench: RunningBench, standings: Standings, point: Point, value: Asked, by: str, cause: int | None = None
) -> Trail:
    """Want a point at a value, and wait until that is confirmed, carried where nothing confirms, or has ended
    otherwise; no longer than the session tries, and 10 s. Where it has failed by the wish that was on its way to the
    same value already, that one's trail is given. Raises `UnreachableError` where the link is lost."""
    link = bench.link_of(point)
    asked = bench.ask(point, value, by=by, cause=cause)
    began = bench.clock.now()
    looks = 0
    while True:
        standings.follow()
        trail = standings.trails.all[asked]
        sent = sent_for(bench, standings, point, trail)
        if sent.reached(_last_stage(point)) is not None or _end_of(sent) is not None:
            return sent if how_it_ended(point, sent) else trail
        if bench.clock.spent_since(began) > followed(link):
            return trail
        check_link(link)
        looks += 1
        await asyncio.sleep(SOON_SECONDS if looks < SOON_LOOKS else LOOK_SECONDS)


def _last_stage(point: Point) -> Kind:
    return Kind.CONFIRMED if point.confirm else Kind.CARRIED


def _end_of(trail: Trail) -> Event | None:
    """What ended a wish on the host's side; what a part does is not seen there."""
    stopped = trail.stopped
    return stopped if stopped is not None and stopped.kind in ENDED and stopped.topic is not Topic.PART else None


def how_it_ended(point: Point, trail: Trail) -> str:
    """Why a wish has failed; "" where it has not."""
    if trail.reached(_last_stage(point)) is not None:
        return ""
    ended = _end_of(trail)
    if ended is not None and ended.kind in AT_ONCE:
        return ""
    return ended.note if ended is not None and ended.note else "no confirmation"


def was_lost(trail: Trail) -> bool:
    """Whether a wish has ended with its link: what has become of it is not known."""
    ended = _end_of(trail)
    return ended is not None and ended.reason is Reason.LINK_LOST


def edge_before(record: Record, points: Set[str]) -> float | None:
    """When the pin changed that one of these points was heard of last; `None` where that is not known."""
    events = {event.number: event for event in record.since(max(0, len(record) - MOST_EVENTS))}
    heard = next(
        (each for each in reversed(events.values()) if each.kind == Kind.HEARD and each.subject in points), None
    )
    while heard is not None and heard.kind not in EDGES:
        heard = events.get(heard.cause) if heard.cause is not None else None
    return heard.t if heard is not None else None


def delay_of(record: Record, acted: Event) -> float | None:
    """How long it took from the edge at a pin, or from what an output was driven to, to the pin that a board's own rule
    has driven for it; `None` where either is not in the record."""
    driven = next((event.t for event in record.effects(acted.number) if event.kind == Kind.DRIVEN), None)
    edge: Event | None = acted
    while edge is not None and edge.kind not in (*EDGES, Kind.DRIVEN):
        edge = record[edge.cause] if edge.cause is not None and edge.cause >= record.first else None
    return driven - edge.t if driven is not None and edge is not None else None
