"""Capture files: blocks of the pcapng format. Source: IETF draft-ietf-opsawg-pcapng, sections 3 and 4."""

from __future__ import annotations

import struct
from collections.abc import Iterable, Iterator

import msgspec

SECTION, INTERFACE, PACKET = 0x0A0D0D0A, 1, 6
BYTE_ORDER = 0x1A2B3C4D
END_OF_OPTIONS, COMMENT, NAME, FLAGS, RESOLUTION, APPLICATION = 0, 1, 2, 2, 9, 4
MICROSECONDS = 6
INBOUND, OUTBOUND = 1, 2
"""Which way a packet went, in its flags: towards the host, or away from it."""
SERIAL, SPI, I2C, USB = 147, 148, 209, 220
"""Link types: two for private use, LINKTYPE_I2C_LINUX, LINKTYPE_USB_LINUX_MMAPPED."""
RAW = 101
"""Raw IP: the packet begins with its IPv4 header (LINKTYPE_RAW)."""
MOST_COMMENT = 1000


class Interface(msgspec.Struct, frozen=True):
    """Where packets were seen: its name, and what they begin with."""

    name: str
    link_type: int


class Packet(msgspec.Struct, frozen=True):
    """What passed in one go: when, in s; at which interface, by its number; which way; its bytes; a comment."""

    t: float
    interface: int
    direction: int
    data: bytes
    comment: str = ""


def capture(interfaces: Iterable[Interface], packets: Iterable[Packet]) -> Iterator[bytes]:
    """A file of one section: its interfaces, then its packets."""
    head = struct.pack("<IHHq", BYTE_ORDER, 1, 0, -1)
    yield _block(SECTION, head + _option(APPLICATION, b"Cavet") + _option(END_OF_OPTIONS, b""))
    for each in interfaces:
        options = _option(NAME, each.name.encode()) + _option(RESOLUTION, bytes([MICROSECONDS]))
        yield _block(INTERFACE, struct.pack("<HHI", each.link_type, 0, 0) + options + _option(END_OF_OPTIONS, b""))
    for packet in packets:
        yield packet_block(packet)


def packet_block(packet: Packet) -> bytes:
    """An enhanced packet block."""
    ticks = round(packet.t * 1e6)
    size = len(packet.data)
    head = struct.pack("<IIIII", packet.interface, ticks >> 32 & 0xFFFFFFFF, ticks & 0xFFFFFFFF, size, size)
    options = _option(FLAGS, struct.pack("<I", packet.direction))
    if packet.comment:
        options = _option(COMMENT, packet.comment.encode()[:MOST_COMMENT]) + options
    return _block(PACKET, head + _padded(packet.data) + options + _option(END_OF_OPTIONS, b""))


def _block(kind: int, body: bytes) -> bytes:
    size = len(body) + 12
    return struct.pack("<II", kind, size) + body + struct.pack("<I", size)


def _option(code: int, value: bytes) -> bytes:
    return struct.pack("<HH", code, len(value)) + _padded(value)


def _padded(data: bytes) -> bytes:
    return data + bytes(-len(data) % 4)
