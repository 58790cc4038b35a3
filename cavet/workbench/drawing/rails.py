"""Rails: a line a point, with where it was asked to be, where it is, and the way still to go between them."""

from __future__ import annotations

from functools import lru_cache

import msgspec

from cavet.drawings.canvas import ASKED, CORAL, GOT, HAIR, HEATHER, PAPER, QUIET, Canvas, Dots, Ink, clip, fitting
from cavet.wording import counted
from cavet.workbench.typed import Typed

COLOUR_CELLS = 12
"""What a colour takes, with its sign and its swatch."""
USUAL_NAME, LEAST_RAIL = 20, 11
"""So many cells a name may take in any case, and a rail keeps where names and values want more room."""
ASKED_GLYPH, GOT_GLYPH, AGREED_GLYPH, FAULT_GLYPH = "◇", "◆", "◈", "✕"


class RailView(msgspec.Struct, frozen=True, kw_only=True):
    """An output as it is to be shown. Shares are places on the rail, 0 to 1; `None` is not known."""

    name: str
    is_switch: bool = False
    is_text: bool = False
    is_colour: bool = False
    """Whether what is asked and got are colours, `#rrggbb`."""
    share_asked: float | None = None
    share_got: float | None = None
    asked: str = "—"
    got: str = "—"
    notes: tuple[str, ...] = ("",)
    """A few words beside it, and shorter ways to say them."""
    agreed: bool = True
    broken: bool = False
    words: tuple[str, str] = ("off", "on")
    zero: float | None = None
    """Where on the rail nothing is asked: the middle, for a point with two directions."""
    entry: Typed | None = None
    """What is being typed for it."""
    is_old: bool = False
    """Whether nothing tells any more how it stands: what was got is what was heard last."""


class CourseView(msgspec.Struct, frozen=True, kw_only=True):
    """An input as it is to be shown: its value, and where it was of late, oldest first, each the least and the most."""

    name: str
    is_contact: bool = False
    is_text: bool = False
    got: str = "—"
    note: str = ""
    course: tuple[tuple[float, float] | None, ...] = ()
    is_old: bool = False
    entry: Typed | None = None


class HeadView(msgspec.Struct, frozen=True, kw_only=True):
    """A board's head line: how its link stands, what of it is not at rest, and how many lines are folded away."""

    name: str
    words: str = ""
    is_bad: bool = False
    folded: bool = False
    active: tuple[tuple[str, str], ...] = ()
    """Outputs that are not at rest, with what they were asked for."""
    count: int = 0
    broken: int = 0


LineView = HeadView | RailView | CourseView


class RailsView(msgspec.Struct, frozen=True, kw_only=True):
    """The whole list, and the line that the cursor is on. `search` is what is being searched for."""

    lines: tuple[LineView, ...]
    cursor: int = 0
    focused: bool = True
    search: str | None = None
    typing: bool = False
    """Whether the search is still being typed."""


class Layout(msgspec.Struct, frozen=True):
    """Where the columns stand, and on which row each line; from the room and the kinds of lines alone."""

    name: int
    rail: int
    rail_width: int
    asked_end: int
    got_end: int
    note: int
    rows: tuple[int, ...]
    captions: tuple[tuple[int, str], ...]
    step: int
    first: int = 0
    """How many rows are scrolled away above."""
    has_notes: bool = True

    def line_at(self, y: int) -> int | None:
        """The line at a row, or just above it where lines stand apart."""
        reach = 1 if self.step > 1 else 0
        near = [place for place, row in enumerate(self.rows) if row - self.first <= y <= row - self.first + reach]
        return near[0] if near and y > self.captions[0][0] else None


def widest(view: RailsView) -> int:
    """How many cells the longest value takes of those that stand in columns."""
    rails = [line for line in view.lines if isinstance(line, RailView) and not line.is_text]
    courses = [line for line in view.lines if isinstance(line, CourseView) and not line.is_text]
    values = (*(text for rail in rails for text in (rail.asked, rail.got)), *(course.got for course in courses))
    return max(map(len, values), default=0)


def lay_out(view: RailsView, width: int, height: int, longest_value: int | None = None) -> Layout:
    """Find the places; lines stand apart where the height allows, and scroll so that the cursor's is in sight.
    Where the longest value is longer than usual, columns grow at the cost of the rails."""
    longest = max((len(line.name) for line in view.lines if not isinstance(line, HeadView)), default=0)
    needed = (widest(view) if longest_value is None else longest_value) + 2
    values = 9 if width < 64 else 10
    note_width = 0 if width < 48 else 9
    most = max(USUAL_NAME, width - note_width - 7 - 2 * max(values, needed) - LEAST_RAIL)
    name_width = min(max(longest, 8), most, max(8, width // 3))
    rail = 3 + name_width + 1
    left = width - rail - note_width - 3
    values = max(values, min(needed, (left - LEAST_RAIL) // 2))
    rail_width = max(8, left - 2 * values)
    asked_end = rail + rail_width + values
    got_end = asked_end + values
    rows, captions, step = _place_rows(view.lines, height)
    first = _scroll(view, rows, height)
    return Layout(3, rail, rail_width, asked_end, got_end, got_end + 2, rows, captions, step, first, bool(note_width))


Rows = tuple[tuple[int, ...], tuple[tuple[int, str], ...], int]
"""The row of each line, the rows of captions, and how far lines stand apart."""


def _place_rows(lines: tuple[LineView, ...], height: int) -> Rows:
    """As roomy as the height allows; the tightest where nothing fits."""
    for step, gap, lead in ((2, 1, 1), (2, 1, 0), (1, 1, 0), (1, 0, 0)):
        rows, captions = _rows(lines, step, gap, lead)
        if not rows or rows[-1] + step <= height:
            break
    return rows, captions, step


def _rows(
    lines: tuple[LineView, ...], step: int, gap: int, lead: int
) -> tuple[tuple[int, ...], tuple[tuple[int, str], ...]]:
    with_heads = any(isinstance(line, HeadView) for line in lines)
    captions = [(lead, "" if with_heads else "asks")]
    at = lead + step
    rows = []
    for place, line in enumerate(lines):
        if isinstance(line, HeadView):
            at += gap if place else 0
        elif not with_heads and isinstance(line, CourseView) and (not place or isinstance(lines[place - 1], RailView)):
            captions.append((at + gap, "senses"))
            at += gap + step
        rows.append(at)
        at += 1 if isinstance(line, HeadView) and line.folded else step
    return tuple(rows), tuple(captions)


def _scroll(view: RailsView, rows: tuple[int, ...], height: int) -> int:
    if not rows or rows[-1] < height:
        return 0
    return max(0, min(rows[-1] - height + 1, rows[view.cursor] - height // 2))


def draw_rails(view: RailsView, layout: Layout, width: int, height: int) -> Canvas:
    """Draw the list: the head of the columns stays where it is, what is below it scrolls."""
    canvas = Canvas(width, height)
    top = layout.captions[0][0]
    columns = msgspec.structs.replace(layout, rows=(), first=0)
    for place, line in enumerate(view.lines):
        y = layout.rows[place] - layout.first
        if top < y < height:
            canvas.lay_row(y, _drawn(line, columns, _marked(view, place), width))
    for y, caption in layout.captions[1:]:
        if top < y - layout.first:
            canvas.put(1, y - layout.first, caption, QUIET)
            end = layout.rail + layout.rail_width
            spans = fitting(end - len(caption) - 3, "the last 10 s", "10 s", "")
            canvas.put_right(end, y - layout.first, spans, Ink("quiet"))
    _draw_columns(canvas, view, layout, top, height)
    return canvas


@lru_cache(maxsize=512)
def _drawn(line: LineView, columns: Layout, marked: bool, width: int) -> Canvas:
    """A line alone: most are what they were a moment ago."""
    canvas = Canvas(width, 1)
    if isinstance(line, HeadView):
        _draw_board(canvas, columns, 0, line, marked, width)
    elif isinstance(line, RailView):
        _draw_output(canvas, columns, 0, line, marked, width)
    else:
        _draw_input(canvas, columns, 0, line, marked, width)
    return canvas


def _draw_columns(canvas: Canvas, view: RailsView, layout: Layout, y: int, height: int) -> None:
    if view.search is not None:
        canvas.put(1, y, "find ", QUIET)
        canvas.put(6, y, view.search + ("" if view.typing else "   esc shows all"), PAPER if view.typing else QUIET)
    else:
        canvas.put(1, y, layout.captions[0][1], QUIET)
    canvas.put_right(layout.asked_end, y, f"{ASKED_GLYPH} asked", ASKED)
    canvas.put_right(layout.got_end, y, f"{GOT_GLYPH} got", GOT)
    above = sum(row - layout.first <= y for row in layout.rows)
    below = sum(row - layout.first >= height for row in layout.rows)
    more = "  ".join(f"{arrow}{count}" for arrow, count in (("↑", above), ("↓", below)) if count)
    canvas.put(layout.note, y, more, QUIET)


def _draw_board(canvas: Canvas, layout: Layout, y: int, view: HeadView, marked: bool, width: int) -> None:
    """A board's name, how it stands, and what of it is not at rest."""
    if marked:
        canvas.shade(0, y, width - 1, 1, "lifted")
        canvas.put(0, y, "▸", PAPER)
    canvas.put(1, y, "▹" if view.folded else "▿", PAPER if marked else QUIET)
    name = clip(view.name, width - layout.name - 1)
    canvas.put(layout.name, y, name, PAPER._replace(bold=True))
    x = max(layout.rail, layout.name + len(name) + 2)
    words = view.words if not view.folded else f"{view.words} · {counted(view.count, 'point')}"
    broken = f"{FAULT_GLYPH} {view.broken} broken" if view.broken else ""
    words = clip(words, width - x - 1 - (len(broken) + 2 if broken else 0))
    canvas.put(x, y, words, CORAL if view.is_bad else QUIET)
    x += len(words) + 2 if words else 0
    if view.broken:
        canvas.put(x, y, broken, CORAL)
        x += len(broken) + 2
    for name, value in view.active if view.folded else ():
        if x + len(name) + len(value) + 3 > width:
            canvas.put(x, y, "…", QUIET)
            break
        canvas.put(x, y, name, PAPER)
        canvas.put(x + len(name) + 1, y, value, ASKED)
        x += len(name) + len(value) + 3


def _marked(view: RailsView, place: int) -> bool:
    return place == view.cursor and view.focused


def _draw_head(canvas: Canvas, layout: Layout, y: int, name: str, marked: bool, width: int) -> Ink:
    if marked:
        canvas.shade(0, y, width - 1, 1, "lifted")
        canvas.put(1, y, "▸", PAPER)
    ink = PAPER._replace(bold=marked)
    canvas.put(layout.name, y, name, ink, layout.rail - layout.name - 1)
    return ink


def _draw_entry(canvas: Canvas, layout: Layout, y: int, before: str, entry: Typed, ink: Ink, width: int) -> bool:
    """What is being typed, as far as there is room; tell whether it takes the room of the values."""
    shown = entry.shown(width - layout.rail - len(before))
    canvas.put(layout.rail, y, f"{before}{shown}", ink._replace(bold=True))
    return len(before) + len(shown) > layout.rail_width


def _draw_output(canvas: Canvas, layout: Layout, y: int, view: RailView, marked: bool, width: int) -> None:
    _draw_head(canvas, layout, y, view.name, marked, width)
    if view.entry is not None:
        if _draw_entry(canvas, layout, y, f"{ASKED_GLYPH} ", view.entry, ASKED, width):
            return
    elif view.is_text:
        _draw_text(canvas, layout, y, view, width)
        return
    elif view.is_switch:
        _draw_switch(canvas, layout.rail, y, layout.rail_width, view)
    else:
        _draw_rail(canvas, layout.rail, y, layout.rail_width, view)
    astray = CORAL if view.broken else (PAPER if view.agreed else ASKED)
    values = layout.got_end - layout.asked_end - 1
    canvas.put_right(layout.asked_end, y, view.asked, astray if not view.broken else ASKED, values)
    got = QUIET if view.is_old else CORAL._replace(bold=True) if view.broken else GOT
    canvas.put_right(layout.got_end, y, view.got, got, values)
    if layout.has_notes:
        note = fitting(width - layout.note - 1, *view.notes)
        canvas.put(layout.note, y, note, CORAL if view.broken else QUIET)


def _draw_text(canvas: Canvas, layout: Layout, y: int, view: RailView, width: int) -> None:
    """A text has no rail: what was asked for and what was got stand one behind the other, or once where they agree."""
    room = layout.got_end - layout.rail
    if view.got == view.asked == "—":
        canvas.put(layout.rail, y, "—", QUIET)
    elif view.is_colour and room >= 2 * COLOUR_CELLS + 2:
        _draw_colours(canvas, layout.rail, y, view)
    elif view.agreed and not view.broken:
        glyph = AGREED_GLYPH if view.asked == view.got else GOT_GLYPH
        canvas.put(layout.rail, y, f"{glyph} {view.got}", QUIET if view.is_old else GOT, room)
    else:
        asked = clip(f"{ASKED_GLYPH} {view.asked}", room // 2)
        canvas.put(layout.rail, y, asked, CORAL if view.broken else ASKED)
        canvas.put(layout.rail + len(asked) + 2, y, f"{GOT_GLYPH} {view.got}", GOT, room - len(asked) - 2)
    if layout.has_notes:
        note = fitting(width - layout.note - 1, *view.notes)
        canvas.put(layout.note, y, note, CORAL if view.broken else QUIET)


def _draw_colours(canvas: Canvas, x: int, y: int, view: RailView) -> None:
    """A swatch of what was got; where that differs from what was asked, one of that before it."""
    got = (GOT_GLYPH, view.got, GOT)
    if view.agreed and not view.broken:
        got = (AGREED_GLYPH if view.asked == view.got else GOT_GLYPH, view.got, QUIET if view.is_old else GOT)
        told = [got]
    else:
        told = [(ASKED_GLYPH, view.asked, CORAL if view.broken else ASKED), got]
    for glyph, colour, ink in told:
        canvas.put(x, y, glyph, ink)
        is_known = colour.startswith("#")
        if is_known:
            canvas.put(x + 2, y, "██", Ink(colour, share=0.4 if view.is_old else 1.0))
        canvas.put(x + 5 if is_known else x + 2, y, colour, ink)
        x += COLOUR_CELLS + 2


def _draw_rail(canvas: Canvas, x: int, y: int, width: int, view: RailView) -> None:
    canvas.across(x, y, width, "─", HAIR)
    if view.zero is not None:
        canvas.put(x + round(view.zero * (width - 1)), y, "┼", HAIR)
    asked = None if view.share_asked is None else x + round(view.share_asked * (width - 1))
    got = None if view.share_got is None else x + round(view.share_got * (width - 1))
    way = CORAL if view.broken else ASKED
    if asked is not None and got is not None and view.agreed and not view.broken:
        got = asked  # what the wire rounds is no way to go
    if asked is not None and got is not None and asked != got:
        low, high = sorted((asked, got))
        canvas.across(low, y, high - low + 1, "━", way)
    if got is not None:
        canvas.put(got, y, GOT_GLYPH, GOT)
    if asked is not None:
        same = asked == got and view.agreed and not view.broken
        glyph, ink = (AGREED_GLYPH, GOT) if same else (ASKED_GLYPH, way)
        canvas.put(asked, y, glyph, ink._replace(bold=True))


def _draw_switch(canvas: Canvas, x: int, y: int, room: int, view: RailView) -> None:
    """A track between its two words; without them where it is tight: what is asked and got stands beside it."""
    off, on = view.words
    track = 4
    if len(off) + track + len(on) + 2 > room:
        off = on = ""
    on_at = x + len(off) + 1 + track + 1
    is_asked, is_got = view.share_asked, view.share_got
    canvas.put(x, y, off, PAPER if is_got == 0 else QUIET)
    canvas.across(x + len(off) + 1, y, track, "─", HAIR)
    canvas.put(on_at, y, on, PAPER if is_got == 1 else QUIET)
    places = {0: x + len(off) + 1, 1: on_at - 2}
    if is_got is not None:
        canvas.put(places[round(is_got)], y, GOT_GLYPH, GOT)
    if is_asked is not None:
        same = is_asked == is_got and not view.broken
        ink = GOT if same else (CORAL if view.broken else ASKED)
        canvas.put(places[round(is_asked)], y, AGREED_GLYPH if same else ASKED_GLYPH, ink._replace(bold=True))


def _draw_input(canvas: Canvas, layout: Layout, y: int, view: CourseView, marked: bool, width: int) -> None:
    _draw_head(canvas, layout, y, view.name, marked, width)
    if view.entry is not None:
        if _draw_entry(canvas, layout, y, "set to ", view.entry, HEATHER, width):
            return
    elif view.is_text:
        canvas.put(layout.rail, y, view.got, QUIET if view.is_old else HEATHER, layout.asked_end - layout.rail)
    elif view.is_contact:
        _draw_levels(canvas, layout.rail, y, layout.rail_width, view)
    else:
        _draw_course(canvas, layout.rail, y, layout.rail_width, view)
    if not view.is_text:
        room = layout.got_end - layout.asked_end - 1
        if len(view.got) > room:  # what has no room beside its course stands over the end of that
            room = layout.rail_width + room
            canvas.put_right(layout.asked_end, y, " " * min(room, len(view.got) + 1), PAPER)
        canvas.put_right(layout.asked_end, y, view.got, QUIET if view.is_old else PAPER, room)
    canvas.put(layout.asked_end + 2, y, view.note, QUIET, width - layout.asked_end - 3)


Slot = tuple[float, float] | None


def resampled(course: tuple[Slot, ...], count: int) -> list[Slot]:
    """Bring a course to `count` slots; where several fall together, the least and the most of them stay."""
    if not course:
        return []
    out: list[Slot] = []
    for place in range(count):
        first = place * len(course) // count
        last = max(first + 1, (place + 1) * len(course) // count)
        known = [slot for slot in course[first:last] if slot is not None]
        out.append((min(low for low, _ in known), max(high for _, high in known)) if known else None)
    return out


def _draw_levels(canvas: Canvas, x: int, y: int, width: int, view: CourseView) -> None:
    for place, span in enumerate(resampled(view.course, width)):
        if span is None:
            canvas.put(x + place, y, "·", HAIR)
        elif span[0] != span[1]:
            canvas.put(x + place, y, "│", HEATHER)
        else:
            canvas.put(x + place, y, "▔" if span[1] else "▁", HEATHER)


def _draw_course(canvas: Canvas, x: int, y: int, width: int, view: CourseView) -> None:
    course = resampled(view.course, 2 * width)
    known = [span for span in course if span is not None]
    canvas.across(x, y, width, "─", Ink("hair", share=0.5))
    if not known:
        return
    low, high = min(span[0] for span in known), max(span[1] for span in known)
    margin = max(0.02 - (high - low), 0.0) / 2  # of the whole range: noise is not blown up
    low, high = low - margin, high + margin
    dots = Dots(width, 1)
    for place, span in enumerate(course):
        if span is not None:
            middle = (span[0] + span[1]) / 2
            dots.set(place, 3 * (1 - (middle - low) / (high - low)))
    dots.put_on(canvas, x, y, HEATHER)
