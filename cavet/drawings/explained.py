"""A frame explained: who says it, its name, its ruler, and what is wrong with it."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

from cavet.drawings.canvas import CORAL, PAPER, QUIET, Canvas, Ink
from cavet.drawings.ruler import MARGIN, RulerView, draw_ruler
from cavet.protocols import Field, Frame, Side
from cavet.wording import counted, plain

WHO = {Side.HOST: "the host", Side.BOARD: "the board"}


def draw_explained(frame: Frame, fields: Sequence[Field], side: Side, width: int) -> Canvas:
    """Draw a frame with all that is known of it."""
    body = draw_ruler(RulerView(data=frame.data, fields=tuple(fields), side=side), width, whole=False)
    wrong = [line for problem in frame.problems for line in _lines(plain(problem), width - 2 * MARGIN - 2)]
    canvas = Canvas(width, 2 + body.height + len(wrong) + (1 if wrong else 0))
    count = len(frame.data)
    said = f"from {WHO[side]}, {counted(count, 'byte')} at {frame.offset}"
    canvas.flow(MARGIN, 0, [(frame.message.NAME, PAPER._replace(bold=True)), (f"  {said}", QUIET)], width)
    for row in range(body.height):
        canvas.lay_row(2 + row, body, row)
    for place, (text, ink) in enumerate(wrong):
        canvas.put(MARGIN, 3 + body.height + place, text, ink)
    return canvas


def _lines(problem: str, room: int) -> list[tuple[str, Ink]]:
    first, *rest = textwrap.wrap(problem, max(8, room)) or [""]
    return [(f"✕ {first}", CORAL), *((f"  {line}", CORAL) for line in rest)]
