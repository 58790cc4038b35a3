"""What hangs on a bus, drawn as it stands: an expander's lines with their parts, a panel's text, a matrix's dots."""

from __future__ import annotations

import msgspec

from cavet.drawings.canvas import CORAL, GOT, HAIR, PAPER, QUIET, Canvas, Ink
from cavet.workbench.drawing.parts import PartView, glyph, ink

NAME_WIDTH = 12
"""The most room for a name; less where the names are shorter."""
HALVES = " ▀▄█"
"""Two dots above each other, by whether the upper (1) and the lower one (2) is lit."""


class DeviceView(msgspec.Struct, frozen=True, kw_only=True):
    """A device as it is to be shown. `lines` are its lines' parts; `text` its rows, `dots` its rows of bytes."""

    name: str
    kind: str
    where: str
    tells: str = ""
    lines: tuple[tuple[str, PartView | None], ...] = ()
    text: tuple[str, ...] = ()
    columns: int = 0
    cursor: tuple[int, int] | None = None
    lit: bool = True
    dots: tuple[bytes, ...] = ()
    """For each matrix, side by side, a byte a row, the left dot in the top bit."""
    glow: float = 1.0
    marked: bool = False
    marked_part: str = ""

    @property
    def rows(self) -> int:
        """How many rows its picture takes."""
        if self.dots:
            return 4
        if self.text:
            return len(self.text)
        return 2 if self.lines else 1


def height_of(devices: tuple[DeviceView, ...]) -> int:
    """How many rows all take at full size, with a row between two."""
    return sum(device.rows for device in devices) + max(0, len(devices) - 1)


def draw_devices(canvas: Canvas, x: int, top: int, bottom: int, devices: tuple[DeviceView, ...]) -> list[int]:
    """Draw devices between two rows from column `x` on, at full size where there is room; give the rows of their names.

    Where there is too little room even for a line each, the marked one is among those that are drawn.
    """
    room = bottom - top + 1
    full = height_of(devices) <= room
    if not full and len(devices) > room:
        marked = next((place for place, device in enumerate(devices) if device.marked), 0)
        first = max(0, min(marked - room + 1, len(devices) - room))
        devices = devices[first : first + max(0, room)]
    names = min(NAME_WIDTH, max((max(len(device.name), len(device.where)) for device in devices), default=0))
    y = top + (room - height_of(devices) if full else max(0, room - len(devices)))
    places = []
    for device in devices:
        places.append(y)
        canvas.put(x, y, device.name, PAPER._replace(bold=device.marked), names)
        if full:
            if device.rows > 1:
                canvas.put(x, y + 1, device.where, QUIET, names)
            _draw_full(canvas, x + names + 1, y, device)
            y += device.rows + 1
        else:
            _draw_line(canvas, x + names + 1, y, device)
            y += 1
    return places


def _draw_full(canvas: Canvas, x: int, y: int, device: DeviceView) -> None:
    if device.dots:
        _draw_dots(canvas, x, y, device)
    elif device.text:
        _draw_text(canvas, x, y, device)
    elif device.lines:
        _draw_lines(canvas, x, y, device)
    else:
        canvas.put(x, y, device.tells, QUIET)


def _draw_dots(canvas: Canvas, x: int, y: int, device: DeviceView) -> None:
    """Dots at full size: two rows of them in a row of cells."""
    on = Ink("got", share=0.4 + 0.6 * device.glow)
    width = 8 * len(device.dots)
    canvas.shade(x, y, width, 4, "lifted")
    for row in range(4):
        upper = _bits(device.dots, 2 * row)
        lower = _bits(device.dots, 2 * row + 1)
        line = "".join(HALVES[(a == "1") + 2 * (b == "1")] for a, b in zip(upper, lower, strict=True))
        canvas.put(x, y + row, line, on)
    canvas.put(x + width + 1, y, device.tells, QUIET)


def _bits(dots: tuple[bytes, ...], row: int) -> str:
    return "".join(f"{module[row]:08b}" for module in dots)


def _draw_text(canvas: Canvas, x: int, y: int, device: DeviceView) -> None:
    """The panel's rows at full size, on its lit ground; the cursor underlined by its own cell."""
    canvas.shade(x, y, device.columns + 2, len(device.text), "lifted")
    for row, text in enumerate(device.text):
        canvas.put(x + 1, y + row, text, GOT if device.lit else QUIET, device.columns)
        canvas.put(x, y + row, "│", HAIR)
        canvas.put(x + device.columns + 1, y + row, "│", HAIR)
    if device.cursor is not None:
        canvas.put(x + 1 + device.cursor[0], y + device.cursor[1], "▁", PAPER)
    if not device.lit:
        canvas.put(x + device.columns + 3, y, "light off", QUIET)


def _draw_lines(canvas: Canvas, x: int, y: int, device: DeviceView) -> None:
    """Each line's part over the line's number, port by port; lines without a part are left out."""
    port = ""
    for line, part in device.lines:
        if part is None:
            continue
        if line[0] != port:
            port = line[0]
            canvas.put(x, y + 1, port, QUIET)
            x += 2
        bold = part.name == device.marked_part
        canvas.put(x, y, glyph(part), CORAL if part.fault else ink(part))
        canvas.put(x, y + 1, line[1:], PAPER._replace(bold=True) if bold else QUIET if part.fraction else HAIR)
        x += 1 + len(line[1:])
    canvas.put(x + 1, y, device.tells, QUIET)


def _draw_line(canvas: Canvas, x: int, y: int, device: DeviceView) -> None:
    """A device in one line."""
    if device.lines:
        for place, part in enumerate(part for _, part in device.lines if part is not None):
            marked = part.name == device.marked_part
            canvas.put(x + 2 * place, y, glyph(part), PAPER if marked and not part.fraction else ink(part))
        return
    text = " / ".join(row.rstrip() for row in device.text if row.strip()) or device.tells
    canvas.put(x, y, text, GOT if device.text else QUIET)
