"""The Bench screen's pictures: a board in cross-section with the others folded, remarks, what is around."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import msgspec

from cavet.drawings.canvas import ASKED, CORAL, GOT, HAIR, PAPER, QUIET, Canvas, wrapped
from cavet.drawings.section import HEAD_ROWS, draw_section, section_height
from cavet.wiring import Section
from cavet.wording import counted
from cavet.workbench.wiring.views import AroundView, FoldView, RemarksView

BEGINNING = (
    ("N", "a board with its link, its host, and first points: one for each protocol"),
    ("tab", "to what is around this machine: t takes a board that is there into the bench"),
    ("F2", "all that can be done"),
)
SIGNS = {"wrong": ("✕", CORAL), "doubtful": ("!", ASKED), "note": ("·", QUIET)}


class BoardsView(msgspec.Struct, frozen=True, kw_only=True):
    """The open board, those that are folded, and where the cursor is: a row's key, or a folded board's name."""

    section: Section
    folded: tuple[FoldView, ...]
    cursor: tuple[str | int, ...]
    active: bool = True
    note: str = ""
    """How many remarks there are, where they have no room of their own."""


class BoardPlaces(NamedTuple):
    """What is seen: the open board from row `first` on, in `lines` with its head; then those of the `folded` in this
    range, a line each."""

    first: int
    lines: int
    folded: range

    def fold_at(self, y: int) -> int | None:
        """The folded board in a line."""
        place = y - self.lines - 1
        return self.folded[place] if 0 <= place < len(self.folded) else None


def places(view: BoardsView, width: int, height: int) -> BoardPlaces:
    """Find the places: folded boards leave the open one half of the room, if it needs that. What the cursor is on is in
    sight."""
    rows, folded = view.section.rows, view.folded
    room = max(1, height - HEAD_ROWS - 1 - len(folded), min(len(rows), (height - HEAD_ROWS - 1) // 2))
    at = next((place for place, row in enumerate(rows) if row.key == view.cursor), None)
    if at is None:
        at = len(rows) - 1 if view.cursor[:1] == ("board",) else 0
    first = max(0, min(at - room // 2, len(rows) - room))
    lines = min(HEAD_ROWS + room, section_height(view.section, width, first))
    left = max(0, height - lines - 1)
    on = next((place for place, fold in enumerate(folded) if view.cursor == ("board", fold.name)), 0)
    begin = max(0, min(on - left // 2, len(folded) - left))
    return BoardPlaces(first, lines, range(begin, min(len(folded), begin + left)))


def draw_boards(view: BoardsView, width: int, height: int) -> Canvas:
    """Draw the open board, and below it the others in a line each."""
    canvas = Canvas(width, height)
    first, shown, seen = at = places(view, width, height)
    cursor = view.cursor if view.active else None
    section = draw_section(view.section, width, shown, first=first, cursor=cursor)
    for y in range(min(height, shown)):
        canvas.lay_row(y, section, y)
    if view.note and len(view.section.board) + len(view.section.title) + len(view.note) + 6 < width:
        canvas.put_right(width - 1, 0, view.note, CORAL if "wrong" in view.note else ASKED)
    left = len(view.section.rows) - first - (shown - HEAD_ROWS)
    if left > 0 and not view.note and len(view.section.board) + len(view.section.title) + 18 < width:
        canvas.put_right(width - 1, 0, f"{left} more below", QUIET)
    hidden = len(view.folded) - seen.stop
    on_last = bool(seen) and view.cursor == ("board", view.folded[seen.stop - 1].name)
    with_sign = bool(seen) and hidden > 0 and not on_last
    for y in range(shown + 1, height):
        place = at.fold_at(y)
        if with_sign and place == seen.stop - 1:
            canvas.put(3, y, f"… {counted(hidden + 1, 'more board')}", QUIET)
        elif place is not None:
            _draw_fold(canvas, y, view, view.folded[place])
    return canvas


def _draw_fold(canvas: Canvas, y: int, view: BoardsView, fold: FoldView) -> None:
    here, width = view.active and view.cursor == ("board", fold.name), canvas.width
    if here:
        canvas.shade(0, y, width, 1, "raised")
    canvas.put(1, y, "▸" if here else "▹", PAPER if here else QUIET)
    canvas.put(3, y, fold.name, PAPER, 18)
    canvas.put_right(width - 1, y, fold.count, CORAL if fold.is_bad and "nothing" in fold.count else QUIET)
    canvas.put(22, y, fold.words, CORAL if fold.is_bad else QUIET, width - 24 - len(fold.count))


def draw_beginning(width: int, height: int) -> Canvas:
    """Draw a bench in which there is nothing yet: what one can do about it."""
    canvas = Canvas(width, height)
    canvas.put(1, 0, "nothing is on this bench yet", PAPER._replace(bold=True), width - 2)
    for y, (key, words) in enumerate(BEGINNING, 2):
        canvas.put(3, y, key, ASKED)
        canvas.put(8, y, words, QUIET, width - 9)
    return canvas


def draw_remarks(view: RemarksView, width: int, height: int) -> Canvas:
    """Draw the remarks, each with its reason and its mend where it is chosen; below them what is well."""
    canvas = Canvas(width, height)
    canvas.put(2, 0, "remarks", PAPER._replace(bold=True))
    canvas.put(10, 0, str(len(view.remarks)) if view.remarks else "none", QUIET)
    if view.changed:
        canvas.put_right(width - 1, 0, "not saved", CORAL)
    y = 2
    places = _remark_places(view, width)
    skip = max(0, places[view.cursor][1] - (height - 3)) if view.cursor >= 0 and view.remarks else 0
    for number, remark in enumerate(view.remarks):
        chosen = number == view.cursor
        sign, ink = SIGNS[remark.weight]
        top = y
        for line in wrapped(remark.what, width - 6):
            if 2 <= y - skip < height:
                canvas.put(2, y - skip, sign if y == top else " ", ink)
                canvas.put(4, y - skip, line, PAPER._replace(bold=chosen))
            y += 1
        for line in wrapped(remark.why, width - 6) if chosen else []:
            if 2 <= y - skip < height:
                canvas.put(4, y - skip, line, QUIET)
            y += 1
        for place, line in enumerate(wrapped(remark.mend, width - 8)):
            if 2 <= y - skip < height:
                canvas.put(4, y - skip, "" if place else "⏎" if chosen else "→", ASKED)
                canvas.put(6, y - skip, line, ASKED if chosen else QUIET)
            y += 1
        if chosen:
            begin = max(2, top - skip)
            canvas.shade(1, begin, width - 1, max(0, min(height, y - skip) - begin), "raised")
        y += 1
    y -= skip
    if view.well and y + 1 < height:
        canvas.put(2, y, "all well" if not view.remarks else "well", GOT)
        _draw_well(canvas, view.well, y + 1)
    return canvas


def _draw_well(canvas: Canvas, well: Sequence[str], y: int) -> None:
    """Draw what is well from a row on; and how many more there are, where the room ends."""
    items = [wrapped(words, canvas.width - 8) for words in well]
    for number, lines in enumerate(items):
        left = canvas.height - y
        if left < len(lines) + (number + 1 < len(items)):
            canvas.put(6, y, f"… {len(items) - number} more", QUIET)
            return
        canvas.put(4, y, "·", QUIET)
        for line in lines:
            canvas.put(6, y, line, QUIET)
            y += 1


def _remark_places(view: RemarksView, width: int) -> list[tuple[int, int]]:
    """The first row of each remark, and the one behind its last, where the cursor's is unfolded."""
    places, y = [], 2
    for number, remark in enumerate(view.remarks):
        size = len(wrapped(remark.what, width - 6)) + len(wrapped(remark.mend, width - 8))
        size += len(wrapped(remark.why, width - 6)) if number == view.cursor else 0
        places.append((y, y + size))
        y += size + 1
    return places


def remark_under(view: RemarksView, width: int, y: int) -> int | None:
    """The remark at a row of the picture; `None` for none."""
    for number, (begin, end) in enumerate(_remark_places(view, width)):
        if begin <= y < end:
            return number
    return None


def _first_around(view: AroundView, height: int) -> int:
    """The first of them that is shown."""
    room = max(0, height - 1)
    return max(0, min(view.cursor - room + 1, len(view.rows) - room)) if view.cursor >= room else 0


def around_under(view: AroundView, height: int, y: int) -> int | None:
    """Which of them is at a row of the picture; `None` for none."""
    place = _first_around(view, height) + y - 1
    return place if y > 0 and place < len(view.rows) else None


def draw_around(view: AroundView, width: int, height: int) -> Canvas:
    """Draw what is around this machine, joined to the board of the bench that it is."""
    canvas = Canvas(width, height)
    canvas.put(1, 0, "around this machine", PAPER._replace(bold=True))
    room = max(0, height - 1)
    first = _first_around(view, height)
    below = len(view.rows) - first - room
    more = f"{below} more below" if below > 0 else f"{first} more above" if first else ""
    whole = width - 24 - len(more)
    canvas.put(22, 0, view.looked if len(view.looked) <= whole else view.looked.partition(":")[0], QUIET, whole)
    canvas.put_right(width - 1, 0, more, QUIET)
    told_at, whose_at = (38, min(84, width - 34)) if width >= 110 else (30, max(44, width - 26))
    for place, row in enumerate(view.rows[first : first + room]):
        y = place + 1
        chosen = first + place == view.cursor
        if chosen:
            canvas.shade(0, y, width, 1, "raised")
            canvas.put(0, y, "▸", PAPER)
        before = view.rows[first + place - 1].kind if place else ""
        canvas.put(2, y, row.kind if row.kind != before or not place else "", QUIET, 7)
        canvas.put(10, y, row.address, QUIET if row.is_gone else PAPER, told_at - 11)
        canvas.put(told_at, y, row.told, QUIET, whose_at - told_at - 2)
        if row.news:
            canvas.put(whose_at, y, row.news, CORAL if row.is_gone else GOT._replace(bold=True), width - whose_at - 1)
            continue
        end = min(len(row.told), whose_at - told_at - 2)
        canvas.across(told_at + end + 1, y, whose_at - told_at - end - 2, "─", HAIR)
        if row.whose:
            canvas.put(whose_at, y, "◆", GOT)
            canvas.put(whose_at + 2, y, row.whose, GOT, width - whose_at - 3)
        else:
            canvas.put(whose_at, y, "not in this bench", QUIET, width - whose_at - 1)
    return canvas
