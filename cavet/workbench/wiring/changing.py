"""Changing a bench: each change is checked whole before it is taken, can be taken back, and is saved when it is wanted.

The bench that runs takes a change over: what stays the same goes on. The screens are made anew for it.
"""

from __future__ import annotations

import msgspec

from cavet.benchfile import BenchFile, Edits, read_text
from cavet.wording import WrongError

Changes = Edits


class Change(msgspec.Struct, frozen=True):
    """One change: the file as it is then, or as it was, and what was done, in words."""

    file: BenchFile
    words: str
    point: str = ""
    """The point that one goes to then."""
    board: str = ""
    """The board that is opened then."""


def changed(file: BenchFile, changes: Changes) -> BenchFile:
    """A file with changes made. Raises `WrongError` for the first of what is wrong then."""
    try:
        return file.changed_all(changes)
    except ExceptionGroup as group:
        raise group.exceptions[0] from group


class Place(msgspec.Struct, frozen=True):
    """Where one was on the Bench screen, so that one is there again."""

    board: str
    cursor: tuple[str | int, ...]
    pane: str = "boards"
    message: str = ""
    is_well: bool = True
    """Whether that tells of something done."""


class Changing:
    """The file of a bench under change, with its way back and forth."""

    def __init__(self, file: BenchFile) -> None:
        self.file = file
        self._saved = file.text
        """What is in the file, as far as we know."""
        self._stamp = (0, 0)
        """When the file was last changed, and its size, as it was last looked at."""
        self._undo: list[Change] = []
        self._redo: list[Change] = []
        self.wants_again = False
        """Whether there is a change that the running bench has not taken over yet."""
        self.place: Place | None = None

    @property
    def is_changed(self) -> bool:
        """Whether there is something that is not saved."""
        return self.file.text != self._saved

    def change(self, changes: Changes, words: str) -> None:
        """Make changes. Raises `WrongError` for the first of what is wrong then; nothing is changed in that case."""
        self.take(Change(changed(self.file, changes), words))

    def take(self, change: Change) -> None:
        """Take a change that was made and checked."""
        self._undo.append(Change(self.file, change.words))
        self._redo.clear()
        self._take(change.file)

    def undo(self) -> str:
        """Take the last change back; give what it was."""
        return self._step(self._undo, self._redo, "nothing to take back")

    def redo(self) -> str:
        """Make again what was taken back; give what it was."""
        return self._step(self._redo, self._undo, "nothing to make again")

    def refused(self, running: BenchFile, why: str) -> None:
        """The bench could not take the change over, and goes on with this file: so is it here. What was wanted is not
        lost: it is the next that is made again, or taken back."""
        if self._undo and self._undo[-1].file.text == running.text:
            self.undo()
        elif self._redo and self._redo[-1].file.text == running.text:
            self.redo()
        else:
            self.file = running
        self.wants_again = False
        place = self.place if self.place is not None else Place("", ())
        self.place = msgspec.structs.replace(place, message=f"left as it was: {why}", is_well=False)

    def _step(self, source: list[Change], target: list[Change], nothing: str) -> str:
        if not source:
            raise WrongError("change", found=nothing, expected="a change before it")
        step = source.pop()
        target.append(Change(self.file, step.words))
        self._take(step.file)
        return step.words

    def _take(self, file: BenchFile) -> None:
        self.file = file
        self.wants_again = True

    def save(self) -> str:
        """Write the file; give what is to be said of it. Raises `WrongError`: for a file that somebody has changed
        meanwhile, too."""
        path = self.file.path
        if self.read() != self._saved:
            expected = "the one that was read; nothing is lost: say which of the two is to stay"
            raise WrongError(str(path), found="a file that was changed meanwhile", expected=expected)
        self.file.save()
        self._saved = self.file.text
        return f"saved in {path.name}"

    def keep_defects(self, switched: dict[str, bool]) -> str:
        """Save how the defects are switched, which the running bench knows already, and what else was changed."""
        file = changed(self.file, [(("defects", name, "on"), on) for name, on in switched.items()])
        if file.text != self.file.text:
            self._undo.append(Change(self.file, "defects kept"))
            self._redo.clear()
            self.file = file
        return self.save()

    # what others write into the file meanwhile

    def read(self) -> str:
        """What is in the file now. Raises `WrongError`."""
        return read_text(self.file.path, "the file as it was read")

    def news(self) -> str | None:
        """What somebody else has written into the file; `None` where it is as we know it, or can't be read just now."""
        try:
            stamp = self.file.path.stat()
            known, self._stamp = self._stamp, (stamp.st_mtime_ns, stamp.st_size)
            there = self.read() if self._stamp != known else self._saved
        except (OSError, WrongError):
            return None  # it is being written, or gone: saving says so
        return there if there not in (self._saved, self.file.text) else None

    def keep(self, there: str) -> str:
        """Keep what is here: what somebody else has written is written over by the next save."""
        self._saved = there
        return f"kept; ctrl+s writes over what is in {self.file.path.name}"

    def take_over(self, there: str) -> None:
        """Take what somebody else has written, as a change that can be taken back. Raises `WrongError`."""
        try:
            file = self.file.with_text(there)
        except ExceptionGroup as group:
            raise group.exceptions[0] from group
        self.take(Change(file, f"{file.path.name} as others have changed it"))
        self._saved = there
