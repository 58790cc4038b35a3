"""A sheet over the screen, to read: it follows what it shows."""

from __future__ import annotations

from collections.abc import Callable

from cavet.workbench import keymap
from cavet.workbench.drawing.sheet import Sheet, laid
from cavet.workbench.screens.modal import Modal


class SheetScreen(Modal[None]):
    """Shows what `make` gives, anew at each look."""

    CAN = keymap.SHEET
    IS_LIVE = True
    BINDINGS = keymap.bindings(keymap.SHEET)

    def __init__(self, make: Callable[[], Sheet]) -> None:
        super().__init__()
        self._make = make
        self._first = 0

    def sheet(self) -> Sheet:
        return self._make()

    @property
    def first(self) -> int:
        return self._first

    def action_scroll(self, by: int) -> None:
        last = max(0, len(laid(self._make(), self.leaf.size.width)) - self.leaf.room)
        self._first = min(last, max(0, self._first + by))
        self.follow()
