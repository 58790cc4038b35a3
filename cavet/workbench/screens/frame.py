"""What every screen has: the line at the top, the foot, messages, the tick, and that it fits the window."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from typing import ClassVar

from textual.app import ComposeResult
from textual.message import Message
from textual.widget import Widget
from textual.worker import Worker, WorkerState

from cavet.drawings.canvas import CORAL, PAPER
from cavet.faults import FORESEEN, fault_words, note_fault
from cavet.hosts import Point
from cavet.record import Trail
from cavet.workbench import keymap
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.lines import draw_foot, draw_too_small, draw_top
from cavet.workbench.screens.actions import Action, ActionsScreen
from cavet.workbench.screens.fitted import Fitted
from cavet.workbench.screens.modal import FRAME_SECONDS
from cavet.workbench.top_views import top_view
from cavet.workbench.widgets.picture import Picture
from cavet.workbench.widgets.rest import rest_in
from cavet.workbench.widgets.top import Top

CALM_SECONDS, COVERED_SECONDS = 0.24, 1.0
"""So long a picture may stand while nothing stirs: what comes in by itself is shown four times a second; and under a
sheet."""
MESSAGE_SECONDS = 6.0
LEAST_SIZE = (40, 12)
"""Columns and rows below which nothing is drawn but one line that says so."""
ONE_VIEW_COLUMNS = 96
"""Below this width there is room for one view at a time."""
Follow = tuple[str, Callable[[], None]]
"""What is drawn, for a person, and what draws it."""


class Frame(Fitted[None]):
    """A screen of the workbench. Its class says its name and its commands; it gives its widgets, and what draws them.

    The window's size gives it classes for its style: `small` (too small for anything), `one` (one view at a time),
    `mid`, `low`.
    """

    class Away(Message):
        """Go to another screen, to a trail."""

        def __init__(self, screen: str, trail: Trail) -> None:
            super().__init__()
            self.screen, self.trail = screen, trail

    class Gone(Message):
        """Go to another screen, to a point."""

        def __init__(self, screen: str, point: Point) -> None:
            super().__init__()
            self.screen, self.point = screen, point

    class Then(Message):
        """Go to another screen, to what was spoken with a point's board at a time."""

        def __init__(self, screen: str, point: Point, t: float) -> None:
            super().__init__()
            self.screen, self.point, self.t = screen, point, t

    NAME: ClassVar[str]
    CAN: ClassVar[keymap.Commands] = ()
    DEFAULT_CSS = """
    Frame {
        layout: vertical;
        #top, #foot { height: 1; }
        #small { height: 1fr; display: none; }
        &.small #small { display: block; }
        &.small > .whole { display: none; }
    }
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self._message = ""
        self._message_until = 0.0
        self._message_is_well = False
        self._faults: set[str] = set()
        """What has failed so far: each is logged once, not with every frame."""
        self._fitted = (0, 0)
        self.is_left = False
        """Whether another screen is to be shown, and is not yet."""
        self._drawn_at = 0.0
        self._owes = False
        """Whether something was asked of the bench that is still to be drawn."""
        self._done: object = None
        """What a person had done here when it was drawn last."""

    # what a screen says of itself

    def body(self) -> Iterable[Widget]:
        """Its widgets, between the top line and the foot."""
        raise NotImplementedError

    def pictures(self) -> Iterable[Follow]:
        """What is drawn between the two."""
        raise NotImplementedError

    @property
    def under_cursor(self) -> Point | None:
        """The point that the cursor is at, which goes along to another screen."""
        return None

    def go_to(self, point: Point) -> None:
        """Bring the cursor to a point that another screen was at."""

    def show_trail(self, trail: Trail) -> None:
        """Bring the cursor to a trail that another screen was at."""

    def show_time(self, point: Point, t: float) -> None:
        """Stand at a time that another screen was at."""

    def done_here(self) -> object:
        """What a person has done here that is to be seen at once: it is drawn anew when this is another one."""
        return None

    def commands(self) -> keymap.Commands:
        """What can be done now; something that is typed takes all keys for itself."""
        return self.CAN

    # what all screens do

    @property
    def takes_keys(self) -> bool:
        """Once it has been seen, until it is left."""
        return self.is_mounted and self._drawn_at > 0.0 and not self.is_left

    def compose(self) -> ComposeResult:
        yield Picture(id="small")
        yield Top(id="top", classes="whole")
        yield from self.body()
        yield Picture(id="foot", classes="whole")

    def on_mount(self) -> None:
        self._share_out()
        self.set_interval(FRAME_SECONDS, self.tick)
        self.fit()

    def on_screen_suspend(self) -> None:
        self.is_left = False

    def on_screen_resume(self) -> None:
        self.fit()

    def tick(self) -> None:
        """Draw, unless nothing stirs and it was done a short while ago; seldom under a sheet, since all of both is
        painted then, and nothing while another screen is shown."""
        if self.app.current_mode != self.NAME:
            return
        for told in self._desk.come_back():
            self.say(told)
        done, age = self.done_here(), self._desk.now - self._drawn_at
        if not self.is_active and age < COVERED_SECONDS:
            return
        if age < CALM_SECONDS and done == self._done and not self._owes and not self._desk.stirs():
            return
        self._done = done
        self.follow()

    def _share_out(self) -> None:
        """Share the room out anew when there is more or less of it."""
        width, height = self.app.size
        if (width, height) == self._fitted:
            return
        self._fitted = (width, height)
        self.set_class(width < LEAST_SIZE[0] or height < LEAST_SIZE[1], "small")
        self.set_class(width < ONE_VIEW_COLUMNS, "one")
        self.set_class(ONE_VIEW_COLUMNS <= width < 130, "mid")
        self.set_class(height < 40, "low")
        self.fit()

    def follow(self) -> None:
        """Draw everything as it stands now; what has not changed costs nothing. Where it is being left its widgets are
        gone before it."""
        if not self.is_mounted or not self.query(Top):
            return
        self._share_out()
        self._drawn_at, self._owes = self._desk.now, False
        if self.has_class("small"):
            columns, rows = self.app.size
            draw = partial(draw_too_small, least=LEAST_SIZE)
            self.picture("small").look((columns, rows), lambda width, height: draw(columns, rows))
            return
        for name, follow in (
            ("the record", self._desk.follow),
            *self.pictures(),
            ("the top line", self._follow_top),
            ("the foot", self._follow_foot),
        ):
            self._fence(name, follow)

    def _fence(self, name: str, follow: Callable[[], None]) -> None:
        """What fails in one picture leaves the others alone; it is told, and logged once."""
        try:
            follow()
        except FORESEEN as error:
            self._set_message(str(error))
        except Exception as error:  # noqa: BLE001
            words = f"{name} can't be drawn: {fault_words(error)}"
            if words not in self._faults:
                self._faults.add(words)
                note_fault(name, error)
            self._set_message(words)

    def _follow_top(self) -> None:
        top = top_view(self._desk, self.NAME, self._desk.screens)
        self.query_one(Top).look(top, lambda width, height: draw_top(top, width))

    def _follow_foot(self) -> None:
        keys = keymap.foot((*self.commands(), *keymap.EVERYWHERE), tight=self.has_class("one"))
        silence = self._desk.silence()
        message = silence or (self._message if self._desk.now < self._message_until else "")
        ink = PAPER if self._message_is_well and not silence else CORAL
        foot = (keys, message, ink)
        self.picture("foot").look(foot, lambda width, height: draw_foot(keys, rest_in(self.app), width, message, ink))

    def picture(self, name: str) -> Picture:
        """One of its pictures."""
        return self.query_one(f"#{name}", Picture)

    def _set_message(self, message: str, *, well: bool = False) -> None:
        self._message, self._message_until = message, self._desk.now + MESSAGE_SECONDS
        self._message_is_well = well

    def say(self, message: str, *, well: bool = False) -> None:
        """Put a line at the foot for a while; `well` tells of something done, and is not coral."""
        self._set_message(message, well=well)
        self.follow()

    def on_worker_state_changed(self, event: Worker.StateChanged) -> None:
        """What has failed beside the screen is told at its foot."""
        if failed := failed_beside(event):
            self.say(failed)

    def attempt(self, act: Callable[[], object]) -> None:
        """Do what a person wants; what can't be is said at the foot. What the bench is to do is drawn when it is done,
        and not before as well."""
        self._message = ""
        try:
            act()
        except FORESEEN as error:
            self.say(str(error))
        self._owes = self._desk.acting.waits
        if not self._owes:
            self.follow()

    def depart(self, to: Message) -> None:
        """Go to another screen; what is pressed meanwhile waits for that."""
        self.is_left = True
        self.post_message(to)

    def choose(self, actions: list[Action], title: str) -> None:
        """Show a list, and do what is chosen there."""
        self.app.push_screen(ActionsScreen(actions, title), self._do)

    def _do(self, action: Action | None) -> None:
        if action is not None:
            self.attempt(action.act)


def failed_beside(event: Worker.StateChanged) -> str:
    """Say why what runs beside a screen has failed, "" where it has not; what nobody foresaw is in the log then."""
    error = event.worker.error
    if event.state is not WorkerState.ERROR or error is None:
        return ""
    return str(error) if isinstance(error, FORESEEN) else note_fault(f"beside the screen, {event.worker.name}", error)
