"""Drive: I ask; what happens?"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from textual.app import ComposeResult
from textual.containers import Horizontal
from textual.screen import Screen

from cavet.faults import FORESEEN, fault_words, note_fault
from cavet.hosts import Point
from cavet.workbench import keymap, trail_views, views
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.lines import draw_foot, draw_too_small, draw_top
from cavet.workbench.drawing.spine import draw_board
from cavet.workbench.drawing.trail import draw_trails
from cavet.workbench.roster import Head
from cavet.workbench.screens import sheets
from cavet.workbench.screens.defects import DefectsScreen
from cavet.workbench.screens.sheet import SheetScreen
from cavet.workbench.widgets.picture import Picture
from cavet.workbench.widgets.rails import Rails

FRAME_SECONDS = 1 / 15
CALM_SECONDS = 0.24
"""So long a picture may stand while nothing stirs: what comes in by itself is shown four times a second."""
MESSAGE_SECONDS = 6.0
LEAST_SIZE = (40, 12)
"""Columns and rows below which nothing is drawn but one line that says so."""
ONE_VIEW_COLUMNS = 96
"""Below this width there is room for the rails or for the board, not for both."""


class DriveScreen(Screen[None]):
    """Rails on the left, the board on the right, the trail below."""

    DEFAULT_CSS = """
    DriveScreen {
        layout: vertical;
        #top, #foot { height: 1; }
        #middle { height: 1fr; }
        #rails { width: 9fr; }
        #board { width: 10fr; }
        #trail { height: 11; }
        &.low #trail { height: 7; }
        &.mid #rails { width: 56; }
        &.one #rails { width: 1fr; }
        &.one #board { display: none; }
        &.one.other #board { display: block; width: 1fr; }
        &.one.other #rails { display: none; }
        #small { height: 1fr; display: none; }
        &.small #small { display: block; }
        &.small > .whole { display: none; }
    }
    """

    BINDINGS = keymap.DRIVE

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._chosen: int | None = None
        self._message = ""
        self._message_until = 0.0
        self._faults: set[str] = set()
        """What has failed so far: each is logged once, not with every frame."""
        self._fitted = (0, 0)
        self._drawn_at = 0.0
        self._done: tuple[object, ...] = ()
        """What a person had done at the rails when they were drawn last."""

    def compose(self) -> ComposeResult:
        yield Picture(id="small")
        yield Picture(id="top", classes="whole")
        with Horizontal(id="middle", classes="whole"):
            yield Rails(self._desk.roster, id="rails")
            yield Picture(id="board")
        yield Picture(id="trail", classes="whole")
        yield Picture(id="foot", classes="whole")

    def on_mount(self) -> None:
        self._rails.focus()
        self._fit()
        self.set_interval(FRAME_SECONDS, self._tick)
        self.call_after_refresh(self.follow)

    def _tick(self) -> None:
        """Draw, unless nothing stirs and it was done a short while ago."""
        rails = self._rails
        done = (rails.cursor, rails.entry, rails.search, rails.size)
        calm = self._desk.now - self._drawn_at < CALM_SECONDS
        if calm and done == self._done and not self._desk.stirs():
            return
        self._done = done
        self.follow()

    def on_resize(self) -> None:
        self.call_after_refresh(self.follow)

    def _fit(self) -> None:
        """Share the room out anew when there is more or less of it."""
        width, height = self.app.size
        if (width, height) == self._fitted:
            return
        self._fitted = (width, height)
        self.set_class(width < LEAST_SIZE[0] or height < LEAST_SIZE[1], "small")
        self.set_class(width < ONE_VIEW_COLUMNS, "one")
        self.set_class(ONE_VIEW_COLUMNS <= width < 130, "mid")
        self.set_class(height < 40, "low")
        self.call_after_refresh(self.follow)

    @property
    def _rails(self) -> Rails:
        return self.query_one(Rails)

    @property
    def _point(self) -> Point:
        """The point under the cursor; on a board's head its first, and when nothing is found, the first there is."""
        line = self._rails.line
        if isinstance(line, Head):
            return self._desk.roster.points_of(line.board)[0]
        return line if line is not None else self._desk.points[0]

    def follow(self) -> None:
        """Draw everything as it stands now; what has not changed costs nothing."""
        if not self.is_mounted or not self._desk.points:
            return
        self._fit()
        self._drawn_at = self._desk.now
        if self.has_class("small"):
            columns, rows = self.app.size
            draw = partial(draw_too_small, least=LEAST_SIZE)
            self._picture("small").look((columns, rows), lambda width, height: draw(columns, rows))
            return
        for name, follow in (
            ("the record", self._desk.follow),
            ("the rails", self._follow_rails),
            ("the board", self._follow_board),
            ("the trail", self._follow_trail),
            ("the top line", self._follow_top),
            ("the foot", self._follow_foot),
        ):
            self._fence(name, follow)

    def _fence(self, name: str, follow: Callable[[], None]) -> None:
        """What fails in one picture leaves the others alone; it is told, and logged once."""
        try:
            follow()
        except FORESEEN as error:  # what was held can't be let go of: its session has stopped, say
            self._message, self._message_until = str(error), self._desk.now + MESSAGE_SECONDS
        except Exception as error:  # noqa: BLE001
            words = f"{name} can't be drawn: {fault_words(error)}"
            if words not in self._faults:
                self._faults.add(words)
                note_fault(name, error)
            self._message, self._message_until = words, self._desk.now + MESSAGE_SECONDS

    def _follow_rails(self) -> None:
        rails = self._rails
        view = views.rails_view(
            self._desk,
            rails.cursor,
            entry=rails.entry,
            search=self._search(),
            typing=rails.search is not None,
        )
        rails.set_view(view)

    def _follow_board(self) -> None:
        board = views.board_view(self._desk, self._point)
        self._picture("board").look(board, partial(draw_board, board))

    def _follow_trail(self) -> None:
        trails = trail_views.trails_view(self._desk, self._point, self._chosen)
        self._picture("trail").look(trails, partial(draw_trails, trails))

    def _follow_top(self) -> None:
        top = views.top_view(self._desk, "drive")
        self._picture("top").look(top, lambda width, height: draw_top(top, width))

    def _follow_foot(self) -> None:
        keys = keymap.DRIVE_FOOT_NARROW if self.has_class("one") else keymap.DRIVE_FOOT
        keys = keys if self._rails.entry is None else keymap.ENTRY_FOOT
        keys = keys if self._rails.search is None else keymap.FIND_FOOT
        message = self._message if self._desk.now < self._message_until else ""
        foot = (keys, message)
        self._picture("foot").look(foot, lambda width, height: draw_foot(keys, keymap.REST, width, message))

    def _picture(self, name: str) -> Picture:
        return self.query_one(f"#{name}", Picture)

    def say(self, message: str) -> None:
        """Put a line at the foot for a while."""
        self._message = message
        self._message_until = self._desk.now + MESSAGE_SECONDS
        self.follow()

    # what the rails post

    def on_rails_moved(self, message: Rails.Moved) -> None:
        self._chosen = None
        self.follow()

    def on_rails_nudged(self, message: Rails.Nudged) -> None:
        self._attempt(lambda: self._desk.nudge(self._named(message), message.steps))

    def on_rails_pulled(self, message: Rails.Pulled) -> None:
        point = self._named(message)
        value = point.low + message.share * (point.high - point.low)
        step = max(point.step / 5, 1e-9)
        self._attempt(lambda: self._desk.ask(point, round(value / step) * step))

    def on_rails_flipped(self, message: Rails.Flipped) -> None:
        self._attempt(lambda: self._desk.flip(self._named(message)))

    def on_rails_typed(self, message: Rails.Typed) -> None:
        self._attempt(lambda: self._desk.type_in(self._named(message), message.text))

    def _named(self, message: Rails.Wanted) -> Point:
        return self._desk.bench.plan.points[message.name]

    def _search(self) -> str | None:
        """What is searched for, while it is typed, and as long as it holds."""
        return self._rails.search if self._rails.search is not None else self._desk.roster.wanted or None

    def action_find(self) -> None:
        """Begin a search."""
        self._rails.find()

    def action_show_all(self) -> None:
        """End a search."""
        self._rails.show_all()

    def _attempt(self, act: sheets.Act) -> None:
        self._chosen = None
        self._message = ""
        try:
            act()
        except FORESEEN as error:
            self.say(str(error))
        self.follow()

    # keys of the screen

    def action_trail(self, by: int) -> None:
        """Go to another trail, older or newer."""
        numbers = list(self._desk.standings.trails.all)
        if not numbers:
            return
        shown = self._chosen if self._chosen is not None else trail_views.latest_trail(self._desk, self._point)
        place = numbers.index(shown) if shown in numbers else len(numbers) - 1
        self._chosen = numbers[min(len(numbers) - 1, max(0, place + by))]
        self.follow()

    def action_broken(self) -> None:
        """Go to the newest broken trail that was not looked at."""
        unseen = self._desk.unseen()
        if unseen:
            self._chosen = unseen[0]
        self.follow()

    def action_look(self) -> None:
        """Look at the trail that is shown, from end to end."""
        number = self._chosen if self._chosen is not None else trail_views.latest_trail(self._desk, self._point)
        trail = self._desk.standings.trails.all.get(number) if number is not None else None
        if trail is None:
            self.say("no trail yet: move this point first")
            return
        self._desk.looked_at.add(trail.number)
        self.app.push_screen(SheetScreen(lambda: sheets.trail_sheet(self._desk, trail)))

    def action_explain(self) -> None:
        self.app.push_screen(SheetScreen(lambda: sheets.point_sheet(self._desk, self._point)))

    def action_defects(self) -> None:
        self.app.push_screen(DefectsScreen(self._desk))

    def action_undo(self) -> None:
        self.say(self._desk.undo())

    def action_link(self) -> None:
        """Let go of the link of this board, for another program; or take it up again."""
        self.say(self._desk.switch_link(self._point.board))

    def action_view(self) -> None:
        self.toggle_class("other")
        self.call_after_refresh(self.follow)
