"""Changing a bench: each change is checked whole before it is taken, can be taken back, and is saved when it is wanted.

The bench that runs takes a change over: what stays the same goes on. The screens are made anew for it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec

from cavet.bench import BenchFile
from cavet.wording import WrongError

Changes = Sequence[tuple[tuple[str, ...], Any]]


class Step(msgspec.Struct, frozen=True):
    """One change: what it was before, and what was done, in words."""

    file: BenchFile
    words: str


class Place(msgspec.Struct, frozen=True):
    """Where one was on the Bench screen, so that one is there again."""

    board: str
    cursor: tuple[str | int, ...]
    pane: str = "boards"
    message: str = ""


class Changing:
    """The file of a bench under change, with its way back and forth."""

    def __init__(self, file: BenchFile) -> None:
        self.file = file
        self._saved = file.text
        self._undo: list[Step] = []
        self._redo: list[Step] = []
        self.wants_again = False
        """Whether there is a change that the running bench has not taken over yet."""
        self.place: Place | None = None

    @property
    def is_changed(self) -> bool:
        """Whether there is something that is not saved."""
        return self.file.text != self._saved

    def change(self, changes: Changes, words: str) -> None:
        """Make changes. Raises `WrongError` for the first of what is wrong then; nothing is changed in that case."""
        try:
            changed = self.file.changed_all(changes)
        except ExceptionGroup as group:
            raise group.exceptions[0] from group
        self._undo.append(Step(self.file, words))
        self._redo.clear()
        self._take(changed)

    def undo(self) -> str:
        """Take the last change back; give what it was."""
        return self._step(self._undo, self._redo, "nothing to take back")

    def redo(self) -> str:
        """Make again what was taken back; give what it was."""
        return self._step(self._redo, self._undo, "nothing to make again")

    def _step(self, source: list[Step], target: list[Step], nothing: str) -> str:
        if not source:
            raise WrongError("change", found=nothing, expected="a change before it")
        step = source.pop()
        target.append(Step(self.file, step.words))
        self._take(step.file)
        return step.words

    def _take(self, file: BenchFile) -> None:
        self.file = file
        self.wants_again = True

    def save(self) -> str:
        """Write the file; give what is to be said of it. Raises `WrongError`: for a file that somebody has changed
        meanwhile, too."""
        path = self.file.path
        try:
            there = path.read_text("utf-8")
        except OSError as error:
            raise WrongError(
                str(path), found=error.strerror or str(error), expected="the file as it was read"
            ) from error
        if there != self._saved:
            expected = "the one that was read; nothing is lost: open it anew, or save elsewhere"
            raise WrongError(str(path), found="a file that was changed meanwhile", expected=expected)
        self.file.save()
        self._saved = self.file.text
        return f"saved in {path.name}"
