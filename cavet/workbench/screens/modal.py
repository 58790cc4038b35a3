"""What sheets and lists over a screen have in common: one leaf, and that they are left once."""

from __future__ import annotations

from typing import ClassVar, TypeVar

from textual import events
from textual.app import ComposeResult
from textual.screen import ModalScreen

from cavet.faults import note_fault
from cavet.workbench import keymap
from cavet.workbench.drawing.sheet import Sheet
from cavet.workbench.pasted import Pasting
from cavet.workbench.screens.fitted import Fitted
from cavet.workbench.widgets.leaf import Leaf

T = TypeVar("T")
FRAME_SECONDS = 1 / 15


class Modal(Pasting, ModalScreen[T], Fitted[T]):
    """A sheet above a screen, until it is left. Its class says which commands it has, and `sheet` what stands on it."""

    CAN: ClassVar[keymap.Commands] = ()
    IS_LIVE: ClassVar[bool] = False
    """Whether what stands on it may change while nobody presses a key."""

    def __init__(self) -> None:
        super().__init__()
        self.is_left = False
        self.leaf = Leaf()

    def compose(self) -> ComposeResult:
        self.leaf.fit(self.sheet(), *self.app.size)
        yield self.leaf

    def on_mount(self) -> None:
        if self.IS_LIVE:
            self.set_interval(FRAME_SECONDS, self.follow)
        self.fit()

    @property
    def takes_keys(self) -> bool:
        return self.is_mounted and not self.is_left

    def sheet(self) -> Sheet:
        """What stands on it now."""
        raise NotImplementedError

    @property
    def first(self) -> int:
        """The line that it is shown from."""
        return 0

    def follow(self) -> None:
        """Show it as it is now. What can't be drawn is told, and left: whatever keys are still on their way."""
        if self.is_left or not self.leaf.is_mounted:
            return
        try:
            self.leaf.show(self.sheet(), self.first, keymap.foot(self.CAN))
        except Exception as error:  # noqa: BLE001
            self.app.notify(f"shut, since it can't be drawn: {note_fault('a sheet', error)}", markup=False)
            self.leave()

    def leave(self, result: T | None = None) -> None:
        """Go back to the screen below, with a result for it."""
        if not self.is_left:
            self.is_left = True
            self.dismiss(result)

    async def action_dismiss(self, result: T | None = None) -> None:
        self.leave(result)

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        """Nothing is done any more by who has been left."""
        return not self.is_left


class KeyedModal(Modal[T]):
    """A sheet that takes all keys itself, for what is typed on it; but for those that hold everywhere."""

    PASSED = ("f12", "ctrl+e", "ctrl+q")

    def hear(self, key: str, character: str | None) -> None:
        """Take a key; `character` is what it types, where it types anything."""
        raise NotImplementedError

    def on_key(self, event: events.Key) -> None:
        """Every key but those of everywhere; then it is shown as it is."""
        if event.key in self.PASSED:
            return
        event.stop()
        if not self.is_left:
            character = event.character
            self.hear(event.key, character if character is not None and character.isprintable() else None)
            self.follow()
