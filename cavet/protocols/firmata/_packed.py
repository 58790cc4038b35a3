"""Pieces of the features beyond pins: sub-commands, signed and decimal numbers, bytes packed into seven bits."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Any

import msgspec

from cavet.protocols._frame import Field, Role
from cavet.protocols._message import FieldError, Written
from cavet.protocols._reader import Reader, ShortError, joined
from cavet.protocols.firmata._pieces import from_groups, note_groups, seven_bit_groups
from cavet.units import whole_number


class Part(msgspec.Struct, frozen=True):
    """The byte that says what of a feature is wanted. With `field`, its lower `bits` bits hold that field."""

    value: int
    field: str = ""
    bits: int = 4

    @property
    def values(self) -> range:
        """All bytes that mean this."""
        return range(self.value, self.value + (1 << self.bits if self.field else 1))

    def put(self, message: Any, body: bytearray) -> None:
        body.append(self.value | (getattr(message, self.field) if self.field else 0))

    def take(self, reader: Reader) -> None:
        at = reader.at
        found = reader.take("sub-command", 1)[0]
        upper = 7 - self.bits
        if not self.field:
            reader.note("part", at, found, role=Role.CONSTANT)
            return
        value = reader.fields[self.field] = found - self.value
        reader.note_bits("part", at, 0, upper, found >> self.bits, role=Role.CONSTANT)
        reader.note_bits(self.field, at, upper, self.bits, value)


class TwoParts(msgspec.Struct, frozen=True):
    """A byte with one number in its upper bits and another in its lower ones."""

    upper: str
    lower: str
    low_bits: int

    def put(self, message: Any, body: bytearray) -> None:
        body.append(getattr(message, self.upper) << self.low_bits | getattr(message, self.lower))

    def take(self, reader: Reader) -> None:
        at = reader.at
        found = reader.take(self.upper, 1)[0]
        upper, lower = found >> self.low_bits, found & (1 << self.low_bits) - 1
        reader.fields[self.upper], reader.fields[self.lower] = upper, lower
        width = 7 - self.low_bits
        reader.note_bits(self.upper, at, 0, width, upper)
        reader.note_bits(self.lower, at, width, self.low_bits, lower)


class SignedNumber(msgspec.Struct, frozen=True):
    """A number of 32 bits with its sign, in five bytes: the size in 31 bits, the sign in bit 3 of the last byte."""

    name: str
    SIZE = 5

    def put(self, message: Any, body: bytearray) -> None:
        body += _signed_groups(getattr(message, self.name))

    def take(self, reader: Reader) -> None:
        reader.fields[self.name] = take_signed(reader, self.name)


class SignedNumbers(msgspec.Struct, frozen=True):
    """The rest of the body: numbers of 32 bits with their signs, each as `SignedNumber` has it."""

    name: str
    LIMIT = 1 << 31

    @classmethod
    def written(cls) -> Written:
        """How a person writes them."""
        return Written("whole numbers with commas", _read_signed, list)

    def put(self, message: Any, body: bytearray) -> None:
        for value in getattr(message, self.name):
            body += _signed_groups(value)

    def take(self, reader: Reader) -> None:
        found: list[int] = []
        while reader.rest:
            found.append(take_signed(reader, self.name, f" {len(found)}"))
        reader.fields[self.name] = tuple(found)


def take_signed(reader: Reader, name: str, number: str = "") -> int:
    """Take a number with its sign; `number` says which one of several it is. Raises `ShortError`."""
    first = reader.at
    groups = reader.take(name, SignedNumber.SIZE)
    size = from_groups((*groups[:-1], groups[-1] & 7))
    value = -size if groups[-1] & 8 else size
    if groups[-1] & 0x70:
        reader.problems.append(f"{name}: found bits beyond its sign, expected 0")
    if reader.placed is not None:
        last = reader.at - 1
        (begin, _) = reader.placed(last)
        top = Field(name="unused", spans=((begin, 3),), raw=groups[-1] >> 4, value=groups[-1] >> 4, role=Role.UNUSED)
        reader.notes.append(msgspec.structs.replace(top, problem="expected 0" if top.raw else "", expected=0))
        spans = ((begin + 3, 4), *(reader.placed(byte) for byte in reversed(range(first, last))))
        raw = from_groups((*groups[:-1], groups[-1] & 15))
        reader.notes.append(Field(name=f"{name}{number}", spans=joined(spans), raw=raw, value=value))
    return value


def _signed_groups(value: int) -> bytearray:
    groups = bytearray(seven_bit_groups(abs(value), SignedNumber.SIZE))
    groups[-1] |= 8 if value < 0 else 0
    return groups


def _read_signed(place: str, text: str) -> tuple[int, ...]:
    found = []
    for word in text.split(",") if text else []:
        try:
            value = whole_number(word)
        except ValueError as error:
            raise FieldError(place, found=word, expected="a whole number") from error
        if abs(value) >= SignedNumbers.LIMIT:
            raise FieldError(place, found=word, expected=f"less than {SignedNumbers.LIMIT} either way")
        found.append(value)
    return tuple(found)


class Decimal(msgspec.Struct, frozen=True):
    """A number in four bytes: 23 bits of digits, a power of ten from −11 to 4, a sign."""

    name: str
    SIZE = 4
    LOWEST, HIGHEST, MOST = -11, 4, (1 << 23) - 1

    @classmethod
    def written(cls) -> Written:
        """How a person writes it."""
        return Written("a number", _read_decimal)

    def put(self, message: Any, body: bytearray) -> None:
        digits, power = _digits(getattr(message, self.name))
        groups = bytearray(seven_bit_groups(abs(digits), 4))
        groups[3] = groups[3] & 3 | power - self.LOWEST << 2 | (64 if digits < 0 else 0)
        body += groups

    def take(self, reader: Reader) -> None:
        first = reader.at
        groups = reader.take(self.name, self.SIZE)
        digits = from_groups((*groups[:3], groups[3] & 3))
        power = (groups[3] >> 2 & 15) + self.LOWEST
        value = reader.fields[self.name] = float(f"{-digits if groups[3] & 64 else digits}e{power}")
        reader.note(self.name, first, value, raw=from_groups(groups), low_first=True)


def _digits(value: float) -> tuple[int, int]:
    """A number as digits and a power of ten, with as many digits as there is room for."""
    if not value:
        return 0, 0
    power = max(Decimal.LOWEST, math.floor(math.log10(abs(value))) - 6)
    digits = _scaled(value, power)
    if abs(digits) > Decimal.MOST:
        power += 1
        digits = _scaled(value, power)
    while digits and digits % 10 == 0 and power < Decimal.HIGHEST:
        digits, power = digits // 10, power + 1
    if abs(digits) > Decimal.MOST or power > Decimal.HIGHEST:
        raise FieldError("number", found=value, expected="up to 83 886 070 000 either way")
    return digits, power


def _scaled(value: float, power: int) -> int:
    return round(value / 10.0**power) if power >= 0 else round(value * 10.0**-power)


def _read_decimal(place: str, text: str) -> float:
    try:
        value = float(text)
        _digits(value)
    except (ValueError, OverflowError, FieldError) as error:
        raise FieldError(place, found=text, expected="a number up to 83 886 070 000 either way") from error
    return value


def pack(data: bytes) -> bytes:
    """Bytes as one run of bits, the lowest first, cut into groups of seven."""
    number = int.from_bytes(data, "little")
    return bytes(number >> 7 * group & 0x7F for group in range((8 * len(data) + 6) // 7))


def unpack(groups: bytes) -> bytes:
    """Take such groups apart; what is left of bits makes no byte."""
    return from_groups(groups).to_bytes((7 * len(groups) + 7) // 8, "little")[: 7 * len(groups) // 8]


def _in_groups(first: int, places: Iterable[int]) -> list[tuple[int, int]]:
    """Bits of a run of bits as the groups have them that begin at `first`: which group, and which bit of it."""
    return [(first + place // 7, place % 7) for place in places]


class Packed(msgspec.Struct, frozen=True):
    """The rest of the body: bytes packed into seven bits each; as a `number`, four of them, the low one first."""

    name: str
    number: bool = False

    def put(self, message: Any, body: bytearray) -> None:
        value = getattr(message, self.name)
        body += pack(value.to_bytes(4, "little") if self.number else value)

    def take(self, reader: Reader) -> None:
        first, known = reader.at, len(reader.problems)
        data = unpack(reader.take(self.name, reader.rest))
        if self.number and len(data) < 4:
            raise ShortError(self.name)
        if self.number and len(data) > 4:
            reader.problems.append(f"{self.name}: found {len(data)} bytes, expected 4")
        value = reader.fields[self.name] = int.from_bytes(data[:4], "little") if self.number else data
        problem = "; ".join(reader.problems[known:])
        if reader.placed is None:
            return
        size = len(data)
        order = range(size - 1, -1, -1) if self.number else range(size)
        places = [8 * octet + bit for octet in order for bit in range(7, -1, -1)]
        note_groups(reader, self.name, _in_groups(first, places), value=value, raw=value, problem=problem)
        if rest := range(7 * (reader.at - first) - 1, 8 * size - 1, -1):
            note_groups(reader, "unused", _in_groups(first, rest), value=0, role=Role.UNUSED)


class Positions(msgspec.Struct, frozen=True):
    """Where encoders stand: for each a byte with its direction and number, then its count in four bytes."""

    name: str
    SIZE = 5
    LIMIT = 1 << 28

    @classmethod
    def written(cls) -> Written:
        """How a person writes it."""
        return Written("ENCODER:COUNT with commas", _read_positions, _show_positions, _write_positions)

    def put(self, message: Any, body: bytearray) -> None:
        for encoder, count in getattr(message, self.name):
            body.append(encoder | (0x40 if count < 0 else 0))
            body += seven_bit_groups(abs(count), 4)

    def take(self, reader: Reader) -> None:
        found = []
        while reader.rest:
            first = reader.at
            head, *groups = reader.take(self.name, self.SIZE)
            encoder, size, backwards = head & 0x3F, from_groups(groups), head & 0x40
            found.append((encoder, -size if backwards else size))
            reader.note_bits("direction", first, 0, 1, int(backwards != 0), meaning="back" if backwards else "forth")
            reader.note_bits("encoder", first, 1, 6, encoder)
            reader.note("count", first + 1, found[-1][1], raw=size, low_first=True)
        reader.fields[self.name] = tuple(found)


def _show_positions(positions: tuple[tuple[int, int], ...]) -> list[list[int]]:
    return [list(pair) for pair in positions]


def _write_positions(positions: tuple[tuple[int, int], ...]) -> str:
    return ",".join(f"{encoder}:{count}" for encoder, count in positions)


def _read_positions(place: str, text: str) -> tuple[tuple[int, int], ...]:
    found = []
    for word in text.split(",") if text else []:
        encoder, _, count = word.partition(":")
        try:
            pair = whole_number(encoder), whole_number(count)
        except ValueError as error:
            raise FieldError(place, found=word, expected="ENCODER:COUNT") from error
        if not 0 <= pair[0] < 64 or abs(pair[1]) >= Positions.LIMIT:
            raise FieldError(place, found=word, expected=f"encoders 0 to 63, counts below {Positions.LIMIT}")
        found.append(pair)
    return tuple(found)
