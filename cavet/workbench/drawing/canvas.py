"""A grid of character cells, each with the role that gives it its colour."""

from __future__ import annotations

from typing import NamedTuple

from rich.cells import cell_len


class Ink(NamedTuple):
    """How a cell is painted: by roles, never by colours. `share` blends the role with the ground, 1 is all of it."""

    role: str = "paper"
    bold: bool = False
    ground: str = "ink"
    share: float = 1.0


PAPER = Ink()
QUIET = Ink("quiet")
HAIR = Ink("hair")
ASKED = Ink("asked")
GOT = Ink("got")
CORAL = Ink("coral")
HEATHER = Ink("heather")
WATER = Ink("water")

Run = tuple[str, Ink]


class Canvas:
    """Put text at cells; what lies outside is cut off."""

    def __init__(self, width: int, height: int, ground: str = "ink") -> None:
        self.width = max(0, width)
        self.height = max(0, height)
        blank = Ink(ground=ground)
        self._cells = [[" "] * self.width for _ in range(self.height)]
        self._inks = [[blank] * self.width for _ in range(self.height)]

    def put(self, x: int, y: int, text: str, ink: Ink = PAPER) -> None:
        """Write a text from a cell on. Characters that take no cell, or two, are shown as one dot."""
        if not 0 <= y < self.height:
            return
        cells, inks = self._cells[y], self._inks[y]
        for character in text:
            if 0 <= x < self.width:
                cells[x] = character if character.isascii() or cell_len(character) == 1 else "·"
                ground = inks[x].ground if ink.ground == "ink" else ink.ground
                inks[x] = ink._replace(ground=ground)
            x += 1

    def put_right(self, x: int, y: int, text: str, ink: Ink = PAPER) -> None:
        """Write a text so that it ends before cell `x`."""
        self.put(x - len(text), y, text, ink)

    def across(self, x: int, y: int, width: int, character: str, ink: Ink = HAIR) -> None:
        """Repeat a character along a row."""
        self.put(x, y, character * max(0, width), ink)

    def down(self, x: int, y: int, height: int, character: str, ink: Ink = HAIR) -> None:
        """Repeat a character down a column."""
        for row in range(y, y + height):
            self.put(x, row, character, ink)

    def shade(self, x: int, y: int, width: int, height: int, ground: str) -> None:
        """Give a rectangle another ground."""
        for row in range(max(0, y), min(self.height, y + height)):
            inks = self._inks[row]
            for place in range(max(0, x), min(self.width, x + width)):
                inks[place] = inks[place]._replace(ground=ground)

    def paste(self, x: int, y: int, other: Canvas) -> None:
        """Lay another canvas over this one."""
        for row in range(other.height):
            if 0 <= y + row < self.height:
                for place in range(other.width):
                    if 0 <= x + place < self.width:
                        self._cells[y + row][x + place] = other._cells[row][place]
                        self._inks[y + row][x + place] = other._inks[row][place]

    def row(self, y: int) -> tuple[Run, ...]:
        """Give a row as runs of equal ink."""
        runs: list[Run] = []
        begin = 0
        cells, inks = self._cells[y], self._inks[y]
        for x in range(1, self.width + 1):
            if x == self.width or inks[x] != inks[begin]:
                runs.append(("".join(cells[begin:x]), inks[begin]))
                begin = x
        return tuple(runs)

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

    def put_on(self, canvas: Canvas, x: int, y: int, ink: Ink) -> None:
        """Lay it on a canvas; cells without dots leave what is there."""
        for row, cells in enumerate(self._cells):
            for column, bits in enumerate(cells):
                if bits:
                    canvas.put(x + column, y + row, chr(0x2800 + bits), ink)
