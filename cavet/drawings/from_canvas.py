"""What is drawn in cells as a drawing for a file: texts stay texts, box lines become lines."""

from __future__ import annotations

from collections.abc import Iterator

from cavet.drawings.canvas import Canvas, Ink
from cavet.drawings.vector import CHARACTER, Drawing, Shape, Stroke, Words

SIZE = 14.0
CELL = CHARACTER * SIZE
ROW = 19.0
MARGIN = 12.0
ARMS = {"─": "lr", "│": "ud", "└": "ur", "┘": "ul", "┌": "dr", "┐": "dl", "├": "udr", "┤": "udl", "╴": "l", "╶": "r"}
"""The box characters, by where their lines go."""


def canvas_drawing(canvas: Canvas, title: str, description: str) -> Drawing:
    """The drawing of a canvas."""
    return Drawing(
        width=round(canvas.width * CELL + 2 * MARGIN), height=round(canvas.height * ROW + 2 * MARGIN),
        title=title, description=description, shapes=tuple(_shapes(canvas)),
    )  # fmt: skip


def _shapes(canvas: Canvas) -> Iterator[Shape]:
    for y in range(canvas.height):
        x = 0
        for run in canvas.row(y):
            yield from _run_shapes(run.text, run.ink, x, y)
            x += len(run.text)


def _run_shapes(text: str, ink: Ink, x: int, y: int) -> Iterator[Shape]:
    """The words of a run each at its place, and its lines; neighbouring level strokes become one."""
    begin = None
    stroke_from: int | None = None
    for place, character in enumerate(f"{text} "):
        is_line = character in ARMS
        if is_line or (character == " " and text[place + 1 : place + 2] in ("", " ", *ARMS)):
            if begin is not None:
                yield _words(text[begin:place].rstrip(), ink, x + begin, y)
                begin = None
        elif begin is None and character != " ":
            begin = place
        if is_line:
            arms = ARMS[character]
            if "u" in arms or "d" in arms:
                yield _vertical(arms, ink, x + place, y)
            if ("l" in arms or "r" in arms) and stroke_from is None:
                stroke_from = place
            continue
        if stroke_from is not None:
            yield from _level(text, ink, stroke_from, place, x, y)
            stroke_from = None


def _words(text: str, ink: Ink, x: int, y: int) -> Words:
    return Words(MARGIN + x * CELL, MARGIN + y * ROW + 0.75 * ROW, text, ink.role, SIZE, ink.bold)


def _vertical(arms: str, ink: Ink, x: int, y: int) -> Stroke:
    middle = MARGIN + (x + 0.5) * CELL
    top = MARGIN + (y if "u" in arms else y + 0.5) * ROW
    bottom = MARGIN + (y + 1 if "d" in arms else y + 0.5) * ROW
    return Stroke(((middle, top), (middle, bottom)), ink.role)


def _level(text: str, ink: Ink, first: int, last: int, x: int, y: int) -> Iterator[Stroke]:
    """Level lines between two places: one for each run that hangs together."""
    begin: float | None = None
    for place in range(first, last):
        arms = ARMS[text[place]]
        if "l" in arms or "r" in arms:
            left = place if "l" in arms else place + 0.5
            right = place + 1 if "r" in arms else place + 0.5
            if begin is None:
                begin = left
            if "r" not in arms:
                yield _stroke(begin, right, ink, x, y)
                begin = None
        elif begin is not None:
            yield _stroke(begin, place, ink, x, y)
            begin = None
    if begin is not None:
        yield _stroke(begin, last, ink, x, y)


def _stroke(first: float, last: float, ink: Ink, x: int, y: int) -> Stroke:
    at = MARGIN + (y + 0.5) * ROW
    return Stroke(((MARGIN + (x + first) * CELL, at), (MARGIN + (x + last) * CELL, at)), ink.role)
