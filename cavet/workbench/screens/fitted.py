"""What all screens and sheets have in common: they have the window's size."""

from __future__ import annotations

from typing import TypeVar

from textual import events
from textual.screen import Screen

T = TypeVar("T")


class Fitted(Screen[T]):
    """A screen that takes no other size than the window has now.

    Whoever drags the edge of a window sends many sizes one after the other. A screen that lays itself out tells itself
    that its size has changed, behind what has come meanwhile: were it to follow a size that is no longer so, this and
    the next one would call each other up for ever, and no key would be heard any more.
    """

    @property
    def takes_keys(self) -> bool:
        """Whether a key that comes now is for this one."""
        return self.is_mounted

    def on_resize(self, event: events.Resize) -> None:
        if event.size == self.app.size:
            self.fit()
        else:
            event.prevent_default()

    def fit(self) -> None:
        """Draw it anew, once everything on it has found its place."""
        self.call_after_refresh(self.follow)

    def follow(self) -> None:
        """Show it as it is now."""
        raise NotImplementedError
