"""The application: it joins the bench and the screens, and has the keys that work everywhere."""

from __future__ import annotations

import asyncio
import os
import signal
import sys
from collections.abc import Callable
from functools import partial

from textual import events
from textual.app import App
from textual.geometry import Size
from textual.screen import Screen

from cavet.bench import BenchFile
from cavet.boards.parts import Encoder
from cavet.faults import note_fault
from cavet.wording import WrongError
from cavet.workbench import keymap
from cavet.workbench.desk import Desk
from cavet.workbench.palette import themes
from cavet.workbench.screens.actions import Action, ActionsScreen
from cavet.workbench.screens.defects import DefectsScreen
from cavet.workbench.screens.drive import DriveScreen

LOOK_SECONDS = 0.5
"""How often the size of the terminal is looked at."""
PRESS_SECONDS = 0.1
LEAVE = "q leaves, ctrl+q from anywhere; F12 sends everything to rest"


class CavetApp(App[int]):
    """The workbench on a bench that runs already."""

    TITLE = "Cavet"
    BINDINGS = keymap.APP
    ENABLE_COMMAND_PALETTE = False  # there is one of our own, with the keys in it
    CSS = """
    Screen { background: $background; }
    ModalScreen { align: center middle; background: $background 60%; }
    """

    def __init__(self, file: BenchFile, desk: Desk, lost: Callable[[], None] = lambda: None) -> None:
        super().__init__()
        self._lost = lost
        """Called when the window is gone: what was to be drawn in it may then wait for ever."""
        self._file = file
        self._desk = desk
        self._complained = ""
        for theme in themes():
            self.register_theme(theme)
        self.set_reactive(App.theme, "cavet-dark")

    def _handle_exception(self, error: Exception) -> None:
        """What raises while it is being left, since there is no screen any more, is only logged."""
        if self._exit or self._closing or not self.screen_stack:
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

    def get_default_screen(self) -> Screen[None]:
        return DriveScreen(self._desk)

    def on_mount(self) -> None:
        if self.is_headless:
            return
        self.set_interval(LOOK_SECONDS, self._look_at_terminal)
        loop = asyncio.get_running_loop()
        for number in (signal.SIGHUP, signal.SIGTERM):
            signal.signal(number, lambda number, frame: self._told_to_end(loop))

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
        drive = next(screen for screen in self.screen_stack if isinstance(screen, DriveScreen))
        other = "dark" if self.theme.endswith("light") else "light"
        return [
            Action("everything to rest", "every output of every board, now", self.action_rest, "F12"),
            Action("look at the trail", "every stage, and the frame taken apart", drive.action_look, "⏎"),
            Action("the next broken trail", "one that nobody has looked at", drive.action_broken, "b"),
            Action("the trail before", "of all commands", partial(drive.action_trail, -1), "["),
            Action("the trail after", "of all commands", partial(drive.action_trail, 1), "]"),
            Action("take back", "ask for what was asked before", drive.action_undo, "u"),
            Action("explain", "what is under the cursor", drive.action_explain, "?"),
            Action("defects", "make things wrong on purpose", drive.action_defects, "d"),
            Action("let go of the link, or take it up", "for another program", drive.action_link, "o"),
            Action("find", "points by a part of their names", drive.action_find, "f"),
            *[self._restart_action(board) for board in self._desk.roster.boards if self._desk.bench.fault_of(board)],
            *self._hand_actions(),
            *[self._defect_action(name) for name in self._desk.bench.world.defects],
            Action(f"{other} theme", "the same roles on another ground", self.action_theme),
            Action("quit", "leave the workbench; the record is kept", self.action_leave, "q"),
        ]

    def _restart_action(self, board: str) -> Action:
        return Action(f"start {board} again", "as after power-on", partial(self._desk.restart, board))

    def _hand_actions(self) -> list[Action]:
        """What can be done by hand to parts that no input stands for: a pump that is jammed, say."""
        bench = self._desk.bench
        seen = {f"{point.board}.{point.part or point.name}" for point in self._desk.inputs}
        found = []
        for board in bench.world.boards.values():
            for part in board.circuit.parts.values():
                path = f"{board.name}.{part.name}"
                if "press" in part.actions:
                    act = partial(self._desk.act, path, "press", seconds=PRESS_SECONDS)
                    found.append(Action(f"press {part.name}", f"by hand, at the {board.name}", act))
                if path in seen:
                    continue
                if isinstance(part, Encoder) and part.actions:
                    found += self._turns(board.name, part)
                for do in part.actions if part.kind == "pump" else ():
                    act = partial(self._desk.act, path, do)
                    found.append(Action(f"{do} {part.name}", f"by hand, at the {board.name}", act))
        return found

    def _turns(self, board: str, knob: Encoder) -> list[Action]:
        """A knob is turned by a quarter, either way."""
        path, quarter = f"{board}.{knob.name}", knob.per_turn // 4
        return [
            Action(
                f"turn {knob.name} {way}",
                f"by {quarter} counts, at the {board}",
                partial(self._desk.act, path, "turn", value=value),
            )
            for way, value in (("on", quarter), ("back", -quarter))
        ]

    def _defect_action(self, name: str) -> Action:
        defect = self._desk.bench.world.defects[name]
        word = "off" if defect.on else "on"
        return Action(f"switch {word} {name}", defect.tells, partial(self._desk.switch_defect, name))

    def action_palette(self) -> None:
        """Show all actions, and do the one that is chosen."""
        if not isinstance(self.screen, ActionsScreen):
            self.push_screen(ActionsScreen(self._actions()), self._do)

    def _do(self, action: Action | None) -> None:
        if action is not None:
            action.act()

    def action_theme(self) -> None:
        self.theme = "cavet-dark" if self.theme.endswith("light") else "cavet-light"
        self.refresh_css(animate=False)
        for screen in self.screen_stack:
            screen.refresh(layout=True)

    def action_rest(self) -> None:
        """Send every output to its rest value, whatever is on the screen."""
        self._desk.rest()
        for screen in self.screen_stack:
            if isinstance(screen, DriveScreen):
                screen.follow()

    def action_how_to_leave(self) -> None:
        """Who presses the interrupt key wants to leave: say how, and that nothing has been stopped by it."""
        self._say(LEAVE)
        if not isinstance(self.screen, DriveScreen):
            self.notify(LEAVE)

    def action_leave(self) -> None:
        self.exit(0)

    def on_defects_screen_keep(self, message: DefectsScreen.Keep) -> None:
        """Write how the defects are switched into the bench file."""
        file = self._file
        for defect in self._desk.bench.world.defects.values():
            file = file.changed(("defects", defect.name, "on"), defect.on)
        try:
            file.save()
        except WrongError as error:
            self._say(str(error))
            return
        self._file = file
        self._say(f"saved in {file.path.name}")

    def _say(self, message: str) -> None:
        for screen in self.screen_stack:
            if isinstance(screen, DriveScreen):
                screen.say(message)
