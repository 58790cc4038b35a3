"""A trail for a file: its stages from left to right, with the time between them."""

from __future__ import annotations

import textwrap

from cavet.drawings.canvas import ASKED, CORAL, GOT, HAIR, HEATHER, PAPER, QUIET, Canvas, clip
from cavet.units import show_duration

HOSTS = ("asked", "framed", "carried")
LEAST_COLUMN = 14


def draw_trail(title: str, by: str, stages: list[tuple[str, float, str]], ending: str, width: int) -> Canvas:
    """Draw the stages that were reached, each with its time and what was noted there; below, how it ended."""
    column = max(LEAST_COLUMN, width // max(1, len(stages)))
    told = textwrap.wrap(ending, width - 2)
    canvas = Canvas(max(width, column * len(stages)), 6 + len(told))
    canvas.put(1, 0, title, PAPER._replace(bold=True))
    canvas.put(1, 1, by, QUIET)
    begun = stages[0][1] if stages else 0.0
    for place, (stage, t, note) in enumerate(stages):
        x = 1 + place * column
        canvas.put(x, 3, "◇" if stage in HOSTS else "◆", ASKED if stage in HOSTS else GOT)
        canvas.put(x + 2, 3, stage, PAPER._replace(bold=True))
        if place + 1 < len(stages):
            canvas.across(x + 3 + len(stage), 3, column - len(stage) - 4, "─", HAIR)
        canvas.put(x + 2, 4, "0" if place == 0 else f"+{show_duration(t - begun)}", HEATHER, column - 3)
        canvas.put(x + 2, 5, clip(note, column - 3), QUIET)
    for row, line in enumerate(told):
        canvas.put(1, 6 + row, line, CORAL)
    return canvas
