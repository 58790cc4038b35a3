"""A new output or input: a few questions, each answered from what fits; then it is there."""

from __future__ import annotations

from textual import events

from cavet.bench import Plan
from cavet.drawings.canvas import ASKED, CORAL, GOT, PAPER, QUIET
from cavet.faults import FORESEEN
from cavet.wording import plain
from cavet.workbench import keymap
from cavet.workbench.drawing.sheet import Line, Sheet
from cavet.workbench.screens.modal import Modal
from cavet.workbench.wiring.adding import (
    Sort,
    changes_for,
    check_name,
    free_name,
    pins_for,
    read_range,
    sorts_for,
)
from cavet.workbench.wiring.changing import Changes

MAX_TYPED = 80
QUESTIONS = {
    "what": "what is it?", "where": "where does it hang?", "name": "what shall the host call it?",
    "range": "between which values?", "words": "what are its two values called?", "rest": "where does it rest?",
}  # fmt: skip


class AddScreen(Modal[Changes | None]):
    """Asks what is wanted, one question after the other. It gives back what is to be written."""

    CAN = keymap.ADDING

    def __init__(self, plan: Plan, board: str) -> None:
        super().__init__()
        self._plan = plan
        self._board = board
        self._sorts = sorts_for(plan, board)
        self._sort: Sort | None = None
        self._pin: tuple[int, str] | None = None
        self._answers: dict[str, str] = {}
        self._question = "what"
        self._cursor = 0
        self._entry = ""
        self._problem = ""

    @property
    def _choices(self) -> list[str]:
        """What can be chosen at this question; empty where something is typed."""
        if self._question == "what":
            return [sort.title for sort in self._sorts]
        if self._question == "where" and self._sort is not None:
            return [title for _, title in pins_for(self._plan, self._board, self._sort)]
        return []

    @property
    def first(self) -> int:
        return max(0, len(self._answers) + self._cursor + 4 - self.leaf.room)

    def sheet(self) -> Sheet:
        lines: list[Line] = [
            [(f"{QUESTIONS[key]:32}", QUIET), (plain(answer), PAPER)] for key, answer in self._answers.items()
        ]
        lines.append([(f"{QUESTIONS[self._question]:32}", PAPER._replace(bold=True))])
        if self._choices:
            for place, choice in enumerate(self._choices):
                here = place == self._cursor
                lines.append(
                    [("  ▸ " if here else "    ", PAPER), (choice, PAPER._replace(bold=here) if here else GOT)]
                )
        else:
            lines[-1].append((f"{self._entry}▏", ASKED))
        if self._problem:
            lines.append([("    ", QUIET), (plain(self._problem), CORAL)])
        return Sheet(f"something new at the {self._board}", lines)

    def on_key(self, event: events.Key) -> None:
        if event.key in ("f12", "ctrl+e", "ctrl+q"):
            return
        event.stop()
        if self.is_left:
            return
        self._problem = ""
        if event.key == "escape":
            self.leave()
            return
        if event.key == "enter":
            self._answer()
        elif event.key in ("up", "down") and self._choices:
            by = 1 if event.key == "down" else -1
            self._cursor = min(len(self._choices) - 1, max(0, self._cursor + by))
        elif event.key == "backspace" and not self._choices:
            self._entry = self._entry[:-1]
        elif event.character is not None and event.character.isprintable() and not self._choices:
            self._entry = (self._entry + event.character)[:MAX_TYPED]
        self.follow()

    def _answer(self) -> None:
        try:
            self._take()
        except FORESEEN as error:
            self._problem = str(error)

    def _take(self) -> None:
        """Take an answer, and go on to the next question, or to the end."""
        question, sort = self._question, self._sort
        if question == "what":
            sort = self._sort = self._sorts[self._cursor]
            self._answers["what"] = sort.title
        elif question == "where" and sort is not None:
            self._pin = pins_for(self._plan, self._board, sort)[self._cursor]
            self._answers["where"] = f"pin {self._pin[1].split('  ')[0]}"
        else:
            if question == "name":
                check_name(self._plan, self._entry)
            elif question == "range":
                read_range(self._entry)
            self._answers[question] = self._entry
        assert sort is not None  # the first question was answered
        wanted = sort.questions
        place = wanted.index(question) + 1
        if place == len(wanted):
            self._end(sort)
            return
        self._question, self._cursor = wanted[place], 0
        self._entry = {
            "name": free_name(self._plan, sort.name), "range": sort.usual_range, "words": sort.words,
            "rest": self._answers.get("range", sort.usual_range).split(" to ")[0],
        }.get(self._question, "")  # fmt: skip

    def _end(self, sort: Sort) -> None:
        assert self._pin is not None  # the second question was answered
        given = {key: self._answers[key] for key in ("range", "words", "rest") if self._answers.get(key)}
        self.leave(changes_for(self._plan, self._board, sort, self._pin[0], self._answers["name"], given))
