"""A walk as a square: which output moved which part. A diagonal is a board that is wired as it is thought to be."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

import msgspec

from cavet.drawings.canvas import CORAL, GOT, HAIR, PAPER, QUIET, Canvas, Ink

NAME_CELLS = 21
MARKS: dict[str, tuple[str, Ink]] = {
    "right": ("◆", GOT), "wrong": ("◆", CORAL), "missing": ("◇", CORAL), "neither": ("·", QUIET), "unseen": ("◈", GOT),
}  # fmt: skip
MOST_REASON = 3
"""So many lines of a reason are shown."""


class CellView(msgspec.Struct, frozen=True):
    """A mark in the square: at which part (by its place), `right`, `wrong`, `missing`, `neither`."""

    place: int
    kind: str


class RowView(msgspec.Struct, frozen=True):
    """An output in the square: its number, its name, whether it held, its marks, why not."""

    number: int
    name: str
    held: bool | None
    cells: tuple[CellView, ...]
    why: str = ""
    elsewhere: str = ""
    """What moved on another board."""


class BoardRow(msgspec.Struct, frozen=True):
    """A board's outputs: the marks of all in a line, and its square."""

    name: str
    parts: int
    rows: tuple[RowView, ...]

    @property
    def wrong(self) -> int:
        """How many did not hold."""
        return sum(row.held is False for row in self.rows)


def draw_square(canvas: Canvas, board: BoardRow, y: int, end: int, *, chosen: int | None = None) -> int:
    """The square of a board, from a row on; give the row behind it. With one chosen it scrolls where there is no room
    for all, and the reason of the chosen one stands below."""
    left = NAME_CELLS + 5
    step = next((step for step in (3, 2) if left + step * board.parts < canvas.width - 2), 1)
    canvas.put(1, y, "▿", QUIET)
    canvas.put(3, y, board.name, PAPER._replace(bold=True), NAME_CELLS - 2)
    for number in range(1, board.parts + 1):
        if len(str(board.parts)) < step or number % 5 == 0 or number == 1:
            ink = PAPER if chosen is not None and number == chosen + 1 else QUIET
            canvas.put_right(left + step * (number - 1) + 1, y, str(number), ink)
    room, first = len(board.rows), 0
    if chosen is not None:
        room = max(3, min(room, end - y - 5))
        first = max(0, min(chosen - room // 2, len(board.rows) - room))
    for place, row in enumerate(board.rows[first : first + room], first):
        _row(canvas, row, y + 1 + place - first, left, step, board.parts)
        if place == chosen:
            canvas.put(0, y + 1 + place - first, "▸", PAPER)
            canvas.shade(0, y + 1 + place - first, canvas.width, 1, "lifted")
    y += 1 + room
    return y if chosen is None else _reason(canvas, board.rows[chosen], y)


def _row(canvas: Canvas, row: RowView, y: int, left: int, step: int, parts: int) -> None:
    ink = CORAL if row.held is False else QUIET if row.held is None else PAPER
    canvas.put_right(4, y, str(row.number), QUIET)
    canvas.put(5, y, row.name, ink, NAME_CELLS - 2)
    if row.held is False:
        canvas.put(left - 2, y, "✕", CORAL)
    for number in range(parts):
        canvas.put(left + step * number, y, "·" if step > 1 else " ", HAIR)
    for cell in row.cells:
        canvas.put(left + step * cell.place, y, *MARKS[cell.kind])
    if row.elsewhere:
        canvas.put(left + step * parts + 1, y, f"→ {row.elsewhere}", CORAL)


def _reason(canvas: Canvas, row: RowView, y: int) -> int:
    sign, ink = MARKS["wrong" if row.held is False else "neither" if row.held is None else "right"]
    words = row.why or f"{row.name} moves what it names, and nothing else"
    lines = textwrap.wrap(words, max(20, canvas.width - 8))[:MOST_REASON]
    canvas.put(3, y + 1, sign, ink)
    for place, line in enumerate(lines):
        canvas.put(5, y + 1 + place, line, ink if row.held is False else QUIET)
    return y + max(3, 2 + len(lines))


def draw_reasons(canvas: Canvas, boards: Sequence[BoardRow], y: int) -> None:
    """Why those that are wrong are, as many as there is room for."""
    wrong = [row for board in boards for row in board.rows if row.held is False]
    room = canvas.height - y - 1
    for row in wrong[: room if len(wrong) <= room else max(0, room - 1)]:
        canvas.put(1, y, "✕", CORAL)
        canvas.put(3, y, row.name, PAPER, NAME_CELLS - 1)
        canvas.put(NAME_CELLS + 3, y, row.why, QUIET, canvas.width - NAME_CELLS - 4)
        y += 1
    if len(wrong) > room > 0:
        canvas.put(3, y, f"and {len(wrong) - room + 1} more: n goes from one to the next", QUIET, canvas.width - 4)


def draw_walked(boards: Sequence[BoardRow]) -> Canvas:
    """All squares, one below the other, and why what is wrong is."""
    wrong = sum(board.wrong for board in boards)
    widest = max((board.parts for board in boards), default=0)
    longest = max((len(row.why) for board in boards for row in board.rows if row.held is False), default=0)
    width = max(NAME_CELLS + 8 + 3 * widest, NAME_CELLS + 5 + longest, 60)
    canvas = Canvas(width, sum(len(board.rows) + 2 for board in boards) + wrong + 2)
    y = 0
    for board in boards:
        y = draw_square(canvas, board, y, canvas.height) + 1
    draw_reasons(canvas, boards, y)
    return canvas
