"""The pieces that the body of a message is laid out in, all of seven-bit bytes. Each can be put and taken."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, Protocol

import msgspec

from cavet.protocols._frame import Field, Role
from cavet.protocols._message import FieldError
from cavet.protocols._reader import Reader, joined


class Piece(Protocol):
    """A part of a body, in both directions."""

    def put(self, message: Any, body: bytearray) -> None: ...
    def take(self, reader: Reader) -> None: ...


def seven_bit_groups(value: int, at_least: int) -> bytes:
    """Cut a number into groups of seven bits, the lowest first."""
    groups = bytearray()
    while value or len(groups) < at_least:
        groups.append(value & 0x7F)
        value >>= 7
    return bytes(groups)


def from_groups(groups: Sequence[int]) -> int:
    """Put a number together of groups of seven bits, the lowest first."""
    value = 0
    for group in reversed(groups):
        value = value << 7 | group
    return value


def pairs_of(data: bytes) -> bytes:
    """Each byte as two: its lower seven bits, then its top one."""
    out = bytearray()
    for byte in data:
        out += bytes((byte & 0x7F, byte >> 7))
    return bytes(out)


def from_pairs(name: str, pairs: bytes, problems: list[str]) -> bytes:
    """Put bytes together from pairs. A pair that holds more than eight bits is cut, and told."""
    if len(pairs) % 2:
        problems.append(f"{name}: found {len(pairs)} seven-bit bytes, expected an even number")
    out = bytearray()
    for low, high in zip(pairs[::2], pairs[1::2], strict=False):
        if high > 1:
            problems.append(f"{name}: found {low | high << 7} in a pair, expected 0 to 255")
        out.append((low | high << 7) & 0xFF)
    return bytes(out)


def note_groups(reader: Reader, name: str, bits: Iterable[tuple[int, int]], **more: Any) -> None:
    """Tell of a field by its bits, from the most significant one down: each as a seven-bit byte and the bit in it."""
    assert reader.placed is not None  # the caller has looked
    spans = joined((reader.placed(byte)[0] + 6 - bit, 1) for byte, bit in bits)
    reader.notes.append(Field(name=name, spans=spans, **more))


_SEVEN_BITS = [bytes((value,)) for value in range(1 << 7)]
PAIRS = [low + high for high in _SEVEN_BITS for low in _SEVEN_BITS]
"""Every number of fourteen bits as two bytes: the form that nearly all numbers have."""


class Number(msgspec.Struct, frozen=True):
    """A number in `groups` seven-bit bytes, the lowest first; with `open_ended`, in at least so many."""

    name: str
    groups: int = 1
    open_ended: bool = False
    unit: str = ""
    meaning: str = ""
    optional: bool = False
    """Whether it may be left out, at the end of a body."""

    def put(self, message: Any, body: bytearray) -> None:
        value = getattr(message, self.name)
        if value is None:
            return
        if self.groups == 2 and value < 1 << 14:
            body += PAIRS[value]
        else:
            body += seven_bit_groups(value, self.groups)

    def take(self, reader: Reader) -> None:
        first = reader.at
        if self.optional and not reader.rest:
            return
        size = max(1, reader.rest) if self.open_ended else self.groups
        value = from_groups(reader.take(self.name, size))
        reader.fields[self.name] = value
        if reader.placed is not None:
            reader.note(self.name, first, value, raw=value, low_first=True, unit=self.unit, meaning=self.meaning)


class Octets(msgspec.Struct, frozen=True):
    """The rest of the body, as bytes of which each is sent as a pair; with `text`, in UTF-8."""

    name: str
    text: bool = False
    meaning: str = ""

    def put(self, message: Any, body: bytearray) -> None:
        value = getattr(message, self.name)
        try:
            body += pairs_of(value.encode("utf-8", "surrogateescape") if self.text else value)
        except UnicodeEncodeError as error:
            raise FieldError(f"{message.NAME}.{self.name}", found="half a surrogate pair", expected="text") from error

    def take(self, reader: Reader) -> None:
        first, known = reader.at, len(reader.problems)
        octets = from_pairs(self.name, reader.take(self.name, reader.rest), reader.problems)
        value = reader.fields[self.name] = self._value(octets)
        if reader.placed is not None:
            problem = "; ".join(reader.problems[known:])
            self._note(reader, first, value, octets, problem)

    def _note(self, reader: Reader, first: int, value: str | bytes, octets: bytes, problem: str) -> None:
        """Of each pair's second byte the lowest bit alone belongs to the octet: its top one."""
        bits, unused = [], []
        for at in range(first, reader.at - 1, 2):
            bits += [(at + 1, 0), *((at, bit) for bit in range(6, -1, -1))]
            unused += [(at + 1, bit) for bit in range(6, 0, -1)]
        if (reader.at - first) % 2:
            bits += [(reader.at - 1, bit) for bit in range(6, -1, -1)]
        note_groups(reader, self.name, bits, value=value, raw=octets, meaning=self.meaning, problem=problem)
        if unused:
            meaning = "behind the top bit of each octet"
            note_groups(reader, "unused", unused, value=0, meaning=meaning, role=Role.UNUSED)

    def _value(self, octets: bytes) -> str | bytes:
        if not self.text:
            return octets
        try:
            return octets.decode("utf-8")
        except UnicodeDecodeError:
            return octets.decode("latin-1")  # what boards that know no UTF-8 send


def require_seven_bits(place: str, data: bytes) -> None:
    """Refuse bytes above 7F: they would end the message."""
    for byte in data:
        if byte > 0x7F:
            raise FieldError(place, found=f"{byte:02X}", expected="bytes of seven bits, 00 to 7F")


class Rest(msgspec.Struct, frozen=True):
    """The rest of the body just as it is, seven bits a byte."""

    name: str

    def put(self, message: Any, body: bytearray) -> None:
        body += getattr(message, self.name)

    def take(self, reader: Reader) -> None:
        first = reader.at
        rest = reader.fields[self.name] = reader.take(self.name, reader.rest)
        reader.note(self.name, first, rest, raw=rest)
