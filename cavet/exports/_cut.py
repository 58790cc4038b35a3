"""What of a record is wanted: from when to when, and of which boards."""

from __future__ import annotations

import math
from collections.abc import Iterator

import msgspec

from cavet.exports._source import Source
from cavet.record import Event
from cavet.wording import unknown


class Cut(msgspec.Struct, frozen=True, kw_only=True):
    """From `begin` to `end`, in s; with `boards`, only what is of these."""

    begin: float = 0.0
    end: float = math.inf
    boards: frozenset[str] = frozenset()

    def holds(self, event: Event) -> bool:
        """Whether an event of this time is of the boards that are wanted."""
        return not self.boards or event.board in self.boards

    def events(self, file: Source) -> Iterator[Event]:
        """The events that are wanted, oldest first."""
        return self._upto(file, file.number_at(math.nextafter(self.begin, -math.inf)))

    def history(self, file: Source) -> Iterator[Event]:
        """The same, and all that came before."""
        return self._upto(file, 0)

    def _upto(self, file: Source, first: int) -> Iterator[Event]:
        for event in file.since(first):
            if event.t > self.end:
                return
            if self.holds(event):
                yield event

    def until(self, file: Source) -> float:
        """When it ends: with the record, at the latest."""
        return max(self.begin, min(self.end, file.latest()))


def check_boards(boards: frozenset[str], file: Source) -> None:
    """Raise `WrongError` for a board that the record knows nothing of."""
    known = file.boards()
    for board in sorted(boards):
        if board not in known:
            raise unknown("--board", board, known)
