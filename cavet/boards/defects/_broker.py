"""Defects between a board and who finds it: its broker, its name."""

from typing import Annotated

from cavet.boards.defects._base import Defect, Spoiled
from cavet.settings import Meaning
from cavet.wording import digits


class Forgetful(Defect, kw_only=True):
    """The broker ends the sessions of all its clients now and then, and has forgotten them when they come back."""

    KIND = "dropped-sessions"
    over_broker = True
    every: Annotated[float, Meaning("how often the broker does so", unit="s", low=0.1, high=86400)]

    @property
    def tells(self) -> str:
        return f"the broker drops the sessions of all its clients every {digits(self.every)} s"

    def spoil(self, board: Spoiled) -> None:
        board.forgets = min(board.forgets, self.every)


class Renamed(Defect, kw_only=True):
    """The board has come back under another name: nobody is to be found under the one that is known."""

    KIND = "renamed"
    over_broker = over_usb = False

    @property
    def tells(self) -> str:
        return "the board has come back under another name: nobody answers under the one that is known"

    def spoil(self, board: Spoiled) -> None:
        board.renamed = True
