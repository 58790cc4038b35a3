"""A trail: the seven stages of one command, with the delay of each; and where it broke, why, and what to do."""

from __future__ import annotations

import msgspec

from cavet.workbench.drawing.canvas import ASKED, CORAL, GOT, HAIR, HEATHER, PAPER, QUIET, Canvas, Ink

ROOM_FOR_DELAYS = 20
"""A stage narrower than this has its delay below its line, not on it."""
HOST_STAGES = ("asked", "framed", "carried")
"""The stages that are on the host's side of the link: drawn hollow, in brass."""


class StageView(msgspec.Struct, frozen=True, kw_only=True):
    """One stage: its state's word, the delay since the one before, and up to two lines on what happened."""

    name: str
    state: str
    delay: str = ""
    lines: tuple[str, ...] = ()


class TrailView(msgspec.Struct, frozen=True, kw_only=True):
    """One trail. `place` says which of how many; `reason` and `mend` are there when it is broken."""

    title: str
    by: str = ""
    place: str = ""
    stages: tuple[StageView, ...] = ()
    reason: str = ""
    mend: str = ""
    ending: str = ""


class TrailsView(msgspec.Struct, frozen=True, kw_only=True):
    """The trail under the cursor, and the broken ones that nobody has looked at yet."""

    current: TrailView | None = None
    broken: tuple[TrailView, ...] = ()


def draw_trails(view: TrailsView, width: int, height: int) -> Canvas:
    """Draw the trail under the cursor, then the broken ones, as many as fit."""
    canvas = Canvas(width, height)
    canvas.across(0, 0, width, "─", HAIR)
    y = 1
    if view.current is None:
        canvas.put(1, y, "no command yet: move a point, and its trail is drawn here, stage by stage", QUIET)
    else:
        broken_rows = 2 * len(view.broken)
        y = _draw_trail(canvas, y, view.current, max(4, height - 1 - broken_rows))
    for trail in view.broken:
        if y + 2 > height:
            return canvas
        canvas.across(0, y, width, "─", Ink("hair", share=0.6))
        _draw_broken(canvas, y + 1, trail)
        y += 2
    return canvas


def _draw_title(canvas: Canvas, y: int, trail: TrailView) -> None:
    canvas.put(1, y, trail.title, PAPER._replace(bold=True))
    canvas.put(len(trail.title) + 3, y, trail.by, QUIET)
    canvas.put_right(canvas.width - 1, y, trail.place, QUIET)


def _draw_trail(canvas: Canvas, y: int, trail: TrailView, rows: int) -> int:
    """Draw one trail in up to `rows` rows; give the row behind it."""
    _draw_title(canvas, y, trail)
    gap = 1 if rows >= 7 else 0
    row = y + 1 + gap
    each = (canvas.width - 2) // max(1, len(trail.stages))
    depth = max((len(stage.lines) for stage in trail.stages), default=0) if rows >= 5 else 0
    below = 1 if each < ROOM_FOR_DELAYS and rows >= 6 else 0
    for place, stage in enumerate(trail.stages):
        x = 1 + place * each
        _draw_stage(canvas, x, row, each, stage, last=place == len(trail.stages) - 1)
        if below:
            canvas.put_right(x + each - 1, row + 1, stage.delay, HEATHER)
        for number, line in enumerate(stage.lines[:depth]):
            canvas.put(x + 2, row + 1 + below + number, line[: each - 3], CORAL if stage.state == "broken" else QUIET)
    row += 1 + below + depth
    if trail.reason:
        broken = next((place for place, stage in enumerate(trail.stages) if stage.state == "broken"), 0)
        longest = max(len(trail.reason), len(trail.mend) + 9)
        x = max(1, min(1 + broken * each + 2, canvas.width - longest - 2))
        canvas.put(x, row, trail.reason[: canvas.width - x - 1], CORAL)
        canvas.put(x, row + 1, trail.mend[: canvas.width - x - 9], PAPER)
        canvas.put(min(x + len(trail.mend) + 2, canvas.width - 7), row + 1, "⏎ look", ASKED)
        row += 2
    elif trail.ending:
        canvas.put(3, row, trail.ending[: canvas.width - 4], QUIET)
        row += 1
    return row + gap


def _draw_stage(canvas: Canvas, x: int, y: int, width: int, stage: StageView, *, last: bool) -> None:
    glyph, ink, word = _marks(stage)
    canvas.put(x, y, glyph, ink)
    canvas.put(x + 2, y, stage.name[: width - 2], word)
    if last:
        return
    begin = x + 2 + len(stage.name) + 1
    room = x + width - 1 - begin
    if room <= 0:
        return
    reached = stage.state == "reached"
    canvas.across(begin, y, room, "─" if reached else "╌", HAIR)
    if stage.delay and width >= ROOM_FOR_DELAYS and room >= len(stage.delay) + 2:
        canvas.put(begin + (room - len(stage.delay)) // 2, y, stage.delay, HEATHER)


def _marks(stage: StageView) -> tuple[str, Ink, Ink]:
    """The glyph of a stage, its ink, and the ink of its name."""
    on_host = stage.name in HOST_STAGES
    if stage.state == "reached":
        glyph = "◈" if stage.name == "confirmed" else ("◇" if on_host else "◆")
        return glyph, (ASKED if on_host else GOT), PAPER._replace(bold=True)
    if stage.state == "broken":
        return "✕", CORAL._replace(bold=True), CORAL._replace(bold=True)
    if stage.state == "coming":
        return "◌", (ASKED if on_host else GOT), PAPER
    return ("·" if stage.state == "left out" else "?"), HAIR, QUIET


def _draw_broken(canvas: Canvas, y: int, trail: TrailView) -> None:
    """One line for a broken trail that is not under the cursor."""
    canvas.put(1, y, "✕", CORAL._replace(bold=True))
    canvas.put(3, y, trail.title, PAPER._replace(bold=True))
    broken = next((stage.name for stage in trail.stages if stage.state == "broken"), "")
    x = 3 + len(trail.title) + 2
    canvas.put(x, y, f"not {broken}:", CORAL)
    x += len(broken) + 6
    canvas.put(x, y, trail.reason[: max(0, canvas.width - x - 12)], PAPER)
    canvas.put_right(canvas.width - 1, y, "b ⏎ look", ASKED)
