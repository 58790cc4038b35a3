"""Which event each byte of a stream belongs to: how causes pass over a link.

A link carries bytes, and nothing that would say why they were sent. But both its ends count: the offset of a frame's
last byte in the stream is the same number on either side. So who says a frame notes its event under that offset, and
who reads a frame that ends there finds the event behind it. No byte is added for that, losses do not move the count
(what is lost is counted, too), and it works as well for a program that is not ours: what ends where nobody has noted
anything began outside, and its trail begins here.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from functools import partial

from cavet.record import Kind, Purpose, Record, Topic

MAX_ENTRIES = 4096


class Ledger:
    """Offsets in one direction's stream, each with the event that ended there."""

    def __init__(self) -> None:
        self._entries: deque[tuple[int, int]] = deque(maxlen=MAX_ENTRIES)

    def note(self, end: int, event: int) -> None:
        """The bytes up to `end` belong to `event`."""
        self._entries.append((end, event))

    def find(self, end: int) -> int | None:
        """Give the event whose bytes end at `end`, and forget those before it."""
        while self._entries and self._entries[0][0] < end:
            self._entries.popleft()
        if self._entries and self._entries[0][0] == end:
            return self._entries[0][1]
        return None

    @property
    def next(self) -> tuple[int, int] | None:
        """What is noted first of all that was not forgotten: the offset, and the event that ended there."""
        return self._entries[0] if self._entries else None


class Passage:
    """The way from host to board, at one link: turns `framed` into `carried` as the bytes get across.

    For bytes that no session of ours has sent, it begins a trail of its own.
    """

    def __init__(self, record: Record, board: str, link: str) -> None:
        self._tell = partial(record.tell, board, Kind.CARRIED, Topic.LINK, link)
        self._framed: deque[tuple[int, int]] = deque(maxlen=MAX_ENTRIES)
        self._carried = Ledger()

    def note(self, end: int, framed: int) -> None:
        """The frame that ends at `end` was framed by that event."""
        self._framed.append((end, framed))

    def hand_over(self, end: int, cause: int) -> None:
        """The frame that ends at `end` follows from an event, and is carried without one of its own."""
        self._carried.note(end, cause)

    def passed(self, end: int) -> None:
        """The link has carried everything up to `end`."""
        while self._framed and self._framed[0][0] <= end:
            offset, framed = self._framed.popleft()
            carried = self._tell(offset, framed)
            self._carried.note(offset, carried)

    def carried(self, end: int, data: bytes) -> int:
        """Give the `carried` event of a frame that the board has read; it stands in the record by now. Of bytes in the
        middle of a message, which it was deaf for, or has read for another one, the message as it was framed."""
        found = event_at([self], end)
        return found if found is not None else self._tell(data, purpose=Purpose.OUTSIDE)

    def known(self, end: int) -> int | None:
        """The `carried` event of a frame that ends there; `None` where nobody here has sent one."""
        if self._framed:
            self.passed(end)
        return self._carried.find(end)

    @property
    def next(self) -> tuple[int, int] | None:
        """The first message that ends behind what was read: where, and by which event; one of which some bytes are
        still under way by the event that it was framed by."""
        there = [each for each in (self._carried.next, self._framed[0] if self._framed else None) if each is not None]
        return min(there, default=None)


def event_at(passages: Sequence[Passage], end: int) -> int | None:
    """The event behind a frame that ends at `end`, of several hosts on one line; `None` where none of them has sent it.

    What ends nowhere that anything was noted is of the message that ends next: its last bytes were lost, or are still
    under way.
    """
    for passage in passages:
        known = passage.known(end)
        if known is not None:
            return known
    there = [passage.next for passage in passages if passage.next is not None]
    return min(there)[1] if there else None
