"""The bench's file was changed by somebody else: which of the two is to stay?"""

from __future__ import annotations

from cavet.faults import FORESEEN
from cavet.workbench.screens.asking import AskScreen
from cavet.workbench.wiring.changing import Changing

TAKE = "what the file says now; u brings back what is here"
KEEP = "what is here; the next save writes over the file"


class OutsideScreen(AskScreen[str]):
    """Asks, and does it. It gives back what is to be said of it; left without an answer, what is here is kept."""

    def __init__(self, changing: Changing, there: str) -> None:
        name = changing.file.path.name
        super().__init__(f"{name} was changed by somebody else")
        self._changing = changing
        self._there = there
        hint = "what was changed here is not saved yet" if changing.is_changed else "nothing is lost either way"
        self.ask("which is to stay?", [TAKE, KEEP], hint=hint)

    def leave(self, result: str | None = None) -> None:
        if result is None and not self.is_left:
            result = self._changing.keep(self._there)
        super().leave(result)

    def take(self, answer: str) -> None:
        if answer == KEEP:
            self.leave()
            return
        try:
            self._changing.take_over(self._there)
        except FORESEEN as error:
            self._hint = "it can't be used as it is: mend the file, or keep what is here"
            raise error
        self.leave("the file is taken over; u brings back what was here")
