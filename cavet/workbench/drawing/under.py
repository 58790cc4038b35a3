"""The frame under the cursor: its ruler, the field under the cursor in all ways, its levels, what became of it."""

from __future__ import annotations

import msgspec

from cavet.drawings.canvas import ASKED, CORAL, GOT, HEATHER, PAPER, QUIET, Canvas, Ink
from cavet.drawings.ruler import RulerView, bytes_in, draw_ruler
from cavet.drawings.waveform import draw_levels
from cavet.protocols import Side
from cavet.protocols.levels import Waveform

Pieces = tuple[tuple[str, Ink], ...]
LEVELS_ROWS = 5
BOLD = PAPER._replace(bold=True)


class UnderView(msgspec.Struct, frozen=True, kw_only=True):
    """What is shown of a frame."""

    name: str
    about: str
    place: str
    ruler: RulerView | None
    detail: Pieces = ()
    problems: tuple[str, ...] = ()
    wave: Waveform | None = None
    wave_from: float = 0.0
    wave_note: str = ""
    fate: Pieces = ()
    changed: bool = False
    empty: str = ""
    """What is said where there is no frame."""


def draw_under(view: UnderView, width: int, height: int) -> Canvas:
    """Draw the frame under the cursor into so much room; what matters less is left out first."""
    canvas = Canvas(width, height)
    if view.ruler is None:
        canvas.put(1, 1, view.empty, QUIET, width - 2)
        return canvas
    place = f"changed · {view.place}" if view.changed else view.place
    canvas.put_right(width - 1, 0, place, ASKED if view.changed else QUIET)
    room = width - len(place) - 3
    canvas.flow(1, 0, [(view.name, BOLD), (f"  {view.about}", QUIET)], room)
    tail = _tail(view, width, height)
    ruler = _ruler(view.ruler, width, height - 2 - tail.height)
    for row in range(min(ruler.height, height - 2)):
        canvas.lay_row(2 + row, ruler, row)
    begin = min(2 + ruler.height + 1, height - tail.height)
    for row in range(tail.height):
        if 2 + ruler.height <= begin + row < height:
            canvas.lay_row(begin + row, tail, row)
    return canvas


def _ruler(view: RulerView, width: int, height: int) -> Canvas:
    """The rows of the ruler that fit, those around the cursor first."""
    a_row = bytes_in(width, len(view.data))
    count = max(1, -(-len(view.data) // a_row))
    at = _row_of(view, a_row)
    for rows in range(min(count, max(1, height // 4)), 0, -1):
        first = min(max(0, at - rows // 2), count - rows)
        canvas = draw_ruler(view, width, rows=range(first, first + rows))
        if canvas.height <= height or rows == 1:
            return canvas
    return Canvas(width, 0)


def _row_of(view: RulerView, a_row: int) -> int:
    if view.bit is not None:
        return view.bit // (8 * a_row)
    spans = view.fields[view.cursor].spans if view.cursor is not None and view.fields else ()
    return min((begin for begin, _ in spans), default=0) // (8 * a_row)


def _tail(view: UnderView, width: int, height: int) -> Canvas:
    """What stands below the ruler."""
    lines: list[Pieces] = [view.detail] if view.detail else []
    lines += [((f"✕ {problem}", CORAL),) for problem in view.problems[:2]]
    with_wave = view.wave is not None and height >= 26
    rows = len(lines) + (1 if lines else 0)
    wave = None
    if with_wave and view.wave is not None:
        ink = ASKED if view.ruler is None or view.ruler.side is Side.HOST else GOT
        bit = view.ruler.bit if view.ruler is not None else None
        wave = draw_levels(view.wave, width, ink, first=view.wave_from, bit=bit)
        rows += wave.height + 2
    if view.fate and height >= 18:
        rows += 2
    canvas = Canvas(width, min(rows, max(0, height - 8)))
    y = 0
    for line in lines:
        canvas.flow(1, y, line, width - 1)
        y += 1
    y += 1 if lines else 0
    if wave is not None:
        canvas.flow(1, y, [("on the line  ", QUIET), (view.wave_note, HEATHER)], width - 1)
        for row in range(wave.height):
            if y + 1 + row < canvas.height:
                canvas.lay_row(y + 1 + row, wave, row)
        y += wave.height + 2
    if view.fate:
        canvas.flow(1, y, view.fate, width - 1)
    return canvas
