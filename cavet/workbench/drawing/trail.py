"""A trail: the seven stages of one command, with the delay of each; and where it broke, why, and what to do."""

from __future__ import annotations

import textwrap

import msgspec

from cavet.drawings.canvas import ASKED, CORAL, GOT, HAIR, HEATHER, PAPER, QUIET, Canvas, Ink, clip

ROOM_FOR_DELAYS = 20
"""A stage narrower than this has its delay below its line, not on it."""
ROOM_FOR_NAMES = 10
"""A stage narrower than this has no room for its name."""
NEEDED_ROWS = 7
"""The trail under the cursor has at least so many rows before broken ones get a line each."""
MOST_REASON_ROWS = 3
LOOK = "⏎ look"
LEAST_ROOM = 20
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
    more: int = 0
    """How many more are broken."""
    empty: str = "no command yet: move a point, and its trail is drawn here, stage by stage"
    """What is said where there is no trail."""


def draw_trails(view: TrailsView, width: int, height: int) -> Canvas:
    """Draw the trail under the cursor, then the broken ones: each with its reason, or all in one line."""
    canvas = Canvas(width, height)
    canvas.across(0, 0, width, "─", HAIR)
    y = 1
    apart = view.broken and height >= NEEDED_ROWS + 2 * len(view.broken)
    below = 2 * len(view.broken) if apart else 1 if view.broken else 0
    if view.current is None:
        canvas.put(1, y, view.empty, QUIET, width - 2)
        y += 1
    else:
        y = _draw_trail(canvas, y, view.current, max(3, height - 1 - below))
    if not apart:
        if view.broken:
            _draw_all_broken(canvas, height - 1, view.broken, view.more)
        return canvas
    for trail in view.broken:
        if y + 2 > height:
            break
        canvas.across(0, y, width, "─", Ink("hair", share=0.6))
        _draw_broken(canvas, y + 1, trail)
        y += 2
    return canvas


def _draw_title(canvas: Canvas, y: int, trail: TrailView) -> None:
    room = canvas.width - 3 - len(trail.place)
    canvas.put_right(canvas.width - 1, y, trail.place, QUIET)
    canvas.flow(1, y, [(trail.title, PAPER._replace(bold=True)), ("  ", QUIET), (trail.by, QUIET)], room)


def _draw_trail(canvas: Canvas, y: int, trail: TrailView, rows: int) -> int:
    """Draw one trail in up to `rows` rows; give the row behind it. Its reason comes before what its stages say."""
    _draw_title(canvas, y, trail)
    each = (canvas.width - 2) // max(1, len(trail.stages))
    told = _told(trail, canvas.width)
    spare = rows - 2 - len(told)
    below = 1 if each < ROOM_FOR_DELAYS and spare >= 2 else 0
    depth = min(max((len(stage.lines) for stage in trail.stages), default=0), max(0, spare - below))
    gap = 1 if spare - below - depth >= 2 else 0
    row = y + 1 + gap
    if each < ROOM_FOR_NAMES:
        _draw_short(canvas, row, trail)
        return _draw_told(canvas, row + 1, told, trail, 1, y + rows) + gap
    for place, stage in enumerate(trail.stages):
        x = 1 + place * each
        _draw_stage(canvas, x, row, each, stage, last=place == len(trail.stages) - 1)
        if below:
            canvas.put_right(x + each - 1, row + 1, stage.delay, HEATHER, each - 1)
        for number, line in enumerate(stage.lines[:depth]):
            cut = f"{line} …" if number == depth - 1 < len(stage.lines) - 1 else line
            canvas.put(x + 2, row + 1 + below + number, cut, CORAL if stage.state == "broken" else QUIET, each - 3)
    row += 1 + below + depth
    broken = next((place for place, stage in enumerate(trail.stages) if stage.state == "broken"), 0)
    longest = max((len(text) for text, _ in told), default=0)
    if trail.reason:
        longest = max(longest, len(told[-1][0]) + len(LOOK) + 2)
    x = max(1, min(1 + broken * each + 2, canvas.width - longest - 2))
    return _draw_told(canvas, row, told, trail, x, y + rows) + gap


def _told(trail: TrailView, width: int) -> list[tuple[str, Ink]]:
    """Why it broke and what to do, each in as many rows as it needs; or how it ended."""
    if not trail.reason:
        return [(trail.ending, QUIET)] if trail.ending else []
    room = max(LEAST_ROOM, width - 2)
    why = [(line, CORAL) for line in textwrap.wrap(trail.reason, room, max_lines=MOST_REASON_ROWS, placeholder=" …")]
    mend = textwrap.wrap(trail.mend, room - len(LOOK) - 2, max_lines=MOST_REASON_ROWS, placeholder=" …")
    return [*why, *((line, PAPER) for line in mend)]


def _draw_told(canvas: Canvas, row: int, told: list[tuple[str, Ink]], trail: TrailView, x: int, end: int) -> int:
    """Draw it from a row on; give the row behind it."""
    shown = told[: max(0, end - row)]
    if shown and len(shown) < len(told):
        text, ink = shown[-1]
        shown[-1] = (f"{text.removesuffix('…').rstrip()} …", ink)
    look = len(LOOK) + 2 if trail.reason else 0
    for number, (text, ink) in enumerate(shown):
        last = number == len(shown) - 1
        text = clip(text, canvas.width - x - 1 - (look if last else 0))
        canvas.put(x, row + number, text, ink)
        if last and look:
            canvas.put(x + len(text) + 2, row + number, LOOK, ASKED)
    return row + len(shown)


def _draw_short(canvas: Canvas, y: int, trail: TrailView) -> None:
    """The stages in one line where there is no room for their names: a glyph each, and the name of the last one."""
    x = 1
    shown = next((stage for stage in trail.stages if stage.state == "broken"), None)
    shown = shown or next((stage for stage in reversed(trail.stages) if stage.state == "reached"), trail.stages[0])
    for stage in trail.stages:
        glyph, ink, word = _marks(stage)
        canvas.put(x, y, glyph, ink)
        x += 2
        if stage is shown:
            canvas.put(x, y, stage.name, word)
            x += len(stage.name) + 1


def _draw_all_broken(canvas: Canvas, y: int, trails: tuple[TrailView, ...], more: int) -> None:
    """One line for all broken trails that are not under the cursor."""
    keys = "b ⏎"
    count = len(trails) + more
    head = f"{count} broken: " if count > 1 else ""
    first = next((stage.name for stage in trails[0].stages if stage.state == "broken"), "")
    told = f"{trails[0].title}  not {first}: {trails[0].reason}" if count == 1 else ", ".join(t.title for t in trails)
    pieces = [(head, CORAL), (told + (", …" if more else ""), PAPER)]
    canvas.put(1, y, "✕", CORAL._replace(bold=True))
    canvas.flow(3, y, pieces, canvas.width - len(keys) - 3)
    canvas.put_right(canvas.width - 1, y, keys, ASKED)


def _draw_stage(canvas: Canvas, x: int, y: int, width: int, stage: StageView, *, last: bool) -> None:
    glyph, ink, word = _marks(stage)
    canvas.put(x, y, glyph, ink)
    canvas.put(x + 2, y, stage.name, word, canvas.width - x - 2 if last else width - 3)
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
    look = "b ⏎ look"
    broken = next((stage.name for stage in trail.stages if stage.state == "broken"), "")
    pieces = [
        (trail.title, PAPER._replace(bold=True)), ("  ", PAPER), (f"not {broken}: ", CORAL), (trail.reason, PAPER),
    ]  # fmt: skip
    canvas.put(1, y, "✕", CORAL._replace(bold=True))
    canvas.flow(3, y, pieces, canvas.width - len(look) - 3)
    canvas.put_right(canvas.width - 1, y, look, ASKED)
