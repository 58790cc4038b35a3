"""The tape: what passes the links, in time. The chosen link in full, all others in a row each."""

from __future__ import annotations

import msgspec

from cavet.drawings.canvas import ASKED, CORAL, GOT, HAIR, HEATHER, PAPER, QUIET, Canvas, Ink, fitting
from cavet.units import show_duration

FULL_ROWS = 6
"""Of the chosen link: the axis, what the host says, its frames, the line, the board's frames, what it says."""
TITLE_CELLS = 26
TIGHT_TITLE_CELLS = 14
TICKS = (1, 2, 5)
TICK_CELLS = 20
"""Between two ticks of the axis, at least."""


class Bar(msgspec.Struct, frozen=True, kw_only=True):
    """A frame of the chosen link: where it begins and ends in cells (maybe outside what is seen), and what is said."""

    first: float
    last: float
    above: bool
    text: str = ""
    problem: bool = False
    chosen: bool = False
    paired: bool = False
    """Whether it answers the chosen one, or asked for it: what the two say is told before what others do."""
    answer: float | None = None
    """Where its answer begins, in cells."""
    delay: str = ""


class Row(msgspec.Struct, frozen=True):
    """A link that is not chosen: for each cell how much the host and the board say there, and whether it is wrong."""

    title: str
    above: tuple[bool, ...]
    below: tuple[bool, ...]
    wrong: tuple[bool, ...]
    told: str = ""
    """The newest problem in sight, in words."""


class TapeView(msgspec.Struct, frozen=True, kw_only=True):
    """What the tape shows; times in s."""

    begin: float
    cell: float
    title: str
    subtitle: str
    bars: tuple[Bar, ...]
    rows: tuple[Row, ...]
    following: bool
    now: float
    left: int = 0
    """Transfers that are still to be read, before the present is reached."""
    crowded: tuple[tuple[bool, bool, bool], ...] = ()
    """Where there are too many frames for bars: for each cell whether the host and the board say something, and whether
    that is wrong."""


def title_cells(width: int) -> int:
    """The columns for the names of the links."""
    return TITLE_CELLS if width >= 96 else TIGHT_TITLE_CELLS


def tick_seconds(cell: float) -> float:
    """How far ticks are apart, for cells of so many seconds."""
    least = TICK_CELLS * cell
    power = 1e-9
    while power * TICKS[-1] < least:
        power *= 10
    return next(power * tick for tick in (*TICKS, 10) if power * tick >= least)


def draw_tape(view: TapeView, width: int, height: int) -> Canvas:
    """Draw the tape."""
    canvas = Canvas(width, height)
    left = title_cells(width)
    canvas.put(1, 0, view.title, PAPER._replace(bold=True), left - 2)
    canvas.put(1, 1, view.subtitle, QUIET, left - 2)
    _draw_axis(canvas, view, left)
    canvas.across(left, 3, width - left, "─", HAIR)
    if view.crowded:
        _draw_crowd(canvas, view, left)
    else:
        _draw_bars(canvas, view, left)
    if not view.bars and not view.crowded:
        canvas.put(left + 2, 2, "nothing has passed here" if view.following else "nothing passed here then", QUIET)
    for number, row in enumerate(view.rows[: max(0, height - FULL_ROWS)]):
        _draw_row(canvas, row, FULL_ROWS + number, left)
    return canvas


def _draw_axis(canvas: Canvas, view: TapeView, left: int) -> None:
    step = tick_seconds(view.cell)
    tick = int(view.begin / step) * step
    if tick < view.begin - 1e-12:
        tick += step
    start, first, used = tick, True, left
    where = "follows" if view.following else "stands"
    if view.left:
        where = fitting(canvas.width - left - 2, f"is being read, {view.left} to go", f"{view.left} to go", "reads on")
    end = canvas.width - len(where) - 2
    while (x := left + round((tick - view.begin) / view.cell)) < end:
        text = f"{tick:.{_places(step)}f} s" if first else f"+{show_duration(tick - start)}"
        if x >= used and x + len(text) + 1 < end:
            canvas.put(x, 0, "╷", HAIR)
            canvas.put(x + 1, 0, text, HEATHER)
            used = x + len(text) + 2
            first = False
        tick += step
    canvas.put_right(canvas.width - 1, 0, where, PAPER if view.left else QUIET)


def _places(step: float) -> int:
    """Decimals that tell ticks of a step apart."""
    places = 0
    while step < 1 - 1e-12 and places < 6:
        step *= 10
        places += 1
    return max(1, places)


def _draw_bars(canvas: Canvas, view: TapeView, left: int) -> None:
    room = canvas.width - left
    for bar in sorted(view.bars, key=lambda bar: (bar.chosen, bar.paired)):
        first, last = left + round(bar.first), left + max(round(bar.first) + 1, round(bar.last))
        if last <= left or round(bar.first) >= room:
            continue
        first = max(left, first)
        ink = CORAL if bar.problem else ASKED if bar.above else GOT
        stroke = ("▄" if bar.above else "▀") if not bar.chosen else "█"
        canvas.across(first, 2 if bar.above else 4, min(last, canvas.width) - first, stroke, ink)
        if bar.answer is not None:
            _draw_answer(canvas, bar, last, left + round(bar.answer), left)
    texts = _Texts(canvas)
    said = [bar for bar in view.bars if bar.text]
    for bar in sorted(said, key=lambda bar: (not bar.chosen, not bar.paired, bar.first)):
        texts.put(bar, left)


def _draw_answer(canvas: Canvas, bar: Bar, last: int, answer: int, left: int) -> None:
    """The line from a request to its answer."""
    if answer >= last and last < canvas.width:
        ink = HEATHER if bar.chosen or bar.paired else QUIET
        canvas.put(max(left, last - 1), 3, "╲", ink)
        canvas.across(max(left, last), 3, min(answer, canvas.width) - last, "─", ink)


class _Texts:
    """What frames say, above and below the line: where something stands already, nothing is put over it."""

    def __init__(self, canvas: Canvas) -> None:
        self._canvas = canvas
        self._taken: dict[bool, list[tuple[int, int]]] = {True: [], False: []}

    def put(self, bar: Bar, left: int) -> None:
        """What a frame says; below the line its delay stands before it."""
        x = max(left, left + round(bar.first))
        behind = [begin for begin, _ in self._taken[bar.above] if begin > x]
        room = min([self._canvas.width, *behind]) - x - 2
        if any(begin <= x <= end for begin, end in self._taken[bar.above]):
            return
        text = f"◆ {bar.text}" if not bar.above and not bar.problem else bar.text
        text = f"✕ {text}" if bar.problem else text
        if room < min(len(text), LEAST_TEXT):
            return
        y = 1 if bar.above else 5
        ink: Ink = CORAL if bar.problem else PAPER._replace(bold=True) if bar.chosen else QUIET
        shown = fitting(room, text)
        self._canvas.put(x, y, shown, ink)
        begin = x
        before = x - len(bar.delay) - 2
        free = before >= left and not any(first <= x and last >= before for first, last in self._taken[bar.above])
        if bar.delay and not bar.above and free:
            self._canvas.put(before, y, bar.delay, HEATHER)
            begin = before
        self._taken[bar.above].append((begin, x + len(shown)))


LEAST_TEXT = 6


def _draw_crowd(canvas: Canvas, view: TapeView, left: int) -> None:
    for place, (above, below, wrong) in enumerate(view.crowded[: canvas.width - left]):
        if above:
            canvas.across(left + place, 2, 1, "▄", CORAL if wrong else ASKED)
        if below:
            canvas.across(left + place, 4, 1, "▀", CORAL if wrong else GOT)


def _draw_row(canvas: Canvas, row: Row, y: int, left: int) -> None:
    canvas.put(1, y, row.title, QUIET, left - 2)
    canvas.across(left, y, canvas.width - left, "·", HAIR)
    for place in range(min(len(row.above), canvas.width - left)):
        above, below, wrong = row.above[place], row.below[place], row.wrong[place]
        if wrong:
            canvas.across(left + place, y, 1, "█" if above and below else "▀" if above else "▄", CORAL)
        elif above and below:
            canvas.across(left + place, y, 1, "▀", ASKED)
            canvas.shade(left + place, y, 1, 1, "got")
        elif above:
            canvas.across(left + place, y, 1, "▀", ASKED)
        elif below:
            canvas.across(left + place, y, 1, "▄", GOT)
    if row.told:
        place = max((place for place, wrong in enumerate(row.wrong) if wrong), default=0)
        canvas.put(left + place + 2, y, f"✕ {row.told}", CORAL, max(0, canvas.width - left - place - 3))
