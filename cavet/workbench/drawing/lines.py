"""The line at the top, which says where one is and what is wrong; and the one at the foot, which says what keys do."""

from __future__ import annotations

import msgspec

from cavet.drawings.canvas import ASKED, CORAL, GOT, HEATHER, PAPER, QUIET, Canvas, Ink, Run, clip, fitting
from cavet.wording import counted


class TopView(msgspec.Struct, frozen=True, kw_only=True):
    """What the top line says."""

    bench: str
    screen: str
    screens: tuple[str, ...]
    """The names of all that there are."""
    clock: str
    speed: str
    boards: str
    boards_are_here: bool
    defects: int = 0
    broken: int = 0
    not_recorded: bool = False


def draw_top(view: TopView, width: int) -> Canvas:
    """Draw the top line. What is wrong, and how many boards are there, is the last to be left out."""
    canvas = Canvas(width, 1, "raised")
    canvas.put(1, 0, _bench_name(view, width), PAPER._replace(bold=True))
    left, x = 0, width - 1
    for name, begin, end in name_places(view, width):
        here = name == view.screen
        canvas.put(begin, 0, f" {name} ", PAPER._replace(bold=True) if here else QUIET)
        if here:
            canvas.shade(begin, 0, end - begin, 1, "lifted")
        left = end
    for text, ink, _ in _right_hand(view):
        if x - len(text) <= left:
            break
        canvas.put_right(x, 0, text, ink)
        x -= len(text) + 3
    return canvas


def _bench_name(view: TopView, width: int) -> str:
    urgent = next(iter(_right_hand(view))).text
    return clip(view.bench, max(4, min(width // 3, width - len(view.screen) - len(urgent) - 8)))


def name_places(view: TopView, width: int) -> list[tuple[str, int, int]]:
    """The screens' names that stand in the top line, each with its first column and the one behind it: all of them
    where there is room, else the one that is shown."""
    begin = len(_bench_name(view, width)) + 3
    urgent = next(iter(_right_hand(view))).text
    room = width - begin - len(urgent) - 3
    names = view.screens if sum(len(name) + 2 for name in view.screens) <= room else (view.screen,)
    places = []
    for name in names:
        places.append((name, begin, begin + len(name) + 2))
        begin += len(name) + 2
    return places


def _right_hand(view: TopView) -> list[Run]:
    words: list[Run] = []
    if view.broken:
        words.append(Run(f"{view.broken} broken", CORAL._replace(bold=True)))
    if view.not_recorded:
        words.append(Run("not recorded", CORAL))
    words.append(Run(view.boards, GOT if view.boards_are_here else CORAL))
    if view.defects:
        words.append(Run(f"{counted(view.defects, 'defect')} on", PAPER))
    words.append(Run(view.clock, HEATHER))
    if view.speed:
        words.append(Run(view.speed, QUIET))
    return words


def draw_foot(
    keys: tuple[tuple[str, str], ...], rest: tuple[str, str] | None, width: int, message: str = "", ink: Ink = CORAL
) -> Canvas:
    """Draw the foot line: the keys that matter here, and at the right the one that sends all to rest, where anything
    runs.

    Where it is tight, the last two keys stay to the last: help, and the list of all actions.
    """
    canvas = Canvas(width, 1, "raised")
    end = width
    if rest is not None:
        needed = sum(_size(*each) for each in keys[-KEPT:])
        last = fitting(max(4, width - needed - len(rest[0]) - 4), rest[1], "all to rest", "rest")
        end = width - len(rest[0]) - len(last) - 3
        canvas.put(end + 1, 0, rest[0], CORAL._replace(bold=True))
        canvas.put(width - len(last) - 1, 0, last, PAPER)
    if message:
        canvas.put(1, 0, message, ink, end - 2)
        return canvas
    x = 1
    for key, does in _with_room(keys, end - 1):
        canvas.put(x, 0, key, ASKED)
        canvas.put(x + len(key) + 1, 0, does, QUIET)
        x += _size(key, does)
    return canvas


KEPT = 2
"""So many of the last keys are left out last."""


def _with_room(keys: tuple[tuple[str, str], ...], room: int) -> list[tuple[str, str]]:
    """The keys for which there is room, in their order."""
    kept: list[tuple[str, str]] = []
    for key, does in keys[-KEPT:]:
        if sum(_size(*each) for each in kept) + _size(key, does) - GAP <= room:
            kept.append((key, does))
    first: list[tuple[str, str]] = []
    for key, does in keys[:-KEPT]:
        if sum(_size(*each) for each in (*first, *kept)) + _size(key, does) - GAP > room:
            break
        first.append((key, does))
    return first + kept


GAP = 2


def _size(key: str, does: str) -> int:
    """The cells that a key takes, with the gap behind it."""
    return len(key) + 1 + len(does) + GAP


def draw_too_small(width: int, height: int, least: tuple[int, int]) -> Canvas:
    """One line in the place of everything."""
    canvas = Canvas(width, height)
    columns, rows = least
    needs = f"needs {columns} × {rows} cells"
    texts = (f"Cavet {needs}; this window has {width} × {height}", f"Cavet {needs}", needs, "too small")
    canvas.put(0, 0, fitting(width, *texts))
    return canvas
