"""What is pressed or pasted before the screen has caught up waits, and goes where it was meant for.

Each key goes on only once the one before was done with by all that may hear it: that one may have led to another
screen. And keys wait for a screen that is being made: they would go to the one before, or nowhere.
"""

from __future__ import annotations

from collections import deque

from textual import events
from textual.app import App
from textual.dom import DOMNode

from cavet.workbench import keymap
from cavet.workbench.screens.fitted import Fitted

LOOK_SECONDS, MOST_LOOKS = 0.02, 250
"""How often it is looked whether the screen is there; after so many looks the keys go on without it."""
MOST_HEARING = 25
"""After so many looks nobody hears a key any more: it was lost with the sheet that it had gone to."""
MOST_KEYS = 5000
"""So many are kept; who presses more does not look."""
AT_ONCE = frozenset(
    key
    for command in keymap.EVERYWHERE
    if command.always and command.action in ("rest", "leave", "how_to_leave")
    for key in command.keys.split(",")
)
"""What is never held back; no letter, which may be one of a word."""
Typing = events.Key | events.Paste


class TypedAhead:
    """What an application keeps back of what is typed."""

    def __init__(self, app: App[int]) -> None:
        self._app = app
        self._kept: deque[Typing] = deque()
        self._released: Typing | None = None
        """What was let go, and has not come yet."""
        self._is_heard = False
        """Whether there is something that is still being heard."""
        self._looks = 0
        """Since something was let go."""
        self._watches = False

    def keeps(self, event: events.Event) -> bool:
        """Whether an event has to wait: then it comes once more."""
        if not isinstance(event, events.Key | events.Paste) or event.is_forwarded:
            return False
        if isinstance(event, events.Key) and event.key in AT_ONCE:
            return False
        if event is self._released:
            self._released = None
        elif self._kept or self._released is not None or self._is_heard or self._is_coming():
            if len(self._kept) < MOST_KEYS:
                self._kept.append(_once_more(event))
            self._watch()
            return True
        self._go()
        return False

    def _go(self) -> None:
        """Something goes to who hears it now, and from there up to the application, as far as nobody takes it."""
        self._looks = 0
        if self._app.screen_stack:
            self._is_heard = True
            hearers = list((self._app.focused or self._app.screen).ancestors_with_self)
            self._app.call_later(self._follow, [self._app, *hearers], 1)

    def _follow(self, hearers: list[DOMNode], place: int) -> None:
        """All before this place are done with it."""
        for hearer in hearers[place:]:
            place += 1
            if hearer.call_later(self._follow, hearers, place):
                return
        self._is_heard = False
        self._let_go()

    def _is_coming(self) -> bool:
        """Whether the screen that is to be shown is not there yet, or one that was left still is."""
        if not self._app.screen_stack:
            return False
        screen = self._app.screen
        return not screen.takes_keys if isinstance(screen, Fitted) else not screen.is_mounted

    def _let_go(self) -> None:
        """Let the next one go, once it has somewhere to go to."""
        if not self._kept or self._released is not None or self._is_heard or not self._app.screen_stack:
            return
        if self._looks > MOST_LOOKS or not self._is_coming():
            self._released = self._kept.popleft()
            self._app.post_message(self._released)

    def _watch(self) -> None:
        """Look now and then, as long as something is kept."""
        if not self._watches:
            self._watches = True
            self._app.set_timer(LOOK_SECONDS, self._look)

    def _look(self) -> None:
        self._watches = False
        self._looks += 1
        if self._looks > MOST_HEARING:
            self._is_heard = False
        self._let_go()
        if self._kept:
            self._watch()


def _once_more(event: Typing) -> Typing:
    return events.Key(event.key, event.character) if isinstance(event, events.Key) else events.Paste(event.text)
