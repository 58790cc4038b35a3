"""A sheet laid over the screen: lines to read, kept up to date while it is open."""

from __future__ import annotations

from collections.abc import Callable

from textual.app import ComposeResult
from textual.binding import Binding

from cavet.faults import note_fault
from cavet.workbench import keymap
from cavet.workbench.drawing.sheet import Sheet, laid
from cavet.workbench.screens.modal import Modal
from cavet.workbench.widgets.leaf import Leaf

FRAME_SECONDS = 1 / 10


class SheetScreen(Modal[None]):
    """Shows what `make` gives, anew at each look."""

    BINDINGS = [
        Binding("escape,enter,q,question_mark", "dismiss", "back"),
        Binding("up", "scroll(-1)"),
        Binding("down", "scroll(1)"),
        Binding("pageup", "scroll(-10)"),
        Binding("pagedown,space", "scroll(10)"),
    ]

    def __init__(self, make: Callable[[], Sheet]) -> None:
        super().__init__()
        self._make = make
        self._first = 0

    def compose(self) -> ComposeResult:
        leaf = Leaf()
        leaf.fit(self._make(), *self.app.size)
        yield leaf

    def on_mount(self) -> None:
        self.set_interval(FRAME_SECONDS, self.follow)
        self.call_after_refresh(self.follow)

    def follow(self) -> None:
        try:
            self.query_one(Leaf).show(self._make(), self._first, keymap.SHEET_FOOT)
        except Exception as error:  # noqa: BLE001
            self.app.notify(f"shut, since it can't be drawn: {note_fault('a sheet', error)}", markup=False)
            self.leave()

    def action_scroll(self, by: int) -> None:
        leaf = self.query_one(Leaf)
        last = max(0, len(laid(self._make(), leaf.size.width)) - leaf.room)
        self._first = min(last, max(0, self._first + by))
        self.follow()

    async def action_dismiss(self, result: None = None) -> None:
        self.leave()
