"""The record in memory: append, and read on from where one was."""

from __future__ import annotations

from collections.abc import Callable

from cavet.record._event import Event, Value

CHUNK_EVENTS = 4096
MAX_VALUE_BYTES = 4096
KEPT_EVENTS = 1_000_000


class Record:
    """An append-only row of events; the last million stay in memory.

    Readers are not called back: each remembers the number of the event it wants next and asks with `since`.
    """

    def __init__(self, now: Callable[[], float], kept: int = KEPT_EVENTS) -> None:
        self._now = now
        self._kept_chunks = max(1, kept // CHUNK_EVENTS)
        self._tail: list[Event] = []
        self._shelf: tuple[int, list[list[Event]]] = (0, [self._tail])
        """How many events have left memory, and the others in chunks; replaced whole, for readers in other threads."""
        self._next = 0

    def __len__(self) -> int:
        """How many events there have been, also those no longer in memory."""
        return self._next

    @property
    def first(self) -> int:
        """The number of the oldest event still in memory."""
        return self._shelf[0]

    def append(
        self,
        kind: str,
        board: str,
        topic: str,
        subject: str,
        value: Value = None,
        cause: int | None = None,
        note: str = "",
    ) -> int:
        """Add an event, at the present moment; give its number, to be the cause of what follows from it.

        Of very long bytes the beginning is kept, and the note says so.
        """
        if isinstance(value, bytes) and len(value) > MAX_VALUE_BYTES:
            note = f"{note}{' · ' if note else ''}the first {MAX_VALUE_BYTES} of {len(value)} bytes"
            value = value[:MAX_VALUE_BYTES]
        number = self._next
        self._next = number + 1
        tail = self._tail
        tail.append(Event(number, self._now(), kind, board, cause, topic, subject, value, note))
        if len(tail) == CHUNK_EVENTS:
            self._begin_chunk()
        return number

    def _begin_chunk(self) -> None:
        dropped, chunks = self._shelf
        self._tail = []
        chunks = [*chunks, self._tail]
        while len(chunks) > self._kept_chunks + 1:
            dropped += len(chunks.pop(0))
        self._shelf = (dropped, chunks)

    def since(self, number: int) -> list[Event]:
        """Give the events from `number` on, oldest first; those that have left memory are left out."""
        dropped, chunks = self._shelf
        chunk, offset = divmod(max(0, number - dropped), CHUNK_EVENTS)
        if chunk >= len(chunks):
            return []
        found = chunks[chunk][offset:]
        for later in chunks[chunk + 1 :]:
            found += later
        return found

    def __getitem__(self, number: int) -> Event:
        """Give one event; `IndexError` when it is not in memory (any more)."""
        dropped, chunks = self._shelf
        if not dropped <= number < self._next:
            raise IndexError(f"event {number} is not in memory: it holds {dropped} to {self._next - 1}")
        chunk, offset = divmod(number - dropped, CHUNK_EVENTS)
        return chunks[chunk][offset]
