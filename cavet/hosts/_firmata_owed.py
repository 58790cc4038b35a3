"""What a Firmata board still owes answers to.

An answer tells of which pin, or of which device and register it is, not to which question; and one that is late comes
when the next was asked. But a board answers in the order in which it is asked. So what it owes stands in a row, and an
answer is for the first in that that it fits; what was before that is lost, as is what has stood there for too long.
Where something is late when the next is asked, the version is asked for between them: what has not come before that
will not come.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Hashable
from typing import NamedTuple


class Question(NamedTuple):
    """Something that was asked: when, until when it may be answered, what its answer bears, what it was asked for."""

    at: float
    lost_at: float
    bears: Hashable
    asked_for: object


class Owed:
    """What was asked, in its order. Times are in seconds."""

    def __init__(self) -> None:
        self._row: deque[Question] = deque()
        self.is_late = False
        """Whether something was not answered in time, and may be so still."""

    def clear(self) -> None:
        """It owes nothing any more."""
        self._row.clear()
        self.is_late = False

    def put(self, question: Question) -> None:
        """It is asked for something."""
        while self._row and self._row[0].lost_at < question.at:
            self._row.popleft()
        self._row.append(question)

    def take(self, bears: Hashable, now: float) -> tuple[object | None, float | None]:
        """It has answered. Give what that was asked for, `None` where nobody has asked; and how long the answer took,
        `None` where it might be one to another question."""
        fits = [question for question in self._row if question.bears == bears]
        if not fits:
            return None, None
        while self._row.popleft() is not fits[0]:
            pass
        return fits[0].asked_for, now - fits[0].at if len(fits) == 1 else None

    def is_last(self, asked_for: object) -> bool:
        """Whether what was asked last was asked for the same."""
        return bool(self._row) and self._row[-1].asked_for is asked_for

    def holds(self, kind: type) -> bool:
        """Whether anything was asked for something of a kind."""
        return any(isinstance(question.asked_for, kind) for question in self._row)
