"""Another screen, by its number."""

from __future__ import annotations

from textual import events

from cavet.drawings.canvas import ASKED, PAPER, QUIET
from cavet.workbench import keymap
from cavet.workbench.drawing.sheet import Sheet
from cavet.workbench.screens.modal import Modal


class ScreensScreen(Modal[str]):
    """The screens with their numbers: one key goes there."""

    CAN = keymap.SCREENS
    BINDINGS = keymap.bindings(keymap.SCREENS)

    def __init__(self, names: tuple[str, ...], here: str) -> None:
        super().__init__()
        self._names = names
        self._here = here

    def sheet(self) -> Sheet:
        lines = [
            [(f"{number}  ", ASKED), (name, PAPER), ("   you are here" if name == self._here else "", QUIET)]
            for number, name in enumerate(self._names, 1)
        ]
        return Sheet("to which screen?", [*lines])

    def on_key(self, event: events.Key) -> None:
        character = event.character or ""
        if character.isdecimal() and 1 <= int(character) <= len(self._names):
            event.stop()
            self.leave(self._names[int(character) - 1])
