"""How a board, and the session with it, tell what happens: the record's `tell`, with the board's name in it."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from cavet.record._event import Kind, Purpose, Reason, Topic, Value
from cavet.record._memory import Record


class Tell(partial[int]):
    """Adds an event about one board; gives its number, to be the cause of what follows from it."""

    def __new__(cls, record: Record, board: str) -> Tell:
        return super().__new__(cls, record.tell, board)

    if TYPE_CHECKING:

        def __call__(
            self, kind: Kind, topic: Topic, subject: str, value: Value = None, cause: int | None = None, note: str = "",
            *, purpose: Purpose = Purpose.NONE, reason: Reason = Reason.NONE,
        ) -> int: ...  # fmt: skip
