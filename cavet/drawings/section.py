"""A board in cross-section, drawn: belief on the left, the board in the middle, what hangs there on the right."""

from __future__ import annotations

import re
from typing import NamedTuple

from cavet.drawings.canvas import ASKED, CORAL, GOT, HAIR, HEATHER, PAPER, QUIET, Canvas, Ink, clip, wrapped
from cavet.wiring import Believed, Hanging, Section, SectionRow

HEAD_ROWS = 3
"""Its name, the names of the columns, an empty row."""
LINK_COLUMNS = 12
ADDRESS = re.compile(r"([a-z0-9]+:(?://)?)?([^:]+|\[.*\])(:\d+)")
"""The way to somebody's host, where one is told, the host, its port."""
LEAST_OF_WORD = 4
"""So much of the word before a place's number is shown at least."""
ROLES = {"got": GOT, "coral": CORAL, "quiet": QUIET, "heather": HEATHER, "paper": PAPER}


class Columns(NamedTuple):
    """Where the columns begin, for a width; 0 for one that is left out."""

    name: int
    range: int
    bar: int
    link: int
    board: int
    board_end: int
    part: int
    note: int


def columns_for(width: int) -> Columns:
    """Share a width out: ranges and what is said of the link are left out first."""
    if width >= 100:
        rest = width - 100
        name, range_ = 3, 20 + min(6, rest // 4)
        bar = range_ + 18 + min(2, rest // 8)
        board = bar + LINK_COLUMNS + 4
        return Columns(name, range_, bar, bar + 2, board, board + 23, board + 28, board + 44)
    if width >= 74:
        return Columns(3, 0, 25, 0, 28, 46, 51, 66)
    if width >= 56:
        return Columns(3, 0, 17, 0, 20, 36, 40, 0)
    return Columns(3, 0, 14, 0, 17, 27, 30, 0)


def draw_section(
    section: Section, width: int, height: int, *, first: int = 0, cursor: tuple[str | int, ...] | None = None
) -> Canvas:
    """Draw a board from its row `first` on."""
    canvas = Canvas(width, height)
    at = columns_for(width)
    canvas.flow(1, 0, [(section.board, PAPER._replace(bold=True)), (f"  {section.title}", QUIET)], width - 1)
    believes = "what the host believes" if at.bar > 24 else "believed"
    heads = [(1, believes, ASKED), (at.board, "the board", QUIET), (at.part, "what hangs there", GOT)]
    if at.link:
        heads.insert(1, (at.bar, "the link", HEATHER))
    ends = [x for x, _, _ in heads[1:]] + [width]
    for (x, text, ink), end in zip(heads, ends, strict=True):
        canvas.put(x, 1, text, ink, end - x - 1)
    rows = section.rows[first : first + max(0, height - HEAD_ROWS)]
    for place, row in enumerate(rows):
        y = HEAD_ROWS + place
        if cursor is not None and row.key == cursor:
            canvas.shade(0, y, width, 1, "raised")
            canvas.put(0, y, "▸", PAPER)
        _draw_row(canvas, at, row, y)
    lines = _link_lines(section, at)
    link = lines[: max(0, height - HEAD_ROWS)]
    canvas.down(at.bar, HEAD_ROWS, max(len(rows), len(link)), "┃", HEATHER)
    for y, (line, ink) in enumerate(link, HEAD_ROWS):
        is_cut = y == height - 1 and len(lines) > len(link)
        canvas.put(at.link, y, "…" if is_cut else line, ink)
    _draw_crossings(canvas, at, section.rows, first, len(rows))
    return canvas


def section_height(section: Section, width: int, first: int = 0) -> int:
    """How many lines a board takes from its row `first` on: what is to be said of its links may be more than it has
    rows."""
    return HEAD_ROWS + max(len(section.rows) - first, len(_link_lines(section, columns_for(width))))


def _draw_row(canvas: Canvas, at: Columns, row: SectionRow, y: int) -> None:
    believed, hanging = row.believed, row.hanging
    if not row.is_missing:
        canvas.shade(at.board - 1, y, at.board_end - at.board + 1, 1, "raised")
    if believed is not None:
        _draw_believed(canvas, at, believed, y)
        if row.is_missing:
            canvas.put(at.bar + 1, y, "✕", CORAL)
            canvas.put(at.bar + 3, y, f"nothing at {row.place}", CORAL, canvas.width - at.bar - 4)
            return
        if at.link:
            canvas.across(at.board - 3, y, 2, "─", HAIR)
        else:
            canvas.across(at.bar + 1, y, at.board - at.bar - 2, "─", HAIR)
    _draw_place(canvas, at, row, y)
    if hanging is not None:
        _draw_hanging(canvas, at, hanging, y, straight=row.crosses is None)


def _draw_believed(canvas: Canvas, at: Columns, believed: Believed, y: int) -> None:
    """The points of a row, what can be asked of them, and their line to the link."""
    wrong = believed.is_wrong
    canvas.put(
        at.name - 2, y, "◇" if believed.is_output else "◆", CORAL if wrong else ASKED if believed.is_output else HEATHER
    )
    room = (at.range or at.bar) - at.name - 1
    name = clip(believed.text, room)
    canvas.put(at.name, y, name, CORAL if wrong else PAPER)
    end = at.name + len(name)
    if at.range:
        note = clip(believed.note, at.bar - at.range - 1)
        canvas.put(at.range, y, note, QUIET)
        end = at.range + len(note) if note else end
    canvas.across(end + 1, y, at.bar - end - 1, "─", CORAL if wrong else HAIR)


def _draw_place(canvas: Canvas, at: Columns, row: SectionRow, y: int) -> None:
    """A place by all its names, and how it stands. Where the room is tight its first word is cut, not its number."""
    used = row.believed is not None or row.hanging is not None
    number, _, label = row.place.partition(" ")
    strong = PAPER._replace(bold=row.hanging is not None) if used else QUIET._replace(share=0.6)
    told = row.level or row.note
    room, size = at.board_end - at.board, len(row.place)
    left = room - len(label) - 1
    if size > room and label and left >= LEAST_OF_WORD:
        number = clip(number, left)
    pieces = [(number, strong), *([(f" {label}", QUIET)] if label else [])]
    canvas.flow(at.board, y, pieces, at.board_end)
    if told and size + len(told) + 2 <= room:
        canvas.put_right(at.board_end - 1, y, told, _level_ink(row))


def _level_ink(row: SectionRow) -> Ink:
    """Outputs in verdigris and inputs in heather where they are anything but at rest; else it is quiet."""
    if row.is_wrong:
        return CORAL
    if not row.level or not row.is_lit:
        return QUIET if row.level else QUIET._replace(share=0.6)
    return HEATHER if row.believed is not None and not row.believed.is_output else GOT


def _draw_hanging(canvas: Canvas, at: Columns, hanging: Hanging, y: int, *, straight: bool) -> None:
    """What hangs at a place: its name, what it is, how it stands."""
    wrong, note = hanging.is_wrong, at.note or canvas.width
    if straight:
        canvas.across(at.board_end, y, at.part - at.board_end - 1, "─", CORAL if wrong else HAIR)
    if not hanging.name:
        canvas.put(at.part, y, hanging.note, QUIET, canvas.width - at.part - 1)
        return
    canvas.put(at.part, y, hanging.name, CORAL._replace(bold=True) if wrong else PAPER, note - at.part - 1)
    if not at.note:
        return
    room = canvas.width - note - 1
    state_ink = CORAL if wrong else GOT if hanging.is_lit else QUIET
    if hanging.state and len(hanging.note) + len(hanging.state) + 2 <= room:
        canvas.flow(note, y, [(hanging.note, QUIET), (f"  {hanging.state}", state_ink)], canvas.width - 1)
    else:
        canvas.put(note, y, hanging.state or hanging.note, state_ink if hanging.state or wrong else QUIET, room)


def _in_lines(words: str) -> list[str]:
    """What is said of the link, in its column: the number of a port is not cut, nor the way to it taken for a part of
    the host's name."""
    found = ADDRESS.fullmatch(words)
    if len(words) <= LINK_COLUMNS or found is None:
        return wrapped(words, LINK_COLUMNS)
    way, host, port = found.groups(default="")
    return [*([way] if way else []), *wrapped(host, LINK_COLUMNS), port]


def _link_lines(section: Section, at: Columns) -> list[tuple[str, Ink]]:
    """What is to be said of the links, line by line; nothing where there is no room for it."""
    return [(line, ROLES[role]) for words, role in section.link for line in _in_lines(words)] if at.link else []


def _draw_crossings(canvas: Canvas, at: Columns, rows: tuple[SectionRow, ...], first: int, count: int) -> None:
    """The lines of what is crossed: from each place to the part that really hangs there."""
    bold: Ink = CORAL._replace(bold=True)
    x = at.board_end
    room = at.part - x - 1
    for number, row in enumerate(rows):
        other = row.crosses
        if other is None or other < number:
            continue
        top, bottom = HEAD_ROWS + number - first, HEAD_ROWS + other - first
        half = max(1, (room - 2) // 2)
        for y in (top, bottom):
            if HEAD_ROWS <= y < HEAD_ROWS + count:
                canvas.across(x, y, room, "─", CORAL)
        left = x + half
        for y in range(max(top, HEAD_ROWS), min(bottom, HEAD_ROWS + count - 1) + 1):
            if bottom - top == 1:
                text = "╲╱" if y == top else "╱╲"
            elif y == top:
                text = "┐┌"
            elif y == bottom:
                text = "┘└"
            else:
                text = "╳╳" if y == (top + bottom) // 2 else "││"
            canvas.put(left, y, text, bold)
