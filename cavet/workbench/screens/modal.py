"""What the screens above others have in common: they are left once, whatever keys are still on their way to them."""

from __future__ import annotations

from typing import TypeVar

from textual.screen import ModalScreen

T = TypeVar("T")


class Modal(ModalScreen[T]):
    """A screen above others, until it is left."""

    is_left = False

    def leave(self, result: T | None = None) -> None:
        """Go back to the screen below, with a result for it."""
        if not self.is_left:
            self.is_left = True
            self.dismiss(result)

    def check_action(self, action: str, parameters: tuple[object, ...]) -> bool | None:
        """Nothing is done any more by who has been left."""
        return not self.is_left
