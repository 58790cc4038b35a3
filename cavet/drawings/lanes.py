"""Lanes on one time axis, in cells: wishes, traffic, levels and curves, with the way of a cause through them."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from itertools import pairwise
from math import ceil

import msgspec

from cavet.drawings.canvas import (
    ASKED,
    CORAL,
    GOT,
    HAIR,
    HEATHER,
    PAPER,
    QUIET,
    WATER,
    Canvas,
    Ink,
    clip,
    shortened,
    wrapped,
)
from cavet.lanes import CURVE, LEVEL, TRAFFIC, WISHES, Lane
from cavet.units import decimals_of, places, show, show_duration
from cavet.wording import digits

NAME_CELLS = 22
UNIT_CELLS = 7
EIGHTHS = " ▁▂▃▄▅▆▇█"
UNKNOWN = -1
AXIS_ROWS = 2
HEIGHTS = {CURVE: 2}
INKS: dict[str, Ink] = {"asked": ASKED, "link": QUIET, "pins": GOT, "parts": GOT, "rig": WATER, "sensed": HEATHER}
MOST_TRAFFIC, MOST_PIECES = 6, 3
"""How many eighths the most traffic is high; so many pieces in a cell are much."""
SPANS = {"%": (0.0, 100.0), "deg": (0.0, 180.0)}
"""What is drawn of a lane in such a unit at least, so that two of them can be compared."""
ROUND_STEPS = (1, 2, 5)


class LaneView(msgspec.Struct, frozen=True, kw_only=True):
    """A lane as it is seen: for each cell how many eighths high it stands, or `UNKNOWN`, and where it was asked to be;
    wishes with their words."""

    group: str
    name: str
    unit: str
    kind: str
    rows: int
    cells: tuple[int, ...] = ()
    asked: tuple[int, ...] = ()
    other: tuple[int, ...] = ()
    """Where it stood in a record that is laid over this one."""
    other_wishes: tuple[tuple[int, str], ...] = ()
    commands: tuple[int, ...] = ()
    """The cells in which something was said that carries a wish."""
    wishes: tuple[tuple[int, str], ...] = ()
    before: str = ""
    """What was asked for last before."""
    stood: str = ""
    """How it stood at the cursor, or what was asked for last then."""
    board: str = ""


class LanesView(msgspec.Struct, frozen=True, kw_only=True):
    """All of them in a stretch of time: `cell` seconds a cell from `begin` on. `way` has the cells through which a
    command went, by the numbers of lanes."""

    lanes: tuple[LaneView, ...]
    begin: float
    cell: float
    chosen: int = -1
    cursor: int | None = None
    marks: tuple[tuple[int, str], ...] = ()
    way: tuple[tuple[int, int], ...] = ()
    flags: tuple[tuple[int, bool], ...] = ()
    differs: tuple[int, ...] = ()
    """The cells in which a record that is laid over this one differs."""
    first: int = 0
    """The first lane that is seen."""
    empty: str = ""
    tight: bool = False
    """Whether there is little room: groups follow one another at once."""


def rows_of(lane: Lane, taller: int = 0) -> int:
    """How many rows a lane takes."""
    return max(1, HEIGHTS.get(lane.kind, 1) + taller)


def full_name(lane: Lane) -> str:
    """A lane's name with its board's, which a quantity of the world has not."""
    return f"{lane.board} {'pin ' if lane.group == 'pins' else ''}{lane.name}".strip()


def shown_name(lane: Lane) -> str:
    """What stands beside a lane: pins with their boards, as each board has a pin 2."""
    return full_name(lane) if lane.group == "pins" else lane.name


def span_of(lane: Lane) -> tuple[float, float]:
    """Between which values a lane is drawn."""
    courses = [course for course in (lane.course, lane.asked) if course is not None and len(course)]
    least = min((course.low for course in courses), default=0.0)
    most = max((course.high for course in courses), default=1.0)
    low, high = SPANS.get(lane.unit, (least, most))
    low, high = min(low, least), max(high, most)
    return (low, high) if high > low else (low - 1.0, high + 1.0)


def lane_view(
    lane: Lane, begin: float, cell: float, cells: int, rows: int, other: Lane | None = None, shift: float = 0.0
) -> LaneView:
    """What is seen of a lane in a stretch of time; of the same one in another record, so much later, as well."""
    seen = LaneView(
        group=lane.group, name=shown_name(lane), unit=lane.unit, kind=lane.kind, rows=rows, board=lane.board
    )
    if lane.kind == TRAFFIC:
        amounts, commands = _traffic(lane, begin, cell, cells)
        return msgspec.structs.replace(seen, cells=amounts, commands=commands)
    if lane.kind == WISHES:
        wishes = _wishes_of(lane, begin, cell, cells)
        earlier = bisect_left(lane.course.t, begin)
        more = _wishes_of(other, begin - shift, cell, cells) if other is not None else ()
        before = lane.words[earlier - 1] if earlier else ""
        return msgspec.structs.replace(seen, wishes=wishes, before=before, other_wishes=more)
    low, high = (0.0, 1.0) if lane.kind == LEVEL else span_of(lane)
    full = 8 * rows - (2 if lane.kind == LEVEL else 1)  # so that two lanes do not grow together
    found, asked = [], []
    for place in range(cells):
        t = begin + place * cell
        inside = lane.course.within(t, t + cell)
        found.append(UNKNOWN if inside is None else round(full * (inside[1] - low) / (high - low)))
        wish = lane.asked.at(t + cell) if lane.asked is not None else None
        asked.append(UNKNOWN if wish is None else round(full * (wish - low) / (high - low)))
    over: list[int] = []
    if other is not None:
        times = [begin - shift + (place + 1) * cell for place in range(cells)]
        stood = [other.course.at(t) for t in times]
        over = [UNKNOWN if value is None else round(full * (value - low) / (high - low)) for value in stood]
    wished = tuple(asked) if lane.asked is not None else ()
    return msgspec.structs.replace(seen, cells=tuple(found), asked=wished, other=tuple(over))


def stood_at(lane: Lane, t: float) -> str:
    """How a curve stood at a time, in words; of wishes the last one until then. "" where that is not known."""
    if lane.kind == WISHES:
        asked = bisect_right(lane.course.t, t)
        return lane.words[asked - 1] if asked else ""
    here = lane.course.at(t) if lane.kind == CURVE else None
    return shown("", here, lane.unit) if here is not None else ""


def _wishes_of(lane: Lane, begin: float, cell: float, cells: int) -> tuple[tuple[int, str], ...]:
    """The wishes in a stretch of time, by their cells; of several in one cell, the last."""
    t = lane.course.t
    places = [bisect_left(t, begin + place * cell) for place in range(cells + 1)]
    return tuple((place, lane.words[last - 1]) for place, (first, last) in enumerate(pairwise(places)) if last > first)


def _traffic(lane: Lane, begin: float, cell: float, cells: int) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """How much has passed in each cell, against the most in one of them; and in which a wish was said."""
    times = [begin + place * cell for place in range(cells + 1)]
    counts = [sum(lane.passed(t, following - 1e-12)) for t, following in pairwise(times)]
    most = max([*counts, MOST_PIECES])
    commands = tuple(place for place, (t, following) in enumerate(pairwise(times)) if lane.carries(t, following))
    return tuple(ceil(MOST_TRAFFIC * count / most) for count in counts), commands


def draw_lanes(view: LanesView, width: int, height: int) -> Canvas:
    """Draw the lanes with their axis."""
    canvas = Canvas(width, height)
    draw_axis(canvas, NAME_CELLS + UNIT_CELLS, view.begin, view.cell, width)
    if not view.lanes:
        canvas.put(1, AXIS_ROWS + 1, view.empty or "nothing has happened yet", QUIET)
        return canvas
    tops, heads, y = laid_out(view, height)
    for group, row in heads:
        canvas.put(1, row, group, INKS[group]._replace(bold=True))
    for number, top in tops.items():
        _draw_lane(canvas, view.lanes[number], top, width, chosen=number == view.chosen)
    _draw_upright(canvas, view, y)
    _draw_way(canvas, view, tops)
    return canvas


def laid_out(view: LanesView, height: int) -> tuple[dict[int, int], list[tuple[str, int]], int]:
    """The first row of each lane that has room, the row of each group's heading, and where they end."""
    tops: dict[int, int] = {}
    heads: list[tuple[str, int]] = []
    y, group = AXIS_ROWS, ""
    for number, lane in enumerate(view.lanes[view.first :], view.first):
        if lane.group != group:
            group = lane.group
            y += 1 if y > AXIS_ROWS and not view.tight else 0
            if y < height:
                heads.append((group, y))
            y += 1
        if y + lane.rows > height:
            break
        tops[number] = y
        y += lane.rows
    return tops, heads, y


def lane_at(view: LanesView, height: int, y: int) -> int | None:
    """The lane in a row."""
    tops, _, _ = laid_out(view, height)
    return next((number for number, top in tops.items() if top <= y < top + view.lanes[number].rows), None)


def draw_axis(canvas: Canvas, left: int, begin: float, cell: float, width: int) -> None:
    """The times along the top."""
    step = tick_seconds(cell * 14)
    tick = ceil(begin / step - 1e-9) * step
    used = left
    while (x := left + int((tick - begin) / cell + 1e-9)) < width - 2:
        text = f"{tick:.{places(step)}f} s"
        if x >= used and x + len(text) + 1 < width:
            canvas.put(x, 0, "╷", HAIR)
            canvas.put(x + 1, 0, text, HEATHER)
            used = x + len(text) + 3
        tick += step


def tick_seconds(least: float) -> float:
    """A round time that is no shorter than this."""
    size = 1e-9
    while size < 1e6:
        for step in ROUND_STEPS:
            if step * size >= least:
                return step * size
        size *= 10
    return size


def _draw_lane(canvas: Canvas, lane: LaneView, y: int, width: int, *, chosen: bool) -> None:
    left = NAME_CELLS + UNIT_CELLS
    if chosen:
        canvas.shade(0, y, width, lane.rows, "raised")
    at = y + lane.rows - 1
    canvas.put(1, at, "▸" if chosen else " ", PAPER)
    room = left - len(lane.stood) - 5 if lane.stood else NAME_CELLS - 4
    canvas.put(3, at, shortened(lane.name, room), PAPER._replace(bold=chosen))
    if lane.stood:
        canvas.put_right(left - 1, at, lane.stood, INKS[lane.group])
    else:
        canvas.put(NAME_CELLS, at, clip(lane.unit, UNIT_CELLS - 1), QUIET)
    if lane.kind == WISHES:
        canvas.across(left, y, width - left, "─", HAIR)
        _draw_wishes(canvas, lane, y, left, width)
    elif lane.kind == TRAFFIC:
        for x, eighths in enumerate(lane.cells):
            canvas.put(
                left + x, y, EIGHTHS[eighths] if eighths else "·" if x % 4 == 0 else " ", QUIET if eighths else HAIR
            )
        for x in lane.commands:
            canvas.put(left + x, y, EIGHTHS[max(3, lane.cells[x])], ASKED)
    else:
        _draw_course(canvas, lane, y, left, INKS[lane.group])


def _draw_wishes(canvas: Canvas, lane: LaneView, y: int, left: int, width: int) -> None:
    """Each wish at its time, with its value where there is room until the next one."""
    room = lane.wishes[0][0] if lane.wishes else width - left
    if lane.before not in ("", lane.stood) and room > len(lane.before) + 2:
        canvas.put(left, y, f"{lane.before} ", QUIET)
    for x, _ in lane.other_wishes:
        canvas.put(left + x, y, "◇", HEATHER)
    for number, (x, words) in enumerate(lane.wishes):
        following = lane.wishes[number + 1][0] if number + 1 < len(lane.wishes) else width - left
        canvas.put(left + x, y, "◇", ASKED)
        if following - x > len(words) + 3:
            canvas.put(left + x + 1, y, f" {words} ", ASKED)


def _draw_course(canvas: Canvas, lane: LaneView, y: int, left: int, ink: Ink) -> None:
    for x, eighths in enumerate(lane.cells):
        if eighths == UNKNOWN:
            continue
        for row in range(lane.rows):
            part = min(8, max(0, eighths - 8 * row))
            if part or row == 0:
                sign = EIGHTHS[max(1, part)] if row == 0 else EIGHTHS[part]
                canvas.put(left + x, y + lane.rows - 1 - row, sign, ink)
    for x, eighths in enumerate(lane.other):
        if eighths != UNKNOWN and abs(eighths - lane.cells[x]) > 1:
            row = min(lane.rows - 1, max(0, (eighths - 1) // 8))
            canvas.put(left + x, y + lane.rows - 1 - row, "┄", HEATHER)
    for x, eighths in enumerate(lane.asked):
        if eighths == UNKNOWN or eighths == lane.cells[x]:
            continue
        row = min(lane.rows - 1, max(0, (eighths - 1) // 8))
        if eighths > lane.cells[x]:
            canvas.put(left + x, y + lane.rows - 1 - row, "╌", ASKED)


def _draw_upright(canvas: Canvas, view: LanesView, bottom: int) -> None:
    """The cursor, the marks, and what stands out, as lines through all lanes."""
    left = NAME_CELLS + UNIT_CELLS
    for x in view.differs:
        canvas.put(left + x, 1, "≠", CORAL)
    for x, is_error in view.flags:
        canvas.put(left + x, 1, "✕" if is_error else "▴", CORAL if is_error else QUIET)
    for x, name in view.marks:
        if 0 <= x < canvas.width - left:
            canvas.put(left + x, 1, name, HEATHER._replace(bold=True))
            _line(canvas, left + x, AXIS_ROWS, bottom, "╎", HEATHER)
    if view.cursor is not None and 0 <= view.cursor < canvas.width - left:
        canvas.put(left + view.cursor, 1, "▾", PAPER)
        _line(canvas, left + view.cursor, AXIS_ROWS, bottom, "│", QUIET)


def _line(canvas: Canvas, x: int, first: int, last: int, sign: str, ink: Ink) -> None:
    """A line down through what is empty: what is drawn already stays."""
    for y in range(first, min(last, canvas.height)):
        if canvas.character(x, y) in " ─·":
            canvas.put(x, y, sign, ink)


def _draw_way(canvas: Canvas, view: LanesView, tops: dict[int, int]) -> None:
    """From lane to lane, the way that a command took."""
    left = NAME_CELLS + UNIT_CELLS
    passed = [(lane, x) for lane, x in view.way if lane in tops]
    seen = [(tops[lane] + view.lanes[lane].rows - 1, left + x) for lane, x in passed]
    strong = PAPER._replace(bold=True)
    for (y, x), (below, further) in pairwise(seen):
        for row in range(y + 1, below):
            if left <= x < canvas.width:
                canvas.put(x, row, "┃", strong)
        for column in range(x + 1, further):
            if left <= column < canvas.width and canvas.character(column, below) in " ─·▁":
                canvas.put(column, below, "━", strong)
    for (lane, _), (y, x) in zip(passed, seen, strict=True):
        if left <= x < canvas.width:
            canvas.put(x, y, "◇" if view.lanes[lane].kind == WISHES else "◆", strong)


class StripView(msgspec.Struct, frozen=True):
    """The whole run: how much has happened in each cell, in eighths; from which cell to which it is looked at; what
    stands out; which cell is the first of which anything is known any more."""

    cells: tuple[int, ...]
    window: tuple[int, int]
    flags: tuple[tuple[int, bool, str], ...]
    end: float
    known: int = 0


def draw_strip(view: StripView, width: int, height: int) -> Canvas:
    """Draw the whole run as a strip."""
    canvas = Canvas(width, height)
    left = NAME_CELLS + UNIT_CELLS
    canvas.put(1, 1, "the whole run", QUIET)
    canvas.put(1, 2, show_duration(view.end), HEATHER)
    first, last = view.window
    canvas.put(left + first, 0, "┌", ASKED)
    canvas.across(left + first + 1, 0, last - first - 1, "─", ASKED)
    canvas.put(left + max(last, first + 1), 0, "┐", ASKED)
    for x, eighths in enumerate(view.cells):
        mark = EIGHTHS[max(1, eighths)] if x >= view.known else "·"
        canvas.put(left + x, 1, mark, QUIET if first <= x <= last else HAIR)
    used = 0
    for x, is_error, words in view.flags:
        canvas.put(left + x, 2, "✕" if is_error else "▴", CORAL if is_error else QUIET)
        if x >= used and height > 3:
            room = min(len(words), 24)
            canvas.put(left + x, 3, clip(words, room), CORAL if is_error else QUIET)
            used = x + room + 2
    return canvas


MOST_LINES = 3
"""So many lines are told beside a name."""


class MeasureView(msgspec.Struct, frozen=True):
    """What lies between two marks: a heading, and lines of a name and what is told of it."""

    title: str
    lines: tuple[tuple[str, str], ...]


def draw_measures(view: MeasureView, width: int, height: int) -> Canvas:
    """Draw what lies between the marks."""
    canvas = Canvas(width, height)
    canvas.put(1, 0, view.title, PAPER._replace(bold=True), width - 2)
    rows: list[tuple[str, str]] = []
    for name, told in view.lines:
        first, *more = wrapped(told, width - 15, MOST_LINES) or [""]
        rows += [(name, first), *(("", line) for line in more)]
    if len(rows) > height - 1:
        rows = [*rows[: max(0, height - 2)], ("…", "")]
    for y, (name, told) in enumerate(rows, 1):
        canvas.put(1, y, name, QUIET, 13 if told else width - 2)
        canvas.put(14, y, told, PAPER, width - 15)
    return canvas


def shown(name: str, value: float, unit: str) -> str:
    """What a measure says."""
    if unit == "s":
        return show_duration(value)
    return show(value, unit, decimals_of(value, 4)) if unit else digits(value, 4)
