"""To another pin: what is in a row moves there, or is there once more."""

from __future__ import annotations

from cavet.benchfile import BenchFile
from cavet.wiring import Place, Wiring
from cavet.wording import WrongError
from cavet.workbench.screens.asking import AskScreen
from cavet.workbench.wiring.adding import free_name, pin_title
from cavet.workbench.wiring.changing import Change, changed
from cavet.workbench.wiring.moving import BOTH, copied, mode_at, moved, ways_at


class ToPinScreen(AskScreen[Change | None]):
    """Asks for a free pin that can do it. Raises `WrongError` where there is nothing to move, or nowhere to go."""

    def __init__(self, title: str, file: BenchFile, board: str, place: Place) -> None:
        super().__init__(title)
        self._file = file
        self._board = board
        self._place = place
        mode = mode_at(file.setup, board, place)
        self._pins = Wiring(file.setup, board).free_pins(mode)
        if not self._pins:
            raise WrongError(board, found=f"no free pin that can do {mode.value}", expected="one more")

    def ask_pin(self) -> None:
        """To which pin?"""
        board = self._file.setup.boards[self._board]
        self.ask("to which pin?", [pin_title(board, pin) for pin in self._pins])

    def _label(self, pin: int) -> str:
        return self._file.setup.boards[self._board].profile.pins[pin].label or str(pin)


class MoveScreen(ToPinScreen):
    """What moves, and where to."""

    def __init__(self, file: BenchFile, board: str, place: Place) -> None:
        super().__init__(f"from {place.name} to another pin", file, board, place)
        self._way = ""
        ways = ways_at(file.setup, board, place)
        if len(ways) > 1:
            self.ask("what moves?", ways)
        else:
            self._way = ways[0]
            self.ask_pin()

    def take(self, answer: str) -> None:
        if not self._way:
            self._way = answer
            self.ask_pin()
            return
        pin = self._pins[self._cursor]
        file = changed(self._file, moved(self._file.setup, self._board, self._place, pin, self._way))
        what = "it" if self._way == BOTH else self._way
        self.leave(Change(file, f"{what} moved from {self._place.name} to {self._label(pin)}"))


class CopyScreen(ToPinScreen):
    """Where to, and under which name."""

    def __init__(self, file: BenchFile, board: str, place: Place) -> None:
        super().__init__(f"what is at {place.name} once more", file, board, place)
        ways_at(file.setup, board, place)
        self._pin = -1
        self.ask_pin()

    def take(self, answer: str) -> None:
        if self._pin < 0:
            self._pin = self._pins[self._cursor]
            wiring = Wiring(self._file.setup, self._board)
            names = [point.name for point in wiring.points if self._place.key in wiring.keys_of(point)]
            self.ask("what shall it be called?", entry=free_name(self._file.setup, (*names, *self._place.parts)[0]))
            return
        file = changed(self._file, copied(self._file, self._board, self._place, self._pin, answer))
        is_point = answer in file.setup.points
        self.leave(Change(file, f"{answer} is there, at {self._label(self._pin)}", answer if is_point else ""))
