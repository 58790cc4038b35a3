"""Anything new in a bench's file: a whole board, or a table of any sort, asked for key by key."""

from __future__ import annotations

from cavet.benchfile import BenchFile
from cavet.settings import Key
from cavet.wording import WrongError
from cavet.workbench.screens.asking import AskScreen
from cavet.workbench.wiring.boards import KINDS, TITLES, with_board
from cavet.workbench.wiring.changing import Change
from cavet.workbench.wiring.tables import Form, Making, forms_for


class MakeScreen(AskScreen[Change | None]):
    """Asks what it shall be, what it is called, and then for each key that it must have."""

    def __init__(self, file: BenchFile, board: str) -> None:
        super().__init__(f"anything new, at the {board} or beside it" if board else "a first board")
        self._file = file
        self._board = board
        self._forms: list[Form] = forms_for(file, board)
        self._making: Making | None = None
        self._key: Key | None = None
        self.ask("what shall it be?", [*(TITLES[kind] for kind in KINDS), *(form.title for form in self._forms)])

    def take(self, answer: str) -> None:
        making = self._making
        if making is None:
            self._begin()
        elif not making.name:
            making.call(answer)
            self._go_on(making)
        elif self._key is not None:
            making.answer(self._key, answer)
            self._go_on(making)

    def _begin(self) -> None:
        if self._cursor < len(KINDS):
            file, board = with_board(self._file, KINDS[self._cursor])
            self.leave(Change(file, f"{board} is there, with its link, its host, and first points", board=board))
            return
        self._making = Making(self._file, self._forms[self._cursor - len(KINDS)], self._board)
        self.ask("what is it called?", entry=self._making.free_name())

    def _go_on(self, making: Making) -> None:
        """The next key that must be there; without one, what the check of the whole still wants; or the end."""
        key, hint = making.missing(), ""
        if key is None:
            try:
                made = making.made()
            except WrongError as error:
                key, hint = making.asked_by(error), f"{error.found} will not do: {error.expected}"
                if key is None:
                    if self._key is not None:
                        making.take_back(self._key)
                    raise
            else:
                point = making.name if making.path[0] == "points" else ""
                self.leave(Change(made, f"{'.'.join(making.path)} is there; enter on its row changes it", point))
                return
        self._key = key
        self.ask(key.name, making.fits(key), hint=key.doc if not hint or key.required else hint)
