"""How a board tells what happens: the record's `append`, with the board's name already in it."""

from __future__ import annotations

from typing import Protocol

from cavet.record import Kind, Purpose, Reason, Record, Topic, Value


class Tell(Protocol):
    """Adds an event; gives its number, to be the cause of what follows from it."""

    def __call__(
        self,
        kind: Kind,
        topic: Topic,
        subject: str,
        value: Value = None,
        cause: int | None = None,
        note: str = "",
        *,
        purpose: Purpose = Purpose.NONE,
        reason: Reason = Reason.NONE,
    ) -> int: ...


def telling(record: Record, board: str) -> Tell:
    """Make the `Tell` of one board."""
    append = record.append

    def tell(
        kind: Kind,
        topic: Topic,
        subject: str,
        value: Value = None,
        cause: int | None = None,
        note: str = "",
        *,
        purpose: Purpose = Purpose.NONE,
        reason: Reason = Reason.NONE,
    ) -> int:
        return append(kind, board, topic, subject, value, cause, note, purpose, reason)

    return tell
