"""The Checks screen in cells: the walk as a square, a campaign as strips of small marks, the list of checks."""

from __future__ import annotations

import textwrap

from cavet.drawings.canvas import ASKED, CORAL, GOT, HAIR, HEATHER, PAPER, QUIET, Canvas, Ink
from cavet.drawings.square import MARKS, NAME_CELLS, BoardRow, draw_reasons, draw_square
from cavet.wording import counted
from cavet.workbench.checks.views import CampaignView, CheckView, StripView, WalkView

RUNS: dict[str, tuple[str, Ink]] = {"held": ("▪", GOT), "failed": ("✕", CORAL), "waiting": ("·", HAIR)}
STATES: dict[str, tuple[str, Ink]] = {
    "held": ("◈", GOT), "failed": ("✕", CORAL), "runs": ("◇", ASKED), "stopped": ("◌", QUIET), "new": ("◌", QUIET),
}  # fmt: skip
STEP_CELLS = 12
MOST_LINE_ROWS, MOST_WHY_ROWS = 3, 5
REASON_ROWS = 4
"""What is said of the output under the cursor, with the rows around it."""


def draw_walk(view: WalkView, width: int, height: int) -> Canvas:
    """The boards, each a line of marks; the one under the cursor with its square: outputs down, their parts across.
    Where there is room for the squares of all, they are there."""
    canvas = Canvas(width, height)
    name, _, rest = view.title.partition("  ")
    canvas.put(1, 1, name, PAPER._replace(bold=True))
    canvas.put(len(name) + 3, 1, rest, CORAL if "not as they should" in rest else QUIET, width - len(name) - 4)
    if not view.boards:
        canvas.put(1, 3, view.note, QUIET)
        return canvas
    y = 3
    others = len(view.boards) - 1
    wrong = sum(board.wrong for board in view.boards)
    is_whole = y + sum(len(board.rows) + 2 for board in view.boards) + REASON_ROWS + wrong + 1 <= height
    for place, board in enumerate(view.boards):
        if place == view.board:
            y = draw_square(canvas, board, y, height - (others - place) - 1, chosen=view.row)
        elif is_whole:
            y = draw_square(canvas, board, y, height) + 1
        elif y == height - 1 and place < others:
            canvas.put(3, y, f"{counted(len(view.boards) - place, 'more board')}: [ ] goes on to them", QUIET)
            break
        else:
            _line(canvas, board, y)
            y += 1
    draw_reasons(canvas, view.boards, y + 1)
    return canvas


def _line(canvas: Canvas, board: BoardRow, y: int) -> None:
    canvas.put(1, y, "▹", QUIET)
    canvas.put(3, y, board.name, QUIET, NAME_CELLS - 3)
    for place, row in enumerate(board.rows):
        kind = "wrong" if row.held is False else "neither" if row.held is None else "right"
        canvas.put(NAME_CELLS + 2 + place, y, *(("✕", CORAL) if kind == "wrong" else MARKS[kind]))
    if board.wrong:
        canvas.put(NAME_CELLS + 3 + len(board.rows), y, f"{board.wrong} wrong", CORAL)


def draw_campaign(view: CampaignView, width: int, height: int) -> Canvas:
    """Strips of marks, a set of defects each; how far it is; the smallest run that fails."""
    canvas = Canvas(width, height)
    name, _, rest = view.title.partition("  ")
    canvas.put(2, 1, name, PAPER._replace(bold=True), width - 4)
    canvas.put(len(name) + 4, 1, rest, QUIET, width - len(name) - 5)
    y = 3
    if view.problem:
        for line in textwrap.wrap(view.problem, max(20, width - 4))[:4]:
            canvas.put(2, y, line, CORAL)
            y += 1
    for place, strip in enumerate(view.strips):
        if place and y + 3 > height - (10 if view.failing else 3):
            left = len(view.strips) - place
            canvas.put(2, y, f"{counted(left, 'more set')} of defects", QUIET)
            y += 1
            break
        y = _strip(canvas, strip, y, width)
    canvas.put(2, y, view.told, QUIET, width - 4)
    done, wanted = view.progress
    if wanted:
        cells = max(10, min(48, width - 20))
        lit = cells * done // wanted
        canvas.put(2, y + 1, "▰" * lit, GOT)
        canvas.put(2 + lit, y + 1, "▱" * (cells - lit), HAIR)
        canvas.put(4 + cells, y + 1, f"{done} of {wanted}", QUIET)
        y += 1
    if view.failing:
        _failing(canvas, view, y + 2, width)
    return canvas


def _strip(canvas: Canvas, strip: StripView, y: int, width: int) -> int:
    """One strip; give the row behind it."""
    canvas.put(2, y, strip.title, PAPER, width - 4)
    canvas.put(len(strip.title) + 4, y, strip.tells, QUIET, width - len(strip.title) - 5)
    failed = "failed" in strip.marks
    for place, mark in enumerate(strip.marks):
        sign, ink = RUNS[mark]
        canvas.put(2 + place, y + 1, sign, ink._replace(bold=True) if place == strip.chosen else ink)
        if place == strip.chosen:
            canvas.shade(2 + place, y + 1, 1, 1, "lifted")
    x = 4 + len(strip.marks)
    canvas.put(x, y + 1, strip.held, CORAL if failed else GOT)
    canvas.put(x + 2 + len(strip.held), y + 1, strip.t, HEATHER)
    return y + 3


def _failing(canvas: Canvas, view: CampaignView, y: int, width: int) -> None:
    name, _, rest = view.failing.partition("   ")
    canvas.put(2, y, name, PAPER._replace(bold=True), width - 4)
    canvas.put(len(name) + 5, y, rest, QUIET, width - len(name) - 6)
    y += 2
    room = max(20, width - STEP_CELLS - 4)
    why = textwrap.wrap(view.why, room, max_lines=MOST_WHY_ROWS, placeholder=" …")
    last = canvas.height - len(why) - 2
    for place, (when, what) in enumerate(view.lines):
        rows = textwrap.wrap(what, room, max_lines=MOST_LINE_ROWS, placeholder=" …") if what else []
        left = len(view.lines) - place
        if y + max(1, len(rows)) > last - (left > 1):
            canvas.put(2, y, f"… and {left} more", QUIET)
            y += 1
            break
        ink = CORAL if when.startswith("✕") else HEATHER if what else QUIET
        canvas.put(2, y, when, ink, STEP_CELLS if what else width - 4)
        for row in rows:
            canvas.put(2 + STEP_CELLS, y, row, PAPER)
            y += 1
        y += not rows
    canvas.put(2, y + 1, "why" if view.why else "", QUIET)
    for line in why[: max(1, canvas.height - y - 1)]:
        canvas.put(2 + STEP_CELLS, y + 1, line, CORAL)
        y += 1


def _columns(views: tuple[CheckView, ...], width: int) -> tuple[int, int, int]:
    """Where the columns of checks begin: what each is, how long it took, what came. They stand apart where there is
    room; else each takes what it needs, and what there is too little of is shared."""
    name, what, took, came = (
        max((len(getattr(view, column)) for view in views), default=0) for column in ("name", "what", "t", "came")
    )
    wide = max(20, min(46, width // 3))
    if what <= wide and came < width - 34 - wide:
        return 20, 22 + wide, 34 + wide
    what_at = 3 + min(16, name) + 2
    took = took + 2 if took else 0
    left = width - 1 - what_at - 2 - took
    what = what if what + came <= left else min(what, max(left - came, left * 3 // 5))
    return what_at, what_at + what + 2, what_at + what + 2 + took


def draw_checks(views: tuple[CheckView, ...], width: int, height: int) -> Canvas:
    """The checks of the bench: how each stands, how long it took, what came."""
    canvas = Canvas(width, height)
    canvas.across(0, 0, width, "─", HAIR)
    canvas.put(1, 1, "checks of this bench", PAPER._replace(bold=True))
    chosen = next((place for place, view in enumerate(views) if view.is_chosen), 0)
    room = max(1, height - 3)
    first = max(0, min(chosen - room // 2, len(views) - room))
    what_at, took_at, came_at = _columns(views, width)
    for place, view in enumerate(views[first : first + room]):
        y = 3 + place if height > 4 + len(views) else 2 + place
        sign, ink = STATES[view.state]
        canvas.put(0, y, "▸" if view.is_chosen else " ", PAPER)
        canvas.put(1, y, sign, ink)
        canvas.put(3, y, view.name, PAPER._replace(bold=view.is_chosen), what_at - 4)
        canvas.put(what_at, y, view.what, QUIET, took_at - what_at - 2)
        canvas.put_right(came_at - 2, y, view.t, HEATHER)
        canvas.put(came_at, y, view.came, CORAL if view.state == "failed" else QUIET, width - came_at - 1)
        if view.is_chosen:
            canvas.shade(0, y, width, 1, "lifted")
    left = len(views) - first - room
    if first or left > 0:
        canvas.put_right(
            width - 1, 1, " ".join(f"{sign}{n}" for sign, n in (("↑", first), ("↓", left)) if n > 0), QUIET
        )
    return canvas
