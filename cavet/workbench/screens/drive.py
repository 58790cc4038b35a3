"""Drive: I ask; what happens?"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial

from textual.containers import Horizontal
from textual.widget import Widget

from cavet.hosts import Point, PointKind
from cavet.record import Trail
from cavet.workbench import board_views, keymap, rail_views, trail_views
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.spine import draw_stack
from cavet.workbench.drawing.trail import draw_trails
from cavet.workbench.roster import Head
from cavet.workbench.screens import sheets
from cavet.workbench.screens.defects import DefectsScreen
from cavet.workbench.screens.frame import Follow, Frame
from cavet.workbench.screens.sheet import SheetScreen
from cavet.workbench.widgets.picture import Picture
from cavet.workbench.widgets.rails import Rails


class DriveScreen(Frame):
    """Rails on the left, the board on the right, the trail below."""

    NAME = "drive"
    CAN = keymap.DRIVE
    BINDINGS = keymap.bindings(keymap.DRIVE)
    DEFAULT_CSS = """
    DriveScreen {
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
    }
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._chosen: int | None = None

    def body(self) -> Iterable[Widget]:
        rails = Rails(self._desk.roster, id="rails")
        yield Horizontal(rails, Picture(id="board"), id="middle", classes="whole")
        yield Picture(id="trail", classes="whole")

    def pictures(self) -> Iterable[Follow]:
        yield "the rails", self._follow_rails
        yield "the board", self._follow_board
        yield "the trail", self._follow_trail

    def on_mount(self) -> None:
        self._rails.focus()

    def done_here(self) -> object:
        rails = self._rails
        return rails.cursor, rails.entry, rails.search, rails.size

    def commands(self) -> keymap.Commands:
        if self._rails.search is not None:
            return keymap.FINDING
        if self._rails.entry is None:
            return keymap.DRIVE
        line = self._rails.line
        if isinstance(line, Point) and line.kind.is_text:
            return keymap.ENTERING_COLOUR if line.kind is PointKind.COLOUR else keymap.ENTERING_TEXT
        return keymap.ENTERING

    @property
    def under_cursor(self) -> Point:
        return self._point

    def go_to(self, point: Point) -> None:
        for rails in self.query(Rails):  # none while it is being left
            rails.go_to(point)

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

    def _follow_rails(self) -> None:
        rails = self._rails
        rails.open_where_room()
        view = rail_views.rails_view(
            self._desk,
            rails.cursor,
            entry=rails.entry,
            search=self._search(),
            typing=rails.search is not None,
        )
        rails.set_view(view)

    def _follow_board(self) -> None:
        picture = self.picture("board")
        desk, board_at = self._desk, partial(board_views.board_view, self._desk)
        boards = board_views.boards_view(desk.bench.setup, desk.roster, self._point, picture.size.height, board_at)
        picture.look(boards, partial(draw_stack, boards))

    def _follow_trail(self) -> None:
        trails = trail_views.trails_view(self._desk, self._point, self._chosen)
        self.picture("trail").look(trails, partial(draw_trails, trails))

    # what the rails post

    def on_rails_moved(self, message: Rails.Moved) -> None:
        self._chosen = None
        self.follow()

    def on_rails_nudged(self, message: Rails.Nudged) -> None:
        self._attempt(lambda: self._desk.wishes.nudge(self._named(message), message.steps))

    def on_rails_pulled(self, message: Rails.Pulled) -> None:
        point = self._named(message)
        value = point.low + message.share * (point.high - point.low)
        step = max(point.step / 5, 1e-9)
        self._attempt(lambda: self._desk.wishes.ask(point, round(value / step) * step))

    def on_rails_flipped(self, message: Rails.Flipped) -> None:
        self._attempt(lambda: self._desk.wishes.flip(self._named(message)))

    def on_rails_entered(self, message: Rails.Entered) -> None:
        self._attempt(lambda: self._desk.wishes.type_in(self._named(message), message.text))

    def _named(self, message: Rails.Wanted) -> Point:
        return self._desk.bench.setup.points[message.name]

    def _search(self) -> str | None:
        """What is searched for, with its caret while it is typed, and as long as it holds."""
        typed = self._rails.search
        return typed.shown() if typed is not None else self._desk.roster.wanted or None

    def action_find(self) -> None:
        """Begin a search."""
        self._rails.find()

    def action_show_all(self) -> None:
        """End a search."""
        self._rails.show_all()

    def _attempt(self, act: Callable[[], object]) -> None:
        self._chosen = None
        self.attempt(act)

    # keys of the screen

    def action_trail(self, by: int) -> None:
        """Go to another trail, older or newer."""
        numbers = list(self._desk.standings.trails.all)
        if not numbers:
            return
        shown = self._chosen if self._chosen is not None else trail_views.latest_trail(self._desk, self._point)
        place = numbers.index(shown) if shown in numbers else len(numbers)
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

    def action_frames(self) -> None:
        """Go to what of the trail that is shown was on the wire."""
        number = self._chosen if self._chosen is not None else trail_views.latest_trail(self._desk, self._point)
        trail = self._desk.standings.trails.all.get(number) if number is not None else None
        if trail is None:
            self.say("no trail yet: move this point first")
            return
        self.depart(self.Away("frames", trail))

    def show_trail(self, trail: Trail) -> None:
        point = self._desk.bench.setup.points.get(trail.point)
        if point is not None:
            self._rails.go_to(point)
        self._chosen = trail.number
        self.follow()

    def action_explain(self) -> None:
        self.app.push_screen(SheetScreen(lambda: sheets.point_sheet(self._desk, self._point)))

    def action_defects(self) -> None:
        self.app.push_screen(DefectsScreen(self._desk))

    def action_undo(self) -> None:
        self.say(self._desk.wishes.undo(), well=True)

    def action_link(self) -> None:
        """Let go of the link of this board, for another program; or take it up again."""
        self._desk.switch_link(self._point.board)

    def action_view(self) -> None:
        self.toggle_class("other")
        self.call_after_refresh(self.follow)
