"""All actions, found by typing a part of their names."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from textual import events

from cavet.drawings.canvas import ASKED, PAPER, QUIET, clip
from cavet.workbench import keymap
from cavet.workbench.drawing.sheet import MARGIN, Line, Sheet
from cavet.workbench.screens.modal import Modal
from cavet.workbench.typed import Typed
from cavet.workbench.widgets.leaf import columns_in

MAX_TYPED = 40
NAME_CELLS, KEY_CELLS = 36, 7


class Action(msgspec.Struct, frozen=True):
    """Something that can be done: its name, what it does, its key where it has one."""

    name: str
    does: str
    act: Callable[[], object]
    key: str = ""


def fitting(actions: list[Action], typed: str) -> list[Action]:
    """The actions in whose words all typed words can be found; the one that is called so is the first."""
    words = typed.lower().split()
    found = [action for action in actions if all(word in f"{action.name} {action.does}".lower() for word in words)]
    return sorted(found, key=lambda action: action.name.lower().split() != words)


class ActionsScreen(Modal[Action | None]):
    """A list to choose from. It gives back the action that was chosen."""

    CAN = keymap.CHOOSING

    def __init__(self, actions: list[Action], title: str) -> None:
        super().__init__()
        self._actions = actions
        self._title = title
        self._typed = Typed(most=MAX_TYPED)
        self._cursor = 0

    def sheet(self) -> Sheet:
        room = self.leaf.room
        return self._sheet(max(0, self._cursor + 3 - room) if room else 0)

    def _sheet(self, first: int) -> Sheet:
        lines: list[Line] = [[("› ", ASKED), (self._typed.shown(), PAPER)], []]
        found = fitting(self._actions, self._typed.text)
        names, keys = self._columns()
        for place, action in enumerate(found[first:], first):
            chosen = place == self._cursor
            lines.append(
                [
                    ("▸ " if chosen else "  ", PAPER),
                    (f"{clip(action.name, names - 1):{names}}", PAPER._replace(bold=chosen)),
                    (f"{action.key:{keys}}", ASKED),
                    (action.does, QUIET),
                ]
            )
        return Sheet(self._title, lines if found else [*lines, [("nothing of that name", QUIET)]])

    def _columns(self) -> tuple[int, int]:
        """What names take, as long as there is room beside what they do; and what keys take, where there are any."""
        keys = KEY_CELLS if any(action.key for action in self._actions) else 0
        longest = max((len(action.name) for action in self._actions), default=0) + 1
        does = max((len(action.does) for action in self._actions), default=0)
        width = columns_in(self.app.size.width) if self.is_attached else 0
        room = width - 2 * MARGIN - 2 - keys
        return max(NAME_CELLS, min(longest, room - does)), keys

    def paste(self, text: str) -> None:
        if not self.is_left:
            self._typed, self._cursor = self._typed.put(text), 0
            self.follow()

    def on_key(self, event: events.Key) -> None:
        if event.key in ("f12", "ctrl+e", "ctrl+q"):
            return
        event.stop()
        if self.is_left:
            return
        found = fitting(self._actions, self._typed.text)
        if event.key == "escape":
            self.leave()
            return
        if event.key == "enter":
            self.leave(found[self._cursor] if found else None)
            return
        if event.key in ("up", "down"):
            by = 1 if event.key == "down" else -1
            self._cursor = min(max(0, len(found) - 1), max(0, self._cursor + by))
        elif (typed := self._typed.hear(event.key, event.character)) is not None:
            self._cursor = self._cursor if typed.text == self._typed.text else 0
            self._typed = typed
        self.follow()
