"""Parts, each drawn as it stands in a few cells, so that one sees it move; and as one glyph where it is tight."""

from __future__ import annotations

import math
from collections.abc import Callable

import msgspec

from cavet.workbench.drawing.canvas import CORAL, GOT, HEATHER, QUIET, Canvas, Dots, Ink

WIDTH = 8
"""The width of a part's picture."""


class PartView(msgspec.Struct, frozen=True, kw_only=True):
    """A part as it is to be shown. `fraction` is 0 to 1, or −1 to 1; `turn` is how far a motor has turned."""

    name: str
    kind: str
    tells: str
    fraction: float = 0.0
    senses: bool = False
    pins: tuple[int, ...] = ()
    turn: float = 0.0
    fault: bool = False


def draw_part(canvas: Canvas, x: int, y: int, rows: int, view: PartView) -> None:
    """Draw a part in `WIDTH` cells and one or two rows."""
    if rows < 2:
        canvas.put(x, y, glyph(view), ink(view))
        return
    PICTURES.get(view.kind, _plain)(canvas, x, y, view)


def ink(view: PartView) -> Ink:
    """The ink that tells whether it does something."""
    if view.fault:
        return CORAL
    colour = HEATHER if view.senses else GOT
    return colour if view.fraction else QUIET


def glyph(view: PartView) -> str:
    """One character for it."""
    on, off = GLYPHS.get(view.kind, ("●", "○"))
    if view.kind == "servo":
        return "╲│╱"[min(2, int(3 * min(0.999, max(0.0, 1 - view.fraction))))]
    return on if view.fraction else off


GLYPHS = {
    "lamp": ("◉", "○"),
    "horn": ("◖", "·"),
    "motor": ("◍", "◌"),
    "button": ("◼", "◻"),
    "limit": ("◼", "◻"),
    "gauge": ("◭", "◭"),
    "lever": ("◮", "◮"),
}


def _plain(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    canvas.put(x + 3, y, glyph(view), ink(view))


def _lamp(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A round glass that fills with light; rays when it is bright."""
    glow = round(view.fraction * 8) / 8
    body = Ink("got", share=0.12 + 0.88 * glow) if view.fraction else Ink("hair")
    canvas.put(x + 2, y, "▗██▖" if view.fraction else "▗▄▄▖", body)
    canvas.put(x + 2, y + 1, "▝██▘" if view.fraction else "▝▀▀▘", body)
    if view.fraction > 0.6:
        ray = Ink("got", share=glow)
        canvas.put(x, y, "╲", ray)
        canvas.put(x + 7, y, "╱", ray)
        canvas.put(x, y + 1, "╱", ray)
        canvas.put(x + 7, y + 1, "╲", ray)


def _servo(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A half dial and its arm. The arm swings from the left, at 0, over the top to the right."""
    dial = Dots(WIDTH, 2)
    for step in range(25):
        angle = math.pi * step / 24
        dial.set(7.5 + 7.5 * math.cos(angle), 7 - 7 * math.sin(angle))
    dial.put_on(canvas, x, y, Ink("hair"))
    arm = Dots(WIDTH, 2)
    angle = math.pi * (1 - view.fraction)
    arm.line(7.5, 7, 7.5 + 7 * math.cos(angle), 7 - 6.5 * math.sin(angle))
    arm.line(6.5, 7, 8.5, 7)
    arm.put_on(canvas, x, y, CORAL if view.fault else GOT)


def _motor(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A wheel with two spokes, and arrows in the direction that it turns."""
    wheel = Dots(4, 2)
    for step in range(24):
        angle = math.tau * step / 24
        wheel.set(3.5 + 3.5 * math.cos(angle), 3.5 + 3.5 * math.sin(angle))
    wheel.put_on(canvas, x + 2, y, Ink("hair") if not view.fraction and not view.fault else ink(view))
    spoke = Dots(4, 2)
    angle = math.tau * view.turn
    spoke.line(3.5 - 3 * math.cos(angle), 3.5 - 3 * math.sin(angle), 3.5 + 3 * math.cos(angle), 3.5 + 3 * math.sin(angle))
    spoke.put_on(canvas, x + 2, y, ink(view))
    if view.fault:
        canvas.put(x + 7, y, "✕", CORAL)
    elif view.fraction > 0:
        canvas.put(x + 7, y, "▸", GOT)
    elif view.fraction < 0:
        canvas.put(x, y, "◂", GOT)


def _horn(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A bell mouth, with waves before it while it sounds."""
    body = ink(view)
    canvas.put(x + 1, y, "▗▟", body)
    canvas.put(x + 1, y + 1, "▝▜", body)
    if view.fraction:
        canvas.put(x + 3, y, "╲ ╲ ╲", Ink("got", share=0.8))
        canvas.put(x + 3, y + 1, "╱ ╱ ╱", Ink("got", share=0.8))


def _contact(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A contact as circuits draw it: a blade between two poles."""
    canvas.put(x, y + 1, "──╴", QUIET)
    canvas.put(x + 5, y + 1, "╶──", QUIET)
    if view.fraction:
        canvas.put(x + 2, y + 1, "━━━━", HEATHER)
        if view.kind == "button":
            canvas.put(x + 3, y, "▁▁", HEATHER)
    else:
        canvas.put(x + 3, y, "▁╱" if view.kind == "limit" else "▔▔", Ink("heather", share=0.8))
        canvas.put(x + 2, y + 1, "╱" if view.kind == "limit" else "╴", QUIET)


def _gauge(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A column that is as full as what it measures."""
    filled = view.fraction * WIDTH
    whole = int(filled)
    canvas.across(x, y + 1, WIDTH, "▁", Ink("hair"))
    canvas.across(x, y, whole, "▄", HEATHER)
    canvas.across(x, y + 1, whole, "▀", HEATHER)
    if filled - whole >= 0.5:
        canvas.put(x + whole, y, "▖", HEATHER)
        canvas.put(x + whole, y + 1, "▘", HEATHER)


def _lever(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A stick that leans to one side or the other of its pivot."""
    stick = Dots(WIDTH, 2)
    lean = 1.1 * view.fraction
    stick.line(7.5, 7, 7.5 + 6.5 * math.sin(lean), 7 - 6.5 * math.cos(lean))
    for place in (5, 6, 7, 8, 9, 10):
        stick.set(place, 7)
    stick.put_on(canvas, x, y, HEATHER)


PICTURES: dict[str, Callable[[Canvas, int, int, PartView], None]] = {
    "lamp": _lamp,
    "servo": _servo,
    "motor": _motor,
    "horn": _horn,
    "button": _contact,
    "limit": _contact,
    "gauge": _gauge,
    "lever": _lever,
}
