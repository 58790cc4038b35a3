"""The application: it joins the bench and the screens, and has the keys that work everywhere."""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial

from textual.app import App, SystemCommand
from textual.screen import Screen

from cavet.bench import BenchFile
from cavet.wording import WrongError
from cavet.workbench import keymap
from cavet.workbench.desk import Desk
from cavet.workbench.palette import themes
from cavet.workbench.screens.defects import DefectsScreen
from cavet.workbench.screens.drive import DriveScreen


class CavetApp(App[int]):
    """The workbench on a bench that runs already."""

    TITLE = "Cavet"
    BINDINGS = keymap.APP
    COMMAND_PALETTE_BINDING = "ctrl+p"
    ENABLE_COMMAND_PALETTE = True
    CSS = """
    Screen { background: $background; }
    """

    def __init__(self, file: BenchFile, desk: Desk) -> None:
        super().__init__()
        self._file = file
        self._desk = desk
        for theme in themes():
            self.register_theme(theme)
        self.set_reactive(App.theme, "cavet-dark")

    def get_default_screen(self) -> Screen[None]:
        return DriveScreen(self._desk)

    def get_system_commands(self, screen: Screen[object]) -> Iterable[SystemCommand]:
        """All actions, for the palette."""
        yield SystemCommand(
            "everything to rest", "send every output of every board to its rest value", self.action_rest
        )
        drive = next((found for found in self.screen_stack if isinstance(found, DriveScreen)), None)
        if drive is not None:
            yield SystemCommand(
                "look at the trail", "every stage of the command, its frame taken apart", drive.action_look
            )
            yield SystemCommand("the next broken trail", "one that nobody has looked at", drive.action_broken)
            yield SystemCommand("take back", "ask for what was asked before", drive.action_undo)
            yield SystemCommand("defects", "make things wrong on purpose", drive.action_defects)
            yield SystemCommand(
                "let go of the link, or take it up", "so that another program can open it", drive.action_link
            )
            yield SystemCommand("explain", "what is under the cursor", drive.action_explain)
        for defect in self._desk.bench.world.defects.values():
            word = "off" if defect.on else "on"
            yield SystemCommand(
                f"defect {defect.name}: {word}", defect.tells, partial(self._desk.switch_defect, defect.name)
            )
        other = "dark" if self.theme.endswith("light") else "light"
        yield SystemCommand(f"{other} theme", "the same roles on another ground", self.action_theme)
        yield SystemCommand("quit", "leave the workbench; the record is kept", self.action_leave)

    def action_palette(self) -> None:
        self.action_command_palette()

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
