"""All actions, found by typing a part of their names."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from textual import events
from textual.app import ComposeResult
from textual.containers import Vertical
from textual.screen import ModalScreen

from cavet.workbench import keymap
from cavet.workbench.drawing.canvas import ASKED, PAPER, QUIET
from cavet.workbench.drawing.lines import draw_foot
from cavet.workbench.screens.sheet import Line, Sheet, draw_sheet
from cavet.workbench.widgets.picture import Picture

MAX_TYPED = 40


class Action(msgspec.Struct, frozen=True):
    """Something that can be done: its name, what it does, its key where it has one."""

    name: str
    does: str
    act: Callable[[], object]
    key: str = ""


def fitting(actions: list[Action], typed: str) -> list[Action]:
    """The actions in whose words all typed words can be found."""
    words = typed.lower().split()
    return [action for action in actions if all(word in f"{action.name} {action.does}".lower() for word in words)]


class ActionsScreen(ModalScreen[Action | None]):
    """A list to choose from. It gives back the action that was chosen."""

    CSS = """
    ActionsScreen { align: center middle; background: $background 60%; }
    #sheet { width: 96; max-width: 96%; height: 26; max-height: 90%; }
    #page { height: 1fr; }
    #foot { height: 1; }
    """

    def __init__(self, actions: list[Action]) -> None:
        super().__init__()
        self._actions = actions
        self._typed = ""
        self._cursor = 0

    def compose(self) -> ComposeResult:
        with Vertical(id="sheet"):
            yield Picture(id="page")
            yield Picture(id="foot")

    def on_mount(self) -> None:
        self.call_after_refresh(self.follow)

    def on_resize(self) -> None:
        self.call_after_refresh(self.follow)

    def follow(self) -> None:
        page = self.query_one("#page", Picture)
        if page.size.width:
            first = max(0, self._cursor + 1 - (page.size.height - 6))
            page.show(draw_sheet(self._sheet(first), 0, *page.size))
            self.query_one("#foot", Picture).show(draw_foot(keymap.ACTIONS_FOOT, keymap.REST, page.size.width))

    def _sheet(self, first: int) -> Sheet:
        lines: list[Line] = [[("› ", ASKED), (f"{self._typed}▏", PAPER)], []]
        found = fitting(self._actions, self._typed)
        for place, action in enumerate(found[first:], first):
            chosen = place == self._cursor
            lines.append(
                [
                    ("▸ " if chosen else "  ", PAPER),
                    (f"{action.name:34.34}", PAPER._replace(bold=chosen)),
                    (f"{action.key:7}", ASKED),
                    (action.does, QUIET),
                ]
            )
        return Sheet("all actions", lines if found else [*lines, [("nothing of that name", QUIET)]])

    def on_key(self, event: events.Key) -> None:
        if event.key in ("f12", "ctrl+e", "ctrl+q"):
            return
        event.stop()
        found = fitting(self._actions, self._typed)
        if event.key == "escape":
            self.dismiss(None)
        elif event.key == "enter":
            self.dismiss(found[self._cursor] if found else None)
        elif event.key in ("up", "down"):
            by = 1 if event.key == "down" else -1
            self._cursor = min(max(0, len(found) - 1), max(0, self._cursor + by))
        elif event.key == "backspace":
            self._typed, self._cursor = self._typed[:-1], 0
        elif event.character is not None and event.character.isprintable():
            self._typed, self._cursor = (self._typed + event.character)[:MAX_TYPED], 0
        self.follow()
