"""Questions, one after the other: each answered from what fits, or typed."""

from __future__ import annotations

from typing import TypeVar

from cavet.drawings.canvas import ASKED, CORAL, GOT, PAPER, QUIET
from cavet.faults import FORESEEN
from cavet.wording import plain
from cavet.workbench import keymap
from cavet.workbench.drawing.sheet import Line, Sheet
from cavet.workbench.screens.modal import KeyedModal
from cavet.workbench.typed import Typed

QUESTION_CELLS = 32
T = TypeVar("T")


class AskScreen(KeyedModal[T]):
    """Asks until everything is known. Its class takes each answer, and says what is asked next."""

    CAN = keymap.ADDING

    def __init__(self, title: str) -> None:
        super().__init__()
        self._title = title
        self._told: list[tuple[str, str]] = []
        """What was asked and answered."""
        self._question = ""
        self._choices: list[str] = []
        """What the answer is chosen from; nothing where it is typed."""
        self._cursor = 0
        self._entry = Typed()
        self._is_offered = False
        """Whether the entry is only a proposal: what is typed takes its place."""
        self._hint = ""
        self._problem = ""

    def take(self, answer: str) -> None:
        """Take an answer: ask on, or leave. Raises what is foreseen for one that can't be."""
        raise NotImplementedError

    def ask(self, question: str, choices: list[str] | None = None, entry: str = "", hint: str = "") -> None:
        """The next question. What was typed stays where an answer is still to be chosen; an entry is a proposal, which
        what is typed takes the place of, and which can be mended where the caret goes."""
        self._question, self._choices, self._cursor = question, choices or [], 0
        self._entry, self._is_offered, self._hint = Typed.of(entry), bool(entry), hint

    @property
    def first(self) -> int:
        return max(0, len(self._told) + self._cursor + 2 - max(1, self.leaf.room))

    def sheet(self) -> Sheet:
        lines: list[Line] = [
            [(f"{plain(key):{QUESTION_CELLS}} ", QUIET), (plain(answer), PAPER)] for key, answer in self._told
        ]
        lines.append([(f"{plain(self._question):{QUESTION_CELLS}} ", PAPER._replace(bold=True))])
        for place, choice in enumerate(self._choices):
            here = place == self._cursor
            ink = PAPER._replace(bold=True) if here else GOT
            lines.append([("  ▸ " if here else "    ", PAPER), (plain(choice), ink)])
        if not self._choices:
            lines[-1].append((plain(self._entry.shown()), QUIET if self._is_offered else ASKED))
        if self._hint:
            lines.append([("    ", QUIET), (plain(self._hint), QUIET)])
        if self._problem:
            lines.append([("    ", QUIET), (plain(self._problem), CORAL)])
        return Sheet(self._title, lines)

    def paste(self, text: str) -> None:
        if not self.is_left and not self._choices:
            self._problem = ""
            self._type(text)
            self.follow()

    def _type(self, text: str) -> None:
        kept = Typed() if self._is_offered else self._entry
        self._entry, self._is_offered = kept.put(text), False

    def hear(self, key: str, character: str | None) -> None:
        self._problem = ""
        if key == "escape":
            self.leave()
        elif key == "enter":
            self._enter()
        elif self._choices:
            self._choose(key, character)
        elif character is not None:
            self._type(character)
        elif (entry := self._entry.hear(key, None)) is not None:
            self._entry, self._is_offered = entry, False

    def _choose(self, key: str, character: str | None) -> None:
        """Another choice: the next, or the next that begins so."""
        if key in ("up", "down"):
            by = 1 if key == "down" else -1
            self._cursor = min(len(self._choices) - 1, max(0, self._cursor + by))
        elif character is not None:
            size = len(self._choices)
            turn = [(self._cursor + 1 + step) % size for step in range(size)]
            self._cursor = next((place for place in turn if self._choices[place].startswith(character)), self._cursor)

    def _enter(self) -> None:
        answer = self._choices[self._cursor] if self._choices else self._entry.text.strip()
        question = self._question
        self._told.append((question, answer))
        try:
            self.take(answer)
        except FORESEEN as error:
            self._told.pop()
            self._problem = str(error)
