"""A grid of character cells, each with the role that gives it its colour."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache
from textwrap import wrap
from typing import NamedTuple

from rich.cells import cell_len


class Ink(NamedTuple):
    """How a cell is painted: by roles, never by colours, but for what has a colour of its own, `#rrggbb`. `share`
    blends the role with the ground, 1 is all of it."""

    role: str = "paper"
    bold: bool = False
    share: float = 1.0


PAPER = Ink()
QUIET = Ink("quiet")
HAIR = Ink("hair")
ASKED = Ink("asked")
GOT = Ink("got")
CORAL = Ink("coral")
HEATHER = Ink("heather")
WATER = Ink("water")


NUMBER = re.compile(r"[−+-]?(\d{1,3}( \d{3})+(?!\d)|\d+)(\.\d+)?")
"""A number as it is printed: thousands are parted by a space."""
LEAST_LINE = 8
"""No text is broken into lines of fewer cells."""


class Run(NamedTuple):
    """Some cells of a row that are painted alike."""

    text: str
    ink: Ink = PAPER
    ground: str = "ink"


@lru_cache(maxsize=4096)
def one_cell_each(text: str) -> str:
    """Put a dot in the place of each character that takes no cell, or two."""
    return "".join(character if cell_len(character) == 1 else "·" for character in text)


def clip(text: str, room: int) -> str:
    """Cut a text to its room; `…` says that something is missing. A number is never cut: it is whole, or not there."""
    if len(text) <= room:
        return text
    if room < 1:
        return ""
    end = room - 1
    cut = next((found for found in NUMBER.finditer(text) if found.start() < end < found.end()), None)
    end = end if cut is None else cut.start()
    return f"{text[:end].rstrip()}…"


def shortened(name: str, room: int) -> str:
    """Cut a name of several words to its room, in such a way that its last one stays: `gatehou… pin 9`."""
    head, space, last = name.rpartition(" ")
    if len(name) <= room or not space or len(last) + 4 > room:
        return clip(name, room)
    return f"{clip(head, room - len(last) - 1)} {last}"


def wrapped(text: str, room: int, most: int | None = None) -> list[str]:
    """Break a text between words into lines of so many cells; into so many at most, and `…` says that more follows."""
    return wrap(text, max(LEAST_LINE, room), max_lines=most, placeholder=" …", break_on_hyphens=False)


def fitting(room: int, *texts: str) -> str:
    """The first of several ways to say something for which there is room; the last one is cut if it must be."""
    return next((text for text in texts if len(text) <= room), clip(texts[-1], room))


class Canvas:
    """Put text at cells. What lies outside is cut off, and `…` says so; strokes just end."""

    def __init__(self, width: int, height: int, ground: str = "ink") -> None:
        self.width = max(0, width)
        self.height = max(0, height)
        self._cells = [[" "] * self.width for _ in range(self.height)]
        self._inks = [[PAPER] * self.width for _ in range(self.height)]
        self._grounds = [[ground] * self.width for _ in range(self.height)]

    def put(self, x: int, y: int, text: str, ink: Ink = PAPER, room: int | None = None) -> None:
        """Write a text from a cell on, into so many cells. Characters that take no cell, or two, are shown as a dot."""
        if room is not None:
            text = clip(text, room)
        if x < 0:
            text, x = text[-x:], 0
        self._set(x, y, clip(text, self.width - x), ink)

    def _set(self, x: int, y: int, text: str, ink: Ink) -> None:
        if not 0 <= y < self.height:
            return
        if not text.isascii():
            text = one_cell_each(text)
        end = x + len(text)
        self._cells[y][x:end] = text
        self._inks[y][x:end] = [ink] * len(text)

    def put_right(self, x: int, y: int, text: str, ink: Ink = PAPER, room: int | None = None) -> None:
        """Write a text so that it ends before cell `x`, into so many cells."""
        text = clip(text, x if room is None else min(x, room))
        self.put(x - len(text), y, text, ink)

    def flow(self, x: int, y: int, pieces: Sequence[tuple[str, Ink]], end: int) -> None:
        """Write pieces one behind the other, up to cell `end`; the one that has no room any more is cut."""
        if sum(len(text) for text, _ in pieces) <= end - x:
            for text, ink in pieces:
                self._set(x, y, text, ink)
                x += len(text)
            return
        for place, (text, ink) in enumerate(pieces):
            rest = any(text.strip() for text, _ in pieces[place + 1 :])
            room = end - x
            whole = len(text) + (1 if rest and len(text) == room else 0) <= room
            self._set(x, y, text if whole else clip(text + " ", room), ink)
            if not whole:
                return
            x += len(text)

    def across(self, x: int, y: int, width: int, character: str, ink: Ink = HAIR) -> None:
        """Repeat a character along a row."""
        first, last = max(0, x), min(self.width, x + width)
        self._set(first, y, character * max(0, last - first), ink)

    def down(self, x: int, y: int, height: int, character: str, ink: Ink = HAIR) -> None:
        """Repeat a character down a column."""
        for row in range(y, y + height):
            self.across(x, row, 1, character, ink)

    def shade(self, x: int, y: int, width: int, height: int, ground: str) -> None:
        """Give a rectangle another ground."""
        first, last = max(0, x), min(self.width, x + width)
        for row in range(max(0, y), min(self.height, y + height)):
            self._grounds[row][first:last] = [ground] * max(0, last - first)

    def widened(self, width: int) -> Canvas:
        """The same on a wider canvas."""
        wide = Canvas(width, self.height)
        for y in range(self.height):
            wide._cells[y][: self.width] = self._cells[y]
            wide._inks[y][: self.width] = self._inks[y]
            wide._grounds[y][: self.width] = self._grounds[y]
        return wide

    def lay_row(self, y: int, other: Canvas, row: int = 0) -> None:
        """Take a row of another canvas, as wide as this one, for one of its own. Neither is drawn on later."""
        self._cells[y], self._inks[y], self._grounds[y] = other._cells[row], other._inks[row], other._grounds[row]

    def same_row(self, other: Canvas | None, y: int) -> bool:
        """Whether a row looks as in another canvas."""
        return (
            other is not None
            and y < other.height
            and self._cells[y] == other._cells[y]
            and self._inks[y] == other._inks[y]
            and self._grounds[y] == other._grounds[y]
        )

    def row(self, y: int) -> tuple[Run, ...]:
        """Give a row as runs of cells that are painted alike."""
        runs = []
        begin = 0
        cells, inks, grounds = self._cells[y], self._inks[y], self._grounds[y]
        for x in range(1, self.width + 1):
            if x == self.width or inks[x] is not inks[begin] or grounds[x] != grounds[begin]:
                runs.append(Run("".join(cells[begin:x]), inks[begin], grounds[begin]))
                begin = x
        return tuple(runs)

    def character(self, x: int, y: int) -> str:
        """What stands in a cell."""
        return self._cells[y][x]

    def text(self) -> str:
        """The characters alone."""
        return "\n".join("".join(row).rstrip() for row in self._cells)


class Dots:
    """A small picture of dots, two by four a cell, as braille."""

    BITS = ((0x01, 0x08), (0x02, 0x10), (0x04, 0x20), (0x40, 0x80))

    def __init__(self, columns: int, rows: int) -> None:
        self._cells = [[0] * columns for _ in range(rows)]
        self.width, self.height = 2 * columns, 4 * rows

    def set(self, x: float, y: float) -> None:
        """Set the dot at a place; what lies outside is left out."""
        column, row = round(x), round(y)
        if 0 <= column < self.width and 0 <= row < self.height:
            self._cells[row // 4][column // 2] |= self.BITS[row % 4][column % 2]

    def line(self, x0: float, y0: float, x1: float, y1: float) -> None:
        """Set the dots between two places."""
        steps = max(1, round(2 * max(abs(x1 - x0), abs(y1 - y0))))
        for step in range(steps + 1):
            share = step / steps
            self.set(x0 + (x1 - x0) * share, y0 + (y1 - y0) * share)

    def put_on(self, canvas: Canvas, x: int, y: int, ink: Ink, under: Dots | None = None) -> None:
        """Lay it on a canvas; cells without dots leave what is there. Dots of `under` shine through."""
        for row, cells in enumerate(self._cells):
            for column, bits in enumerate(cells):
                if bits:
                    below = under._cells[row][column] if under is not None else 0
                    canvas.across(x + column, y + row, 1, chr(0x2800 + (bits | below)), ink)
