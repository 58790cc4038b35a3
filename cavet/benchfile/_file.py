"""The bench file: reading, checking it whole, and saving changes with the user's comments kept."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec

from cavet.benchfile._check import Checker
from cavet.benchfile._editing import Edits, edited
from cavet.benchfile._reading import read_setup
from cavet.benchfile._setup import Setup
from cavet.benchfile._toml import parse_toml, read_text
from cavet.files import write_whole


class BenchFile(msgspec.Struct):
    """A bench file that has been read and found right."""

    path: Path
    text: str
    setup: Setup

    def changed(self, keys: tuple[str, ...], value: Any) -> BenchFile:
        """Give the file with one value changed, everything else as the user has written it. Checked like any other."""
        return self.changed_all([(keys, value)])

    def changed_all(self, changes: Edits) -> BenchFile:
        """The same with many values changed at once; `None` takes one away. Tables that are not there are made."""
        return _read(self.path, edited(self.text, changes))

    def with_text(self, text: str) -> BenchFile:
        """Give the file with another text, checked like any other."""
        return _read(self.path, text)

    def save(self) -> None:
        """Write it in one go. Raises `WrongError`."""
        write_whole(self.path, [self.text.encode()], lasting=True)


def load_bench(path: Path) -> BenchFile:
    """Read a bench file. Raises `WrongError`, or an `ExceptionGroup` of all that is wrong in it."""
    text = read_text(path, "a bench file")
    return _read(path, text)


def _read(path: Path, text: str) -> BenchFile:
    setup = check_text(text, path.name, path.parent)
    return BenchFile(path, text, msgspec.structs.replace(setup, path=str(path.resolve())))


def check_text(text: str, file: str, folder: Path | None = None) -> Setup:
    """Check the text of a bench file; `file` is what errors call it, `folder` where it looks for plan files."""
    checker = Checker(file, text)
    data = parse_toml(text, file, checker)
    setup = read_setup(data, checker, folder)
    if setup is None or checker.errors:
        checker.refuse()
    return setup
