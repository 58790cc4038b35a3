"""Keys that are pressed while a screen is still being made wait for it: they would go to the one before, or nowhere."""

from __future__ import annotations

from textual import events
from textual.app import App

from cavet.workbench import keymap
from cavet.workbench.screens.frame import Frame
from cavet.workbench.screens.modal import Modal

LOOK_SECONDS, MOST_LOOKS = 0.02, 250
"""How often it is looked whether the screen is there; after so many looks the keys go on without it."""
MOST_KEYS = 100
"""So many are kept; who presses more does not look."""
AT_ONCE = frozenset(
    key
    for command in keymap.EVERYWHERE
    if command.action in ("rest", "leave", "how_to_leave")
    for key in command.keys.split(",")
)
"""What is never held back."""


class TypedAhead:
    """The keys that an application keeps back."""

    def __init__(self, app: App[int]) -> None:
        self._app = app
        self._kept: list[events.Key] = []
        self._looks = 0
        self._released: events.Key | None = None
        """The one that was let go last."""

    def keeps(self, event: events.Event) -> bool:
        """Whether an event is a key that has to wait: then it comes once more."""
        if not isinstance(event, events.Key) or event.key in AT_ONCE or event is self._released:
            return False
        if not self._kept and not self._is_coming():
            return False
        if not self._kept:
            self._looks = 0
            self._app.set_timer(LOOK_SECONDS, self._look)
        if len(self._kept) < MOST_KEYS:
            self._kept.append(events.Key(event.key, event.character))
        return True

    def _is_coming(self) -> bool:
        """Whether the screen that is to be shown is not there yet, or a sheet that was left still is."""
        if not self._app.screen_stack:
            return False
        screen = self._app.screen
        if not screen.is_mounted or (isinstance(screen, Frame | Modal) and screen.is_left):
            return True
        return isinstance(screen, Frame) and not screen.was_drawn

    def _look(self) -> None:
        """Let the next key go, once it has somewhere to go to: one may lead to another screen again."""
        if not self._app.screen_stack:
            return  # it is being left
        self._looks += 1
        if self._looks > MOST_LOOKS or not self._is_coming():
            self._released = self._kept.pop(0)
            self._app.post_message(self._released)
        if self._kept:
            self._app.set_timer(LOOK_SECONDS, self._look)
