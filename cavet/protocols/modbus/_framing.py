"""The three framings: how a unit travels, over TCP and in the two ways of a serial line.

Sources: Modbus messaging on TCP/IP 1.0b, section 3.1.3; Modbus over serial line 1.02, sections 2.5.1 and 2.5.2.
"""

from __future__ import annotations

import re
from typing import Protocol

from cavet.protocols._codec import Side
from cavet.protocols._frame import Field, Frame, Role, Span, Unreadable
from cavet.protocols._message import FieldError
from cavet.protocols._reader import bytes_from
from cavet.protocols.modbus import _lengths as lengths
from cavet.protocols.modbus._base import ModbusMessage
from cavet.protocols.modbus._checks import crc16, first_good_size, lrc8
from cavet.protocols.modbus._unit import MAX_UNIT_BYTES, Read, encode_unit, read_unit

HEADER_BYTES = 7
MAX_TCP_LENGTH = MAX_UNIT_BYTES + 1
MOST_CLAIMED_LENGTH = 1 + 10 + 255
"""What a request with a count in one byte comes to at most: too long by the standard, but read, with a problem, so that
who asks for a register too many is told of it."""
MAX_SERIAL_UNIT = 247
"""The last unit of a serial line; 0 is for all, 248 to 255 are reserved."""
MAX_RTU_BYTES = 256
MIN_RTU_BYTES = 4
MAX_ASCII_BYTES = 513
"""`:`, two characters for each of at most 255 bytes, CR and LF. Source: serial line 1.02, section 2.5.2.1."""
MAX_STRAY_BYTES = 256


class Framing(Protocol):
    """One way to travel."""

    name: str

    def wrap(self, message: ModbusMessage) -> bytes: ...

    def next(self, data: bytes, offset: int, side: Side, last: bool) -> Frame | None:
        """Give the first frame of `data`, which stands at `offset` in the stream; `None` when more is needed.

        With `last` nothing more will come.
        """

    def fields(self, frame: Frame, side: Side) -> list[Field]: ...

    def body(self, wire: bytes) -> bytes | None:
        """The unit's address and the unit out of a frame; `None` where its check is wrong."""


def _unreadable(data: bytes, offset: int, reason: str) -> Frame:
    return Frame(Unreadable(reason=reason), data, offset, (reason,))


class Tcp:
    """A header of seven bytes: transaction, protocol 0, length, unit."""

    name = "modbus-tcp"

    def wrap(self, message: ModbusMessage) -> bytes:
        unit = encode_unit(message)
        head = (message.transaction, 0, len(unit) + 1)
        return b"".join(number.to_bytes(2, "big") for number in head) + bytes((message.unit,)) + unit

    def next(self, data: bytes, offset: int, side: Side, last: bool) -> Frame | None:
        if len(data) < 6:
            return _unreadable(data, offset, "the stream ends inside a header") if last else None
        length = int.from_bytes(data[4:6], "big")
        if not 2 <= length <= MOST_CLAIMED_LENGTH:
            return self._skip(data, offset, last, length_problem(length))
        end = 6 + length
        if len(data) < end:
            return _unreadable(data, offset, f"the stream ends inside a frame of {end} bytes") if last else None
        wire = data[:end]
        read = self._read(wire, side, noting=False)
        return Frame(read.message, wire, offset, tuple(read.problems))

    def _skip(self, data: bytes, offset: int, last: bool, reason: str) -> Frame | None:
        """Go on to the next place where a header may begin."""
        for place in range(1, len(data) - 7):
            length = int.from_bytes(data[place + 4 : place + 6], "big")
            if data[place + 2 : place + 4] == b"\0\0" and 2 <= length <= MAX_TCP_LENGTH and data[place + 7]:
                return _unreadable(data[:place], offset, reason)
            if place == MAX_STRAY_BYTES:
                return _unreadable(data[:place], offset, reason)
        return _unreadable(data, offset, reason) if last else None

    def _read(self, wire: bytes, side: Side, *, noting: bool = True) -> Read:
        header = {"transaction": int.from_bytes(wire[:2], "big"), "unit": wire[6]}
        read = read_unit(wire[HEADER_BYTES:], side, header, bytes_from(HEADER_BYTES) if noting else None)
        protocol = int.from_bytes(wire[2:4], "big")
        if problem := length_problem(len(wire) - 6):
            read.problems.append(problem)
        if protocol:
            read.problems.insert(0, f"protocol: found {protocol}, expected 0")
        return read

    def fields(self, frame: Frame, side: Side) -> list[Field]:
        wire = frame.data
        if len(wire) < HEADER_BYTES:
            return []
        head = [
            _head("transaction", wire, 0, 2, ""),
            _head("protocol", wire, 2, 2, "Modbus", Role.CONSTANT, 0),
            _head("length", wire, 4, 2, "of what follows, the unit included", Role.LENGTH, len(wire) - 6),
            _head("unit", wire, 6, 1, ""),
        ]
        return head + self._read(wire, side).notes

    def body(self, wire: bytes) -> bytes | None:
        return wire[6:] if len(wire) > HEADER_BYTES else None


def length_problem(length: int) -> str:
    """Say what is wrong with the length of a TCP header; "" for nothing."""
    return "" if 2 <= length <= MAX_TCP_LENGTH else f"length: found {length}, expected 2 to {MAX_TCP_LENGTH}"


def _checked(body: bytes, check_bytes: int, *, right: bool) -> bytes | None:
    """The bytes before the check, where it is right and there is an address and a function before it."""
    return body[:-check_bytes] if right and len(body) >= 2 + check_bytes else None


def _head(
    name: str, wire: bytes, first: int, size: int, meaning: str, role: Role = Role.VALUE, expected: int | None = None
) -> Field:
    value = int.from_bytes(wire[first : first + size], "big")
    problem = "" if expected in (None, value) else f"expected {expected}"
    return Field(
        name=name, spans=((8 * first, 8 * size),), raw=value, value=value, meaning=meaning, role=role,
        problem=problem, expected=expected,
    )  # fmt: skip


def _serial_unit(message: ModbusMessage) -> int:
    if message.unit > MAX_SERIAL_UNIT:
        raise FieldError(
            f"{message.NAME}.unit", found=message.unit, expected=f"0 to {MAX_SERIAL_UNIT} on a serial line"
        )
    return message.unit


class Rtu:
    """Unit, protocol data unit, CRC. On a line silence parts the frames; a stream has none, so length and CRC tell."""

    name = "modbus-rtu"

    def wrap(self, message: ModbusMessage) -> bytes:
        body = bytes((_serial_unit(message),)) + encode_unit(message)
        return body + crc16(body).to_bytes(2, "little")

    def next(self, data: bytes, offset: int, side: Side, last: bool) -> Frame | None:
        size = self._size(data, side)
        if size is not None and self._holds(data, size):
            return self._frame(data[:size], offset, side)
        if size is None and not last and len(data) < MIN_RTU_BYTES + MAX_RTU_BYTES:
            return None  # its length is not known yet, or the function is not one whose length can be
        known = size if size is not None and MIN_RTU_BYTES <= size <= MAX_RTU_BYTES else None
        if not last and len(data) < (known or 0) + MAX_RTU_BYTES:
            return None  # a good frame may begin inside what this one claims
        place = self._next_good(data, side, known or min(len(data), MAX_RTU_BYTES))
        if place is not None:
            return _unreadable(data[:place], offset, "no frame whose CRC is right")
        if known is not None and len(data) >= known:
            return self._frame(data[:known], offset, side)
        reason = "the stream ends inside a frame" if last and size else "no frame whose CRC is right"
        return _unreadable(data if last else data[:MAX_RTU_BYTES], offset, reason)

    def _size(self, data: bytes, side: Side) -> int | None:
        """How long the frame at the beginning is, by its function; by its CRC where that leaves it open."""
        size = lengths.rtu_size(data, side)
        return size if size is not lengths.OPEN else first_good_size(data[:MAX_RTU_BYTES])

    def _holds(self, data: bytes, size: int) -> bool:
        """Whether the CRC is right: over a frame with its own CRC behind it, it is 0."""
        return MIN_RTU_BYTES <= size <= min(len(data), MAX_RTU_BYTES) and crc16(data[:size]) == 0

    def _next_good(self, data: bytes, side: Side, within: int) -> int | None:
        """Where, inside the first bytes, a frame of a known length begins whose CRC is right."""
        for place in range(1, within):
            size = lengths.rtu_size(data[place : place + MAX_RTU_BYTES], side)
            if size is not None and size is not lengths.OPEN and self._holds(data[place : place + size], size):
                return place
        return None

    def _frame(self, wire: bytes, offset: int, side: Side) -> Frame:
        read = self._read(wire, side, noting=False)
        return Frame(read.message, wire, offset, tuple(read.problems))

    def _read(self, wire: bytes, side: Side, *, noting: bool = True) -> Read:
        read = read_unit(wire[1:-2], side, {"unit": wire[0]}, bytes_from(1) if noting else None)
        found, expected = int.from_bytes(wire[-2:], "little"), crc16(wire[:-2])
        if found != expected:
            read.problems.insert(0, f"CRC: found {found:04X}, expected {expected:04X}")
        return read

    def fields(self, frame: Frame, side: Side) -> list[Field]:
        wire = frame.data
        found, expected = int.from_bytes(wire[-2:], "little"), crc16(wire[:-2])
        first = 8 * (len(wire) - 2)
        check = Field(
            name="crc",
            spans=((first + 8, 8), (first, 8)),
            raw=found,
            value=found,
            meaning="over all bytes before it, its low byte first",
            role=Role.CHECK,
            problem="" if found == expected else f"expected {expected:04X}",
            expected=expected,
        )
        return [_head("unit", wire, 0, 1, "" if wire[0] else "for all"), *self._read(wire, side).notes, check]

    def body(self, wire: bytes) -> bytes | None:
        return _checked(wire, 2, right=crc16(wire) == 0)


_HEX_LINE = re.compile(rb":((?:[0-9A-Fa-f]{2})+)\r?\n")


class Ascii:
    """A colon, each byte as two hex digits, LRC, CR LF."""

    name = "modbus-ascii"

    def wrap(self, message: ModbusMessage) -> bytes:
        body = bytes((_serial_unit(message),)) + encode_unit(message)
        return b":" + (body + bytes((lrc8(body),))).hex().upper().encode() + b"\r\n"

    def next(self, data: bytes, offset: int, side: Side, last: bool) -> Frame | None:
        if data[:1] != b":":
            place = data.find(b":")
            if place < 0 and not last and len(data) < MAX_STRAY_BYTES:
                return None
            stray = min(place if place >= 0 else len(data), MAX_STRAY_BYTES)
            return _unreadable(data[:stray], offset, "outside any frame: no colon before it")
        end = self._end(data)
        if end is None:
            if len(data) <= MAX_ASCII_BYTES:
                return _unreadable(data, offset, "the stream ends inside a frame") if last else None
            return _unreadable(data[:MAX_ASCII_BYTES], offset, f"no end within {MAX_ASCII_BYTES} characters")
        wire = data[:end]
        if not wire.endswith(b"\n"):
            return _unreadable(wire, offset, "another colon before the end of the line")
        return self._frame(wire, offset, side)

    def _end(self, data: bytes) -> int | None:
        """Where the frame ends: behind its LF, or before the colon of the next."""
        line, colon = data.find(b"\n", 1, MAX_ASCII_BYTES), data.find(b":", 1, MAX_ASCII_BYTES)
        ends = [place for place in (line + 1, colon) if place > 0]
        return min(ends) if ends else None

    def _frame(self, wire: bytes, offset: int, side: Side) -> Frame:
        match = _HEX_LINE.fullmatch(wire)
        if match is None or len(match[1]) < 6:
            return _unreadable(wire, offset, "between colon and line end: expected pairs of hex digits, three at least")
        read = self._read(bytes.fromhex(match[1].decode()), side, noting=False)
        if match[1] != match[1].upper():
            read.problems.append("digits: found small letters, expected 0 to 9 and A to F")
        if not wire.endswith(b"\r\n"):
            read.problems.append("end: found LF alone, expected CR LF")
        return Frame(read.message, wire, offset, tuple(read.problems))

    def _read(self, body: bytes, side: Side, *, noting: bool = True) -> Read:
        def placed(byte: int) -> Span:
            return 8 * (1 + 2 * (1 + byte)), 16

        read = read_unit(body[1:-1], side, {"unit": body[0]}, placed if noting else None)
        expected = lrc8(body[:-1])
        if body[-1] != expected:
            read.problems.insert(0, f"LRC: found {body[-1]:02X}, expected {expected:02X}")
        return read

    def fields(self, frame: Frame, side: Side) -> list[Field]:
        match = _HEX_LINE.fullmatch(frame.data)
        if match is None:
            return []
        body = bytes.fromhex(match[1].decode())
        expected = lrc8(body[:-1])
        check = Field(
            name="lrc",
            spans=((8 * (1 + 2 * (len(body) - 1)), 16),),
            raw=body[-1],
            value=body[-1],
            meaning="two's complement of the sum of the bytes before it",
            role=Role.CHECK,
            problem="" if body[-1] == expected else f"expected {expected:02X}",
            expected=int.from_bytes(f"{expected:02X}".encode(), "big"),
        )
        unit = Field(name="unit", spans=((8, 16),), raw=body[0], value=body[0], meaning="" if body[0] else "for all")
        colon = Field(name="start", spans=((0, 8),), raw=0x3A, meaning="a frame begins", role=Role.CONSTANT)
        last = 8 * (1 + len(match[1]))
        end = Field(
            name="end", spans=((last, 8 * len(frame.data) - last),), raw=frame.data[last // 8 :],
            meaning="the line ends", role=Role.CONSTANT,
            problem="" if frame.data.endswith(b"\r\n") else "expected CR LF",
        )  # fmt: skip
        return [colon, unit, *self._read(body, side).notes, check, end]

    def body(self, wire: bytes) -> bytes | None:
        match = _HEX_LINE.fullmatch(wire)
        body = bytes.fromhex(match[1].decode()) if match else b""
        return _checked(body, 1, right=sum(body) & 0xFF == 0)
