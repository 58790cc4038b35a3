"""The Routines screen's pictures: the line over the text, the margin, the lanes, tunes and mistakes, what was told."""

from __future__ import annotations

from textwrap import wrap

from cavet.drawings.canvas import ASKED, CORAL, GOT, HAIR, HEATHER, PAPER, QUIET, Canvas, Ink
from cavet.workbench.routines.offering import OfferView
from cavet.workbench.routines.views import (
    DONE,
    FAILED,
    RUNS,
    Entry,
    HeadView,
    LowerView,
    MarginView,
    ToldView,
    TracksView,
)

BARE_MARGIN, MARGIN_COLUMNS = 7, 23
"""Before anything has run there are no times beside the text, and it has their room."""
SIGNS: dict[str, tuple[str, Ink]] = {
    DONE: ("◈", GOT), FAILED: ("✕", CORAL), RUNS: ("▸", ASKED), "left": ("·", QUIET), "stopped": ("◦", QUIET),
    "lost": ("✕", CORAL), "held": ("‖", ASKED),
}  # fmt: skip
NAME_CELLS, VALUE_CELLS, LEAST_RAIL = 14, 24, 8
HEAD_ROWS = 5
LANE_LEAST = 20
MOST_TELLS = 40
NO_RUN, NO_RUN_CELLS = "F5 runs the routine in which the cursor is: each track gets a lane here", 44
OFFER_HINT = "tab takes it, again the next"
ROWS_OF_BAD = 3
"""So many rows are given to what was not as expected: what was found stands at its end."""


def draw_head(view: HeadView, width: int, height: int) -> Canvas:
    """Draw which routine, in which file, whether it is saved and runs; the file's other routines quietly."""
    canvas = Canvas(width, height)
    x = 1
    canvas.put(x, 0, view.routine or "no routine yet", PAPER._replace(bold=True), width - 2)
    x += len(view.routine or "no routine yet") + 2
    canvas.put(x, 0, view.file, QUIET, max(0, width - x - 1))
    x += len(view.file) + 2
    saved = "saved" if view.is_saved else "not saved"
    canvas.put(x, 0, saved, QUIET if view.is_saved else CORAL, max(0, width - x - 1))
    x += len(saved) + 3
    if view.state:
        sign, ink = SIGNS.get(view.state, ("", QUIET))
        canvas.put(x, 0, f"{sign} {view.words}", ink, max(0, width - x - 1))
    if height > 1 and view.others:
        canvas.put(1, 1, f"also here: {', '.join(view.others)}", QUIET, width - 2)
    return canvas


def draw_margin(view: MarginView, width: int, height: int) -> Canvas:
    """Draw beside each line when it began, how long it took, how it ended."""
    canvas = Canvas(width, height)
    for y, row in enumerate(view.rows[:height]):
        wrong = row.number in view.wrong
        canvas.put_right(4, y, str(row.number), CORAL if wrong else HAIR)
        canvas.put_right(12, y, row.began, HEATHER)
        canvas.put_right(20, y, row.took, HEATHER)
        if wrong:
            canvas.put(width - 1, y, "✕", CORAL)
        elif row.how:
            sign, ink = SIGNS[row.how]
            canvas.put(width - 1, y, sign, ink)
    return canvas


def draw_tracks(view: TracksView, width: int, height: int) -> Canvas:
    """Draw a lane for each track, flowing down in time."""
    canvas = Canvas(width, height)
    if not view.lanes:
        canvas.put(1, 0, "tracks", PAPER._replace(bold=True))
        for y, line in enumerate(wrap(NO_RUN, max(1, min(NO_RUN_CELLS, width - 2))), 2):
            canvas.put(1, y, line, QUIET, width - 2)
        return canvas
    left = 9
    shown = max(1, min(len(view.lanes), (width - left) // LANE_LEAST))
    lane = (width - left) // shown
    canvas.put(1, 0, "time", HEATHER)
    for number, track in enumerate(view.lanes[:shown]):
        x = left + number * lane
        canvas.put(x, 0, track.name, PAPER._replace(bold=True), lane - 2)
        canvas.put(x, 1, track.at, QUIET, lane - 2)
        for y, words in enumerate(track.waits, 2):
            canvas.put(x, y, words, HEATHER, lane - 2)
    if shown < len(view.lanes):
        canvas.put_right(width - 1, 0, f"+{len(view.lanes) - shown}", QUIET)
    rows = [row for row in view.rows if row.lane < shown]
    rows = rows[-(height - HEAD_ROWS - 1) :] if height > HEAD_ROWS + 1 else []
    for y, row in enumerate(rows, HEAD_ROWS):
        canvas.put_right(left - 2, y, row.t, HEATHER)
        for number in range(shown):
            x = left + number * lane
            if row.lane == number:
                sign, ink = SIGNS[row.entry.how]
                canvas.put(x, y, sign, ink)
                canvas.put(x + 2, y, row.entry.words, PAPER if row.entry.how == RUNS else QUIET, lane - 4)
            else:
                canvas.put(x, y, "│", HAIR)
    if view.now and height > 3:
        canvas.across(left, height - 1, width - left - 1, "╌", ASKED)
        canvas.put_right(left - 2, height - 1, view.now, HEATHER)
        canvas.put_right(width - 3, height - 1, "now", ASKED)
    return canvas


def draw_lower(view: LowerView, width: int, height: int) -> Canvas:
    """Draw the tunes as rails, the mistakes, and what fits where the cursor is."""
    canvas = Canvas(width, height)
    canvas.put(1, 0, "tunes", PAPER._replace(bold=True))
    canvas.put(9, 0, "none" if not view.tunes else "turned while it runs, and for the next run", QUIET, width - 10)
    y = 1
    for number, tune in enumerate(view.tunes):
        if y >= height - 2:
            break
        here = number == view.cursor
        if here:
            canvas.shade(0, y, width, 1, "raised")
        canvas.put(1, y, "▸" if here else " ", PAPER)
        canvas.put(3, y, tune.name, PAPER._replace(bold=here), NAME_CELLS)
        rail = width - NAME_CELLS - VALUE_CELLS - 8 - len(tune.ends)
        if tune.share is not None and rail >= LEAST_RAIL:
            canvas.across(4 + NAME_CELLS, y, rail, "─", HAIR)
            canvas.put(4 + NAME_CELLS + round(tune.share * (rail - 1)), y, "◇", ASKED)
        canvas.put(width - VALUE_CELLS - len(tune.ends) - 1, y, tune.value, ASKED, VALUE_CELLS)
        canvas.put_right(width - 1, y, tune.ends, QUIET)
        y += 1
    y = min(height - 1, y + 1)
    if view.mistakes:
        canvas.put(1, y, f"mistakes {len(view.mistakes)}", CORAL._replace(bold=True))
        for line in [line for mistake in view.mistakes for line in wrap(mistake, max(20, width - 3))]:
            y += 1
            if y < height - bool(view.fits):
                canvas.put(1, y, line, CORAL, width - 2)
    else:
        canvas.put(1, y, "mistakes", PAPER._replace(bold=True))
        canvas.put(11, y, "none: checked against the bench as it is typed", QUIET, width - 12)
    if view.fits:
        x = 1
        canvas.put(x, height - 1, "tab", ASKED)
        x += 5
        for number, (word, tells) in enumerate(view.fits):
            if x < width - 4:
                canvas.put(x, height - 1, word, PAPER._replace(bold=number == 0), width - x - 1)
                x += len(word) + 1
                canvas.put(x, height - 1, tells, QUIET, max(0, width - x - 1))
                x += len(tells) + 2
    return canvas


def offer_size(view: OfferView) -> tuple[int, int]:
    """How wide and high the list of what fits is, in cells."""
    words, tells = (max(len(fit[side]) for fit in view.fits) for side in (0, 1))
    return max(words + 2 + min(tells, MOST_TELLS) + 3, len(OFFER_HINT) + 2), len(view.fits) + 1


def draw_offer(view: OfferView, width: int, height: int) -> Canvas:
    """Draw what fits, under the word that is begun."""
    canvas = Canvas(width, height)
    canvas.shade(0, 0, width, height, "raised")
    words = max(len(word) for word, _ in view.fits)
    for y, (word, tells) in enumerate(view.fits):
        is_first = y == max(0, view.taken)
        canvas.put(1, y, word, PAPER._replace(bold=is_first), width - 2)
        canvas.put(words + 3, y, tells, QUIET, width - words - 4)
    is_one = len(view.fits) == 1
    canvas.put(1, height - 1, "tab takes it" if is_one else OFFER_HINT, ASKED if view.taken < 0 else QUIET, width - 2)
    return canvas


def draw_told(view: ToldView, width: int, height: int) -> Canvas:
    """Draw what was expected and held, what was said, and how the runs before ended."""
    canvas = Canvas(width, height)
    y = _entries(canvas, 0, "expected", view.expected, "nothing yet", width, height)
    if view.said:
        for words in view.said:
            if y < height:
                canvas.put(1, y, f"» {words}", HEATHER, width - 2)
                y += 1
        y += 1
    if y < height:
        _entries(canvas, y, "runs before", view.runs, "none", width, height)
    return canvas


def _entries(
    canvas: Canvas, y: int, title: str, entries: tuple[Entry, ...], nothing: str, width: int, height: int
) -> int:
    """A title with entries below it; give the row behind them."""
    canvas.put(1, y, title, PAPER._replace(bold=True))
    if not entries:
        canvas.put(len(title) + 3, y, nothing, QUIET)
    for entry in entries:
        y += 1
        if y < height:
            sign, ink = SIGNS.get(entry.how, ("◦", QUIET))
            canvas.put(1, y, sign, ink)
            is_bad = entry.how in (FAILED, "lost")
            if is_bad:
                rows = wrap(entry.words, max(8, width - 4), max_lines=ROWS_OF_BAD, placeholder=" …")
                for row, line in enumerate(rows):
                    canvas.put(3, y + row, line, CORAL)
                y += max(0, len(rows) - 1)
            else:
                canvas.put(3, y, entry.words, PAPER, width - 4)
    return y + 2
