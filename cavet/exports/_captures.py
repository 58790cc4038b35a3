"""Reading capture files of others. Source: IETF draft-ietf-opsawg-pcapng, sections 3 and 4; draft-ietf-opsawg-pcap."""

from __future__ import annotations

import re
import struct
from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec

from cavet.files import file_errors
from cavet.wording import WrongError

SECTION, INTERFACE, OLD_PACKET, SIMPLE, PACKET = 0x0A0D0D0A, 1, 2, 3, 6
BYTE_ORDERS = {b"\x4d\x3c\x2b\x1a": "<", b"\x1a\x2b\x3c\x4d": ">"}
PCAP = {
    b"\xd4\xc3\xb2\xa1": ("<", 1e-6), b"\xa1\xb2\xc3\xd4": (">", 1e-6),
    b"\x4d\x3c\xb2\xa1": ("<", 1e-9), b"\xa1\xb2\x3c\x4d": (">", 1e-9),
}  # fmt: skip
"""The first bytes of the older format: its byte order, and what its times count in, in s."""
MOST_BLOCK = 16 << 20
MOST_LINE = 1 << 20
FLAGS, RESOLUTION, OFFSET, NAME = 2, 9, 14, 2
Reader = Callable[[int], bytes]
TIMED = re.compile(
    r"""\s*(?P<t>\d+(?:\.\d*)?|\.\d+)\s*(?:s\b)?
    \s*(?P<way>[<>]|host|board)?
    [\s:]*(?P<hex>[0-9A-Fa-f][0-9A-Fa-f\s]*)$""",
    re.VERBOSE,
)


class Caught(msgspec.Struct, frozen=True):
    """A packet of a capture: when, in s; what its bytes begin with; which way, where that is told (1 towards the host,
    2 away from it, 0 for not known); its bytes, and how many it had on the line."""

    t: float
    link_type: int
    interface: str
    direction: int
    data: bytes
    size: int


class Capture:
    """Reads a file. What is wrong at its end is in `problem`; what is wrong before any packet is raised."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self.problem = ""

    def packets(self) -> Iterator[Caught]:
        """Its packets, in the order of the file. Raises `WrongError` for a file that is no capture."""
        with file_errors(self._path, "a capture that can be read"), self._path.open("rb") as file:
            begin = file.read(4)
            file.seek(0)
            if begin == struct.pack("<I", SECTION):
                yield from self._blocks(file.read)
            elif begin in PCAP:
                yield from self._records(file.read)
            else:
                yield from self._lines()

    def _cut(self, found: str) -> None:
        self.problem = f"{self._path}: {found}"

    # pcapng

    def _blocks(self, read: Reader) -> Iterator[Caught]:
        order = "<"
        interfaces: list[tuple[int, str, float, int]] = []
        while head := read(8):
            if len(head) < 8:
                self._cut("the last block is cut off")
                return
            kind = struct.unpack(order + "I", head[:4])[0]
            if kind == SECTION:
                sign = read(4)
                if sign not in BYTE_ORDERS:
                    self._cut(f"found {sign.hex()}, expected a section's byte order")
                    return
                order, interfaces = BYTE_ORDERS[sign], []
            size = struct.unpack(order + "I", head[4:])[0]
            rest = size - 8 - (4 if kind == SECTION else 0)
            if size % 4 or not 4 <= rest <= MOST_BLOCK:
                self._cut(f"found a block of {size} bytes, expected 12 to {MOST_BLOCK}")
                return
            body = read(rest)
            if len(body) < rest:
                self._cut("the last block is cut off")
                return
            body = body[:-4]
            try:
                if kind == INTERFACE:
                    interfaces.append(_interface(order, body, len(interfaces)))
                elif kind in (PACKET, OLD_PACKET, SIMPLE):
                    yield _packet(order, kind, body, interfaces)
            except (struct.error, IndexError, UnicodeDecodeError):
                self._cut(f"a block of type {kind} can't be read")
                return

    # pcap

    def _records(self, read: Reader) -> Iterator[Caught]:
        head = read(24)
        if len(head) < 24:
            raise WrongError(str(self._path), found="a cut file header", expected="24 bytes")
        order, unit = PCAP[head[:4]]
        link_type = struct.unpack(order + "I", head[20:])[0] & 0xFFFF
        while record := read(16):
            if len(record) < 16:
                self._cut("the last packet is cut off")
                return
            seconds, parts, kept, size = struct.unpack(order + "IIII", record)
            if kept > MOST_BLOCK:
                self._cut(f"found a packet of {kept} bytes, expected {MOST_BLOCK} at most")
                return
            data = read(kept)
            if len(data) < kept:
                self._cut("the last packet is cut off")
                return
            yield Caught(seconds + parts * unit, link_type, "", 0, data, size)

    # lines of text

    def _lines(self) -> Iterator[Caught]:
        with self._path.open("rb") as file:
            number = 0
            while raw := file.readline(MOST_LINE):
                number += 1
                text = raw.decode("utf-8", "replace").split("#")[0].strip()
                if not text:
                    continue
                found = TIMED.match(text)
                digits = "".join(found["hex"].split()) if found is not None else ""
                if found is None or len(digits) % 2:
                    expected = "a time and bytes in hex, such as `0.250 > 01 03 00 00 00 02`, or a capture file"
                    shown = text[:40] if text.isprintable() else "bytes that are no text"
                    raise WrongError(f"{self._path}:{number}", found=shown, expected=expected)
                way = {"<": 1, "board": 1, ">": 2, "host": 2}.get(found["way"] or "", 0)
                data = bytes.fromhex(digits)
                yield Caught(float(found["t"]), TEXT, "", way, data, len(data))


TEXT = -1
"""What lines of text are instead of a link type."""


def _interface(order: str, body: bytes, number: int) -> tuple[int, str, float, int]:
    """Its link type, its name, what its times count in, and what is to be added to them."""
    link_type = struct.unpack_from(order + "H", body)[0]
    name, unit, offset = f"{number}", 1e-6, 0
    for code, value in _options(order, body[8:]):
        if code == NAME:
            name = value.decode("utf-8", "replace")
        elif code == RESOLUTION:
            unit = 2.0 ** -(value[0] & 0x7F) if value[0] & 0x80 else 10.0 ** -value[0]
        elif code == OFFSET:
            offset = struct.unpack(order + "q", value)[0]
    return link_type, name, unit, offset


def _packet(order: str, kind: int, body: bytes, interfaces: list[tuple[int, str, float, int]]) -> Caught:
    if kind == SIMPLE:
        link_type, name, _, _ = interfaces[0]
        size = struct.unpack_from(order + "I", body)[0]
        return Caught(0.0, link_type, name, 0, body[4 : 4 + size], size)
    form = "IIIII" if kind == PACKET else "HHIIII"
    fields = struct.unpack_from(order + form, body)
    number, (high, low, kept, size) = fields[0], fields[-4:]
    link_type, name, unit, offset = interfaces[number]
    data = body[20 : 20 + kept]
    flags = 0
    for code, value in _options(order, body[20 + kept + -kept % 4 :]):
        if code == FLAGS and len(value) == 4:
            flags = struct.unpack(order + "I", value)[0] & 3
    return Caught(offset + (high << 32 | low) * unit, link_type, name, flags, data, size)


def _options(order: str, data: bytes) -> Iterator[tuple[int, bytes]]:
    at = 0
    while at + 4 <= len(data):
        code, size = struct.unpack_from(order + "HH", data, at)
        if code == 0 or at + 4 + size > len(data):
            return
        yield code, data[at + 4 : at + 4 + size]
        at += 4 + size + -size % 4
