"""Bench: what is wired to what, and is it all there?"""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial

from textual.containers import Horizontal
from textual.widget import Widget

from cavet.benchfile import Setup
from cavet.hosts import Point
from cavet.remarks import Remark, remarks_on, well
from cavet.wiring import Section, SectionRow
from cavet.workbench import keymap
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.bench import (
    BoardsView,
    around_under,
    draw_around,
    draw_beginning,
    draw_boards,
    draw_remarks,
    places,
    remark_under,
)
from cavet.workbench.screens.bench_acting import AROUND, BOARDS, PANES, REMARKS, BenchActing
from cavet.workbench.screens.frame import Follow
from cavet.workbench.widgets.hearing import Hearing
from cavet.workbench.wiring import views
from cavet.workbench.wiring.around import Around

HEAD_ROWS = 3


class BenchScreen(BenchActing):
    """The board under the cursor in cross-section, the others folded; remarks beside it, what is around below."""

    NAME = "bench"
    CAN = keymap.BENCH
    DEFAULT_CSS = """
    BenchScreen {
        #middle { height: 1fr; padding-top: 1; }
        #boards { width: 1fr; }
        #remarks { width: 42; border-left: solid $hair; }
        #around { height: 12; border-top: solid $hair; }
        &.low #middle { padding-top: 0; }
        &.low #around { height: 6; }
        &.mid #remarks { width: 34; }
        &.one #remarks { display: none; }
        &.one #around { height: 4; }
        &.one.other #remarks { display: block; width: 1fr; border-left: none; }
        &.one.other #boards { display: none; }
    }
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        setup = desk.bench.setup
        self._names = setup.known_boards
        place = desk.changing.place if desk.changing is not None else None
        self._open = place.board if place is not None and place.board in self._names else next(iter(self._names), "")
        self._cursor: tuple[str | int, ...] = place.cursor if place is not None else ()
        self._pane = place.pane if place is not None else BOARDS
        self._device = ""
        self._remark = 0
        self._at_around = 0
        self._strokes = 0
        self._around = Around()
        self._judged: tuple[object, list[Remark], list[str]] = (None, [], [])
        self._section: Section | None = None
        if place is not None and place.message:
            self._set_message(place.message, well=place.is_well)

    # what it shows

    def body(self) -> Iterable[Widget]:
        yield Horizontal(Hearing(id="boards"), Hearing(id="remarks"), id="middle", classes="whole")
        yield Hearing(id="around", classes="whole")

    def on_mount(self) -> None:
        self.query_one("#boards").focus()
        self.set_interval(self._around.PAUSE, self._look_around)

    def pictures(self) -> Iterable[Follow]:
        yield "the board", self._follow_boards
        yield "the remarks", self._follow_remarks
        yield "what is around", self._follow_around

    def done_here(self) -> object:
        return self._strokes, self._around.version

    def _follow_boards(self) -> None:
        if not self._names:
            self.picture("boards").look((), draw_beginning)
            return
        view = self._boards_view()
        self.picture("boards").look(view, partial(draw_boards, view))

    def _boards_view(self) -> BoardsView:
        section = self._section = views.section_view(self._desk, self._open, self._device)
        keys = self._keys(section)
        if self._cursor not in keys:
            self._cursor = self._first_with_point(section) or next(iter(keys), ())
        folded = tuple(views.fold_view(self._desk, name) for name in self._names if name != self._open)
        note = views.remarks_note(self._judge()[0]) if self.has_class("one") else ""
        active = self._pane == BOARDS
        return BoardsView(section=section, folded=folded, cursor=self._cursor, active=active, note=note)

    @staticmethod
    def _first_with_point(section: Section) -> tuple[str | int, ...] | None:
        return next((row.key for row in section.rows if row.believed is not None), None)

    def _keys(self, section: Section) -> list[tuple[str | int, ...]]:
        """All that the cursor can be at: the rows of the open board, then the folded boards."""
        rows = [row.key for row in section.rows]
        return [*rows, *(("board", name) for name in self._names if name != self._open)]

    def _judge(self) -> tuple[list[Remark], list[str]]:
        """The remarks on the bench as it is just now, its defects included."""
        setup = self._setup
        seen = (setup, tuple(defect.on for defect in setup.defects.values()))
        if self._judged[0] != seen:
            self._judged = (seen, remarks_on(setup), well(setup))
        return self._judged[1], self._judged[2]

    @property
    def _setup(self) -> Setup:
        """The bench's set-up, with its defects as they are switched now."""
        return self._desk.setup_now()

    def _follow_remarks(self) -> None:
        remarks, fine = self._judge()
        changing = self._desk.changing
        changed = "not saved" if changing is not None and changing.is_changed else ""
        cursor = min(self._remark, len(remarks) - 1) if self._pane == REMARKS else -1
        view = views.remarks_view(remarks, fine, cursor, changed)
        self.picture("remarks").look(view, partial(draw_remarks, view))
        self.set_class(self._pane == REMARKS, "other")

    def _follow_around(self) -> None:
        rows = self._rows_around()
        cursor = min(self._at_around, len(rows) - 1) if self._pane == AROUND else -1
        view = views.AroundView(rows=tuple(rows), looked=self._around.looked, cursor=cursor)
        self.picture("around").look(view, partial(draw_around, view))

    def _look_around(self) -> None:
        if self.is_active:
            self.run_worker(self._around.look(), group="around", exclusive=True, exit_on_error=False)

    # keys and the mouse

    def hear(self, key: str, character: str | None) -> bool:
        """Take a key; tell whether it was one of ours."""
        self._strokes += 1
        taken = keymap.actions(self.commands()).get(key) or keymap.actions(self.commands()).get(character or "")
        if taken is None:
            return False
        name, given = taken
        self.attempt(lambda: getattr(self, f"action_{name}")(*given))
        return True

    def action_move(self, by: int) -> None:
        if self._pane == REMARKS:
            self._remark = min(max(0, len(self._judge()[0]) - 1), max(0, self._remark + by))
        elif self._pane == AROUND:
            self._at_around = min(max(0, len(self._rows_around()) - 1), max(0, self._at_around + by))
        elif self._section is not None:
            keys = self._keys(self._section)
            place = keys.index(self._cursor) if self._cursor in keys else 0
            self._cursor = keys[min(len(keys) - 1, max(0, place + by))]

    def action_pane(self, by: int) -> None:
        self._pane = PANES[(PANES.index(self._pane) + by) % len(PANES)]

    def action_remarks(self) -> None:
        self._pane = BOARDS if self._pane == REMARKS else REMARKS

    def action_back(self) -> None:
        if self._around.break_off():
            self.workers.cancel_group(self, "who")
            self.say("broken off", well=True)
            return
        if self._pane == BOARDS and self._device:
            self._device, self._cursor = "", ("device", self._device)
        self._pane = BOARDS

    def action_enter(self) -> None:
        if self._pane == REMARKS:
            self._mend()
        elif self._pane == AROUND:
            self.action_ask_who()
        elif not self._names:
            self.action_make()
        elif not self._cursor:
            self.action_whole_board()
        elif self._cursor[0] == "board":
            self._unfold(str(self._cursor[1]))
        else:
            self._edit()

    def _unfold(self, board: str) -> None:
        self._open, self._device, self._cursor = board, "", ()

    def action_zoom(self) -> None:
        """Into the device of this row, or out again."""
        row = self._row
        if self._device:
            self._device, self._cursor = "", ("device", self._device)
        elif row is not None and row.is_device:
            self._device, self._cursor = str(row.key[1]), ()
        else:
            self.say("no device on a bus: its row has an address")

    @property
    def _row(self) -> SectionRow | None:
        """The row under the cursor."""
        rows = self._section.rows if self._section is not None else ()
        return next((row for row in rows if row.key == self._cursor), None)

    def on_hearing_pressed(self, message: Hearing.Pressed) -> None:
        self._strokes += 1
        before, self._pane = self._pane, message.sender.id or BOARDS
        was_here = before == self._pane
        if self._pane == REMARKS:
            view = self.picture("remarks").shown
            number = (
                remark_under(view, message.sender.size.width, message.y)
                if isinstance(view, views.RemarksView)
                else None
            )
            if number is not None:
                if was_here and number == self._remark:
                    self.attempt(self._mend)
                self._remark = number
        elif self._pane == AROUND:
            around = self.picture("around").shown
            if isinstance(around, views.AroundView):
                place = around_under(around, message.sender.size.height, message.y)
                self._at_around = self._at_around if place is None else place
        else:
            self._press_board(message.y, was_here=was_here)
        self.follow()

    def _press_board(self, y: int, *, was_here: bool) -> None:
        """A row that is pressed is chosen; pressed again, it is changed."""
        view = self.picture("boards").shown
        if not isinstance(view, BoardsView):
            return
        at = places(view, *self.picture("boards").size)
        row, fold = at.first + y - HEAD_ROWS, at.fold_at(y)
        if HEAD_ROWS <= y < at.lines and row < len(view.section.rows):
            key = view.section.rows[row].key
            again, self._cursor = was_here and key == self._cursor, key
            if again:
                self.attempt(self._edit)
        elif fold is not None:
            self._unfold(view.folded[fold].name)

    def on_hearing_turned(self, message: Hearing.Turned) -> None:
        self._strokes += 1
        self._pane = message.sender.id or BOARDS
        self.action_move(message.by)
        self.follow()

    # elsewhere

    def action_drive(self) -> None:
        point = self.under_cursor
        if point is None:
            self.say("no point in this row")
            return
        self.depart(self.Gone("drive", point))

    @property
    def under_cursor(self) -> Point | None:
        row = self._row
        points = self._desk.bench.setup.points
        if row is not None and row.believed is not None:
            return points.get(row.believed.names[0])
        hosts = {host.name for host in self._desk.bench.setup.hosts.values()
                 if self._desk.bench.setup.links[host.link].board == self._open}  # fmt: skip
        return next((point for point in points.values() if point.board in hosts), None)

    def go_to(self, point: Point) -> None:
        self._unfold(self._desk.bench.setup.board_of(point.board))
        section = views.section_view(self._desk, self._open)
        for row in section.rows:
            if row.believed is not None and point.name in row.believed.names:
                self._cursor = row.key
                return
