"""Say it: the messages, the sentence with its blanks, and below all what was said by hand."""

from __future__ import annotations

import textwrap

import msgspec

from cavet.drawings.canvas import ASKED, CORAL, GOT, HAIR, HEATHER, PAPER, QUIET, Canvas, Ink, clip
from cavet.workbench.typed import Typed

LEAST_LIST = 5
TOP = 2
"""Rows above the messages."""
BOLD = PAPER._replace(bold=True)


class BlankView(msgspec.Struct, frozen=True):
    """A blank, or a text between two: `field` is "" for a text."""

    text: str
    field: str = ""
    chosen: bool = False
    wrong: bool = False
    empty: bool = False
    means: str = ""


class SayView(msgspec.Struct, frozen=True, kw_only=True):
    """What the panel shows."""

    to: str
    names: tuple[tuple[str, str], ...]
    chosen: int
    choosing: bool
    pieces: tuple[BlankView, ...]
    help: tuple[str, ...]
    wrong: str
    bytes: str
    keys: tuple[tuple[str, str], ...]
    focused: bool
    refused: str = ""
    """Why nothing can be said here."""
    ways: tuple[str, ...] = ()
    """The ways to say it wrong, while one is chosen; `way` is the one under the cursor."""
    way: int = 0


def draw_say(view: SayView, width: int, height: int) -> Canvas:
    """Draw the panel."""
    canvas = Canvas(width, height)
    canvas.flow(1, 0, [("say it", BOLD if view.focused else PAPER), (f"  to {view.to}", QUIET)], width)
    if view.refused:
        for row, line in enumerate(textwrap.wrap(view.refused, max(8, width - 3))):
            canvas.put(1, 2 + row, line, QUIET)
        return canvas
    lower = _lower(view, width)
    y = _draw_names(canvas, view, _names_shown(view, height, lower.height))
    for row in range(lower.height):
        if y + 1 + row < height:
            canvas.lay_row(y + 1 + row, lower, row)
    return canvas


def _names_shown(view: SayView, height: int, lower: int) -> range:
    """The messages around the chosen one for which there is room."""
    room = min(max(LEAST_LIST, height - 3 - lower), len(view.names))
    shown = room - (1 if len(view.names) > room else 0)
    first = min(max(0, view.chosen - shown // 2), max(0, len(view.names) - shown))
    return range(first, first + shown)


def name_under(view: SayView, width: int, height: int, y: int) -> int | None:
    """The message that a row of the panel is; `None` where there is none."""
    shown = _names_shown(view, height, _lower(view, width).height)
    return shown[y - TOP] if not view.refused and 0 <= y - TOP < len(shown) else None


def _draw_names(canvas: Canvas, view: SayView, places: range) -> int:
    """The messages; how many more there are."""
    top, first, shown = TOP, places.start, len(places)
    more = len(view.names) - shown
    for row, (name, code) in enumerate(view.names[first : first + shown]):
        here = first + row == view.chosen
        if here:
            canvas.shade(0, top + row, canvas.width, 1, "raised")
            canvas.put(0, top + row, "▸", ASKED if view.choosing and view.focused else QUIET)
        canvas.put(2, top + row, name, BOLD if here else QUIET, canvas.width - 8)
        canvas.put_right(canvas.width - 1, top + row, code, QUIET)
    y = top + min(shown, len(view.names))
    if more > 0:
        canvas.put(2, y, f"… {len(view.names) - shown} more", HAIR._replace(role="quiet", share=0.6))
        y += 1
    return y


def _lower(view: SayView, width: int) -> Canvas:
    """The sentence, what its blank can be, the bytes, the keys."""
    lines = _sentence(view, width)
    rows: list[list[tuple[str, Ink, str]]] = [*lines, []]
    if view.ways:
        rows.append([("say it wrong:", PAPER, "ink")])
        for place, way in enumerate(view.ways):
            here = place == view.way
            rows.append([("▸ " if here else "  ", ASKED, "ink"), (way, BOLD if here else QUIET, "ink")])
    else:
        for text in view.help:
            rows += [[(line, QUIET, "ink")] for line in textwrap.wrap(text, max(8, width - 3))[:2]]
        if view.wrong:
            rows += [[(line, CORAL, "ink")] for line in textwrap.wrap(f"✕ {view.wrong}", max(8, width - 3))[:3]]
        rows.append([])
        rows += [[(line, ASKED, "ink")] for line in textwrap.wrap(view.bytes, max(8, width - 3))[:3]]
    rows.append([])
    for key, does in view.keys:
        rows.append([(f"{key} ", ASKED, "ink"), (does, QUIET, "ink")])
    canvas = Canvas(width, len(rows))
    for y, row in enumerate(rows):
        x = 1
        for text, ink, ground in row:
            canvas.put(x, y, text, ink, width - x)
            if ground != "ink":
                canvas.shade(x, y, len(text), 1, ground)
            x += len(text)
    return canvas


def _sentence(view: SayView, width: int) -> list[list[tuple[str, Ink, str]]]:
    """The sentence in lines; a blank is never broken, and what it means stands behind it."""
    lines: list[list[tuple[str, Ink, str]]] = [[]]
    x = 1
    for piece in view.pieces:
        for text, ink, ground in _words(piece, active=view.focused and not view.choosing):
            if x + len(text.rstrip()) > width - 1 and x > 1:
                lines.append([])
                x, text = 1, text.lstrip()
            lines[-1].append((text, ink, ground))
            x += len(text)
    return lines


def _words(piece: BlankView, *, active: bool) -> list[tuple[str, Ink, str]]:
    if not piece.field:
        return [(word, PAPER, "ink") for word in _kept_words(piece.text)]
    text = piece.text or ("___" if piece.empty else " ")
    here = piece.chosen and active
    ink = CORAL if piece.wrong else Ink("ink", bold=True) if here else ASKED
    words = [(f" {text} ", ink, "asked" if here and not piece.wrong else "raised" if not here else "lifted")]
    if piece.means:
        words += [(word, QUIET, "ink") for word in _kept_words(f" {piece.means} ")]
    return words


def _kept_words(text: str) -> list[str]:
    """Words with the space behind each."""
    out: list[str] = []
    for word in text.split(" "):
        out.append(f"{word} ")
    if out:
        out[-1] = out[-1][:-1]
    return [word for word in out if word]


class SaidView(msgspec.Struct, frozen=True):
    """One that was said by hand."""

    t: str
    text: str
    answer: str
    delay: str
    note: str
    is_bad: bool
    waiting: bool


def draw_said(
    views: tuple[SaidView, ...], chosen: int | None, width: int, height: int, empty: str = "nothing yet"
) -> Canvas:
    """Draw what was said by hand, newest first; or that there is nothing of it."""
    canvas = Canvas(width, height)
    canvas.put(1, 0, "said by hand", QUIET)
    left = 16 if width >= 96 else 14
    if not views:
        canvas.put(left, 0, empty, QUIET)
    wide = width >= 120
    columns = (left, left + 12, left + 12 + (42 if wide else 30))
    behind = columns[2] + (28 if wide else 20)
    for y, view in enumerate(views[:height]):
        here = y == chosen
        canvas.put(columns[0], y, view.t, HEATHER)
        text_room = columns[2] - columns[1] - 1
        canvas.put(columns[1], y, f"◇ {view.text}", ASKED if here or y == 0 else QUIET, text_room)
        glyph, ink = ("✕ ", CORAL) if view.is_bad else ("◌ ", QUIET) if view.waiting else ("◆ ", GOT)
        canvas.put(columns[2], y, glyph + view.answer, ink, behind - columns[2] - 1)
        canvas.put(behind, y, view.delay, HEATHER)
        canvas.put(behind + 9, y, view.note, QUIET, max(0, width - behind - 10))
    return canvas


EQUALS, MOST_ASKED = "  =  ", 24
"""What stands between a sum and what came out; and so much of the sum is shown in any case."""


def draw_slate(
    before: str, entry: Typed | None, lines: tuple[tuple[str, str, bool], ...], width: int, height: int
) -> Canvas:
    """Draw the slate: what is typed, with what it is typed for before it, and below it what came out before."""
    canvas = Canvas(width, height)
    canvas.put(1, 0, "slate", QUIET)
    left = 16 if width >= 96 else 14
    y = 0
    if entry is not None:
        canvas.put(left, 0, f"{before}{entry.shown(width - left - len(before))}", ASKED, width - left)
        y = 1
    elif not lines:
        canvas.put(
            left, 0, "a sum of the trade: / number, check, scale, words, mask, pulse, baud …", QUIET, width - left
        )
    for asked, found, is_bad in lines[: max(0, height - y)]:
        room = max(MOST_ASKED, width - left - len(EQUALS) - len(found) - 1)  # what came out is seen, too
        pieces = [(clip(asked, room), PAPER), (EQUALS, QUIET), (found, CORAL if is_bad else BOLD)]
        canvas.flow(left, y, pieces, width - 1)
        y += 1
    return canvas
