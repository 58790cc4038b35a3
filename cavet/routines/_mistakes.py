"""What is wrong in a routine, and where."""

from __future__ import annotations

from collections.abc import Iterable

from cavet.wording import WrongError, listed, nearest

MOST_MENDED = 50
"""Where more is wrong, it is not looked any more for the word that was meant."""

MOST_LISTED = 12
"""Of more words than these, only the one that may have been meant is told."""


class MistakeError(Exception):
    """Something wrong at a column of a line, both from 1."""

    def __init__(self, column: int, *, found: object, expected: str, words: list[str] | None = None, line: int = 0):
        super().__init__(found, expected)
        self.column = column
        self.found = found
        self.expected = expected
        self.line = line
        self.words = words or []
        """The words that may have been meant."""

    def told(self, file: str, line: int = 0) -> WrongError:
        """As the one line that tells it."""
        near = nearest(str(self.found), self.words) if self.words else None
        place = f"{file}:{self.line or line}:{self.column}"
        return WrongError(place, found=self.found, expected=self.expected, nearest=near)


def none_of(what: str, known: Iterable[str], found: str, at: int) -> MistakeError:
    """That something is none of what the bench has, with those that it has."""
    words = list(known)
    listing = f": {listed(words)}" if words else "; there is none"
    return MistakeError(at, found=found, expected=f"{what}{listing if len(words) <= MOST_LISTED else ''}", words=words)
