"""What is wrong in a routine, and where."""

from __future__ import annotations

from cavet.wording import WrongError, nearest

MOST_MENDED = 50
"""Where more is wrong, it is not looked any more for the word that was meant."""


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
