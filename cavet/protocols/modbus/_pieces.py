"""The pieces that the body of a protocol data unit is laid out in. Each can be put, taken and explained."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Protocol

import msgspec

from cavet.protocols._frame import Role
from cavet.protocols._message import FieldError
from cavet.protocols._reader import Reader


class Piece(Protocol):
    """A part of a body, in both directions."""

    def put(self, message: Any, out: bytearray) -> None: ...
    def take(self, reader: Reader) -> None: ...


class Number(msgspec.Struct, frozen=True):
    """A number of one or two bytes, the high one first."""

    name: str
    size: int = 2
    meaning: str = ""

    def put(self, message: Any, out: bytearray) -> None:
        out += getattr(message, self.name).to_bytes(self.size, "big")

    def take(self, reader: Reader) -> None:
        first = reader.at
        value = reader.number(self.name, self.size)
        reader.fields[self.name] = value
        reader.note(self.name, first, value, meaning=self.meaning)


class Constant(msgspec.Struct, frozen=True):
    """A byte that is always the same here."""

    name: str
    value: int

    def put(self, message: Any, out: bytearray) -> None:
        out.append(self.value)

    def take(self, reader: Reader) -> None:
        first = reader.at
        found = reader.number(self.name, 1)
        if found != self.value:
            reader.problems.append(f"{self.name}: found 0x{found:02X}, expected 0x{self.value:02X}")
        problem = "" if found == self.value else f"expected 0x{self.value:02X}"
        reader.note(self.name, first, found, role=Role.CONSTANT, problem=problem, expected=self.value)


class CoilValue(msgspec.Struct, frozen=True):
    """On as FF 00, off as 00 00; nothing else. Source: application protocol 1.1b3, section 6.5."""

    name: str = "value"

    def put(self, message: Any, out: bytearray) -> None:
        out += b"\xff\x00" if getattr(message, self.name) else b"\x00\x00"

    def take(self, reader: Reader) -> None:
        first = reader.at
        found = reader.number(self.name, 2)
        problem = "" if found in (0, 0xFF00) else "expected 0xFF00 for on or 0x0000 for off"
        if problem:
            reader.problems.append(f"{self.name}: found 0x{found:04X}, {problem}")
        reader.fields[self.name] = found != 0
        reader.note(self.name, first, found != 0, meaning="on" if found else "off", problem=problem)


class Bits(msgspec.Struct, frozen=True):
    """Bits packed eight a byte, the first one lowest, behind their byte count; with `quantity` before that."""

    name: str = "values"
    counted: bool = False

    def put(self, message: Any, out: bytearray) -> None:
        bits = getattr(message, self.name)
        if self.counted:
            out += len(bits).to_bytes(2, "big")
        packed = pack_bits(bits)
        out.append(len(packed))
        out += packed

    def take(self, reader: Reader) -> None:
        quantity = _take_quantity(reader) if self.counted else None
        data = _take_counted(reader, self.name, None if quantity is None else (quantity + 7) // 8, quantity)
        first = reader.at - len(data)
        bits = unpack_bits(data)
        if quantity is not None:
            bits = bits[:quantity]
        reader.fields[self.name] = bits
        reader.note(self.name, first, bits, raw=data, meaning="the first in the lowest bit of the first byte")


class Registers(msgspec.Struct, frozen=True):
    """Registers of two bytes, the high one first, behind their byte count; with `quantity` before that."""

    name: str = "values"
    counted: bool = False

    def put(self, message: Any, out: bytearray) -> None:
        values = getattr(message, self.name)
        if self.counted:
            out += len(values).to_bytes(2, "big")
        out.append(2 * len(values))
        out += pack_registers(values)

    def take(self, reader: Reader) -> None:
        quantity = _take_quantity(reader) if self.counted else None
        data = _take_counted(reader, self.name, None if quantity is None else 2 * quantity, quantity)
        first = reader.at - len(data)
        if len(data) % 2:
            reader.problems.append(f"byte count: found {len(data)}, expected an even number")
        values = unpack_registers(data)
        reader.fields[self.name] = values
        reader.note(self.name, first, values, raw=data)


class Octets(msgspec.Struct, frozen=True):
    """Bytes: behind their byte count, or all the rest."""

    name: str = "data"
    counted: bool = True

    def put(self, message: Any, out: bytearray) -> None:
        data = getattr(message, self.name)
        if self.counted:
            out.append(len(data))
        out += data

    def take(self, reader: Reader) -> None:
        data = _take_counted(reader, self.name) if self.counted else reader.take(self.name, reader.rest)
        reader.fields[self.name] = data
        reader.note(self.name, reader.at - len(data), data, raw=data)


def _take_quantity(reader: Reader) -> int:
    first = reader.at
    quantity = reader.number("quantity", 2)
    reader.fields["quantity"] = quantity
    reader.note("quantity", first, quantity, role=Role.COUNT)
    return quantity


def _take_counted(reader: Reader, name: str, expected: int | None = None, quantity: int | None = None) -> bytes:
    """Take a byte count and so many bytes; where fewer are there, take those and tell. `expected` is what the count
    should be for `quantity`."""
    first = reader.at
    count = reader.number("byte count", 1)
    there = min(count, reader.rest)
    problems = []
    if there < count:
        problems.append(f"byte count: found {count}, but {there} bytes follow")
    if expected is not None and there != expected:
        problems.append(f"byte count: found {there}, expected {expected} for a quantity of {quantity}")
    note_byte_count(reader, first, count, reader.rest if expected is None else expected, problems)
    return reader.take(name, there)


def note_byte_count(reader: Reader, first: int, count: int, expected: int, problems: Sequence[str]) -> None:
    """Tell of a byte count, and keep what is wrong with it."""
    reader.problems += problems
    reader.note(
        "byte_count", first, count, meaning="how many bytes follow", role=Role.LENGTH, problem="; ".join(problems),
        expected=expected,
    )  # fmt: skip


def pack_bits(bits: Sequence[int]) -> bytes:
    """Eight bits a byte, the first one lowest; the rest of the last byte is 0."""
    packed = bytearray((len(bits) + 7) // 8)
    for place, bit in enumerate(bits):
        if bit:
            packed[place // 8] |= 1 << place % 8
    return bytes(packed)


def unpack_bits(data: bytes) -> tuple[int, ...]:
    """Take bytes apart, the lowest bit of each first. Source: Modbus application protocol 1.1b3, section 6.1."""
    return tuple(byte >> bit & 1 for byte in data for bit in range(8))


def pack_registers(values: Sequence[int]) -> bytes:
    """Lay registers out, the high byte of each first."""
    return b"".join(value.to_bytes(2, "big") for value in values)


def unpack_registers(data: bytes) -> tuple[int, ...]:
    """Read registers, the high byte of each first."""
    return tuple(int.from_bytes(data[place : place + 2], "big") for place in range(0, len(data) - 1, 2))


def read_bits(place: str, text: str) -> tuple[int, ...]:
    """Read bits as a person writes them: `1,0,1`, `on,off`, or `101`."""
    words = text.split(",") if "," in text or len(text) < 2 or text.lower() in _BIT_WORDS else list(text)
    return tuple(_bit(place, word) for word in words if text)


_BIT_WORDS = {"1": 1, "0": 0, "on": 1, "off": 0, "true": 1, "false": 0}


def _bit(place: str, word: str) -> int:
    if word.strip().lower() not in _BIT_WORDS:
        raise FieldError(place, found=word, expected="bits with commas: 1,0,1")
    return _BIT_WORDS[word.strip().lower()]


_COIL_WORDS = _BIT_WORDS | {"0xff00": 1, "0x0000": 0}


def read_coil(place: str, text: str) -> bool:
    """Read what a coil is to be: on or off, or as the wire has it. Source: application protocol 1.1b3, section 6.5."""
    if text.lower() not in _COIL_WORDS:
        raise FieldError(place, found=text, expected="on (0xFF00) or off (0x0000)")
    return bool(_COIL_WORDS[text.lower()])


def read_registers(place: str, text: str) -> tuple[int, ...]:
    """Read registers as a person writes them: `1,0x0203`."""
    return tuple(read_number(place, word, 0xFFFF) for word in text.split(",")) if text else ()


def read_number(place: str, word: str, high: int, low: int = 0) -> int:
    """Read one number, in decimal or 0x hex."""
    try:
        number = int(word, 16) if word.strip().lower().startswith("0x") else int(word, 10)
    except ValueError as error:
        raise FieldError(place, found=word, expected=f"numbers {low} to {high}") from error
    if not low <= number <= high:
        raise FieldError(place, found=number, expected=f"{low} to {high}")
    return number
