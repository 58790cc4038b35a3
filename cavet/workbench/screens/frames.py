"""Frames: which bytes, and what do they mean? And saying them by hand."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial

from textual.containers import Horizontal
from textual.widget import Widget

from cavet.hosts import Point
from cavet.record import Event, Kind, Topic, Trail
from cavet.workbench import keymap
from cavet.workbench.drawing.saying import SayView, draw_said, draw_say, draw_slate, name_under
from cavet.workbench.drawing.tape import FULL_ROWS, draw_tape, title_cells
from cavet.workbench.drawing.under import UnderView, bit_under, draw_under
from cavet.workbench.frames import fate, views
from cavet.workbench.frames.editing import Editing
from cavet.workbench.frames.slate import completions
from cavet.workbench.screens import frame_sheets
from cavet.workbench.screens.frame import Follow
from cavet.workbench.screens.frames_acting import FramesActing
from cavet.workbench.screens.frames_base import BEFORE, BLANK, BYTES, ON_RULER, SAYING, SEARCH, SUM, TAPE, VALUE
from cavet.workbench.screens.sheet import SheetScreen
from cavet.workbench.widgets.hearing import Hearing
from cavet.workbench.widgets.picture import Picture


class FramesScreen(FramesActing):
    """The tape above, the frame under the cursor below it, at its right what can be said, at the foot what was."""

    NAME = "frames"
    CAN = keymap.FRAMES
    DEFAULT_CSS = """
    FramesScreen {
        #tape { height: 15; padding-top: 1; }
        #middle { height: 1fr; border-top: solid $hair; }
        #under { width: 1fr; }
        #say { width: 54; border-left: solid $hair; }
        #said { height: 4; border-top: solid $hair; }
        #slate { height: 3; border-top: solid $hair; }
        &.low #tape { height: 9; padding-top: 0; }
        &.low #said { height: 3; }
        &.low #slate { height: 2; }
        &.mid #say { width: 42; }
        &.one #say { display: none; }
        &.one #said { display: none; }
        &.one #slate { display: none; }
        &.one.typing #slate { display: block; }
        &.one.other #say { display: block; width: 1fr; border-left: none; }
        &.one.other #under { display: none; }
        &.one.other #said { display: block; }
        &.one #tape { height: 8; }
    }
    """

    # what it shows

    def body(self) -> Iterable[Widget]:
        yield Hearing(id="tape", classes="whole")
        yield Horizontal(Hearing(id="under"), Hearing(id="say"), id="middle", classes="whole")
        yield Picture(id="said", classes="whole")
        yield Hearing(id="slate", classes="whole")

    def on_mount(self) -> None:
        self.query_one("#tape").focus()

    def pictures(self) -> Iterable[Follow]:
        yield "the tape", self._follow_tape
        yield "the frame", self._follow_under
        yield "what can be said", self._follow_say
        yield "what was said", self._follow_said

    def done_here(self) -> object:
        return self._strokes, self._desk.saying.come_back(), self.reading.following, self.reading.left

    def commands(self) -> keymap.Commands:
        if self._entry is not None:
            return keymap.TYPING
        if self._focus == ON_RULER:
            return keymap.RULER
        if self._focus == SAYING:
            return keymap.WAYS if self._ways else keymap.SAY
        return keymap.FRAMES

    def _follow_tape(self) -> None:
        reading = self.reading
        reading.follow(self._desk.now, self._cells)
        self._look_for_expected()
        self._take_up()
        view = views.tape_view(self._desk, reading, self._cells, self._rows)
        self.picture("tape").look(view, partial(draw_tape, view))

    def _take_up(self) -> None:
        """Take the frame under the cursor apart, unless it is the one that is shown."""
        reading = self.reading
        here = (reading.link, reading.number)
        if here == self._shown and self._editing is not None:
            return
        frame, placed = reading.frame, reading.placed
        self._shown = here
        self._editing = Editing(reading.on.tongue, frame, placed.side) if frame is not None and placed else None

    def _follow_under(self) -> None:
        composing = self._focus == SAYING and not self._sentence.choosing
        view = views.under_view(
            self._desk, self.reading, self._editing, self._sentence if composing else None,
            active=self._focus == ON_RULER, with_wave=self._with_wave,
            entry=self._entry if self._typing == VALUE else None,
        )  # fmt: skip
        self.picture("under").look(view, partial(draw_under, view))

    def _follow_say(self) -> None:
        view = views.say_view(
            self._sentence, self._place, focused=self._focus == SAYING, refused=self._refused(),
            entry=self._entry if self._typing == BLANK else None,
            ways=tuple(way.told for way in self._ways), way=self._way,
        )  # fmt: skip
        self.picture("say").look(view, partial(draw_say, view))

    def _follow_said(self) -> None:
        said = views.said_views(tuple(self._desk.saying.entries))
        empty = "nothing: this is a record" if self._desk.past else "nothing yet"
        self.picture("said").look(said, lambda width, height: draw_said(said, None, width, height, empty))
        entry = self._entry if self._typing in BEFORE else None
        before = BEFORE.get(self._typing, "")
        lines = tuple((line.asked, line.found, line.is_bad) for line in self._slate.lines)
        if self._typing == SUM and entry is not None and (told := completions(entry.text)):
            lines = (("", told, False), *lines)
        slate = (before, entry, lines)
        self.picture("slate").look(slate, lambda width, height: draw_slate(*slate, width, height))
        self.set_class(self._typing in BEFORE, "typing")
        self.set_class(self._focus == SAYING, "other")

    def _entered(self, what: str, text: str) -> None:
        if what == VALUE and self._editing is not None:
            self._editing.set(text)
        elif what == BLANK:
            self._sentence.put(text)
            self._sentence.settle()
            self._sentence.move(1)
        elif what == SUM and text.strip():
            data = self._editing.frame.data if self._editing is not None else b""
            field = self._editing.field if self._editing is not None and self._focus == ON_RULER else None
            self._slate.reckon(text, data, field)
        elif what == SEARCH:
            self._search(text, 1)
        elif what == BYTES:
            self._say_wrong(f"bytes={text}")

    # the tape

    def action_move(self, by: int) -> None:
        self.reading.move(by, self._cells)

    def action_link(self, by: int) -> None:
        self.reading.to_link(by)

    def action_end(self, by: int) -> None:
        del by
        self.reading.go_to(0, self._cells)

    def action_follow(self) -> None:
        self.reading.following = not self.reading.following

    def action_zoom(self, steps: int) -> None:
        self.reading.zoom(steps, self._cells)

    def action_partner(self) -> None:
        if not self.reading.to_partner(self._cells):
            self.say("this frame is no answer, and has none")

    def action_find(self) -> None:
        self._begin(SEARCH, "")

    def action_again(self, step: int) -> None:
        self._search(self.reading.wanted or "problem", step)

    def _search(self, wanted: str, step: int) -> None:
        told = self.reading.search(wanted, step, self._cells)
        if told:
            self.say(told)

    def action_problem(self, step: int) -> None:
        self._search("problem", step)

    def action_wave(self) -> None:
        self._with_wave = not self._with_wave

    def action_slate(self) -> None:
        self._begin(SUM, "")

    def action_let_go(self) -> None:
        if self._host:
            self._desk.switch_link(self._host)

    def action_tape(self) -> None:
        self._ways = ()
        if self._focus == SAYING and not self._sentence.choosing:
            self._sentence.choosing = True
            return
        self._focus = TAPE

    # elsewhere

    def action_explain(self) -> None:
        if self._focus == SAYING:
            self.app.push_screen(SheetScreen(lambda: frame_sheets.message_sheet(self._sentence)))
        elif self._editing is not None:
            self.app.push_screen(SheetScreen(lambda: frame_sheets.frame_sheet(self._desk, self.reading, self._editing)))

    @property
    def _trail(self) -> Trail | None:
        placed, frame = self.reading.placed, self.reading.frame
        link = self._link
        if placed is None or frame is None or link is None:
            return None
        desk, on = self._desk, self.reading.on
        return fate.trail_of(desk.standings, desk.bench.record, on, placed.number, frame, link.board)

    def action_trail(self) -> None:
        """Go to the trail of the frame under the cursor, on Drive."""
        trail = self._trail
        if trail is None:
            self.say("no trail: this frame belongs to no wish")
            return
        self.depart(self.Away("drive", trail))

    @property
    def under_cursor(self) -> Point | None:
        trail = self._trail
        if trail is not None and trail.point in self._desk.bench.setup.points:
            return self._desk.bench.setup.points[trail.point]
        link = self._link
        points = self._desk.bench.setup.points_on(link.board) if link is not None else []
        return points[0] if points else None

    def go_to(self, point: Point) -> None:
        link = self._desk.bench.setup.line_of(point.board)
        if link != self.reading.link:
            self.reading.choose(link)

    def show_trail(self, trail: Trail) -> None:
        """Bring the frame of a trail under the cursor, as soon as there is one."""
        reading = self.reading
        reading.follow(self._desk.now, self._cells)
        self._expected = None
        if self._bring(trail):
            return
        link = self._link_of(trail, trail.root)
        if link and link != reading.link:
            reading.choose(link)
        if not self._was_never_sent(trail):
            self._expected = (trail, self._strokes)
            reading.following = True

    def _was_never_sent(self, trail: Trail) -> bool:
        """Whether a trail without a frame is over; that is said."""
        diagnosis = self._desk.standings.diagnose(trail)
        is_over = diagnosis.broken is not None or diagnosis.is_over
        if is_over:
            self.say("nothing of this trail was on the wire")
        return is_over

    def _bring(self, trail: Trail) -> bool:
        """Bring the frame of a trail under the cursor, if its host has made it; tell whether it has."""
        reading = self.reading
        step = trail.steps.get(Kind.FRAMED) or trail.steps.get(Kind.CARRIED)
        for event in step.events if step is not None else ():
            link = self._link_of(trail, event)
            if isinstance(event.value, bytes) and link:
                if link != reading.link:
                    reading.choose(link)
                reading.find(event.value, event.t, self._cells)
                return True
        return False

    def _look_for_expected(self) -> None:
        """Go to the frame of the trail that one came here for, once it is made; no more where a key was pressed."""
        expected, self._expected = self._expected, None  # what is said on the way draws all of it anew
        if expected is not None and expected[1] == self._strokes:
            trail, _ = expected
            if not (self._bring(trail) or self._was_never_sent(trail)):
                self._expected = expected

    def _link_of(self, trail: Trail, event: Event) -> str:
        """The link that a trail went over: that of its point's host, or the one that a program has used."""
        setup = self._desk.bench.setup
        point = setup.point_of(trail)
        if point is not None:
            return setup.line_of(point.board)
        if event.topic is Topic.LINK and event.subject in setup.links:
            return setup.links[event.subject].line
        return next((link.line for link in setup.links.values() if link.board == event.board), "")

    def show_time(self, point: Point, t: float) -> None:
        """Stand at the last frame before a time, on the link of a point's board."""
        reading = self.reading
        reading.follow(self._desk.now, self._cells)
        reading.following = False
        reading.choose(self._desk.bench.setup.line_of(point.board), t)
        reading.go_to(reading.number, self._cells)

    # the mouse

    def on_hearing_pressed(self, message: Hearing.Pressed) -> None:
        self._strokes += 1
        if message.sender.id == "tape":
            self.attempt(lambda: self._press_tape(message.x, message.y))
        elif message.sender.id == "under":
            self._press_ruler(message.x, message.y)
        elif message.sender.id == "say":
            self._press_say(message.y)
        else:
            self.action_slate()
        self.follow()

    def _press_say(self, y: int) -> None:
        """A message that is pressed is chosen; pressed again, or below them all, its blanks are filled."""
        say = self.picture("say")
        view = say.shown
        place = name_under(view, say.size.width, say.size.height, y) if isinstance(view, SayView) else None
        again = self._focus == SAYING
        self._focus = SAYING
        if place is not None and place != self._sentence.chosen:
            self._sentence.choose(place - self._sentence.chosen)
            self._sentence.choosing = True
        elif again:
            self._sentence.choosing = False

    def _press_ruler(self, x: int, y: int) -> None:
        """The cursor goes to the field that was pressed; pressed again, to the bit."""
        under = self.picture("under")
        editing, view = self._editing, under.shown
        if editing is None or not isinstance(view, UnderView):
            return
        again = self._focus == ON_RULER
        self._focus = ON_RULER
        self.reading.following = False
        bit = bit_under(view, under.size.width, under.size.height, x, y)
        if bit is not None:
            was = editing.cursor
            editing.point_at(bit)
            editing.bit = bit if again and editing.cursor == was else None

    @property
    def _rows(self) -> int:
        """How many other links have a row below the chosen one."""
        return max(0, self.picture("tape").size.height - FULL_ROWS)

    def _press_tape(self, x: int, y: int) -> None:
        reading = self.reading
        self._focus = TAPE
        left = title_cells(self.picture("tape").size.width)
        if y >= FULL_ROWS:
            others = reading.beside(self._rows)
            if y - FULL_ROWS < len(others):
                reading.choose(others[y - FULL_ROWS], reading.begin + max(0, x - left) * reading.cell)
        if x >= left and len(reading.on):
            t = reading.begin + (x - left + 0.5) * reading.cell
            seen = reading.on.within(t - reading.cell, t + reading.cell) or range(
                reading.on.nearest(t), reading.on.nearest(t) + 1
            )
            above = y <= 2
            fitting = [number for number in seen if reading.on.placed(number).above == above] or list(seen)
            reading.go_to(fitting[0], self._cells)

    def on_hearing_turned(self, message: Hearing.Turned) -> None:
        self._strokes += 1
        if message.sender.id == "tape":
            if message.far:
                self.reading.zoom(message.by, self._cells)
            else:
                self.reading.scroll(0.1 * message.by, self._cells)
        elif message.sender.id == "say":
            self.action_choose(message.by)
        elif message.sender.id == "under" and self._editing is not None:
            self._editing.move(message.by)
        self.follow()
