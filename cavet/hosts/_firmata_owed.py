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


class Owed:
    """What was asked, in its order. Each stands with when it will not be answered any more, with what its answer bears,
    and with what it was asked for. Times are in seconds."""

    def __init__(self) -> None:
        self._row: deque[tuple[float, Hashable, object]] = deque()
        self.is_late = False
        """Whether something was not answered in time, and may be so still."""

    def clear(self) -> None:
        """It owes nothing any more."""
        self._row.clear()
        self.is_late = False

    def put(self, bears: Hashable, asked_for: object, now: float, lost_at: float) -> None:
        """It is asked for something."""
        while self._row and self._row[0][0] < now:
            self._row.popleft()
        self._row.append((lost_at, bears, asked_for))

    def take(self, bears: Hashable) -> object | None:
        """It has answered. Give what that was asked for, `None` where nobody has asked."""
        if all(each != bears for _, each, _ in self._row):
            return None
        while True:
            _, each, asked_for = self._row.popleft()
            if each == bears:
                return asked_for

    def is_last(self, asked_for: object) -> bool:
        """Whether what was asked last was asked for the same."""
        return bool(self._row) and self._row[-1][2] is asked_for

    def holds(self, kind: type) -> bool:
        """Whether anything was asked for something of a kind."""
        return any(isinstance(asked_for, kind) for _, _, asked_for in self._row)
