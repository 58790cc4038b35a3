"""From where one is in a record to what the Record screen shows."""

from __future__ import annotations

from bisect import bisect_right

import msgspec

from cavet.drawings.canvas import clip
from cavet.drawings.lanes import (
    LanesView,
    LaneView,
    MeasureView,
    StripView,
    full_name,
    lane_view,
    rows_of,
    shown,
    stood_at,
)
from cavet.lanes import Lane, told_between
from cavet.units import show_duration
from cavet.wording import counted, from_to, plain
from cavet.workbench.record.looking import Looking

MOST_FLAGS = 400
MOST_TOLD = 60
MOST_STOOD = 14
ROOMY = 28
"""With so many rows there is room between the groups."""


class HeadView(msgspec.Struct, frozen=True):
    """The line over the lanes: what is looked at, how much of it there is, where one is."""

    title: str
    amount: str
    where: str
    state: str
    over: str = ""


def head_view(looking: Looking, past: str) -> HeadView:
    """What is looked at."""
    begin = f", from {show_duration(looking.since)} on" if looking.since else ""
    amount = f"{show_duration(looking.end)}{begin} · {counted(looking.count, 'event')}"
    state = "follows" if looking.follows else "stands"
    over = looking.over.words if looking.over is not None else ""
    where = f"{looking.t:.6f} s"
    return HeadView(past or "this run", amount, where, state if looking.is_read else "is being read", over)


def lanes_view(looking: Looking, height: int) -> LanesView:
    """The lanes, as far as there is room for them; the one under the cursor is among them."""
    lanes = looking.seen()
    chosen = next((place for place, lane in enumerate(lanes) if lane is looking.chosen), -1)
    sizes = [rows_of(lane, looking.taller.get(lane.key, 0)) for lane in lanes]
    tight = height < ROOMY
    first = _first(lanes, sizes, chosen, height, 1 if tight else 2)
    made: list[LaneView] = []
    for place, lane in enumerate(lanes):
        if place < first or sum(sizes[first:place]) > height:
            made.append(LaneView(group=lane.group, name=lane.name, unit="", kind=lane.kind, rows=sizes[place]))
        else:
            over = looking.over
            other, shift = (over.lane(lane), over.shift) if over is not None else (None, 0.0)
            seen = lane_view(lane, looking.begin, looking.cell, looking.cells, sizes[place], other, shift)
            stood = clip(plain(stood_at(lane, looking.t)), MOST_STOOD)
            made.append(msgspec.structs.replace(seen, stood=stood))
    trail = looking.trail()
    places = {lane.key: place for place, lane in enumerate(lanes)}
    way = [
        (places[key], _x(looking, t)) for key, t in (looking.way(trail) if trail is not None else []) if key in places
    ]
    last = looking.begin + looking.cells * looking.cell
    differs = looking.over.within(looking.begin, last) if looking.over is not None else []
    flags = [flag for flag in looking.lanes.flags if looking.begin <= flag.t < last][:MOST_FLAGS]
    return LanesView(
        lanes=tuple(made), begin=looking.begin, cell=looking.cell, chosen=chosen,
        cursor=None if looking.follows else _x(looking, looking.t),
        marks=tuple((_x(looking, t), name) for t, name in zip(looking.marks, "AB", strict=False)),
        way=tuple(way), flags=tuple((_x(looking, flag.t), flag.is_error) for flag in flags), first=first, tight=tight,
        differs=tuple(dict.fromkeys(_x(looking, t) for t in differs)),
    )  # fmt: skip


def _x(looking: Looking, t: float) -> int:
    return int((t - looking.begin) / looking.cell + 1e-9)


def _first(lanes: list[Lane], sizes: list[int], chosen: int, height: int, heading: int) -> int:
    """The first lane to be seen, so that the chosen one has room; each group has so many rows for its heading."""
    first = 0
    while first < chosen:
        groups = len({lane.group for lane in lanes[first : chosen + 1]})
        if sum(sizes[first : chosen + 1]) + heading * groups + 2 <= height:
            break
        first += 1
    return first


def measures_view(looking: Looking) -> MeasureView:
    """What lies between the marks, of all, and of the lane under the cursor."""
    begin, end = looking.stretch
    names = {0: "what is seen", 1: "A to the cursor", 2: "A to B"}
    lines: list[tuple[str, str]] = [
        (f"{from_to(begin, end, 6)} s", ""), ("time", show_duration(max(0.0, end - begin))),
    ]  # fmt: skip
    if looking.marks and end > begin:
        lines.append(("as a rate", shown("", 1 / (end - begin), "Hz")))
    lane = looking.chosen
    if lane is not None:
        lines += [("", ""), (plain(full_name(lane)), "")]
        here = lane.course.at(looking.t)
        if here is not None and lane.kind in ("curve", "level"):
            words = shown("", here, lane.unit) if lane.kind == "curve" else "high" if here else "low"
            lines.append(("at cursor", words))
        lines += [(name, shown(name, value, unit)) for name, value, unit in told_between(lane, begin, end)]
    flags = [flag for flag in looking.lanes.flags if begin <= flag.t <= end]
    if flags:
        lines += [("", ""), ("stands out", "")]
        lines += [(f"{flag.t:.3f} s", plain(flag.words, MOST_TOLD)) for flag in flags[:6]]
    return MeasureView(names[len(looking.marks)], tuple(lines))


def strip_view(looking: Looking) -> StripView:
    """The whole run: how much was said and done in each of its parts."""
    end, cells = max(looking.end, 1e-9), looking.cells
    cell = end / cells
    counts = [0] * (cells + 1)
    for lane in looking.seen():
        times = lane.ends if lane.ends else lane.course.t
        at = 0
        for place in range(cells):
            until = bisect_right(times, (place + 1) * cell, at)
            counts[place] += until - at
            at = until
    most = max(counts) or 1
    window = (
        min(cells - 1, int(looking.begin / cell)),
        min(cells, int((looking.begin + looking.cells * looking.cell) / cell)),
    )
    flags = looking.lanes.flags
    step = max(1, len(flags) // MOST_FLAGS)
    marked = tuple((min(cells - 1, int(flag.t / cell)), flag.is_error, plain(flag.words, 40)) for flag in flags[::step])
    eighths = tuple(round(8 * count / most) for count in counts[:cells])
    return StripView(eighths, window, marked, end, int(looking.since / cell))
