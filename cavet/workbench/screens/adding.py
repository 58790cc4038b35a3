"""A new output or input: a few questions, each answered from what fits; then it is there."""

from __future__ import annotations

from cavet.benchfile import BenchFile
from cavet.workbench.screens.asking import AskScreen
from cavet.workbench.wiring.adding import Sort, changes_for, check_name, free_name, pins_for, read_range, sorts_for
from cavet.workbench.wiring.changing import Change, changed

QUESTIONS = {
    "what": "what is it?", "where": "where does it hang?", "name": "what shall the host call it?",
    "range": "between which values?", "words": "what are its two values called?", "rest": "where does it rest?",
}  # fmt: skip


class AddScreen(AskScreen[Change | None]):
    """Asks what is wanted, one question after the other. It gives back the bench with it."""

    def __init__(self, file: BenchFile, board: str) -> None:
        super().__init__(f"something new at the {board}")
        self._file = file
        self._setup = file.setup
        self._board = board
        self._sorts = sorts_for(file.setup, board)
        self._sort = self._sorts[0]
        self._pin: tuple[int, str] | None = None
        self._answers: dict[str, str] = {}
        self._step = "what"
        self.ask(QUESTIONS["what"], [sort.title for sort in self._sorts])

    def take(self, answer: str) -> None:
        step, sort = self._step, self._sort
        if step == "what":
            sort = self._sort = self._sorts[self._cursor]
        elif step == "where":
            self._pin = pins_for(self._setup, self._board, sort)[self._cursor]
            self._told[-1] = (self._told[-1][0], f"pin {self._pin[1].split('  ')[0]}")
        elif step == "name":
            check_name(self._setup, answer)
        elif step == "range":
            read_range(answer)
        self._answers[step] = answer
        place = sort.questions.index(step) + 1
        if place == len(sort.questions):
            self._end(sort)
        else:
            self._next(sort, sort.questions[place])

    def _next(self, sort: Sort, step: str) -> None:
        self._step = step
        entry = {
            "name": free_name(self._setup, sort.name), "range": sort.usual_range, "words": sort.words,
            "rest": self._answers.get("range", sort.usual_range).split(" to ")[0],
        }.get(step, "")  # fmt: skip
        choices = [title for _, title in pins_for(self._setup, self._board, sort)] if step == "where" else []
        self.ask(QUESTIONS[step], choices, entry)

    def _end(self, sort: Sort) -> None:
        assert self._pin is not None  # the second question was answered
        name = self._answers["name"]
        given = {key: self._answers[key] for key in ("range", "words", "rest") if self._answers.get(key)}
        changes = changes_for(self._setup, self._board, sort, self._pin[0], name, given)
        self.leave(Change(changed(self._file, changes), f"{name} is there; g drives it", name))
