"""Record: what happened, when, how long?"""

from __future__ import annotations

import asyncio
from collections.abc import Iterable
from functools import partial
from pathlib import Path
from typing import ClassVar

from textual import events
from textual.containers import Horizontal
from textual.widget import Widget

from cavet.drawings.canvas import HEATHER, PAPER, QUIET, Canvas, clip
from cavet.drawings.lanes import NAME_CELLS, UNIT_CELLS, draw_lanes, draw_measures, draw_strip, lane_at
from cavet.exports import InMemory
from cavet.hosts import Point
from cavet.record import Trail
from cavet.wording import WrongError, from_to
from cavet.workbench import keymap, trail_views
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.trail import TrailsView, draw_trails
from cavet.workbench.record import views
from cavet.workbench.record.commands import CommandView, commands_in
from cavet.workbench.record.looking import Looking
from cavet.workbench.record.over import Over
from cavet.workbench.screens.actions import Action
from cavet.workbench.screens.frame import Follow, Frame
from cavet.workbench.screens.giving import FlagScreen, GiveScreen, OverScreen, give
from cavet.workbench.screens.moment import MomentScreen
from cavet.workbench.screens.record_sheets import lane_sheet
from cavet.workbench.screens.sheet import SheetScreen
from cavet.workbench.widgets.picture import LEFT_BUTTON, Picture

NO_COMMAND = "no command of a point until then"
LEAST_TITLE = 8
"""So much of the name of what is looked at is shown at least."""


class RecordScreen(Frame):
    """Lanes over time, what lies between two marks, the trail under the cursor, the whole run."""

    NAME: ClassVar[str] = "record"
    CAN = keymap.RECORD
    BINDINGS = keymap.bindings(keymap.RECORD)
    DEFAULT_CSS = """
    RecordScreen {
        #head { height: 2; padding-top: 1; }
        #middle { height: 1fr; }
        #lanes { width: 1fr; }
        #measures { width: 34; border-left: solid $hair; }
        #trail { height: 7; }
        #strip { height: 4; border-top: solid $hair; }
        &.mid #measures { width: 26; }
        &.low #trail { height: 5; }
        &.low #strip { height: 3; border-top: none; }
        &.low #head { height: 1; padding-top: 0; }
        &.one #measures { display: none; }
        &.one #trail { display: none; }
    }
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._looking = Looking(desk.bench)
        self._strokes = 0

    # what it shows

    def body(self) -> Iterable[Widget]:
        yield Picture(id="head", classes="whole")
        yield Horizontal(Picture(id="lanes"), Picture(id="measures"), id="middle", classes="whole")
        yield Picture(id="trail", classes="whole")
        yield Picture(id="strip", classes="whole")

    def pictures(self) -> Iterable[Follow]:
        yield "the lanes", self._follow_lanes
        yield "the line over the lanes", self._follow_head
        yield "what lies between the marks", self._follow_measures
        yield "the trail", self._follow_trail
        yield "the whole run", self._follow_strip

    def done_here(self) -> object:
        """While it is being read it goes on as soon as it can."""
        return self._strokes, self._desk.now if not self._looking.is_read else None

    def _follow_lanes(self) -> None:
        lanes = self.picture("lanes")
        self._looking.cells = max(10, lanes.size.width - NAME_CELLS - UNIT_CELLS)
        self._looking.follow()
        view = views.lanes_view(self._looking, lanes.size.height)
        lanes.look(view, partial(draw_lanes, view))

    def _follow_head(self) -> None:
        view = views.head_view(self._looking, self._desk.past)
        self.picture("head").look(view, partial(draw_head, view))

    def _follow_measures(self) -> None:
        view = views.measures_view(self._looking)
        self.picture("measures").look(view, partial(draw_measures, view))

    def _follow_trail(self) -> None:
        trail = self._looking.trail()
        current = trail_views.trail_view(self._desk, trail) if trail is not None else None
        view = TrailsView(current=current, empty=NO_COMMAND)
        self.picture("trail").look(view, partial(draw_trails, view))

    def _follow_strip(self) -> None:
        view = views.strip_view(self._looking)
        self.picture("strip").look(view, partial(draw_strip, view))

    @property
    def under_cursor(self) -> Point | None:
        trail = self._looking.trail()
        return self._desk.bench.setup.point_of(trail) if trail is not None else None

    def go_to(self, point: Point) -> None:
        self._looking.choose_point(point.name)

    def show_trail(self, trail: Trail) -> None:
        self._looking.follow()
        self._looking.go_to_trail(trail)
        self._stroke()

    # mouse and keys

    def on_click(self, event: events.Click) -> None:
        """Go to what was pointed at: a moment of a lane, or of the whole run."""
        if event.button != LEFT_BUTTON:
            return
        lanes, strip = self.picture("lanes"), self.picture("strip")
        left = NAME_CELLS + UNIT_CELLS
        if event.widget is lanes:
            place = lane_at(views.lanes_view(self._looking, lanes.size.height), lanes.size.height, event.y)
            if place is not None:
                self._looking.choose_place(place)
            if event.x >= left:
                self._looking.go_to(self._looking.begin + (event.x - left + 0.5) * self._looking.cell)
        elif event.widget is strip and event.x >= left:
            self._looking.go_to(self._looking.end * (event.x - left + 0.5) / max(1, self._looking.cells))
        else:
            return
        self._stroke()

    def _stroke(self) -> None:
        self._strokes += 1
        self.follow()

    def action_move(self, cells: int) -> None:
        """Move in time."""
        self._looking.move(cells)
        self._stroke()

    def action_lane(self, steps: int) -> None:
        """Another lane."""
        self._looking.choose(steps)
        self._stroke()

    def action_zoom(self, closer: int) -> None:
        """Closer, or farther off."""
        self._looking.zoom(closer)
        self._stroke()

    def action_whole(self) -> None:
        """The whole run."""
        self._looking.whole()
        self._stroke()

    def action_follow_now(self) -> None:
        """Follow the present, or stand."""
        self._looking.follows = not self._looking.follows
        self._stroke()

    def action_next(self, step: int) -> None:
        """The next change of this lane."""
        if not self._looking.next(step):
            self.say("nothing changes here any more" if step > 0 else "nothing changed here before")
        self._stroke()

    def action_error(self, step: int) -> None:
        """The next error."""
        flag = self._looking.next_flag(step, errors=True)
        self.say(flag.words if flag is not None else "no error any more" if step > 0 else "no error before")
        self._stroke()

    def action_flag(self, step: int) -> None:
        """What stands out next."""
        flag = self._looking.next_flag(step, errors=False)
        words = "nothing stands out any more" if step > 0 else "nothing stands out before"
        self.say(flag.words if flag is not None else words, well=flag is not None)
        self._stroke()

    def action_mark(self) -> None:
        """Set a mark."""
        self.say(self._looking.mark(), well=True)
        self._stroke()

    def action_moment(self) -> None:
        """How everything stood then."""
        self._looking.go_to(self._looking.t)

        def left(to: str | None) -> None:
            if to is not None:
                self.depart(self.Then(to, screen.point, self._looking.t))

        screen = MomentScreen(self._desk, self._looking, self._stroke)
        self.app.push_screen(screen, left)

    def action_bytes(self) -> None:
        """The frame of this command, on Frames."""
        trail = self._looking.trail()
        if trail is None:
            self.say("no command was given before this moment")
            return
        self.depart(self.Away("frames", trail))

    def action_trails(self) -> None:
        """The commands, to go to one of them."""
        begin, end = self._looking.wanted

        async def work() -> None:
            self.say("commands are looked for", well=True)
            commands = await asyncio.to_thread(commands_in, self._desk, begin, end)
            found = commands.found
            is_all = not self._looking.marks and commands.begin == begin
            title = "the commands" if is_all else f"the commands from {from_to(commands.begin, end, 8)} s"
            actions = [Action(each.title, each.told, partial(self._go_to_command, each)) for each in found]
            if actions:
                self.choose(actions, title)
            else:
                self.say("no command was given then")

        self.run_worker(work(), exit_on_error=False)

    def _go_to_command(self, command: CommandView) -> None:
        self._looking.choose_point(command.point)
        self._looking.go_to(command.t)
        self._stroke()

    def action_explain(self) -> None:
        """The lane under the cursor, and how it is read."""
        self.app.push_screen(SheetScreen(lambda: lane_sheet(self._looking)))

    def action_lay_over(self) -> None:
        """Lay another record over, or take it away again."""
        if self._looking.over is not None:
            self._looking.over = None
            self._stroke()
            return
        self.app.push_screen(OverScreen(), lambda path: self._lay(path) if path is not None else None)

    def _lay(self, path: Path) -> None:
        source = self._source()

        async def work() -> None:
            self.say(f"{path.name} is being read", well=True)
            try:
                over = await asyncio.to_thread(_read_over, path, self._desk, source)
            except WrongError as error:
                self.say(str(error))
                return
            self._looking.over = over
            self.say(over.words, well=over.difference.count == 0)
            self._stroke()

        self.run_worker(work(), exit_on_error=False)

    def _source(self) -> InMemory:
        return InMemory(self._desk.bench.record, self._desk.bench.setup.about)

    def action_align(self) -> None:
        """Lay it by a flag of the same words, by the command under the cursor, or by time again."""
        over = self._looking.over
        if over is None:
            self.say("nothing is laid over this record: b does that")
            return
        trail = self._looking.trail()
        command = trail.root if trail is not None else None
        self.attempt(lambda: self.say(over.align(self._source(), self._looking.t, command), well=True))
        self._stroke()

    def action_difference(self, step: int) -> None:
        """The next difference."""
        if self._looking.over is None:
            self.say("nothing is laid over this record: b does that")
        elif not self._looking.next_difference(step):
            self.say("nothing differs any more" if step > 0 else "nothing differs before")
        self._stroke()

    def action_put_flag(self) -> None:
        """Put a flag into the record."""
        self.app.push_screen(FlagScreen(), lambda text: self._desk.flag(text) if text else None)

    def action_export(self) -> None:
        """Give it to another program."""
        begin, end = self._looking.wanted
        what = f"{from_to(begin, end, 8)} s" if self._looking.marks else "all of it"

        def give_it(chosen: tuple[str, Path] | None) -> None:
            if chosen is not None:
                form, path = chosen
                lanes = self._looking.seen()
                work = give(self._desk, lanes, form, path, begin, end, lambda words, well: self.say(words, well=well))
                self.run_worker(work, exit_on_error=False)

        self.app.push_screen(GiveScreen(self._desk, what), give_it)

    def action_hide(self) -> None:
        """Show this lane no more."""
        self._looking.hide()
        self._stroke()

    def action_show_all(self) -> None:
        """All lanes."""
        self._looking.show_all()
        self._stroke()

    def action_grow(self, rows: int) -> None:
        """Taller, or lower."""
        self._looking.grow(rows)
        self._stroke()

    def action_move_lane(self, steps: int) -> None:
        """Move this lane."""
        self._looking.move_lane(steps)
        self._stroke()


def _read_over(path: Path, desk: Desk, source: InMemory) -> Over:
    over = Over(path, desk.bench.setup)
    over.compare_with(source)
    return over


def draw_head(view: views.HeadView, width: int, height: int) -> Canvas:
    """What is looked at, how much of it there is, and where one is; in a tight window less is told of how much."""
    canvas, y = Canvas(width, height), height - 1
    canvas.put_right(width - 1, y, view.state, QUIET)
    end = width - len(view.state) - 3
    title = clip(view.title, max(LEAST_TITLE, end - len(view.where) - 4))
    canvas.put(1, y, title, PAPER._replace(bold=True))
    x, how_long = len(title) + 3, view.amount.partition(" · ")[0]
    room = end - x - len(view.where) - 3
    amounts = (view.amount, how_long, how_long.partition(",")[0])
    amount = next((each for each in amounts if len(each) <= room), "")
    for text, ink in ((amount, QUIET), (view.where, HEATHER), (view.over, HEATHER)):
        if text and x < end:
            canvas.put(x, y, text, ink, end - x)
            x += len(text) + 3
    return canvas
