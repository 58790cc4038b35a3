"""Parts, each drawn as it stands in a few cells, so that one sees it move; and as one glyph where it is tight."""

from __future__ import annotations

import math
from collections.abc import Callable
from itertools import pairwise

import msgspec

from cavet.drawings.canvas import CORAL, GOT, HAIR, HEATHER, QUIET, Canvas, Dots, Ink, clip

WIDTH = 8
"""The width of a part's picture. What is round leaves its lowest row of dots free, to stay apart from the next one."""


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
    columns: int = 0
    """For what shows a text: how many characters it has room for."""
    colour: str = ""
    """For what shines in a colour: that, `#rrggbb`."""


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
    if view.colour and view.fraction:
        return Ink(view.colour)
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
    "relay": ("◼", "◻"),
    "valve": ("◆", "◇"),
    "heater": ("▲", "△"),
    "pump": ("◍", "◌"),
    "overload": ("✕", "·"),
    "door": ("◨", "◧"),
    "supply": ("◕", "○"),
    "bell": ("◓", "◠"),
    "buzzer": ("♪", "·"),
    "sign": ("▣", "□"),
    "stepper": ("◎", "◌"),
    "encoder": ("◔", "◌"),
    "onewire": ("◈", "◇"),
    "serial": ("◫", "◫"),
    "jumper": ("◠", "◡"),
    "colour-lamp": ("●", "○"),
}


def _plain(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    canvas.put(x + 3, y, glyph(view), ink(view))


def _lamp(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A round glass that fills with light; rays when it is bright."""
    glow = round(view.fraction * 16) / 16
    glass = Dots(4, 2)
    for step in range(32):
        angle = math.tau * step / 32
        glass.set(3.5 + 3.5 * math.cos(angle), 3.0 + 3.0 * math.sin(angle))
    if glow:
        for column in range(8):
            for row in range(7):
                if math.hypot(column - 3.5, (row - 3.0) * 3.5 / 3.0) <= 3.7:
                    glass.set(column, row)
    glass.put_on(canvas, x + 2, y, Ink("got", share=0.25 + 0.75 * glow) if glow else HAIR)
    if glow > 0.5:
        rays = Dots(WIDTH, 2)
        for step in (0, 4):
            for away in (5.6, 7.0):
                angle = math.pi * step / 4
                rays.set(7.5 + away * math.cos(angle), 3.0 + 0.5 * away * math.sin(angle))
        rays.put_on(canvas, x, y, Ink("got", share=glow))


def _servo(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A half dial and its arm. The arm swings from the left, at 0, over the top to the right."""
    dial = Dots(WIDTH, 2)
    for step in range(25):
        angle = math.pi * step / 24
        dial.set(7.5 + 7 * math.cos(angle), 6 - 6 * math.sin(angle))
    dial.put_on(canvas, x, y, HAIR)
    arm = Dots(WIDTH, 2)
    angle = math.pi * (1 - view.fraction)
    arm.line(7.5, 6, 7.5 + 6.5 * math.cos(angle), 6 - 5.5 * math.sin(angle))
    arm.line(6.5, 6, 8.5, 6)
    arm.put_on(canvas, x, y, CORAL if view.fault else GOT, under=dial)


def _motor(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A wheel with two spokes, and arrows in the direction that it turns."""
    wheel = Dots(4, 2)
    for step in range(24):
        angle = math.tau * step / 24
        wheel.set(3.5 + 3.5 * math.cos(angle), 3.0 + 3.0 * math.sin(angle))
    wheel.put_on(canvas, x + 2, y, HAIR if not view.fraction and not view.fault else ink(view))
    spoke = Dots(4, 2)
    angle = math.tau * view.turn
    spoke.line(
        3.5 - 3 * math.cos(angle), 3 - 2.5 * math.sin(angle), 3.5 + 3 * math.cos(angle), 3 + 2.5 * math.sin(angle)
    )
    spoke.put_on(canvas, x + 2, y, ink(view), under=wheel)
    if view.fault:
        canvas.put(x + 7, y, "✕", CORAL)
    elif view.fraction > 0:
        canvas.put(x + 7, y, "▸", GOT)
    elif view.fraction < 0:
        canvas.put(x, y, "◂", GOT)


def _horn(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A bell mouth, with waves before it while it sounds."""
    bell = Dots(3, 2)
    for column, (low, high) in enumerate(((3, 4), (3, 4), (2, 5), (1, 6), (0, 7))):
        bell.line(column, low, column, high)
    bell.put_on(canvas, x + 1, y, ink(view))
    if view.fraction:
        waves = Dots(4, 2)
        for number in range(3):
            for row in range(8):
                waves.set(2.5 * number + 1.2 * math.sin(math.pi * (row + 0.5) / 8), row)
        waves.put_on(canvas, x + 4, y, GOT)


def _contact(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A contact as circuits draw it: a blade between two poles, shut or lifted."""
    poles = Dots(WIDTH, 2)
    poles.line(0, 5, 4, 5)
    poles.line(11, 5, 15, 5)
    poles.put_on(canvas, x, y, QUIET)
    blade = Dots(WIDTH, 2)
    if view.fraction:
        blade.line(0, 5, 15, 5)
    elif view.kind == "button":
        blade.line(3, 2, 12, 2)
    else:
        blade.line(4, 5, 11, 1)
    if view.kind == "button":
        top = 4 if view.fraction else 1
        blade.line(7, top - 1, 8, top - 1)
    blade.put_on(canvas, x, y, HEATHER, under=poles)


def _gauge(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A column lying on its side, as full as what it measures."""
    frame = Dots(WIDTH, 2)
    for row in (1, 5):
        frame.line(0, row, 15, row)
    frame.put_on(canvas, x, y, HAIR)
    filled = Dots(WIDTH, 2)
    for column in range(round(16 * view.fraction)):
        filled.line(column, 1, column, 5)
    filled.put_on(canvas, x, y, HEATHER)


def _lever(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A stick that leans to one side or the other of its pivot."""
    stick = Dots(WIDTH, 2)
    lean = 1.1 * view.fraction
    stick.line(7.5, 7, 7.5 + 6.5 * math.sin(lean), 7 - 6.5 * math.cos(lean))
    for place in (5, 6, 7, 8, 9, 10):
        stick.set(place, 7)
    stick.put_on(canvas, x, y, HEATHER)


def _relay(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A contact that a coil pulls shut."""
    poles = Dots(WIDTH, 2)
    poles.line(0, 5, 4, 5)
    poles.line(11, 5, 15, 5)
    poles.put_on(canvas, x, y, GOT if view.fraction else QUIET)
    blade = Dots(WIDTH, 2)
    blade.line(4, 5, 11, 5 if view.fraction else 1)
    blade.put_on(canvas, x, y, GOT if view.fraction else QUIET, under=poles)


def _valve(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A pipe with a gate in it, lifted as far as the valve is open; water runs where it can."""
    pipe = Dots(WIDTH, 2)
    pipe.line(0, 1, 15, 1)
    pipe.line(0, 7, 15, 7)
    pipe.put_on(canvas, x, y, HAIR)
    gate = Dots(WIDTH, 2)
    lift = round(5 * view.fraction)
    for column in (7, 8):
        gate.line(column, 1 - 1, column, 6 - lift)
    gate.put_on(canvas, x, y, QUIET if not view.fraction else GOT, under=pipe)
    if view.fraction:
        flow = Dots(WIDTH, 2)
        for row in range(7 - lift, 7):
            for column in range(row % 2, 16, 3):
                flow.set(column, row)
        flow.put_on(canvas, x, y, GOT, under=gate)


def _heater(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A wire bent to and fro; warmth rises from it while it heats."""
    wire = Dots(WIDTH, 2)
    for column in range(0, 14, 4):
        wire.line(column, 7, column + 2, 4)
        wire.line(column + 2, 4, column + 4, 7)
    wire.put_on(canvas, x, y, ink(view))
    if view.fraction:
        warmth = Dots(WIDTH, 2)
        for column in (3, 7, 11):
            for row, lean in ((0, 1), (1, 0), (2, 0), (3, 1)):
                warmth.set(column + lean, row)
        warmth.put_on(canvas, x, y, GOT, under=wire)


def _pump(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A wheel in a pipe, turning, with an arrow where the water goes."""
    _motor(canvas, x, y, view)
    for place in (0, 7) if not view.fault and not view.fraction else (0,):
        canvas.put(x + place, y + 1, "─", HAIR)


def _door(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A leaf in its frame, shut or swung out."""
    frame = Dots(WIDTH, 2)
    frame.line(2, 7, 4, 7)
    frame.line(12, 7, 14, 7)
    frame.put_on(canvas, x, y, QUIET)
    leaf = Dots(WIDTH, 2)
    leaf.line(4, 7, 7, 0) if view.fraction else leaf.line(4, 7, 12, 7)
    leaf.put_on(canvas, x, y, HEATHER, under=frame)


def _overload(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A contact in series: shut while all is well."""
    poles = Dots(WIDTH, 2)
    poles.line(0, 5, 4, 5)
    poles.line(11, 5, 15, 5)
    poles.line(4, 5, 10, 1) if view.fraction else poles.line(4, 5, 11, 5)
    poles.put_on(canvas, x, y, CORAL if view.fraction else HEATHER)


def _supply(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A scale, with a hand as far round as its voltage."""
    scale = Dots(WIDTH, 2)
    for step in range(17):
        angle = math.pi * (0.15 + 0.7 * step / 16)
        scale.set(7.5 + 7 * math.cos(angle), 6.5 - 6 * math.sin(angle))
    scale.put_on(canvas, x, y, HAIR)
    hand = Dots(WIDTH, 2)
    angle = math.pi * (0.85 - 0.7 * view.fraction)
    hand.line(7.5, 7, 7.5 + 6 * math.cos(angle), 6.5 - 5 * math.sin(angle))
    hand.put_on(canvas, x, y, ink(view), under=scale)


def _bell(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A bell that hangs, its clapper swung out while it rings, and the sound on both sides."""
    bell = Dots(4, 2)
    for row, (low, high) in enumerate(((3, 4), (2, 5), (2, 5), (2, 5), (1, 6), (0, 7))):
        for column in (low, high) if row < 5 else range(low, high + 1):
            bell.set(column, row)
    bell.set(2 if view.fraction else 3, 7)
    bell.set(3 if view.fraction else 4, 7)
    bell.put_on(canvas, x + 2, y, ink(view))
    if view.fraction:
        sound = Dots(WIDTH, 2)
        for away in (0, 2):
            for row in range(1 + away // 2, 6 - away // 2):
                sound.set(2 - away, row)
                sound.set(13 + away, row)
        sound.put_on(canvas, x, y, GOT)


def _buzzer(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A round disc, and while it sounds the wave that it gives: the higher the pitch, the closer its swings."""
    disc = Dots(3, 2)
    for column, (low, high) in enumerate(((2, 5), (1, 6), (1, 6), (1, 6), (2, 5))):
        disc.line(column, low, column, high)
    disc.put_on(canvas, x, y, ink(view))
    if view.fraction:
        wave = Dots(5, 2)
        swings = 0.5 + 2 * view.fraction
        heights = [3.5 - 3.4 * math.sin(2 * math.pi * swings * step / 20) for step in range(20)]
        for step, (here, there) in enumerate(pairwise(heights)):
            wave.line(step / 2, here, (step + 1) / 2, there)
        wave.put_on(canvas, x + 3, y, GOT)


def _stepper(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A toothed wheel, with a hand at its angle."""
    wheel = Dots(4, 2)
    for tooth in range(12):
        angle = math.tau * tooth / 12
        wheel.set(3.5 + 3.5 * math.cos(angle), 3.0 + 3.0 * math.sin(angle))
    wheel.put_on(canvas, x + 2, y, HAIR if not view.fraction else ink(view))
    hand = Dots(4, 2)
    angle = math.tau * view.fraction
    hand.line(3.5, 3.0, 3.5 + 3.2 * math.sin(angle), 3.0 - 2.7 * math.cos(angle))
    hand.put_on(canvas, x + 2, y, CORAL if view.fault else GOT, under=wheel)


def _encoder(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A knob with a mark on its edge, and its two contacts beside it."""
    knob = Dots(4, 2)
    for step in range(28):
        angle = math.tau * step / 28
        knob.set(3.5 + 3.5 * math.cos(angle), 3.0 + 3.0 * math.sin(angle))
    knob.put_on(canvas, x + 2, y, HAIR)
    mark = Dots(4, 2)
    angle = math.tau * view.fraction
    for away in (1.5, 2.2, 3.0):
        mark.set(3.5 + 1.1 * away * math.sin(angle), 3.0 - away * math.cos(angle))
    mark.put_on(canvas, x + 2, y, HEATHER, under=knob)


def _on_line(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A case on a line that goes on to others."""
    line = Dots(WIDTH, 2)
    line.line(0, 1, 15, 1)
    line.line(7, 1, 7, 3)
    line.put_on(canvas, x, y, QUIET)
    case = Dots(WIDTH, 2)
    for row in (3, 7):
        case.line(4, row, 11, row)
    for column in (4, 11):
        case.line(column, 3, column, 7)
    case.put_on(canvas, x, y, ink(view), under=line)


def _cable(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """Two plugs, and a line each way between them."""
    plugs = Dots(WIDTH, 2)
    for low, high in ((0, 2), (13, 15)):
        for row in (1, 7):
            plugs.line(low, row, high, row)
        for column in (low, high):
            plugs.line(column, 1, column, 7)
    plugs.put_on(canvas, x, y, QUIET)
    lines = Dots(WIDTH, 2)
    for row in (3, 5):
        lines.line(3, row, 12, row)
    lines.put_on(canvas, x, y, GOT if view.fraction else HAIR, under=plugs)


def _colour_lamp(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A pane of glass, filled with what shines through it."""
    pane = Dots(WIDTH, 2)
    pane.line(2, 0, 13, 0)
    pane.line(2, 7, 13, 7)
    for column in (2, 13):
        pane.line(column, 0, column, 7)
    pane.put_on(canvas, x, y, CORAL if view.fault else HAIR)
    for row in range(2) if view.fraction and not view.fault else ():
        canvas.put(x + 2, y + row, "████", Ink(view.colour))


def _jumper(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """A wire that hangs between its two ends."""
    wire = Dots(WIDTH, 2)
    for step in range(25):
        angle = math.pi * step / 24
        wire.set(7.5 - 6 * math.cos(angle), 1.0 + 5.5 * math.sin(angle))
    for place in (1, 13):
        wire.line(place, 0, place + 1, 0)
    wire.put_on(canvas, x, y, ink(view))


def draw_plate(canvas: Canvas, x: int, y: int, view: PartView) -> None:
    """The plate of a sign: its text at full size, leaf by leaf."""
    room = max(0, min(view.columns, canvas.width - x - 1))
    canvas.shade(x, y, room, 1, "lifted")
    canvas.put(x, y, clip(view.tells if view.fraction else "", room).ljust(room, "·"), GOT if view.fraction else HAIR)


PICTURES: dict[str, Callable[[Canvas, int, int, PartView], None]] = {
    "lamp": _lamp,
    "servo": _servo,
    "motor": _motor,
    "horn": _horn,
    "button": _contact,
    "limit": _contact,
    "gauge": _gauge,
    "lever": _lever,
    "relay": _relay,
    "valve": _valve,
    "heater": _heater,
    "pump": _pump,
    "door": _door,
    "overload": _overload,
    "supply": _supply,
    "bell": _bell,
    "buzzer": _buzzer,
    "stepper": _stepper,
    "encoder": _encoder,
    "onewire": _on_line,
    "serial": _cable,
    "jumper": _jumper,
    "colour-lamp": _colour_lamp,
}
