"""The line at the top: a click on a screen's name goes there."""

from __future__ import annotations

from textual import events
from textual.message import Message

from cavet.workbench.drawing.lines import TopView, name_places
from cavet.workbench.widgets.picture import LEFT_BUTTON, Picture


class Top(Picture):
    """Posts which screen is wanted."""

    class Chosen(Message):
        """A screen was clicked on."""

        def __init__(self, name: str) -> None:
            super().__init__()
            self.name = name

    def on_mouse_down(self, event: events.MouseDown) -> None:
        view = self.shown
        if not isinstance(view, TopView) or event.button != LEFT_BUTTON:
            return
        for name, begin, end in name_places(view, self.size.width):
            if begin <= event.x < end:
                self.post_message(self.Chosen(name))
