"""The frame under the cursor: its ruler, the field under the cursor in all ways, its levels, what became of it."""

from __future__ import annotations

import msgspec

from cavet.drawings.canvas import ASKED, CORAL, GOT, HEATHER, PAPER, QUIET, Canvas, Ink, fitting
from cavet.drawings.ruler import RulerView, bit_at, bytes_in, draw_ruler
from cavet.drawings.waveform import BIT_CELLS, NAME_CELLS, draw_levels, levels_note
from cavet.protocols import Side
from cavet.protocols.levels import Waveform

Pieces = tuple[tuple[str, Ink], ...]
BOLD = PAPER._replace(bold=True)
TOP = 2
"""Rows above the ruler."""


class UnderView(msgspec.Struct, frozen=True, kw_only=True):
    """What is shown of a frame."""

    name: str
    abouts: tuple[str, ...]
    """Who says it to whom, when, how long: in ever fewer words."""
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
    canvas.put(1, 0, view.name, BOLD, room)
    behind = len(view.name) + 3
    canvas.put(behind, 0, fitting(max(0, room - behind), *view.abouts, ""), QUIET)
    ruler = _fitted(view, width, height)[1]
    seen = min(ruler.height, height - TOP - bool(view.fate))  # what became of it has a row of its own
    for row in range(seen):
        canvas.lay_row(TOP + row, ruler, row)
    if 0 < seen < ruler.height:
        canvas.put_right(width - 1, TOP + seen - 1, " …", QUIET)
    _draw_tail(canvas, view, TOP + ruler.height + 1)
    return canvas


def bit_under(view: UnderView, width: int, height: int, x: int, y: int) -> int | None:
    """The bit of the frame that a cell is at; `None` where there is none."""
    if view.ruler is None or y < TOP:
        return None
    rows, canvas = _fitted(view, width, height)
    return bit_at(view.ruler, width - 1, rows, x, y - TOP) if y - TOP < canvas.height else None


def _least_tail(view: UnderView) -> int:
    """The rows below the ruler that matter most: the field under the cursor, what is wrong, what became of it."""
    return bool(view.detail) + min(2, len(view.problems)) + 2 * bool(view.fate)


def _fitted(view: UnderView, width: int, height: int) -> tuple[range, Canvas]:
    """The rows of the ruler that fit, those around the cursor first; and their drawing."""
    ruler = view.ruler
    if ruler is None:
        return range(0), Canvas(width, 0)
    room = height - TOP - min(height // 3, _least_tail(view))
    a_row = bytes_in(width - 1, len(ruler.data))
    count = max(1, -(-len(ruler.data) // a_row))
    at = _row_of(ruler, a_row)
    for rows in range(min(count, max(1, room // 4)), 0, -1):
        first = min(max(0, at - rows // 2), count - rows)
        shown = range(first, first + rows)
        canvas = draw_ruler(ruler, width - 1, rows=shown).widened(width)
        if canvas.height <= room or rows == 1:
            return shown, canvas
    return range(0), Canvas(width, 0)


def _row_of(view: RulerView, a_row: int) -> int:
    if view.bit is not None:
        return view.bit // (8 * a_row)
    spans = view.fields[view.cursor].spans if view.cursor is not None and view.fields else ()
    return min((begin for begin, _ in spans), default=0) // (8 * a_row)


def _draw_tail(canvas: Canvas, view: UnderView, y: int) -> None:
    """What stands below the ruler, as far as there is room: the levels go first."""
    width, height = canvas.width, canvas.height
    for line in [*([view.detail] if view.detail else []), *(((f"✕ {text}", CORAL),) for text in view.problems[:2])]:
        canvas.flow(1, y, line, width - 1)
        y += 1
    y += bool(view.detail or view.problems)
    fate_rows = 1 if view.fate else 0
    if view.wave is not None and view.ruler is not None:
        ink = ASKED if view.ruler.side is Side.HOST else GOT
        first = max(0.0, min(view.wave_from, view.wave.end - (width - NAME_CELLS) * view.wave.period / BIT_CELLS))
        wave = draw_levels(view.wave, width, ink, first=first, bit=view.ruler.bit)
        if y + 1 + wave.height + fate_rows <= height:
            note = levels_note(view.wave, view.ruler.bit)
            canvas.flow(1, y, [("on the line  ", QUIET), (f"{view.wave_note} · {note}", HEATHER)], width - 1)
            for row in range(wave.height):
                canvas.lay_row(y + 1 + row, wave, row)
            y += wave.height + 2
    y = min(y, height - 1)
    if view.fate and y > 1:
        fits = 1 + sum(len(words) for words, _ in view.fate) < width
        canvas.flow(1, y, view.fate if fits else _tightened(view.fate), width - 1)


def _tightened(fate: Pieces) -> Pieces:
    """The same line with shorter strokes between."""
    return tuple((words.replace(" ── ", " ─ ", 1).replace(" ── ", " "), ink) for words, ink in fate)
