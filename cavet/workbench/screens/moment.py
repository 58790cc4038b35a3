"""Drive as it stood at a moment of the record: marked as past, stepped forth and back event by event."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from math import inf, nextafter

from textual import events
from textual.app import ComposeResult
from textual.containers import Horizontal
from textual.screen import ModalScreen

from cavet.drawings.canvas import HEATHER, PAPER, QUIET, Canvas
from cavet.faults import note_fault
from cavet.hosts import Point
from cavet.wording import WrongError
from cavet.workbench import keymap
from cavet.workbench.board_views import boards_view
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.lines import draw_foot
from cavet.workbench.drawing.rails import draw_rails, lay_out
from cavet.workbench.drawing.spine import draw_stack
from cavet.workbench.drawing.trail import TrailsView, draw_trails
from cavet.workbench.record.looking import Looking
from cavet.workbench.record.moment import Moment, moment_at
from cavet.workbench.record.then import Then
from cavet.workbench.roster import Head, Roster
from cavet.workbench.screens.fitted import Fitted
from cavet.workbench.widgets.picture import Picture
from cavet.workbench.widgets.rest import rest_in

FAR = 100
ONE_VIEW_COLUMNS, ROOMY_ROWS = 96, 40
HEAD_MARK = " past "


class MomentScreen(ModalScreen[str | None], Fitted[str | None]):
    """Rails, board and trail of a moment. Left with the name of another screen where one wants to go there."""

    PASSED = ("f12", "ctrl+e", "ctrl+q")
    DEFAULT_CSS = """
    MomentScreen {
        layout: vertical; align: left top; background: $background;
        #head { height: 1; }
        #middle { height: 1fr; }
        #rails { width: 9fr; }
        #board { width: 10fr; }
        #trail { height: 11; }
        #foot { height: 1; }
        &.low #trail { height: 7; }
        &.one #rails { width: 1fr; }
        &.one #board { display: none; }
        &.one.other #board { display: block; width: 1fr; }
        &.one.other #rails { display: none; }
    }
    """

    def __init__(self, desk: Desk, looking: Looking, moved: Callable[[], None]) -> None:
        super().__init__()
        self._desk = desk
        self._looking = looking
        self._moved = moved
        bench = desk.bench
        self._then = Then(bench, looking.lanes)
        self._roster = Roster(list(bench.setup.points.values()))
        self._history = bench.history
        self._number = max(self._history.first, self._history.number_at(looking.t) - 1)
        self._cursor = 0
        self._is_left = False
        self._message = ""
        self._go_to(looking.point)

    def compose(self) -> ComposeResult:
        yield Picture(id="head")
        yield Horizontal(Picture(id="rails"), Picture(id="board"), id="middle")
        yield Picture(id="trail")
        yield Picture(id="foot")

    def on_mount(self) -> None:
        self.fit()

    def fit(self) -> None:
        width, height = self.app.size
        self.set_class(width < ONE_VIEW_COLUMNS, "one")
        self.set_class(height < ROOMY_ROWS, "low")
        super().fit()

    # what it shows

    def follow(self) -> None:
        """Draw it. What can't be drawn is told, and left."""
        if self._is_left or not self.is_mounted:
            return
        try:
            self._follow()
        except WrongError as error:
            self._shut(str(error))
        except Exception as error:  # noqa: BLE001
            self._shut(note_fault("a moment", error))

    def _shut(self, why: str) -> None:
        self.app.notify(f"shut, since it can't be drawn: {why}", markup=False)
        self.leave()

    def _follow(self) -> None:
        moment = moment_at(self._desk.bench, self._number)
        head = (moment.t, moment.number, moment.event, self.has_class("one"))
        self._picture("head").look(head, partial(_draw_head, moment, len(self._history)))
        rails = self._picture("rails")
        self._cursor = self._roster.open_in(rails.size.height, self._cursor) if rails.size.height else self._cursor
        listed = self._then.rails(moment, self._roster, self._cursor)
        layout = lay_out(listed, *rails.size)
        rails.look(listed, lambda width, height: draw_rails(listed, layout, width, height))
        picture = self._picture("board")
        setup, board_at = self._desk.bench.setup, partial(self._then.board, moment)
        boards = boards_view(setup, self._roster, self.point, picture.size.height, board_at)
        picture.look(boards, partial(draw_stack, boards))
        trail = self._then.trail(self._desk, moment, self.point)
        view = TrailsView(current=trail, empty="no command of this point until then")
        self._picture("trail").look(view, partial(draw_trails, view))
        keys, message = keymap.foot(keymap.MOMENT, tight=self.has_class("one")), self._message
        self._picture("foot").look(
            (keys, message), lambda width, height: draw_foot(keys, rest_in(self.app), width, message, PAPER)
        )

    def _picture(self, name: str) -> Picture:
        return self.query_one(f"#{name}", Picture)

    @property
    def point(self) -> Point:
        """The point under the cursor; on a board's head its first."""
        line = self._roster.lines()[self._cursor]
        return self._roster.points_of(line.board)[0] if isinstance(line, Head) else line

    def _go_to(self, point: Point | None) -> None:
        if point is not None:
            self._roster.fold(point.board, False)
            self._cursor = self._roster.lines().index(point)

    # keys

    def on_key(self, event: events.Key) -> None:
        """Every key but those of everywhere; then it is shown as it is."""
        if event.key in self.PASSED:
            return
        event.stop()
        if not self._is_left:
            self._message = ""
            self._hear(event.key, event.character)
            self.follow()

    def _hear(self, key: str, character: str | None) -> None:
        steps = {"right": 1, "left": -1, "shift+right": FAR, "shift+left": -FAR}.get(key, 0)
        if steps:
            self._step(self._number + steps)
        elif key in ("up", "down"):
            last = len(self._roster.lines()) - 1
            self._cursor = min(last, max(0, self._cursor + (1 if key == "down" else -1)))
        elif key == "space":
            self._fold()
        elif character in ("n", "N"):
            self._next(1 if character == "n" else -1)
        elif key == "tab":
            self.toggle_class("other")
            self.call_after_refresh(self.follow)
        elif character == "v":
            self.leave("frames")
        elif key in ("escape", "enter", "q"):
            self.leave()

    def _step(self, number: int) -> None:
        self._number = min(len(self._history) - 1, max(self._history.first, number))
        self._looking.go_to(self._history[self._number].t)
        self._moved()

    def _next(self, step: int) -> None:
        """The next event about the point under the cursor or its part, as far as lanes have it, or the one before."""
        point, history = self.point, self._history
        names = {point.name, point.part or point.name}
        now = history[self._number].t
        times = [
            t for lane in self._looking.lanes.all() if lane.name in names and (t := lane.next(now, step)) is not None
        ]
        if not times:
            self._message = f"nothing of {point.name} {'any more' if step > 0 else 'before'}"
            return
        t = min(times) if step > 0 else max(times)
        begin, end = history.number_at(nextafter(t, -inf)), history.number_at(t)
        own = [event.number for event in history.since(begin, end - begin) if event.subject in names]
        self._step(own[0] if own else end - 1)

    def _fold(self) -> None:
        line = self._roster.lines()[self._cursor]
        board = line.board
        self._roster.fold(board, isinstance(line, Point) or not self._roster.is_folded(board))
        heads = [place for place, each in enumerate(self._roster.lines()) if isinstance(each, Head)]
        if heads:
            self._cursor = next(place for place in heads if self._roster.lines()[place].board == board)

    def leave(self, to: str | None = None) -> None:
        """Go back to the lanes, or on to another screen."""
        if not self._is_left:
            self._is_left = True
            self.dismiss(to)


def _draw_head(moment: Moment, count: int, width: int, height: int) -> Canvas:
    """What tells this from Drive at once: it is past, and nothing here acts."""
    canvas = Canvas(width, height)
    canvas.put(1, 0, HEAD_MARK, PAPER._replace(bold=True))
    canvas.shade(1, 0, len(HEAD_MARK), 1, "lifted")
    where = f"as it stood at {moment.t:.6f} s"
    canvas.put(len(HEAD_MARK) + 2, 0, where, HEATHER)
    x = len(HEAD_MARK) + len(where) + 4
    told = f"behind event {moment.number} of {count - 1}: "
    canvas.put(x, 0, told, QUIET)
    canvas.put(x + len(told), 0, moment.event, PAPER, width - x - len(told) - 1)
    return canvas
