"""The record in memory: append, read on from where one was, and find."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping

import msgspec

from cavet.record._event import Event, Kind, Purpose, Reason, Topic, Value
from cavet.record._index import Index, StateKey
from cavet.record._packed import PackedEvents, PackedTransfers
from cavet.record._row import CHUNK_BYTES, CHUNK_ITEMS, Row
from cavet.record._transfer import Direction, Seat, Transfer

KEPT = 1_000_000
KEPT_BYTES = 256 << 20
"""So many bytes of values, and as many of transfers, stay in memory. The file keeps them all."""


class Record:
    """An append-only row of events, and beside it the transfers of all links; the last million of each stay in memory.

    Readers are not called back: each remembers the number of the event it wants next and asks with `since`.
    """

    def __init__(self, now: Callable[[], float], kept: int = KEPT, begin: float = 0.0) -> None:
        """`now` tells the time, and `begin` is what it told when the bench was started."""
        self._now = now
        self._begin = begin
        self._events: Row[Event] = Row(
            kept, KEPT_BYTES, PackedEvents, lambda start, chunk: self._index.left(start, chunk)
        )
        self.transfers: Row[Transfer] = Row(kept, KEPT_BYTES, PackedTransfers)
        self._index = Index(lambda: self._events.shelf)
        self.since = self._events.since

    def __len__(self) -> int:
        """How many events there have been, also those no longer in memory."""
        return self._events.next

    @property
    def first(self) -> int:
        """The number of the oldest event still in memory."""
        return self._events.first

    def append(
        self,
        kind: Kind,
        board: str,
        topic: Topic,
        subject: str,
        value: Value = None,
        cause: int | None = None,
        note: str = "",
        purpose: Purpose = Purpose.NONE,
        reason: Reason = Reason.NONE,
    ) -> int:
        """Add an event, at the present moment; give its number, to be the cause of what follows from it."""
        return self.tell(board, kind, topic, subject, value, cause, note, purpose=purpose, reason=reason)

    def tell(
        self, board: str, kind: Kind, topic: Topic, subject: str, value: Value = None, cause: int | None = None,
        note: str = "", *, purpose: Purpose = Purpose.NONE, reason: Reason = Reason.NONE,
    ) -> int:  # fmt: skip
        """The same, for who tells of one board only."""
        row = self._events
        number = row.next
        row.next = number + 1
        tail = row.tail
        tail.append(
            Event(number, self._now() - self._begin, kind, board, cause, topic, subject, value, note, purpose, reason)
        )
        if type(value) is bytes:
            row.tail_bytes += len(value)
        if len(tail) >= CHUNK_ITEMS or row.tail_bytes >= CHUNK_BYTES:
            row.begin_chunk()
        return number

    def carry(
        self, link: str, client: str, seat: Seat, direction: Direction, offset: int, begin: float, end: float,
        data: bytes, sent: bytes | None = None,
    ) -> None:  # fmt: skip
        """Add a transfer, with its times in seconds since the bench was started."""
        row = self.transfers
        number = row.next
        row.next = number + 1
        end = begin if end == begin else end  # one number, where there are two alike: there are many
        row.tail.append(
            Transfer(number, link, client, seat, direction, offset, begin, end, data, sent, self._events.next)
        )
        row.tail_bytes += len(data) + (len(sent) if sent is not None else 0)
        if len(row.tail) >= CHUNK_ITEMS or row.tail_bytes >= CHUNK_BYTES:
            row.begin_chunk()

    def restore(self, event: Event) -> None:
        """Add an event as another record had it. What that one lacks between two of them, since it could not be written
        in time, is filled up with remarks, so that the numbers stay what they were."""
        if self._events.next == 0:
            self._events.begin_at(event.number)
        while self._events.next < event.number:
            gap = Event(self._events.next, event.t, Kind.REMARK, "", None, Topic.LINK, "", None, "not in the record")
            self._events.append(gap)
        self._events.append(event, len(event.value) if isinstance(event.value, bytes) else 0)

    def restore_transfer(self, transfer: Transfer) -> None:
        """Add a transfer as another record had it; what that one lacks before it is filled up with empty ones."""
        row = self.transfers
        row.begin_at(transfer.number)
        while row.next < transfer.number:
            row.append(msgspec.structs.replace(transfer, number=row.next, data=b"", sent=None))
        row.append(transfer, len(transfer.data))

    def __getitem__(self, number: int) -> Event:
        """Give one event; `IndexError` when it is not in memory (any more)."""
        return self._events[number]

    # finding

    def effects(self, number: int) -> list[Event]:
        """The events that follow from one, directly."""
        return self._index.effects(number)

    def trail(self, root: int) -> list[Event]:
        """All events that follow from one, however far, oldest first; it itself is not among them."""
        return self._index.trail(root)

    def course(self, board: str, topic: Topic, subject: str, kinds: Iterable[Kind] = ()) -> Iterator[Event]:
        """The events about a subject, oldest first; of these kinds, where some are named."""
        return self._index.course(board, topic, subject, kinds)

    def number_at(self, t: float) -> int:
        """The number of the first event behind a time."""
        return self._index.number_at(t)

    def state_at(self, t: float) -> Mapping[StateKey, Event]:
        """What stood at a time: of each subject the latest event of each kind, though it has left memory."""
        return self._index.state_at(t)

    def prepare(self, most: int = 1) -> None:
        """Index a little of what is not indexed yet, so that finding is quick when it is wanted."""
        self._index.prepare(most)
