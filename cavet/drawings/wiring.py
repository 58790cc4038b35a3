"""A bench as it is wired: each board in cross-section, one below the other."""

from __future__ import annotations

from collections.abc import Iterable

from cavet.benchfile import Setup
from cavet.drawings.canvas import Canvas
from cavet.drawings.section import draw_section, section_height
from cavet.wiring import Section, Wiring, section_of

WIDTH = 118


def sections(setup: Setup, boards: Iterable[str]) -> list[Section]:
    """The cross-sections of boards, as the file has them."""
    return [section_of(Wiring(setup, name), link=link_words(Wiring(setup, name))) for name in boards]


def link_words(wiring: Wiring) -> tuple[tuple[str, str], ...]:
    """What the file says of a board's links."""
    found = []
    for link in wiring.links:
        settings = f" {link.settings.rate} {link.settings.form}" if link.kind == "serial" else ""
        found.append((f"{link.kind}{settings}", "paper"))
        found.append((link.broker or link.address, "quiet"))
    return tuple(found)


def draw_wiring(drawn: list[Section]) -> Canvas:
    """Draw cross-sections below each other."""
    parts = [draw_section(section, WIDTH, section_height(section, WIDTH)) for section in drawn]
    canvas = Canvas(WIDTH, sum(part.height + 1 for part in parts))
    y = 0
    for part in parts:
        for row in range(part.height):
            canvas.lay_row(y + row, part, row)
        y += part.height + 1
    return canvas


def told(drawn: list[Section]) -> str:
    """What the drawing shows, in words."""
    lines = []
    for section in drawn:
        for row in section.rows:
            if row.believed is None and row.hanging is None:
                continue
            believed = row.believed.text if row.believed is not None else "nobody"
            hangs = (row.hanging.name or row.hanging.note) if row.hanging is not None else "nothing"
            cross = ", crossed" if row.crosses is not None else ", at nothing" if row.is_missing else ""
            lines.append(f"{section.board} {row.place}: {believed} believes, {hangs} hangs there{cross}")
    return ". ".join(lines)
