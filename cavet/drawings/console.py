"""A canvas as text for a terminal that scrolls: in the screen's colours where it has any."""

from __future__ import annotations

from functools import lru_cache

from rich.color import Color, ColorSystem
from rich.console import Console
from rich.style import Style

from cavet.drawings.canvas import Canvas, Ink
from cavet.drawings.colours import ROLES, SIXTEEN, colour_of

OWN = ("paper", "ink")
"""Roles for which the terminal's own colours stand."""
SYSTEMS = {"truecolor": ColorSystem.TRUECOLOR, "256": ColorSystem.EIGHT_BIT, "standard": ColorSystem.STANDARD}


@lru_cache(maxsize=1)
def colours_here() -> ColorSystem | None:
    """The colours that standard output has: none where it is no terminal, and where `NO_COLOR` is set."""
    return SYSTEMS.get(Console().color_system or "")


def painted(canvas: Canvas, colours: ColorSystem | None) -> str:
    """The rows of a canvas as lines."""
    if colours is None:
        return canvas.text()
    rows = []
    for y in range(canvas.height):
        runs = list(canvas.row(y))
        while runs and not runs[-1].text.strip():
            runs.pop()
        rows.append("".join(_style(run.ink, colours).render(run.text, color_system=colours) for run in runs))
    return "\n".join(rows)


@lru_cache(maxsize=256)
def _style(ink: Ink, colours: ColorSystem) -> Style:
    roles = SIXTEEN if colours is ColorSystem.STANDARD else ROLES
    colour = None if ink.role in OWN else Color.parse(colour_of(roles["dark"], ink.role))
    return Style(color=colour, bold=ink.bold or None)
