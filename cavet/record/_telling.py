"""How a board, and the session with it, tell what happens: the record's `append`, with the board's name in it."""

from __future__ import annotations

from cavet.record._event import Kind, Purpose, Reason, Topic, Value
from cavet.record._memory import Record


class Tell:
    """Adds an event about one board; gives its number, to be the cause of what follows from it."""

    def __init__(self, record: Record, board: str) -> None:
        self._append = record.append
        self._board = board

    def __call__(
        self, kind: Kind, topic: Topic, subject: str, value: Value = None, cause: int | None = None, note: str = "", *,
        purpose: Purpose = Purpose.NONE, reason: Reason = Reason.NONE,
    ) -> int:  # fmt: skip
        return self._append(kind, self._board, topic, subject, value, cause, note, purpose, reason)
