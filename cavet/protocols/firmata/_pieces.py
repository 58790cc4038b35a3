"""The pieces that the body of a message is laid out in, all of seven-bit bytes. Each can be put, taken and explained.

A piece reads `body[at:]` and tells where it ended; `Short` is raised when the body ends before it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Protocol

import msgspec

from cavet.protocols._frame import Field, Span


class ShortError(Exception):
    """The body ends before this piece."""

    def __init__(self, name: str) -> None:
        self.name = name
        super().__init__(name)


Body = bytes
Placed = Callable[[int, int], tuple[Span, ...]]
"""Gives the bits of the frame in which the body's bytes `first` to `last` (not counted) lie, seven of each."""


class Piece(Protocol):
    """A part of a body, in both directions, and how to tell of it."""

    def put(self, message: Any, body: bytearray) -> None: ...
    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int: ...
    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]: ...


def seven_bit_groups(value: int, at_least: int) -> bytes:
    """Cut a number into groups of seven bits, the lowest first."""
    groups = bytearray()
    while value or len(groups) < at_least:
        groups.append(value & 0x7F)
        value >>= 7
    return bytes(groups)


def from_groups(groups: Sequence[int]) -> int:
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


PAIRS = [bytes((value & 0x7F, value >> 7)) for value in range(1 << 14)]
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

    def _end(self, body: Body, at: int) -> int:
        least = 1 if self.open_ended else self.groups
        end = len(body) if self.open_ended else at + self.groups
        if end > len(body) or end - at < least:
            raise ShortError(self.name)
        return end

    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int:
        if self.optional and at == len(body):
            return at
        end = self._end(body, at)
        fields[self.name] = from_groups(body[at:end])
        return end

    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]:
        if self.optional and at == len(body):
            return at, []
        end = self._end(body, at)
        raw = from_groups(body[at:end])
        spans = tuple(reversed(placed(at, end)))
        value = getattr(message, self.name, raw)
        return end, [Field(name=self.name, spans=spans, raw=raw, value=value, unit=self.unit, meaning=self.meaning)]


class Octets(msgspec.Struct, frozen=True):
    """The rest of the body, as bytes of which each is sent as a pair; with `text`, in UTF-8."""

    name: str
    text: bool = False
    meaning: str = ""

    def put(self, message: Any, body: bytearray) -> None:
        value = getattr(message, self.name)
        body += pairs_of(value.encode("utf-8", "surrogateescape") if self.text else value)

    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int:
        octets = from_pairs(self.name, body[at:], problems)
        fields[self.name] = self._value(octets)
        return len(body)

    def _value(self, octets: bytes) -> str | bytes:
        if not self.text:
            return octets
        try:
            return octets.decode("utf-8")
        except UnicodeDecodeError:
            return octets.decode("latin-1")  # what boards that know no UTF-8 send

    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]:
        problems: list[str] = []
        octets = from_pairs(self.name, body[at:], problems)
        problem = "; ".join(problems)
        spans = placed(at, len(body))
        value = self._value(octets)
        return len(body), [
            Field(name=self.name, spans=spans, raw=octets, value=value, meaning=self.meaning, problem=problem)
        ]


class Rest(msgspec.Struct, frozen=True):
    """The rest of the body just as it is, seven bits a byte."""

    name: str

    def put(self, message: Any, body: bytearray) -> None:
        body += getattr(message, self.name)

    def take(self, body: Body, at: int, fields: dict[str, Any], problems: list[str]) -> int:
        fields[self.name] = bytes(body[at:])
        return len(body)

    def explain(self, body: Body, at: int, placed: Placed, message: Any) -> tuple[int, list[Field]]:
        rest = bytes(body[at:])
        return len(body), [Field(name=self.name, spans=placed(at, len(body)), raw=rest, value=rest)]
