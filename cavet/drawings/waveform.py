"""Levels on a line, drawn: in cells for a terminal, in lines for a file."""

from __future__ import annotations

from math import floor

from cavet.drawings.canvas import HAIR, PAPER, QUIET, Canvas, Ink
from cavet.drawings.vector import Area, Drawing, Shape, Stroke, Words
from cavet.protocols.levels import Trace, Waveform
from cavet.units import show_duration

NAME_CELLS = 6
BIT_CELLS = 4
"""A bit in the terminal."""
BIT_PIXELS = 26.0
NAME_PIXELS = 64.0
MARGIN = 16.0
TRACE_PIXELS = 44.0
SWING = 24.0
UNKNOWN_AT = 0.5
SMALL = 11.0
HAIRSBREADTH = 1e-6
"""Of a cell: what lies in the middle of two goes to the same one of them everywhere."""


def draw_levels(wave: Waveform, width: int, ink: Ink, *, first: float = 0.0, bit: int | None = None) -> Canvas:
    """Draw a waveform into cells, from a time on: two rows a trace, then what each bit is. The bit under the cursor is
    marked."""
    canvas = Canvas(width, 2 * len(wave.traces) + 1)
    cell = wave.period / BIT_CELLS
    for number, trace in enumerate(wave.traces):
        canvas.put(1, 2 * number, trace.name, QUIET)
        _draw_trace(canvas, trace, 2 * number, first, cell, wave.end, ink)
    y = 2 * len(wave.traces)
    for stretch in wave.stretches:
        middle = NAME_CELLS + ((stretch.begin + stretch.end) / 2 - first) / cell
        x = floor(middle - len(stretch.text) / 2 + 0.5 + HAIRSBREADTH)
        if x < NAME_CELLS or x + len(stretch.text) > width:
            continue
        here = bit is not None and stretch.bit == bit
        canvas.put(x, y, stretch.text, PAPER._replace(bold=True) if here else QUIET)
        if here:
            canvas.shade(x, y, len(stretch.text), 1, "lifted")
    return canvas


def levels_note(wave: Waveform, bit: int | None) -> str:
    """What stands beside the levels: the bit under the cursor, how long a bit takes, and all of it."""
    told = next((f"{stretch.tells} · " for stretch in wave.stretches if bit is not None and stretch.bit == bit), "")
    return f"{told}{_times(wave)}"


def _times(wave: Waveform) -> str:
    return f"{_bit_time(wave.period)} a bit, {show_duration(wave.duration)} in all"


def _bit_time(seconds: float) -> str:
    """To three places: a rate is known better than that."""
    for unit, size in (("s", 1.0), ("ms", 1e-3), ("µs", 1e-6)):
        if seconds >= size:
            return f"{seconds / size:.3g} {unit}"
    return f"{seconds / 1e-9:.3g} ns"


def _draw_trace(canvas: Canvas, trace: Trace, y: int, first: float, cell: float, end: float, ink: Ink) -> None:
    before = trace.at(first)
    for x in range(NAME_CELLS, canvas.width):
        begin = first + (x - NAME_CELLS) * cell
        if begin > end:
            return
        level = trace.at(begin + cell / 2)
        if level is None:
            canvas.put(x, y, " ", HAIR)
            canvas.put(x, y + 1, "╌", QUIET)
        elif before is None or level == before:
            canvas.put(x, y if level else y + 1, "─", ink)
        else:
            canvas.put(x, y, "┌" if level else "┐", ink)
            canvas.put(x, y + 1, "┘" if level else "└", ink)
        before = level


def waveform_drawing(wave: Waveform, title: str, description: str) -> Drawing:
    """The drawing of a waveform: each trace a line, below them the bits, above them the marks of time."""
    scale = BIT_PIXELS / wave.period
    width = NAME_PIXELS + wave.end * scale + 2 * MARGIN
    top = MARGIN + 34
    bottom = top + TRACE_PIXELS * len(wave.traces)
    shapes: list[Shape] = [Words(MARGIN, MARGIN + 12, title, size=14, bold=True)]
    shapes += _stretches(wave, scale, top, bottom)
    for number, trace in enumerate(wave.traces):
        y = top + number * TRACE_PIXELS
        shapes.append(Words(MARGIN, y + SWING, trace.name, "quiet"))
        shapes += _trace_shapes(trace, wave.end, scale, y)
    shapes.append(Words(MARGIN + NAME_PIXELS, bottom + 36, _times(wave), "heather", SMALL))
    return Drawing(
        width=round(max(width, 360)), height=round(bottom + 52), title=title, description=description,
        shapes=tuple(shapes),
    )  # fmt: skip


def _at(t: float, scale: float) -> float:
    return MARGIN + NAME_PIXELS + t * scale


def _stretches(wave: Waveform, scale: float, top: float, bottom: float) -> list[Shape]:
    """A ground under every other byte's bits, what each bit is, a hair line where a mark is."""
    shapes: list[Shape] = []
    for stretch in wave.stretches:
        begin, end = _at(stretch.begin, scale), _at(stretch.end, scale)
        if stretch.bit is not None and stretch.bit // 8 % 2 == 0:
            shapes.append(Area(begin, top - 4, end - begin, bottom - top + 8))
        if stretch.bit is None:
            middle = (begin + end) / 2
            shapes.append(Stroke(((middle, top - 6), (middle, bottom)), "hair"))
        role = "paper" if stretch.bit is not None else "coral" if stretch.text == "N" else "quiet"
        shapes.append(Words((begin + end) / 2, bottom + 14, stretch.text, role, SMALL, anchor="middle"))
    return shapes


def _trace_shapes(trace: Trace, end: float, scale: float, y: float) -> list[Shape]:
    """One line through all that is known of it; dashed ones in the middle where nothing is."""
    spans = list(zip(trace.levels, [*(t for t, _ in trace.levels[1:]), end], strict=True))
    shapes: list[Shape] = []
    points: list[tuple[float, float]] = []
    for (begin, level), until in spans:
        if level is None:
            if len(points) > 1:
                shapes.append(Stroke(tuple(points), "asked", 1.8, trace.name))
            points = []
            middle = y + SWING * UNKNOWN_AT + 4
            shapes.append(Stroke(((_at(begin, scale), middle), (_at(until, scale), middle)), "quiet", 1.2, dashed=True))
            continue
        height = y + 4 + (0 if level else SWING)
        points += [(_at(begin, scale), height), (_at(until, scale), height)]
    if len(points) > 1:
        shapes.append(Stroke(tuple(points), "asked", 1.8, trace.name))
    return shapes
