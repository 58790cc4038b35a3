"""A sheet of lines to read."""

from __future__ import annotations

import msgspec

from cavet.workbench.drawing.canvas import HAIR, PAPER, QUIET, Canvas, Ink

Line = list[tuple[str, Ink]]
MARGIN_ROWS = 4
"""Rows of a sheet that are not for its lines: above and below, its title, the hair line."""


class Sheet(msgspec.Struct, frozen=True):
    """A title and lines, each of several inks."""

    title: str
    lines: list[Line]


def draw_sheet(sheet: Sheet, first: int, width: int, height: int) -> Canvas:
    """Draw a sheet from its line `first` on."""
    canvas = Canvas(width, height, "raised")
    canvas.put(2, 1, sheet.title, PAPER._replace(bold=True))
    canvas.across(2, 2, width - 4, "─", HAIR)
    room = height - MARGIN_ROWS
    for row, line in enumerate(sheet.lines[first : first + room]):
        x = 2
        for text, ink in line:
            canvas.put(x, 3 + row, text[: max(0, width - 2 - x)], ink)
            x += len(text)
    if len(sheet.lines) > room:
        last = min(len(sheet.lines), first + room)
        canvas.put_right(width - 2, 1, f"{first + 1}–{last} of {len(sheet.lines)}", QUIET)
    return canvas
