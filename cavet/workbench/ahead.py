"""Keys that are pressed while a screen is still being made wait for it: they would go to the one before, or nowhere."""

from __future__ import annotations

from textual import events
from textual.app import App

from cavet.workbench import keymap
from cavet.workbench.screens.fitted import Fitted

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
        self._on_their_way: list[events.Key] = []
        """Those that have gone to a sheet, which it has not heard yet."""

    def keeps(self, event: events.Event) -> bool:
        """Whether an event is a key that has to wait: then it comes once more."""
        if not isinstance(event, events.Key) or event.key in AT_ONCE:
            return False
        if event is self._released or not (self._kept or self._is_coming()):
            if self._app.screen_stack and isinstance(self._app.screen, Fitted) and self._app.screen.TELLS_KEYS:
                self._on_their_way.append(event)
            return False
        self._keep([event])
        return True

    def heard(self, event: events.Key) -> None:
        """A sheet has heard a key."""
        if event in self._on_their_way:
            self._on_their_way.remove(event)

    def call_back(self) -> None:
        """A sheet was left: keys that are on their way to it are for what is shown then."""
        late, self._on_their_way = self._on_their_way, []
        if late:
            self._keep(late, first=True)

    def _keep(self, keys: list[events.Key], *, first: bool = False) -> None:
        if not self._kept:
            self._looks = 0
            self._app.set_timer(LOOK_SECONDS, self._look)
        copies = [events.Key(key.key, key.character) for key in keys]
        self._kept = (copies + self._kept if first else self._kept + copies)[:MOST_KEYS]

    def _is_coming(self) -> bool:
        """Whether the screen that is to be shown is not there yet, or one that was left still is."""
        if not self._app.screen_stack:
            return False
        screen = self._app.screen
        return not screen.takes_keys if isinstance(screen, Fitted) else not screen.is_mounted

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
