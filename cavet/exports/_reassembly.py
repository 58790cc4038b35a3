"""TCP put together again: what each end has said, in order. Source: RFC 9293, section 3.10; RFC 791, section 3.1."""

from __future__ import annotations

import struct
from collections.abc import Iterator
from typing import NamedTuple

from cavet.exports._tcp import FIN, SYN, TCP

ETHERNET, RAW_IP, COOKED = 1, 101, 113
HEADS = {ETHERNET: 14, RAW_IP: 0, COOKED: 16}
"""How many bytes stand before the IP header."""
VLANS = (0x8100, 0x88A8)
HALF = 1 << 31
MOST_WAITING = 1000
"""So many segments are waited with for one that is missing."""
End = tuple[str, int]


class Segment(NamedTuple):
    """A TCP segment: who sends it to whom, its sequence number, its flags, its bytes."""

    source: End
    target: End
    sequence: int
    flags: int
    data: bytes


def segment_of(link_type: int, data: bytes) -> Segment | None:
    """The TCP segment in a packet; `None` where there is none that can be read."""
    at = HEADS[link_type]
    try:
        if link_type != RAW_IP:
            kind = struct.unpack_from(">H", data, at - 2)[0]
            while kind in VLANS:
                kind = struct.unpack_from(">H", data, at + 2)[0]
                at += 4
        version = data[at] >> 4
        if version == 4:
            size, protocol = (data[at] & 15) * 4, data[at + 9]
            total = struct.unpack_from(">H", data, at + 2)[0]
            fragment = struct.unpack_from(">H", data, at + 6)[0] & 0x3FFF
            source, target = (".".join(map(str, data[at + place : at + place + 4])) for place in (12, 16))
            last = at + total if total else len(data)
        elif version == 6:
            size, protocol, fragment = 40, data[at + 6], 0
            source, target = (data[at + place : at + place + 16].hex(":", 2) for place in (8, 24))
            last = at + 40 + struct.unpack_from(">H", data, at + 4)[0]
        else:
            return None
        if protocol != TCP or fragment:
            return None
        at += size
        ports = struct.unpack_from(">HH", data, at)
        sequence = struct.unpack_from(">I", data, at + 4)[0]
        head, flags = (data[at + 12] >> 4) * 4, data[at + 13]
    except (struct.error, IndexError):
        return None
    return Segment((source, ports[0]), (target, ports[1]), sequence, flags, data[at + head : last])


class Said(NamedTuple):
    """Bytes that came in order: where they begin in what this end has said, and how many before them are missing."""

    offset: int
    data: bytes
    missing: int


class Ordered:
    """One direction of a connection."""

    def __init__(self) -> None:
        self._next: int | None = None
        self._offset = 0
        self._waiting: dict[int, bytes] = {}
        self.repeated = 0
        """How many bytes came again."""
        self.lost = 0
        """How many bytes never came."""

    @property
    def has_begun(self) -> bool:
        """Whether anything was seen of it."""
        return self._next is not None

    def begin(self, sequence: int) -> None:
        """A SYN: what is said counts from behind it."""
        self._next = (sequence + 1) % (2 * HALF)
        self._offset = 0
        self._waiting.clear()

    def take(self, sequence: int, data: bytes) -> Iterator[Said]:
        """Take a segment; give what is in order now."""
        if not data:
            return
        if self._next is None:
            self._next = sequence
        ahead = self._ahead(sequence)
        if ahead < 0:
            self.repeated += min(-ahead, len(data))
            data, sequence = data[-ahead:], self._next
            if not data:
                return
        elif ahead > 0:
            known = self._waiting.get(sequence, b"")
            if len(known) >= len(data):
                self.repeated += len(data)
            else:
                self._waiting[sequence] = data
            if len(self._waiting) > MOST_WAITING:
                yield from self.give_up()
            return
        yield self._give(data, 0)
        yield from self._waited()

    def _ahead(self, sequence: int) -> int:
        """How far behind what is known a segment begins; less than 0 for one that came before."""
        return (sequence - (self._next or 0) + HALF) % (2 * HALF) - HALF

    def _give(self, data: bytes, missing: int) -> Said:
        assert self._next is not None  # it has begun
        said = Said(self._offset + missing, data, missing)
        self._offset += missing + len(data)
        self._next = (self._next + missing + len(data)) % (2 * HALF)
        return said

    def _waited(self) -> Iterator[Said]:
        """Segments that had come before their turn."""
        while self._waiting:
            ahead, sequence = min(
                ((each - (self._next or 0) + HALF) % (2 * HALF) - HALF, each) for each in self._waiting
            )
            if ahead > 0:
                return
            data = self._waiting.pop(sequence)
            self.repeated += min(-ahead, len(data))
            if len(data) > -ahead:
                yield self._give(data[-ahead:], 0)

    def give_up(self) -> Iterator[Said]:
        """What is missing does not come any more: go on behind it."""
        while self._waiting:
            ahead, sequence = min(
                ((each - (self._next or 0) + HALF) % (2 * HALF) - HALF, each) for each in self._waiting
            )
            self.lost += max(0, ahead)
            yield self._give(self._waiting.pop(sequence), max(0, ahead))
            yield from self._waited()


class Talk:
    """A connection: which end is the host's, and what each has said."""

    def __init__(self, host: End, board: End) -> None:
        self.host = host
        self.board = board
        self.sides = {True: Ordered(), False: Ordered()}
        """By whether it is the host's."""


class Talks:
    """Sorts segments into connections. Who opens one is its host; where that was not seen, who has the higher port, or
    the one that is named."""

    def __init__(self, host: str | None) -> None:
        self._host = host
        self._open: dict[frozenset[End], Talk] = {}
        self.all: list[Talk] = []

    def take(self, segment: Segment) -> tuple[Talk, bool, list[Said]] | None:
        """The connection of a segment, whether its host has said it, and what is in order now."""
        key = frozenset((segment.source, segment.target))
        opens = bool(segment.flags & SYN)
        talk = self._open.get(key)
        is_new = opens and segment.source == self._client(segment) and not segment.flags & 16
        if talk is None or (is_new and talk.sides[True].has_begun):
            host = self._client(segment)
            board = segment.target if host == segment.source else segment.source
            talk = self._open[key] = Talk(host, board)
            self.all.append(talk)
        by_host = segment.source == talk.host
        side = talk.sides[by_host]
        if opens:
            side.begin(segment.sequence)
            return None
        said = list(side.take(segment.sequence, segment.data))
        return (talk, by_host, said) if said or segment.flags & FIN else None

    def _client(self, segment: Segment) -> End:
        source, target = segment.source, segment.target
        if self._host is not None:
            for end in (source, target):
                if self._host in (end[0], f"{end[0]}:{end[1]}"):
                    return end
        if segment.flags & SYN:
            return target if segment.flags & 16 else source
        return source if source[1] >= target[1] else target
