"""The line at the top, which says where one is and what is wrong; and the one at the foot, which says what keys do."""

from __future__ import annotations

import msgspec

from cavet.workbench.drawing.canvas import ASKED, CORAL, GOT, HEATHER, PAPER, QUIET, Canvas, Run


class TopView(msgspec.Struct, frozen=True, kw_only=True):
    """What the top line says."""

    bench: str
    screen: str
    clock: str
    speed: str
    boards: str
    boards_are_here: bool
    defects: int = 0
    broken: int = 0


def draw_top(view: TopView, width: int) -> Canvas:
    """Draw the top line."""
    canvas = Canvas(width, 1, "raised")
    canvas.put(1, 0, view.bench[: width // 3], PAPER._replace(bold=True))
    x = min(len(view.bench), width // 3) + 3
    canvas.put(x, 0, f" {view.screen} ", PAPER._replace(bold=True))
    canvas.shade(x, 0, len(view.screen) + 2, 1, "lifted")
    x = width - 1
    for text, ink, _ in _right_hand(view):
        if x - len(text) < len(view.bench) + len(view.screen) + 8:
            break
        canvas.put_right(x, 0, text, ink)
        x -= len(text) + 3
    return canvas


def _right_hand(view: TopView) -> list[Run]:
    words: list[Run] = []
    if view.broken:
        words.append(Run(f"{view.broken} broken", CORAL._replace(bold=True)))
    words.append(Run(view.boards, GOT if view.boards_are_here else CORAL))
    if view.defects:
        words.append(Run(f"{view.defects} {'defect' if view.defects == 1 else 'defects'} on", PAPER))
    words.append(Run(view.clock, HEATHER))
    if view.speed:
        words.append(Run(view.speed, QUIET))
    return words


def draw_foot(keys: tuple[tuple[str, str], ...], rest: tuple[str, str], width: int, message: str = "") -> Canvas:
    """Draw the foot line: the keys that matter here, and at the right the one that sends all to rest."""
    canvas = Canvas(width, 1, "raised")
    last = f"{rest[0]} {rest[1]}"
    end = width - len(last) - 2
    canvas.put(width - len(last) - 1, 0, rest[0], CORAL._replace(bold=True))
    canvas.put(width - len(rest[1]) - 1, 0, rest[1], PAPER)
    if message:
        canvas.put(1, 0, message[: max(0, end - 2)], CORAL)
        return canvas
    x = 1
    for key, does in keys:
        size = len(key) + 1 + len(does)
        if x + size > end:
            break
        canvas.put(x, 0, key, ASKED)
        canvas.put(x + len(key) + 1, 0, does, QUIET)
        x += size + 2
    return canvas
