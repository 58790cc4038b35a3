"""Pieces of the features beyond pins: sub-commands, signed and decimal numbers, bytes packed into seven bits."""

from __future__ import annotations

import math
from typing import Any

import msgspec

from cavet.protocols._frame import Field
from cavet.protocols._message import FieldError, Written
from cavet.protocols.firmata._pieces import Body, Placed, ShortError, from_groups, seven_bit_groups


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

    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int:
        if at >= len(body):
            raise ShortError("sub-command")
        if self.field:
            fields[self.field] = body[at] - self.value
        return at + 1

    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]:
        ((first, _),) = placed(at, at + 1)
        if not self.field:
            return at + 1, [Field(name="part", spans=((first, 7),), raw=body[at], meaning=message.NAME)]
        upper = 7 - self.bits
        value = getattr(message, self.field)
        found = [Field(name=self.field, spans=((first + upper, self.bits),), raw=value, value=value)]
        part = Field(name="part", spans=((first, upper),), raw=body[at] >> self.bits, meaning=message.NAME)
        return at + 1, [part, *found]


class TwoParts(msgspec.Struct, frozen=True):
    """A byte with one number in its upper bits and another in its lower ones."""

    upper: str
    lower: str
    low_bits: int

    def put(self, message: Any, body: bytearray) -> None:
        body.append(getattr(message, self.upper) << self.low_bits | getattr(message, self.lower))

    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int:
        if at >= len(body):
            raise ShortError(self.upper)
        fields[self.upper], fields[self.lower] = body[at] >> self.low_bits, body[at] & (1 << self.low_bits) - 1
        return at + 1

    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]:
        ((first, _),) = placed(at, at + 1)
        width = 7 - self.low_bits
        upper, lower = getattr(message, self.upper), getattr(message, self.lower)
        return at + 1, [
            Field(name=self.upper, spans=((first, width),), raw=upper, value=upper),
            Field(name=self.lower, spans=((first + width, self.low_bits),), raw=lower, value=lower),
        ]


class SignedNumber(msgspec.Struct, frozen=True):
    """A number of 32 bits with its sign, in five bytes: the size in 31 bits, the sign in bit 3 of the last byte."""

    name: str
    SIZE = 5

    def put(self, message: Any, body: bytearray) -> None:
        body += _signed_groups(getattr(message, self.name))

    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int:
        if at + self.SIZE > len(body):
            raise ShortError(self.name)
        groups = body[at : at + self.SIZE]
        size = from_groups((*groups[:-1], groups[-1] & 7))
        fields[self.name] = -size if groups[-1] & 8 else size
        if groups[-1] & 0x70:
            problems.append(f"{self.name}: found bits beyond its sign, expected 0")
        return at + self.SIZE

    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]:
        end = at + self.SIZE
        value = getattr(message, self.name)
        spans = tuple(reversed(placed(at, end)))
        return end, [Field(name=self.name, spans=spans, raw=from_groups(body[at:end]), value=value)]


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

    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int:
        one = SignedNumber(self.name)
        found: list[int] = []
        while at < len(body):
            at = one.take(body, at, fields, problems)
            found.append(fields[self.name])
        fields[self.name] = tuple(found)
        return at

    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]:
        fields = []
        for place, value in enumerate(getattr(message, self.name)):
            spans = tuple(reversed(placed(at, at + SignedNumber.SIZE)))
            fields.append(Field(name=f"{self.name} {place}", spans=spans, value=value))
            at += SignedNumber.SIZE
        return at, fields


def _signed_groups(value: int) -> bytearray:
    groups = bytearray(seven_bit_groups(abs(value), SignedNumber.SIZE))
    groups[-1] |= 8 if value < 0 else 0
    return groups


def _read_signed(place: str, text: str) -> tuple[int, ...]:
    found = []
    for word in text.split(",") if text else []:
        try:
            value = int(word, 0)
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

    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int:
        if at + self.SIZE > len(body):
            raise ShortError(self.name)
        groups = body[at : at + self.SIZE]
        digits = from_groups((*groups[:3], groups[3] & 3))
        power = (groups[3] >> 2 & 15) + self.LOWEST
        value = float(f"{-digits if groups[3] & 64 else digits}e{power}")
        fields[self.name] = value
        return at + self.SIZE

    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]:
        end = at + self.SIZE
        spans = tuple(reversed(placed(at, end)))
        return end, [
            Field(name=self.name, spans=spans, raw=from_groups(body[at:end]), value=getattr(message, self.name))
        ]


def _digits(value: float) -> tuple[int, int]:
    """A number as digits and a power of ten, with as many digits as there is room for."""
    if not value:
        return 0, 0
    power = max(Decimal.LOWEST, math.floor(math.log10(abs(value))) - 5)
    digits = round(value / 10**power) if power >= 0 else round(value * 10**-power)
    while digits and digits % 10 == 0 and power < Decimal.HIGHEST:
        digits, power = digits // 10, power + 1
    if abs(digits) > Decimal.MOST or power > Decimal.HIGHEST:
        raise FieldError("number", found=value, expected="six digits, up to 80 000 000 000")
    return digits, power


def _read_decimal(place: str, text: str) -> float:
    try:
        value = float(text)
        _digits(value)
    except (ValueError, OverflowError, FieldError) as error:
        raise FieldError(place, found=text, expected="a number of six digits, up to 80 000 000 000") from error
    return value


def pack(data: bytes) -> bytes:
    """Bytes as one run of bits, the lowest first, cut into groups of seven."""
    number = int.from_bytes(data, "little")
    return bytes(number >> 7 * group & 0x7F for group in range((8 * len(data) + 6) // 7))


def unpack(groups: bytes) -> bytes:
    """Take such groups apart; what is left of bits makes no byte."""
    return from_groups(groups).to_bytes((7 * len(groups) + 7) // 8, "little")[: 7 * len(groups) // 8]


class Packed(msgspec.Struct, frozen=True):
    """The rest of the body: bytes packed into seven bits each; as a `number`, four of them, the low one first."""

    name: str
    number: bool = False

    def put(self, message: Any, body: bytearray) -> None:
        value = getattr(message, self.name)
        body += pack(value.to_bytes(4, "little") if self.number else value)

    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int:
        data = unpack(body[at:])
        if self.number and len(data) < 4:
            raise ShortError(self.name)
        if self.number and len(data) > 4:
            problems.append(f"{self.name}: found {len(data)} bytes, expected 4")
        fields[self.name] = int.from_bytes(data[:4], "little") if self.number else data
        return len(body)

    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]:
        value = getattr(message, self.name)
        return len(body), [Field(name=self.name, spans=placed(at, len(body)), raw=bytes(body[at:]), value=value)]


class Positions(msgspec.Struct, frozen=True):
    """Where encoders stand: for each a byte with its direction and number, then its count in four bytes."""

    name: str
    SIZE = 5
    LIMIT = 1 << 28

    @classmethod
    def written(cls) -> Written:
        """How a person writes it."""
        return Written("ENCODER:COUNT with commas", _read_positions, lambda value: [list(pair) for pair in value])

    def put(self, message: Any, body: bytearray) -> None:
        for encoder, count in getattr(message, self.name):
            body.append(encoder | (0x40 if count < 0 else 0))
            body += seven_bit_groups(abs(count), 4)

    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int:
        found = []
        while at + self.SIZE <= len(body):
            size = from_groups(body[at + 1 : at + self.SIZE])
            found.append((body[at] & 0x3F, -size if body[at] & 0x40 else size))
            at += self.SIZE
        if at < len(body):
            raise ShortError(self.name)
        fields[self.name] = tuple(found)
        return at

    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]:
        fields = []
        for encoder, count in getattr(message, self.name):
            fields.append(Field(name=f"encoder {encoder}", spans=placed(at, at + self.SIZE), value=count))
            at += self.SIZE
        return at, fields


def _read_positions(place: str, text: str) -> tuple[tuple[int, int], ...]:
    found = []
    for word in text.split(",") if text else []:
        encoder, _, count = word.partition(":")
        try:
            pair = int(encoder), int(count)
        except ValueError as error:
            raise FieldError(place, found=word, expected="ENCODER:COUNT") from error
        if not 0 <= pair[0] < 64 or abs(pair[1]) >= Positions.LIMIT:
            raise FieldError(place, found=word, expected=f"encoders 0 to 63, counts below {Positions.LIMIT}")
        found.append(pair)
    return tuple(found)
