"""The rig: basins of water side by side, with walls that open between them."""

from __future__ import annotations

import msgspec

from cavet.drawings.canvas import GOT, HAIR, HEATHER, PAPER, QUIET, WATER, Canvas, Ink

EIGHTHS = " ▁▂▃▄▅▆▇█"
LEAST_OPENING = 0.005
"""A sluice that is open by less is shut, to the eye: a servo stands as exactly as its pulse is long."""


class BasinView(msgspec.Struct, frozen=True, kw_only=True):
    """One basin: how full it is, 0 to 1; and the wall on its right, `None` where there is none.

    `opening` is how far the sluice in that wall is open, `gate` how far the whole wall is out of the way.
    """

    name: str
    share: float
    tells: str
    marked: bool = False
    wall: bool = False
    opening: float = 0.0
    gate: float = 0.0
    flow: int = 0
    """Where the water goes through the wall: 1 to the right, −1 to the left."""


def flow_from(here: float, beyond: float) -> int:
    """Where water goes from one basin to the next by how high it stands; 0 also where one is not known (`nan`)."""
    return (here > beyond) - (here < beyond)


def draw_rig(canvas: Canvas, x: int, y: int, width: int, height: int, basins: tuple[BasinView, ...]) -> None:
    """Draw the basins into a rectangle: names on top, water between, values below."""
    if not basins or height < 4 or width < 8 * len(basins):
        return
    depth = height - 2
    each = (width - (len(basins) - 1) * 2) // len(basins)
    for place, basin in enumerate(basins):
        left = x + place * (each + 2)
        canvas.put(left, y, basin.name, PAPER._replace(bold=True) if basin.marked else QUIET, each)
        _draw_water(canvas, left, y + 1, each, depth, basin.share)
        tells = basin.tells if len(basin.tells) <= each else basin.tells.replace(" ", "", 1)
        canvas.put(left, y + 1 + depth, tells, HEATHER if basin.marked else QUIET, each)
        if basin.wall:
            _draw_wall(canvas, left + each, y + 1, depth, basin)


def _draw_water(canvas: Canvas, x: int, y: int, width: int, depth: int, share: float) -> None:
    eighths = round(min(1.0, max(0.0, share)) * depth * 8)
    for row in range(depth):
        level = min(8, max(0, eighths - 8 * (depth - 1 - row)))
        canvas.across(x, y + row, width, EIGHTHS[level], WATER)
        if level == 0:
            canvas.across(x, y + row, width, " ", WATER)


def _draw_wall(canvas: Canvas, x: int, y: int, depth: int, view: BasinView) -> None:
    raised = round(view.gate * depth)
    for row in range(depth - raised):
        canvas.put(x, y + row, "██", Ink("quiet"))
    for row in range(depth - raised, depth):
        canvas.put(x, y + row, "╎╎", HAIR)
    if view.opening >= LEAST_OPENING and not raised:
        rows = max(1, round(view.opening * depth / 2))
        arrow = "▸▸" if view.flow > 0 else ("◂◂" if view.flow < 0 else "  ")
        for row in range(depth - rows, depth):
            canvas.put(x, y + row, arrow, GOT)
