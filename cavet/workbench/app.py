"""The application: it joins the bench and the screens, and has the keys that work everywhere."""

from __future__ import annotations

import asyncio
import os
import signal
import sys
from collections.abc import Callable, Sequence
from functools import partial
from importlib import import_module

from textual import events
from textual.app import App
from textual.dom import DOMNode
from textual.geometry import Size
from textual.worker import Worker

from cavet.faults import FORESEEN, note_fault
from cavet.wording import WrongError
from cavet.workbench import keymap
from cavet.workbench.ahead import TypedAhead
from cavet.workbench.command import Command
from cavet.workbench.desk import Desk
from cavet.workbench.palette import themes
from cavet.workbench.screens.actions import Action, ActionsScreen
from cavet.workbench.screens.defects import DefectsScreen
from cavet.workbench.screens.frame import Frame, failed_beside
from cavet.workbench.screens.outside import OutsideScreen
from cavet.workbench.screens.screens import ScreensScreen
from cavet.workbench.widgets.top import Top
from cavet.workbench.wiring.changing import Place

BENCH, DRIVE, FRAMES, ROUTINES, RECORD, CHECKS = "bench", "drive", "frames", "routines", "record", "checks"
SCREENS = (BENCH, DRIVE, FRAMES, ROUTINES, RECORD, CHECKS)
"""All screens, in the order of their names at the top: each is the class NAMEScreen of `screens/NAME.py`, which is
loaded when it is gone to, or when nothing else is to be done."""
LOOK_SECONDS = 0.5
"""How often the size of the terminal is looked at."""
FILE_SECONDS = 1.0
"""How often the bench's file is looked at, for what others write into it."""
LOAD_SECONDS = 0.25
"""So long after the last one the next screen is loaded."""
REMARK_SECONDS = 1.5
"""So long after the beginning the bench is looked at for remarks."""
LEAVE = "q leaves, ctrl+q from anywhere; F12 sends everything to rest"


class CavetApp(App[int]):
    """The workbench on a bench that runs already."""

    TITLE = "Cavet"
    BINDINGS = keymap.bindings(keymap.EVERYWHERE)
    shown: Sequence[str] = SCREENS
    runs = True
    """Whether anything runs here that can be sent to rest."""
    DEFAULT_MODE = DRIVE
    ENABLE_COMMAND_PALETTE = False  # there is one of our own, with the keys in it
    CSS = """
    Screen { background: $background; }
    ModalScreen { align: center middle; background: $background 60%; }
    """

    def __init__(self, desk: Desk, lost: Callable[[], None] = lambda: None) -> None:
        super().__init__()
        self._lost = lost
        """Called when the window is gone: what was to be drawn in it may then wait for ever."""
        self._desk = desk
        self._complained = ""
        self._looks_soon = False
        self._ahead = TypedAhead(self)
        for theme in themes():
            self.register_theme(theme)
        self.set_reactive(App.theme, "cavet-dark")
        self.stylesheet.set_variables(self.get_css_variables())  # the first screen's style may use them at once
        desk.screens = tuple(self.shown)
        for name in self.shown:
            self.add_mode(name, partial(_make_screen, name, desk))

    async def on_event(self, event: events.Event) -> None:
        """Whatever comes; keys for a screen that is being made wait for it, behind the last one they are dropped."""
        is_late = isinstance(event, events.Key) and not self.screen_stack
        if not is_late and not self._ahead.keeps(event):
            await super().on_event(event)

    def _handle_exception(self, error: Exception) -> None:
        """What raises while it is being left, since there is no screen any more, is only logged."""
        if self._exit or self._closing or not self.is_running or not self.screen_stack:
            note_fault("the workbench, while it was left", error)
        else:
            super()._handle_exception(error)

    def _fatal_error(self) -> None:
        """Something raised in a place of ours that is not fenced: leave. Whoever started us tells it, in one line."""
        self._close_messages_no_wait()

    @property
    def failed(self) -> Exception | None:
        """What has ended it, if it was not a person."""
        return self._exception

    def on_mount(self) -> None:
        if self._desk.changing is not None and self._desk.changing.place is not None:
            self.switch_mode(BENCH)  # a change was made there, and the bench is started anew
        self._desk.acting.woken = self._look_soon
        self.call_after_refresh(self._desk.begin)
        self.run_worker(self._tell_remarks(), exit_on_error=False)
        self.run_worker(self._load_screens(), exit_on_error=False)
        if self.is_headless:
            return
        self.set_interval(LOOK_SECONDS, self._look_at_terminal)
        self.set_interval(FILE_SECONDS, self._look_at_file)
        loop = asyncio.get_running_loop()
        for number in (signal.SIGHUP, signal.SIGTERM):
            signal.signal(number, lambda number, frame: self._told_to_end(loop))

    def on_unmount(self) -> None:
        self._desk.acting.woken = lambda: None

    def _look_soon(self) -> None:
        """The bench has done what a person wants: the screen looks now, and not with its next frame."""
        if not self._looks_soon:
            self._looks_soon = True
            self.call_later(self._look_now)

    def _look_now(self) -> None:
        self._looks_soon = False
        if self.is_running:  # else it is being left, and its pictures are gone already
            self._frame.tick()

    def on_worker_state_changed(self, event: Worker.StateChanged) -> None:
        """What has failed beside all screens is told at the foot."""
        if failed := failed_beside(event):
            self._say(failed)

    async def _load_screens(self) -> None:
        """Load what is not shown yet, so that going there is quick; one after the other, while nothing else happens."""
        for name in self.shown:
            await asyncio.sleep(LOAD_SECONDS)
            await asyncio.to_thread(_screen_class, name)

    async def _tell_remarks(self) -> None:
        """Say once how many remarks are about something that is wrong; it is looked at beside all else."""
        if BENCH not in self.shown:
            return
        await asyncio.sleep(REMARK_SECONDS)
        from cavet.remarks import Weight, remarks_on  # here, since nobody waits for them

        found = await asyncio.to_thread(remarks_on, self._desk.bench.setup)
        wrong = sum(remark.weight is Weight.WRONG for remark in found)
        if wrong:
            words = "remark says that something is wrong" if wrong == 1 else "remarks say that something is wrong"
            self._say(f"{wrong} {words} in the wiring: F3 shows the bench")

    def _look_at_terminal(self) -> None:
        """Look now and then whether the screens have the window's size.

        A resize can get lost on its way to them: one that came while we began, and one whose short timer was late.
        """
        try:
            size = Size(*os.get_terminal_size(sys.__stdout__.fileno() if sys.__stdout__ else 1))
        except OSError:
            self._lose()
            return
        if (problem := self._desk.record_problem()) != self._complained:
            self._complained = problem
            self._say(problem)
        if size == Size(0, 0):
            return
        if size != self.size:
            self.post_message(events.Resize(size, size))
        for screen in self.screen_stack:
            if screen.size != size:
                screen.post_message(events.Resize(size, size))

    def _told_to_end(self, loop: asyncio.AbstractEventLoop) -> None:
        """A signal came. The loop may be waiting for a window that takes nothing any more: do not count on it."""
        self._lost()
        loop.call_soon_threadsafe(self.exit, 0)

    def _lose(self) -> None:
        """The window was shut, or we are told to end: nobody looks any more."""
        self._lost()
        self.exit(0)

    def _actions(self) -> list[Action]:
        """All that can be done here: the commands of the screen and of everywhere, then what this bench offers."""
        screen = self._frame
        other = "dark" if self.theme.endswith("light") else "light"
        bench = self._desk.bench
        return [
            *self._commands(keymap.EVERYWHERE[:1] if self.runs else (), self),
            *self._commands(screen.CAN, screen),
            *[self._restart_action(board) for board in self._desk.roster.boards if bench.fault_of(board)],
            *self._hand_actions(),
            *[self._defect_action(name) for name in bench.world.defects],
            *self._routine_actions(),
            Action(f"{other} theme", "the same roles on another ground", self.action_theme),
            *self._commands(keymap.EVERYWHERE[1:], self),
            *[action for name in self.shown if name != screen.NAME for action in self._elsewhere(name)],
        ]

    def _commands(self, commands: keymap.Commands, target: DOMNode) -> list[Action]:
        return [
            Action(each.name, each.does, partial(self.call_later, self._run, each.action, target), each.shown)
            for each in commands
            if each.name
        ]

    async def _run(self, action: str, target: DOMNode) -> None:
        """Run a command of the list. What can't be done is said at the foot, as where its key is pressed."""
        try:
            await self.run_action(action, target)
        except FORESEEN as error:
            self._say(str(error))
        except Exception as error:  # noqa: BLE001
            self._say(note_fault(f"a command, {action}", error))

    def _elsewhere(self, name: str) -> list[Action]:
        """The commands of another screen: it is shown, and the key is told. What it acts on is to be seen first."""

        def go(command: Command) -> None:
            self.go_to_screen(name)
            self._frame.say(f"{command.shown} here: {command.name}", well=True)

        commands = [each for each in _screen_class(name).CAN if each.name]
        return [Action(f"{name}: {each.name}", each.does, partial(go, each)) for each in commands]

    @property
    def _frame(self) -> Frame:
        """The screen that is shown, below whatever lies over it."""
        return next(screen for screen in self.screen_stack if isinstance(screen, Frame))

    def _restart_action(self, board: str) -> Action:
        return Action(f"start {board} again", "as after power-on", partial(self._desk.restart, board))

    def _hand_actions(self) -> list[Action]:
        """What can be done by hand to parts. Those that an input stands for are worked there, but for a press."""
        seen = {f"{point.board}.{point.part or point.name}" for point in self._desk.inputs}
        found = []
        for board in self._desk.bench.world.boards.values():
            for part in board.circuit.parts.values():
                path = f"{board.name}.{part.name}"
                for hand in part.hands():
                    if path in seen and hand.do != "press":
                        continue
                    act = partial(self._desk.hands.act, path, hand.do, seconds=hand.seconds, value=hand.value)
                    found.append(Action(hand.name, f"{hand.does}, at the {board.name}", act))
        return found

    def _routine_actions(self) -> list[Action]:
        """The routines of the text, to be run; none before somebody has looked at it."""
        work = self._desk.made_work
        routines = work.program.routines if work is not None and work.program is not None else {}
        return [
            Action(f"run {name}", "a routine of the text", partial(self._run_routine, name)) for name in routines
        ]  # fmt: skip

    def _run_routine(self, name: str) -> None:
        self.go_to_screen(ROUTINES)
        self._frame.attempt(lambda: self._desk.work.begin(name))

    def _defect_action(self, name: str) -> Action:
        defect = self._desk.bench.world.defects[name]
        word = "off" if defect.on else "on"
        return Action(f"switch {word} {name}", defect.tells, partial(self._desk.switch_defect, name))

    def action_palette(self) -> None:
        """Show all actions, and do the one that is chosen."""
        if not isinstance(self.screen, ActionsScreen):
            self._frame.choose(self._actions(), "all actions")

    def action_theme(self) -> None:
        self.theme = "cavet-dark" if self.theme.endswith("light") else "cavet-light"
        self.refresh_css(animate=False)
        for screen in self.screen_stack:
            screen.refresh(layout=True)

    def action_rest(self) -> None:
        """Send every output to its rest value, whatever is on the screen."""
        self._desk.rest()
        self._frame.follow()

    def on_top_chosen(self, message: Top.Chosen) -> None:
        self.go_to_screen(message.name)

    def go_to_screen(self, name: str) -> None:
        """Show another screen; the point that the cursor is at goes along."""
        point = self._frame.under_cursor
        self.switch_mode(name)
        if point is not None:
            self._frame.go_to(point)

    def action_screen(self, by: int) -> None:
        """The next screen, or the one before."""
        names = list(self.shown)
        if isinstance(self.screen, Frame):
            self.go_to_screen(names[(names.index(self._frame.NAME) + by) % len(names)])

    def action_screen_number(self) -> None:
        """Another screen by its number, which is pressed next."""
        if isinstance(self.screen, Frame):
            self.push_screen(ScreensScreen(tuple(self.shown), self._frame.NAME), self._go_to)

    def _go_to(self, name: str | None) -> None:
        if name is not None:
            self.go_to_screen(name)

    def on_frame_away(self, message: Frame.Away) -> None:
        """Go to another screen, to a trail."""
        if message.screen not in self.shown:
            self._frame.is_left = False
            self._say(f"there is no {message.screen} for a record: what became of the frame stands under it")
            return
        self.switch_mode(message.screen)
        self.call_later(self._frame.show_trail, message.trail)

    def on_frame_gone(self, message: Frame.Gone) -> None:
        """Go to another screen, to a point."""
        self.switch_mode(message.screen)
        self.call_later(self._frame.go_to, message.point)

    def on_frame_then(self, message: Frame.Then) -> None:
        """Go to another screen, to a time."""
        self.switch_mode(message.screen)
        self.call_later(self._frame.show_time, message.point, message.t)

    def action_how_to_leave(self) -> None:
        """Who presses the interrupt key wants to leave: say how, and that nothing has been stopped by it."""
        self._say(LEAVE)
        if not isinstance(self.screen, Frame):
            self.notify(LEAVE)

    def action_leave(self) -> None:
        self.exit(0)

    def on_defects_screen_keep(self, message: DefectsScreen.Keep) -> None:
        """Write how the defects are switched into the bench file, once the bench has done what was pressed before."""
        self._desk.call(lambda: None, done=self._keep_defects)

    def _keep_defects(self) -> None:
        changing = self._desk.changing
        if changing is None:
            return
        switched = {name: each.on for name, each in self._desk.bench.world.defects.items()}
        try:
            self._frame.say(changing.keep_defects(switched), well=True)
        except WrongError as error:
            self._say(str(error))

    def _look_at_file(self) -> None:
        """Notice that somebody else has changed the bench's file, and ask which of the two is to stay."""
        changing = self._desk.changing
        if changing is None or not isinstance(self.screen, Frame):
            return
        there = changing.news()
        if there is not None:
            self.push_screen(OutsideScreen(changing, there), self._outside)

    def _outside(self, words: str | None) -> None:
        changing = self._desk.changing
        if changing is not None and changing.wants_again:
            changing.place = Place("", (), message=words or "")
            self.exit(0)
        elif words:
            self._frame.say(words, well=True)

    def _say(self, message: str) -> None:
        self._frame.say(message)


class BeginningApp(CavetApp):
    """The workbench on a bench without any point: there is nothing to drive yet. Frames are there where somebody talks
    to a board, checks where there are any."""

    DEFAULT_MODE = BENCH

    def __init__(self, desk: Desk, lost: Callable[[], None] = lambda: None) -> None:
        setup = desk.bench.setup
        there = {BENCH: True, FRAMES: bool(setup.hosts), CHECKS: bool(setup.checks)}
        self.shown = [name for name, is_there in there.items() if is_there]
        super().__init__(desk, lost)


class RecordApp(CavetApp):
    """The workbench on a record."""

    runs = False
    shown: Sequence[str] = (FRAMES, RECORD)
    DEFAULT_MODE = FRAMES


def _screen_class(name: str) -> type[Frame]:
    """The class of a screen."""
    found: type[Frame] = getattr(import_module(f"cavet.workbench.screens.{name}"), f"{name.capitalize()}Screen")
    return found


def _make_screen(name: str, desk: Desk) -> Frame:
    return _screen_class(name)(desk)


def app_for(desk: Desk, lost: Callable[[], None] = lambda: None) -> CavetApp:
    """The workbench with the screens that have something to show."""
    if desk.bench.setup.points:
        return CavetApp(desk, lost)
    return BeginningApp(desk, lost)
