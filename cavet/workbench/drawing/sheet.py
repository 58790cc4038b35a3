"""A sheet of lines to read."""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec

from cavet.drawings.canvas import HAIR, PAPER, QUIET, Canvas, Ink
from cavet.drawings.ruler import RulerView, draw_ruler

Line = list[tuple[str, Ink]]
MARGIN = 2
"""Columns beside its lines."""
LEAST_HANGING = 24
"""What is broken hangs under its column where that is so wide."""
MARGIN_ROWS = 4
"""Rows of a sheet that are not for its lines: above and below, its title, the hair line."""


class Sheet(msgspec.Struct, frozen=True):
    """A title and lines, each of several inks; among them frames, whose rulers take the width that there is."""

    title: str
    lines: Sequence[Line | RulerView]


def laid(sheet: Sheet, width: int) -> list[Line]:
    """The lines of a sheet as they lie in its width: what is too long goes on below, under where it began."""
    room = max(8, width - 2 * MARGIN)
    return [
        row
        for line in sheet.lines
        for row in (_ruled(line, room) if isinstance(line, RulerView) else _wrapped(line, room))
    ]


def _ruled(view: RulerView, room: int) -> list[Line]:
    canvas = draw_ruler(view, room, whole=False)
    return [[(run.text, run.ink) for run in canvas.row(y)] for y in range(canvas.height)]


def _wrapped(line: Line, room: int) -> list[Line]:
    """Break a line between words. What goes on hangs under the last column, where that leaves enough room."""
    if sum(len(text) for text, _ in line) <= room:
        return [line]
    before = sum(len(text) for text, _ in line[:-1])
    indent = before if before <= room - LEAST_HANGING else min(4, room // 4)
    rows: list[Line] = [[]]
    x = 0
    for text, ink in line:
        for word in re.findall(r" *[^ ]+| +", text):
            if x + len(word) > room and (x > indent or not word.strip()):
                rows.append([(" " * indent, ink)])
                x, word = indent, word.lstrip()
            while x + len(word) > room:  # no word, but a long row of something
                rows[-1].append((word[: room - x], ink))
                rows.append([(" " * indent, ink)])
                x, word = indent, word[room - x :]
            rows[-1].append((word, ink))
            x += len(word)
    return rows


def draw_sheet(sheet: Sheet, first: int, width: int, height: int) -> Canvas:
    """Draw a sheet from its row `first` on."""
    canvas = Canvas(width, height, "raised")
    rows = laid(sheet, width)
    room = height - MARGIN_ROWS
    where = ""
    if len(rows) > room:
        last = min(len(rows), first + room)
        where = f"{first + 1}–{last} of {len(rows)}"
        canvas.put_right(width - MARGIN, 1, where, QUIET)
    canvas.put(MARGIN, 1, sheet.title, PAPER._replace(bold=True), width - 2 * MARGIN - len(where) - 2)
    canvas.across(MARGIN, 2, width - 2 * MARGIN, "─", HAIR)
    for row, line in enumerate(rows[first : first + max(0, room)]):
        canvas.flow(MARGIN, 3 + row, line, width - MARGIN)
    return canvas
