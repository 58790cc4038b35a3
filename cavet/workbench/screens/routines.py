"""Routines: steps, at once, in time."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import partial
from typing import ClassVar

from textual import on
from textual.containers import Horizontal, Vertical
from textual.widget import Widget

from cavet.hosts import Point
from cavet.record import Event, Kind, Record, Topic
from cavet.routines import CheckedRoutine, written_value
from cavet.wording import WrongError, counted
from cavet.workbench import keymap
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.routines import (
    BARE_MARGIN,
    MARGIN_COLUMNS,
    draw_head,
    draw_lower,
    draw_margin,
    draw_offer,
    draw_told,
    draw_tracks,
    offer_size,
)
from cavet.workbench.routines import views
from cavet.workbench.routines.fits import Fit, begun, fitting
from cavet.workbench.routines.offering import Offer
from cavet.workbench.routines.work import Work
from cavet.workbench.screens.actions import Action
from cavet.workbench.screens.frame import Follow, Frame
from cavet.workbench.screens.routine_sheets import step_sheet
from cavet.workbench.screens.sheet import SheetScreen
from cavet.workbench.widgets.editor import Editor
from cavet.workbench.widgets.hearing import Hearing
from cavet.workbench.widgets.picture import Picture

SOON_SECONDS = 0.03
"""What is typed within so long is followed at once."""
MOST_BY_HAND = 20
SMALL_TURN = 20
"""A nudge of a tune is such a part of its range."""


class RoutinesScreen(Frame):
    """The text on the left, with its margin; the lanes of its run on the right; tunes and what was told below."""

    NAME: ClassVar[str] = "routines"
    CAN = keymap.ROUTINES
    BINDINGS = keymap.bindings(keymap.ROUTINES)
    DEFAULT_CSS = f"""
    RoutinesScreen {{
        layers: base over;
        #offer {{ layer: over; position: absolute; display: none; }}
        #middle {{ height: 1fr; padding-top: 1; }}
        #left {{ width: 1fr; }}
        #head {{ height: 2; }}
        #page {{ height: 1fr; }}
        #margin {{ width: {BARE_MARGIN}; }}
        &.timed #margin {{ width: {MARGIN_COLUMNS}; }}
        #text {{ width: 1fr; height: 1fr; padding-left: 1; }}
        #tracks {{ width: 46%; border-left: solid $hair; }}
        #below {{ height: 13; border-top: solid $hair; }}
        #lower {{ width: 1fr; }}
        #told {{ width: 46%; border-left: solid $hair; }}
        &.mid #tracks {{ width: 38%; }}
        &.mid #told {{ width: 38%; }}
        &.low #middle {{ padding-top: 0; }}
        &.low #below {{ height: 8; }}
        &.one #below {{ height: 6; }}
        &.one #tracks {{ display: none; }}
        &.one #told {{ display: none; }}
        &.one.other #left {{ display: none; }}
        &.one.other #tracks {{ display: block; width: 1fr; border-left: none; }}
        &.one.other #lower {{ display: none; }}
        &.one.other #told {{ display: block; width: 1fr; border-left: none; }}
    }}
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._work: Work = desk.work
        self._editor = Editor(self._work.text, self._complete)
        self._offer = Offer(self._fits)
        self._tune = 0
        self._strokes = 0
        self._follows = False
        self._taken = 0

    # what it shows

    def body(self) -> Iterable[Widget]:
        page = Horizontal(Picture(id="margin"), self._editor, id="page")
        left = Vertical(Picture(id="head"), page, id="left")
        yield Horizontal(left, Picture(id="tracks"), id="middle", classes="whole")
        yield Horizontal(Hearing(id="lower"), Picture(id="told"), id="below", classes="whole")
        yield Picture(id="offer")

    def on_mount(self) -> None:
        self.call_after_refresh(self._editor.focus)
        if self._work.unreadable is not None:
            self.say(str(self._work.unreadable))

    def pictures(self) -> Iterable[Follow]:
        yield "the line over the text", self._follow_head
        yield "the margin", self._follow_margin
        yield "the lanes", self._follow_tracks
        yield "what fits", self._follow_offer
        yield "the tunes", self._follow_lower
        yield "what was told", self._follow_told

    def done_here(self) -> object:
        run = self._work.run
        return self._strokes, self._work.version, run.version if run is not None else 0, self._editor.scroll_offset

    @property
    def _routine_name(self) -> str:
        """The name of the routine in which the cursor is."""
        return self._work.name_at(self._editor.cursor_location[0] + 1)

    @property
    def _routine(self) -> CheckedRoutine | None:
        """The routine in which the cursor is."""
        return self._work.routine_at(self._editor.cursor_location[0] + 1)

    def commands(self) -> keymap.Commands:
        return keymap.TUNES if self.query_one("#lower").has_focus else keymap.ROUTINES

    def _follow_head(self) -> None:
        view = views.head_view(self._work, self._routine_name, self._desk.now)
        self.picture("head").look(view, partial(draw_head, view))

    def _follow_margin(self) -> None:
        margin = self.picture("margin")
        self.set_class(self._work.run is not None, "timed")
        view = views.margin_view(self._work, round(self._editor.scroll_offset.y), margin.size.height)
        margin.look(view, partial(draw_margin, view))

    def _follow_tracks(self) -> None:
        tracks = self.picture("tracks")
        view = views.tracks_view(self._work, max(1, tracks.size.height - 4), self._desk.now)
        tracks.look(view, partial(draw_tracks, view))

    def _follow_lower(self) -> None:
        row, _ = self._editor.cursor_location
        fits = self._fits() if self._editor.has_focus and not self.query_one("#offer").display else []
        cursor = -1 if self._editor.has_focus else self._tune
        view = views.lower_view(self._work, self._routine, cursor, row + 1, fits)
        self.picture("lower").look(view, partial(draw_lower, view))

    def _follow_offer(self) -> None:
        """What fits stands right under the word that is begun, or over it where there is no room."""
        offer, (row, column) = self.picture("offer"), self._editor.cursor_location
        line = str(self._editor.document.get_line(row))
        view = self._offer.view((row, column), line) if self._editor.has_focus and not self.has_class("small") else None
        offer.display = view is not None
        if view is None:
            return
        width, height = offer_size(view)
        x, y = self._editor.cursor_screen_offset
        x -= column - self._offer.begin if view.taken >= 0 else len(begun(line[:column]))
        over = y + 1 + height > self.size.height - 1
        offer.styles.width, offer.styles.height = width, height
        offer.styles.offset = (max(0, min(x - 1, self.size.width - width)), y - height if over else y + 1)
        offer.look(view, partial(draw_offer, view))

    def _follow_told(self) -> None:
        view = views.told_view(self._work)
        self.picture("told").look(view, partial(draw_told, view))

    def _fits(self) -> list[Fit]:
        """What may stand where the cursor is."""
        row, column = self._editor.cursor_location
        line = str(self._editor.document.get_line(row))
        routines = [name for _, name in self._work.heads()]
        return fitting(line, column, self._desk.bench.setup, self._work.names_in(self._routine), routines)

    @property
    def under_cursor(self) -> Point | None:
        row, _ = self._editor.cursor_location
        line = str(self._editor.document.get_line(row))
        points = self._desk.bench.setup.points
        return next((points[word] for word in line.split() if word in points), None)

    # the text

    @on(Editor.Changed)
    def _changed(self) -> None:
        self._strokes += 1
        self._offer.typed(self._editor.cursor_location)
        self._work.set_text(self._editor.text)
        self._follow_soon()

    @on(Editor.SelectionChanged)
    def _moved(self) -> None:
        self._strokes += 1
        self._follow_soon()

    def _follow_soon(self) -> None:
        """Follow once for all that is typed in one go: a text is checked whole, which takes longer than a key."""
        if not self._follows:
            self._follows = True
            self.set_timer(SOON_SECONDS, self._follow_now)

    def _follow_now(self) -> None:
        self._follows = False
        self.follow()

    def _complete(self) -> None:
        """Take the first that fits, or the next in its place; where nothing is begun, go to the tunes."""
        row, column = self._editor.cursor_location
        line = str(self._editor.document.get_line(row))
        taken = self._offer.take((row, column), line)
        if taken is None:
            if line[:column].strip():
                self.query_one("#lower").focus()
            else:
                self._editor.insert("    ")
            self.follow()
            return
        begin, word = taken
        self._editor.replace(word, (row, begin), (row, column), maintain_selection_offset=False)

    # keys

    def hear(self, key: str, character: str | None) -> bool:
        """Keys of the tunes, while they are chosen."""
        self._strokes += 1
        if key in ("up", "down"):
            self._tune = max(0, self._tune + (1 if key == "down" else -1))
        elif key in ("left", "right", "shift+left", "shift+right"):
            far = 5 if key.startswith("shift") else 1
            self.attempt(lambda: self._turn(far if key.endswith("right") else -far))
        elif key in ("tab", "escape", "enter"):
            self._editor.focus()
        else:
            return False
        self.follow()
        return True

    def _turn(self, steps: int) -> None:
        routine = self._routine
        if routine is None or not routine.tunes:
            raise WrongError(
                "tunes", found="none here", expected="`tune NAME = VALUE from A to B` at a routine's beginning"
            )
        self._tune = min(self._tune, len(routine.tunes) - 1)
        name = list(routine.tunes)[self._tune]
        tune = routine.tunes[name]
        size = (tune.high - tune.low) / SMALL_TURN if tune.low > -1e300 and tune.high < 1e300 else 1.0
        low, high = sorted((tune.low, tune.high))
        value = min(high, max(low, self._work.value_of(routine, name) + steps * size))
        self._work.turn(routine, name, float(f"{value:.9g}"))

    def action_other(self) -> None:
        """Where there is room for one view: the tracks, or the text."""
        self.toggle_class("other")

    def action_list(self) -> None:
        """The routines of the text, to go to one of them, or to begin another."""
        actions = [
            Action(name, views.words_of(self._work, name, line), partial(self._go_to, line))
            for line, name in self._work.heads()
        ]
        actions.append(Action("a new one", "at the end of the text, of what the bench has", self._begin_anew))
        self.choose(actions, "the routines of this text")

    def _go_to(self, line: int) -> None:
        self._editor.move_cursor((line - 1, 0), center=True)
        self._editor.focus()

    def _begin_anew(self) -> None:
        text = self._editor.text.rstrip("\n")
        new = self._work.begun_anew()
        end = self._editor.document.end
        self._editor.replace(f"{text}\n\n{new}" if text else new, (0, 0), end)
        self._go_to(text.count("\n") + 3 if text else 1)

    def action_go(self) -> None:
        """Run the routine in which the cursor is."""
        self.attempt(lambda: self._work.begin(self._routine_name))

    def action_stop(self) -> None:
        """Stop the run."""
        if not self._work.is_running:
            self.say("nothing runs")
        self._work.stop()

    def action_hold(self) -> None:
        """Hold it, or let it go on."""
        if not self._work.is_running:
            self.say("nothing runs")
        self._work.hold()

    def action_one_step(self) -> None:
        """One step of what is held; where nothing runs, the line under the cursor by itself."""
        if self._work.is_running:
            self._work.one_step()
            return
        line = str(self._editor.document.get_line(self._editor.cursor_location[0]))
        self.attempt(lambda: self._work.begin_line(line))

    def action_save(self) -> None:
        """Write the file."""
        self.attempt(lambda: self.say(self._work.save(), well=True))

    def action_take_in(self) -> None:
        """What the file says now, in the place of what is here."""
        self.attempt(self._take_in)

    def _take_in(self) -> None:
        self._editor.replace(self._work.taken_in(), (0, 0), self._editor.document.end)
        self.say("taken in as the file has it; ctrl+z brings back what was here", well=True)

    def action_by_hand(self) -> None:
        """What was done by hand since, as lines of a routine; as one of its own, where the cursor is in none."""
        record, row = self._desk.bench.record, self._editor.cursor_location[0]
        events = sorted(self._wishes_by_hand(record), key=lambda event: event.number)
        self._taken = len(record)
        if not events:
            self.say("nothing more was done by hand")
            return
        lines = [self._line_of(event) for event in events[-MOST_BY_HAND:]]
        self._editor.insert(self._work.fitted_in(lines, row), (row, 0))
        self.say(f"{counted(len(lines), 'line')} of what was done by hand", well=True)

    def _wishes_by_hand(self, record: Record) -> Iterator[Event]:
        for point in self._desk.bench.setup.points.values():
            for event in record.course(point.board, Topic.POINT, point.name, (Kind.ASKED,)):
                if event.number >= self._taken and event.note == "by hand":
                    yield event

    def _line_of(self, event: Event) -> str:
        """A wish as a line of a routine."""
        assert isinstance(event.value, str | int | float)  # a wish has a value
        return f"    set {event.subject} to {written_value(self._desk.bench.setup.points[event.subject], event.value)}"

    def action_explain(self) -> None:
        """The step under the cursor, and how it is written."""
        line = str(self._editor.document.get_line(self._editor.cursor_location[0])).strip()
        self.app.push_screen(SheetScreen(lambda: step_sheet(line)))
