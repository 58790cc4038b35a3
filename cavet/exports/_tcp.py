"""TCP around the bytes of a connection: headers made up so that what was said can be read as if it had been captured.

Source: RFC 791, section 3.1 (IPv4); RFC 9293, section 3.1 (TCP).
"""

from __future__ import annotations

import struct

FIN, SYN, PSH, ACK = 1, 2, 8, 16
MOST_PAYLOAD = 65535 - 40
WINDOW = 65535
TIME_TO_LIVE, TCP = 64, 6
END = 1 << 32


class Connection:
    """Both ends of a connection, and how far each has spoken: what was said counts from 1, behind the SYN."""

    def __init__(self, host: tuple[str, int], board: tuple[str, int], began: tuple[int, int]) -> None:
        """`began` is how many bytes the host and the board have said before."""
        self._ends = {True: host, False: board}
        """By whether it is the host's."""
        self._next = {True: 1 + began[0], False: 1 + began[1]}

    def opened(self) -> list[tuple[bool, bytes]]:
        """The three packets that open it, each with whether the host has sent it."""
        return [
            (True, self._packet(SYN, by_host=True, sequence=0, acknowledges=0)),
            (False, self._packet(SYN | ACK, by_host=False, sequence=0, acknowledges=1)),
            (True, self._packet(ACK, by_host=True)),
        ]

    def said(self, data: bytes, offset: int, *, by_host: bool) -> list[bytes]:
        """The packets that carry some bytes, which stand at an offset of what this end has said."""
        found = []
        self._next[by_host] = 1 + offset
        for at in range(0, len(data), MOST_PAYLOAD):
            piece = data[at : at + MOST_PAYLOAD]
            found.append(self._packet(PSH | ACK, by_host=by_host, data=piece))
            self._next[by_host] += len(piece)
        return found

    def closed(self) -> list[tuple[bool, bytes]]:
        """The four packets that close it, the host first."""
        found = []
        for by_host in (True, False):
            found.append((by_host, self._packet(FIN | ACK, by_host=by_host)))
            self._next[by_host] += 1
            found.append((not by_host, self._packet(ACK, by_host=not by_host)))
        return found

    def _packet(
        self, flags: int, *, by_host: bool, data: bytes = b"", sequence: int | None = None,
        acknowledges: int | None = None,
    ) -> bytes:  # fmt: skip
        source, target = self._ends[by_host], self._ends[not by_host]
        here = self._next[by_host] if sequence is None else sequence
        there = self._next[not by_host] if acknowledges is None else acknowledges
        head = struct.pack(">HHIIBBHHH", source[1], target[1], here % END, there % END, 5 << 4, flags, WINDOW, 0, 0)
        addresses = _address(source[0]) + _address(target[0])
        summed = checksum(addresses + struct.pack(">BBH", 0, TCP, len(head) + len(data)) + head + data)
        segment = head[:16] + struct.pack(">H", summed) + head[18:] + data
        outer = struct.pack(">BBHHHBBH", 0x45, 0, 20 + len(segment), 0, 0x4000, TIME_TO_LIVE, TCP, 0) + addresses
        return outer[:10] + struct.pack(">H", checksum(outer)) + outer[12:] + segment


def _address(text: str) -> bytes:
    return bytes(int(part) for part in text.split("."))


def checksum(data: bytes) -> int:
    """The checksum of the internet: the ones' complement of the sum of words. Source: RFC 1071."""
    if len(data) % 2:
        data += b"\0"
    total: int = sum(struct.unpack(f">{len(data) // 2}H", data))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return ~total & 0xFFFF
