"""A picture that takes keys, and hands each on to its screen at once: so that fast ones keep their order."""

from __future__ import annotations

from textual import events
from textual.message import Message

from cavet.workbench.pasted import Pasting
from cavet.workbench.widgets.picture import LEFT_BUTTON, Picture


class Hearing(Pasting, Picture, can_focus=True):
    """Takes keys and the mouse for its screen."""

    class Pressed(Message):
        """The mouse was pressed at a cell of it."""

        def __init__(self, sender: Hearing, x: int, y: int) -> None:
            super().__init__()
            self.sender, self.x, self.y = sender, x, y

    class Turned(Message):
        """The wheel was turned over it, up (below 0) or down."""

        def __init__(self, sender: Hearing, by: int, far: bool) -> None:
            super().__init__()
            self.sender, self.by, self.far = sender, by, far

    def on_key(self, event: events.Key) -> None:
        hear = getattr(self.screen, "hear", None)
        if hear is not None and hear(event.key, event.character):
            event.stop()
            event.prevent_default()

    def paste(self, text: str) -> None:
        """Hand it on at once, as keys are: what is pressed behind it must come behind it."""
        paste = getattr(self.screen, "paste", None)
        if paste is not None:
            paste(text)

    def on_mouse_down(self, event: events.MouseDown) -> None:
        if event.button == LEFT_BUTTON:
            self.post_message(self.Pressed(self, event.x, event.y))

    def on_mouse_scroll_up(self, event: events.MouseScrollUp) -> None:
        self.post_message(self.Turned(self, -1, event.ctrl))

    def on_mouse_scroll_down(self, event: events.MouseScrollDown) -> None:
        self.post_message(self.Turned(self, 1, event.ctrl))
