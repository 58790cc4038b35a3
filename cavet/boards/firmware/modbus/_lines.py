"""How requests come off a link, and how answers go on it: TCP, RTU by its silences, ASCII.

Sources: Modbus messaging on TCP/IP 1.0b, section 3.1.3; Modbus over serial line 1.02, sections 2.5.1 and 2.5.2.
"""

from __future__ import annotations

import functools
import re
import struct
from math import inf
from typing import Protocol

import msgspec

from cavet.boards._running import Client, rest_of
from cavet.protocols import Frame, Message, Side, Unreadable, modbus
from cavet.wording import hex_pairs

MAX_RTU_BYTES = 256
MIN_RTU_BYTES = 4
HEADER_BYTES, LONGEST_BYTES = 7, 260
ASCII_SECONDS = 1.0
"""Characters of an ASCII frame may be so far apart. Source: serial line 1.02, section 2.5.2.1."""
EDGE = 1e-9
REMEMBERED = 1024
"""So many requests are known by their bytes."""
_HEADER = struct.Struct(">HHHB")
_BEGINS = re.compile(rb":([0-9A-Fa-f]{2})")


class Heard(msgspec.Struct, frozen=True):
    """One request, as it came off a link: the frame, and where its unit lies. `spoiled` says why it can't be used."""

    frame: Frame
    unit: int = 0
    function: int = 0
    transaction: int = 0
    spoiled: str = ""


class Line(Protocol):
    """One program's link."""

    def feed(self, data: bytes, now: float) -> list[Heard]: ...
    def advance(self, now: float) -> list[Heard]: ...
    def unfinished(self) -> bytes: ...
    @property
    def due(self) -> float: ...
    def wrap(self, answer: modbus.ModbusMessage, heard: Heard) -> bytes: ...

    broken: Frame | None
    """What came that can be no Modbus at all, so that the connection is of no use any more; `None` while it is."""


class Pieces:
    """Tells where messages begin, of what comes down a line in pieces."""

    def __init__(self, client: Client) -> None:
        self._protocol = client.protocol
        self._character = client.character
        self._silence = modbus.silence(client.character) if client.character else 0.0
        self._last = -inf
        self.heeded = True
        """Whether the message of which a piece came last is this board's affair."""

    def begin(self, data: bytes, now: float) -> bool:
        """Whether a message begins with this piece."""
        pause, self._last = now - len(data) * self._character - self._last, now
        return data[:1] == b":" if self._protocol == "modbus-ascii" else pause >= self._silence - EDGE


class TcpLine:
    """A header with a length before each unit; any number of requests in one piece, or one in many."""

    due = inf

    def __init__(self) -> None:
        self._rest = b""
        self._offset = 0
        self.broken: Frame | None = None

    def feed(self, data: bytes, now: float) -> list[Heard]:
        """Give the requests up to a wrong protocol number or a length that can't be: that breaks it."""
        rest = self._rest + data if self._rest else data
        heard: list[Heard] = []
        problem = ""
        while len(rest) >= HEADER_BYTES:
            transaction, protocol, length, unit = _HEADER.unpack_from(rest)
            if protocol:
                problem = f"protocol: found {protocol}, expected 0"
            elif not 2 <= length <= modbus.MOST_CLAIMED_LENGTH:
                problem = modbus.length_problem(length)
            end = 6 + length
            if problem:
                self.broken = Frame(Unreadable(reason=problem), rest, self._offset, (problem,))
            if problem or len(rest) < end:
                break
            wire, rest = rest[:end], rest[end:]
            message, problems = _read(wire[7:])
            if end > LONGEST_BYTES:
                problems = (*problems, modbus.length_problem(length))
            heard.append(Heard(Frame(message, wire, self._offset, problems), unit, wire[7], transaction))
            self._offset += end
        self._rest = rest
        return heard

    def advance(self, now: float) -> list[Heard]:
        return []

    def unfinished(self) -> bytes:
        return self._rest

    def wrap(self, answer: modbus.ModbusMessage, heard: Heard) -> bytes:
        if answer is heard.frame.message:
            return heard.frame.data  # an echo
        body = modbus.encode_unit(answer)
        return _HEADER.pack(heard.transaction, 0, len(body) + 1, heard.unit) + body


class RtuLine:
    """Frames end by a silence of 3.5 characters; a pause of more than 1.5 within one spoils it."""

    broken: Frame | None = None

    def __init__(self, character: float) -> None:
        self._character = character
        self._apart, self._silence = modbus.apart(character), modbus.silence(character)
        self._data = b""
        self._offset = 0
        self._last = -inf
        self._spoiled = ""

    @property
    def due(self) -> float:
        return self._last + self._silence if self._data else inf

    def feed(self, data: bytes, now: float) -> list[Heard]:
        pause = now - len(data) * self._character - self._last
        heard = self._end() if self._data and pause >= self._silence - EDGE else []
        if self._data and pause > self._apart + EDGE:
            self._spoiled = f"a pause of {1000 * pause:.2f} ms within it, at most {1000 * self._apart:.2f} is allowed"
        self._data += data
        self._last = now
        if len(self._data) > MAX_RTU_BYTES:
            self._spoiled = f"longer than {MAX_RTU_BYTES} bytes"
            self._offset += len(self._data) - MAX_RTU_BYTES
            self._data = self._data[-MAX_RTU_BYTES:]
        return heard

    def advance(self, now: float) -> list[Heard]:
        return self._end() if now >= self.due - EDGE and self._data else []

    def unfinished(self) -> bytes:
        return b""  # the silence behind it is its end

    def _end(self) -> list[Heard]:
        wire, offset, spoiled = self._data, self._offset, self._spoiled
        self._data, self._spoiled = b"", ""
        self._offset += len(wire)
        if not spoiled and len(wire) < MIN_RTU_BYTES:
            spoiled = f"{len(wire)} bytes, at least {MIN_RTU_BYTES} make a frame"
        elif not spoiled and modbus.crc16(wire):
            spoiled = f"CRC: found {wire[-1]:02X}{wire[-2]:02X}, expected {modbus.crc16(wire[:-2]):04X}"
        unit, function = wire[0], wire[1] if len(wire) > 1 else 0
        message, problems = modbus.read_message(wire[1:-2], Side.HOST, unit=unit)
        return [Heard(Frame(message, wire, offset, problems), unit, function, spoiled=spoiled)]

    def wrap(self, answer: modbus.ModbusMessage, heard: Heard) -> bytes:
        return modbus.RTU.encode(msgspec.structs.replace(answer, unit=heard.unit))


class StreamLine:
    """RTU and ASCII frames where no times are known or needed: found by their length and check, or their marks."""

    broken: Frame | None = None

    def __init__(self, codec: modbus.ModbusCodec, apart: float = inf) -> None:
        self._codec = codec
        self._apart = apart
        self._decoder = codec.decoder(Side.HOST)
        self._last = -inf
        self.due = inf
        self.delimiter = b"\n"
        """What ends an ASCII frame in the place of LF, where the host has changed it."""

    def feed(self, data: bytes, now: float) -> list[Heard]:
        frames = self._decoder.finish() if now - self._last > self._apart else []
        self._last = now
        if self.delimiter != b"\n":
            data = data.replace(self.delimiter, b"\n")
        return [self._heard(frame) for frame in [*frames, *self._decoder.feed(data)]]

    def _heard(self, frame: Frame) -> Heard:
        body = self._codec.body(frame.data)
        if body is None:
            return Heard(frame, spoiled=frame.problems[0])
        message, problems = modbus.read_message(body[1:], Side.HOST, unit=body[0])
        return Heard(Frame(message, frame.data, frame.offset, problems), body[0], body[1])

    def advance(self, now: float) -> list[Heard]:
        return []

    def unfinished(self) -> bytes:
        return rest_of(self._decoder)

    def wrap(self, answer: modbus.ModbusMessage, heard: Heard) -> bytes:
        wire = self._codec.encode(msgspec.structs.replace(answer, unit=heard.unit))
        return wire if self.delimiter == b"\n" else wire[:-1] + self.delimiter


def line_for(protocol: str, character: float) -> Line:
    """Make the line for a link: what is spoken on it, and how long a character takes there."""
    if protocol == "modbus-tcp":
        return TcpLine()
    if protocol == "modbus-ascii":
        return StreamLine(modbus.ASCII, ASCII_SECONDS)
    return RtuLine(character) if character else StreamLine(modbus.RTU)


def unit_of(protocol: str, data: bytes) -> int | None:
    """The unit that a message is for, by how it begins; `None` where that is not told yet."""
    if protocol == "modbus-ascii":
        begins = _BEGINS.match(data)
        return int(begins[1], 16) if begins is not None else None
    at = HEADER_BYTES - 1 if protocol == "modbus-tcp" else 0
    return data[at] if len(data) > at else None


@functools.lru_cache(REMEMBERED)
def _read(unit: bytes) -> tuple[Message, tuple[str, ...]]:
    """Take a request apart, without what its header says. The same few come again and again."""
    return modbus.read_message(unit, Side.HOST, transaction=0, unit=0)


@functools.lru_cache(REMEMBERED)
def words_of(message: Message) -> str:
    """Say a request's fields in a few words."""
    return ", ".join([f"{name} {_shown(getattr(message, name))}" for name in _own_fields(type(message))])[:120]


@functools.cache
def _own_fields(form: type[Message]) -> tuple[str, ...]:
    return tuple(name for name in form.__struct_fields__ if name not in ("transaction", "unit"))


def _shown(value: object) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    return hex_pairs(value) if isinstance(value, bytes) else str(value)
