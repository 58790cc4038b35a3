"""Mends: changes of the file that are sure to be right, and their making."""

from __future__ import annotations

from typing import Any

import msgspec

from cavet.benchfile import BenchFile


class Edit(msgspec.Struct, frozen=True):
    """One value of the file: where it stands, and what it is to be; `None` takes it away."""

    keys: tuple[str, ...]
    value: Any


class Mend(msgspec.Struct, frozen=True):
    """A mend: in words, and as changes of the file."""

    words: str
    edits: tuple[Edit, ...]


def mended(file: BenchFile, mend: Mend) -> BenchFile:
    """Give the file with a mend made, comments and order kept; checked like any other. Raises `WrongError`, or an
    `ExceptionGroup` of all that is wrong then."""
    return file.changed_all([(edit.keys, edit.value) for edit in mend.edits])
