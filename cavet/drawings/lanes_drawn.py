"""Lanes as a drawing for a file: wishes, traffic, levels and curves as lines, texts as texts."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from math import ceil

from cavet.drawings.lanes import INKS, shown, shown_name, span_of, tick_seconds
from cavet.drawings.vector import CHARACTER, Area, Drawing, Point, Shape, Stroke, Words
from cavet.lanes import CURVE, LEVEL, TRAFFIC, WISHES, Course, Lane
from cavet.units import places, show
from cavet.wording import digits

NAME_PIXELS, WIDTH, RIGHT = 190.0, 1000.0, 24.0
TOP, ROW, TALL, GAP, HEADING = 64.0, 22.0, 52.0, 8.0, 26.0
SIZE, SMALL = 12.0, 10.0
MOST_POINTS = 4000
"""Of a course with more points, each pixel gets its least and its greatest value."""
BARS = 400
TICK_PIXELS = 90.0
MARK = 4.0
_Place = Callable[[float, float], Point]


def lanes_drawing(title: str, lanes: list[Lane], begin: float, end: float) -> Drawing:
    """The lanes in a stretch of time, one below the other."""
    scale = (WIDTH - NAME_PIXELS - RIGHT) / max(end - begin, 1e-9)
    shapes: list[Shape] = [Words(16, 28, title, size=15, bold=True)]
    y, group = TOP, ""
    for lane in lanes:
        if lane.group != group:
            group = lane.group
            y += HEADING
            shapes.append(Words(16, y - 8, group, INKS[group].role, SIZE, bold=True))
        height = TALL if lane.kind == CURVE else ROW
        shapes += _name(lane, y, height)
        shapes += _lane(lane, y, height, begin, end, scale)
        y += height + GAP
    shapes += _axis(begin, end, scale, y)
    names = ", ".join(f"{lane.group} {lane.board} {lane.name}".replace("  ", " ") for lane in lanes)
    told = f"From {digits(begin, 8)} s to {digits(end, 8)} s: {names}"
    return Drawing(width=WIDTH, height=y + 16, title=title, description=told[:2000], shapes=tuple(shapes))


def _name(lane: Lane, y: float, height: float) -> Iterator[Shape]:
    """The name of a lane; beside a curve the values between which it is drawn."""
    right = NAME_PIXELS - 10
    if lane.kind != CURVE:
        yield Words(28, y + height - 6, shown_name(lane), "paper", SIZE)
        yield from [Words(right, y + height - 6, lane.unit, "quiet", SMALL, anchor="end")] * bool(lane.unit)
        return
    low, high = span_of(lane)
    yield Words(28, y + height / 2 + 4, shown_name(lane), "paper", SIZE)
    yield Words(right, y + SMALL, shown("", high, lane.unit), "quiet", SMALL, anchor="end")
    yield Words(right, y + height - 1, shown("", low, lane.unit), "quiet", SMALL, anchor="end")


def _axis(begin: float, end: float, scale: float, bottom: float) -> Iterator[Shape]:
    step = tick_seconds(TICK_PIXELS / scale)
    tick = ceil(begin / step - 1e-9) * step
    while tick <= end + 1e-12:
        x = NAME_PIXELS + (tick - begin) * scale
        yield Stroke(((x, TOP - 12), (x, bottom)), "hair", 0.5)
        yield Words(x, TOP - 16, show(tick, "s", places(step)), "heather", SMALL, anchor="middle")
        tick += step


def _lane(lane: Lane, y: float, height: float, begin: float, end: float, scale: float) -> Iterator[Shape]:
    role = INKS[lane.group].role
    if lane.kind == WISHES:
        yield from _wishes(lane, y + height / 2, begin, end, scale)
        return
    if lane.kind == TRAFFIC:
        yield from _traffic(lane, y, height, begin, end, scale)
        return
    low, high = (0.0, 1.0) if lane.kind == LEVEL else span_of(lane)

    def place(t: float, value: float) -> Point:
        share = (value - low) / (high - low)
        return NAME_PIXELS + (t - begin) * scale, y + height - 2 - share * (height - 6)

    if lane.asked is not None:
        yield from _stroke(lane.asked, place, begin, end, "asked", f"{lane.name} asked", dashed=True)
    yield from _stroke(lane.course, place, begin, end, role, lane.name, dashed=False)


def _stroke(
    course: Course, place: _Place, begin: float, end: float, role: str, name: str, *, dashed: bool
) -> Iterator[Shape]:
    points = [place(t, value) for t, value in _points(course, begin, end)]
    if points:
        yield Stroke(tuple(points), role, 1.5, name, dashed)


def _points(course: Course, begin: float, end: float) -> Iterable[tuple[float, float]]:
    """The points of a course in a time, with its two ends."""
    first, last = course.at(begin), course.at(end)
    inside = [(t, value) for t, value in zip(course.t, course.value, strict=True) if begin < t < end]
    if len(inside) > MOST_POINTS:
        cell = (end - begin) / MOST_POINTS * 2
        spans = [
            (begin + n * cell, course.within(begin + n * cell, begin + (n + 1) * cell)) for n in range(MOST_POINTS // 2)
        ]
        inside = [(t, value) for t, span in spans if span is not None for value in span]
    found = [(begin, first)] if first is not None else []
    found += inside
    return found + ([(end, last)] if last is not None else [])


def _wishes(lane: Lane, y: float, begin: float, end: float, scale: float) -> Iterator[Shape]:
    yield Stroke(((NAME_PIXELS, y), (NAME_PIXELS + (end - begin) * scale, y)), "hair")
    seen = [(t, words) for t, words in zip(lane.course.t, lane.words, strict=True) if begin <= t <= end]
    for number, (t, words) in enumerate(seen):
        x = NAME_PIXELS + (t - begin) * scale
        corners = ((x - MARK, y), (x, y - MARK), (x + MARK, y), (x, y + MARK), (x - MARK, y))
        yield Stroke(corners, "asked", 1.2, f"{lane.name} wish")
        following = NAME_PIXELS + (seen[number + 1][0] - begin) * scale if number + 1 < len(seen) else WIDTH
        if x + 2 * MARK + CHARACTER * SMALL * (len(words) + 1) < following:
            yield Words(x + 2 * MARK - 1, y + 4, words, "asked", SMALL)


def _traffic(lane: Lane, y: float, height: float, begin: float, end: float, scale: float) -> Iterator[Shape]:
    """Bars up for what the host has said, down for what the board has."""
    cell = (end - begin) / BARS
    counts = [lane.passed(begin + n * cell, begin + (n + 1) * cell - 1e-12) for n in range(BARS)]
    most = max((max(pair) for pair in counts), default=0) or 1
    middle, reach = y + height / 2, height / 2 - 1
    yield Stroke(((NAME_PIXELS, middle), (NAME_PIXELS + (end - begin) * scale, middle)), "hair")
    for number, (out, back) in enumerate(counts):
        x, width = NAME_PIXELS + number * cell * scale, max(1.0, cell * scale)
        if out:
            yield Area(x, middle - reach * out / most, width, reach * out / most, "asked")
        if back:
            yield Area(x, middle, width, reach * back / most, "got")
