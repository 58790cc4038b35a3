"""Rails: a line a point, with where it was asked to be, where it is, and the way still to go between them."""

from __future__ import annotations

import msgspec

from cavet.workbench.drawing.canvas import ASKED, CORAL, GOT, HAIR, HEATHER, PAPER, QUIET, Canvas, Dots, Ink

ASKED_GLYPH, GOT_GLYPH, AGREED_GLYPH, FAULT_GLYPH = "◇", "◆", "◈", "✕"


class RailView(msgspec.Struct, frozen=True, kw_only=True):
    """An output as it is to be shown. Shares are places on the rail, 0 to 1; `None` is not known."""

    name: str
    is_switch: bool = False
    share_asked: float | None = None
    share_got: float | None = None
    asked: str = "—"
    got: str = "—"
    note: str = ""
    agreed: bool = True
    broken: bool = False
    words: tuple[str, str] = ("off", "on")
    zero: float | None = None
    """Where on the rail nothing is asked: the middle, for a point with two directions."""
    entry: str | None = None
    """What is being typed for it."""


class CourseView(msgspec.Struct, frozen=True, kw_only=True):
    """An input as it is to be shown: its value, and where it was of late, oldest first, each the least and the most."""

    name: str
    is_contact: bool = False
    got: str = "—"
    note: str = ""
    course: tuple[tuple[float, float] | None, ...] = ()
    entry: str | None = None


class RailsView(msgspec.Struct, frozen=True, kw_only=True):
    """The whole list. `cursor` counts the outputs first, then the inputs; `first` is the first row that is shown."""

    outputs: tuple[RailView, ...]
    inputs: tuple[CourseView, ...]
    cursor: int = 0
    focused: bool = True


class Layout(msgspec.Struct, frozen=True):
    """Where the columns stand, and on which row each line; from the room and the number of lines alone."""

    name: int
    rail: int
    rail_width: int
    asked_end: int
    got_end: int
    note: int
    rows: tuple[int, ...]
    heads: tuple[int, int]

    def line_at(self, y: int) -> int | None:
        """The line at a row, or just above it where lines stand apart."""
        reach = 1 if self.step > 1 else 0
        near = [place for place, row in enumerate(self.rows) if row <= y <= row + reach]
        return near[0] if near else None

    @property
    def step(self) -> int:
        return self.rows[1] - self.rows[0] if len(self.rows) > 1 else 1


def lay_out(width: int, height: int, outputs: int, inputs: int, longest: int) -> Layout:
    """Find the places; lines stand apart where the height allows."""
    name_width = min(max(longest, 8), 20, max(8, width // 4))
    values = 9 if width < 64 else 10
    note_width = 0 if width < 48 else 9
    rail = 3 + name_width + 1
    rail_width = max(8, width - rail - 2 * values - note_width - 3)
    asked_end = rail + rail_width + values
    got_end = asked_end + values
    lines = outputs + inputs
    step = 2 if height >= 2 * lines + 4 else 1
    gap = 1 if height >= lines * step + 3 else 0
    lead = 1 if height >= 2 * lines + 7 else 0
    top = lead + (2 if step == 2 else 1)
    rows = [top + step * place for place in range(outputs)]
    second = top + step * outputs + gap
    rows += [second + (2 if step == 2 else 1) + step * place for place in range(inputs)]
    return Layout(3, rail, rail_width, asked_end, got_end, got_end + 2, tuple(rows), (lead, second))


def draw_rails(view: RailsView, layout: Layout, width: int, height: int) -> Canvas:
    """Draw the list."""
    canvas = Canvas(width, height)
    first = _scroll(view, layout, height)
    heads = [row - first for row in layout.heads]
    canvas.put(1, heads[0], "asks", QUIET)
    canvas.put_right(layout.asked_end, heads[0], f"{ASKED_GLYPH} asked", ASKED)
    canvas.put_right(layout.got_end, heads[0], f"{GOT_GLYPH} got", GOT)
    for place, rail in enumerate(view.outputs):
        _draw_output(canvas, layout, layout.rows[place] - first, rail, _marked(view, place), width)
    if view.inputs:
        canvas.put(1, heads[1], "senses", QUIET)
        canvas.put_right(layout.rail + layout.rail_width, heads[1], "the last 10 s", Ink("quiet"))
    for place, course in enumerate(view.inputs, len(view.outputs)):
        _draw_input(canvas, layout, layout.rows[place] - first, course, _marked(view, place), width)
    return canvas


def _scroll(view: RailsView, layout: Layout, height: int) -> int:
    """How many rows lie above the picture, so that the cursor's line is in it."""
    if not layout.rows or layout.rows[-1] < height:
        return 0
    return max(0, min(layout.rows[-1] - height + 1, layout.rows[view.cursor] - height // 2))


def _marked(view: RailsView, place: int) -> bool:
    return place == view.cursor and view.focused


def _draw_head(canvas: Canvas, layout: Layout, y: int, name: str, marked: bool, width: int) -> Ink:
    if marked:
        canvas.shade(0, y, width - 1, 1, "lifted")
        canvas.put(1, y, "▸", PAPER)
    ink = PAPER._replace(bold=marked)
    canvas.put(layout.name, y, name[: layout.rail - layout.name - 1], ink)
    return ink


def _draw_output(canvas: Canvas, layout: Layout, y: int, view: RailView, marked: bool, width: int) -> None:
    _draw_head(canvas, layout, y, view.name, marked, width)
    if view.entry is not None:
        canvas.put(layout.rail, y, f"{ASKED_GLYPH} {view.entry}▏", ASKED._replace(bold=True))
    elif view.is_switch:
        _draw_switch(canvas, layout.rail, y, view)
    else:
        _draw_rail(canvas, layout.rail, y, layout.rail_width, view)
    astray = CORAL if view.broken else (PAPER if view.agreed else ASKED)
    canvas.put_right(layout.asked_end, y, view.asked, astray if not view.broken else ASKED)
    got = CORAL._replace(bold=True) if view.broken else GOT
    canvas.put_right(layout.got_end, y, view.got, got)
    canvas.put(layout.note, y, view.note[: max(0, width - layout.note)], CORAL if view.broken else QUIET)


def _draw_rail(canvas: Canvas, x: int, y: int, width: int, view: RailView) -> None:
    canvas.across(x, y, width, "─", HAIR)
    if view.zero is not None:
        canvas.put(x + round(view.zero * (width - 1)), y, "┼", HAIR)
    asked = None if view.share_asked is None else x + round(view.share_asked * (width - 1))
    got = None if view.share_got is None else x + round(view.share_got * (width - 1))
    way = CORAL if view.broken else ASKED
    if asked is not None and got is not None and asked != got:
        low, high = sorted((asked, got))
        canvas.across(low, y, high - low + 1, "━", way)
    if got is not None:
        canvas.put(got, y, GOT_GLYPH, GOT)
    if asked is not None:
        same = asked == got and view.agreed and not view.broken
        glyph, ink = (AGREED_GLYPH, GOT) if same else (ASKED_GLYPH, way)
        canvas.put(asked, y, glyph, ink._replace(bold=True))


def _draw_switch(canvas: Canvas, x: int, y: int, view: RailView) -> None:
    off, on = view.words
    track = 4
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
        canvas.put(layout.rail, y, f"set to {view.entry}▏", HEATHER._replace(bold=True))
    elif view.is_contact:
        _draw_levels(canvas, layout.rail, y, layout.rail_width, view)
    else:
        _draw_course(canvas, layout.rail, y, layout.rail_width, view)
    canvas.put_right(layout.asked_end, y, view.got, PAPER)
    room = width - layout.asked_end - 2
    canvas.put(layout.asked_end + 2, y, view.note[: max(0, room)], QUIET)


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
