"""What takes a message's bytes apart, field by field, for all protocols; notes where each field lies when asked to."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, Literal

import msgspec

from cavet.protocols._frame import Field, Role, Span

Placed = Callable[[int], Span]
"""Gives the bits of the frame in which a byte lies: eight of them, seven where the top bit is not its own, sixteen
where it is written as two digits."""
MAX_NUMBER_BYTES = 8


class ShortError(Exception):
    """What is read ends before this field."""

    def __init__(self, name: str) -> None:
        self.name = name
        super().__init__(name)


def bytes_from(begin: int = 0) -> Placed:
    """The places of bytes that lie in the frame as they are, from its byte `begin` on."""
    return lambda byte: (8 * (begin + byte), 8)


def joined(spans: Iterable[Span]) -> tuple[Span, ...]:
    """Spans of which one goes on where the one before it ends become one."""
    found: list[Span] = []
    for begin, size in spans:
        if found and sum(found[-1]) == begin:
            found[-1] = (found[-1][0], found[-1][1] + size)
        else:
            found.append((begin, size))
    return tuple(found)


def gaps_filled(fields: Sequence[Field], size: int, name: str, role: Role) -> list[Field]:
    """Fields in their order on the wire, with fields of this name wherever none of them lies in a frame of so many
    bytes."""
    spans = sorted(span for field in fields for span in field.spans)
    gaps, at = [], 0
    for begin, count in [*spans, (8 * size, 0)]:
        if begin > at:
            gaps.append(Field(name=name, spans=((at, begin - at),), role=role))
        at = max(at, begin + count)
    return in_order([*fields, *gaps])


def in_order(fields: Iterable[Field]) -> list[Field]:
    """Fields in the order in which they begin on the wire; one without bits stays behind the one before it."""
    placed: list[tuple[int, Field]] = []
    for field in fields:
        at = min((begin for begin, _ in field.spans), default=placed[-1][0] if placed else 0)
        placed.append((at, field))
    return [field for _, field in sorted(placed, key=lambda pair: pair[0])]


class Reader:
    """Reads on from byte `at`; keeps the values of the fields, and what is wrong.

    With `placed`, each field is noted, too, with the bits where it lies; without it, nothing is.
    """

    __slots__ = ("at", "data", "end", "fields", "notes", "placed", "problems")

    def __init__(self, data: bytes, at: int = 0, end: int | None = None, *, placed: Placed | None = None) -> None:
        self.data = data
        self.at = at
        self.end = len(data) if end is None else end
        self.fields: dict[str, Any] = {}
        self.problems: list[str] = []
        self.notes: list[Field] = []
        self.placed = placed

    @property
    def rest(self) -> int:
        """How many bytes are left."""
        return self.end - self.at

    def take(self, name: str, count: int) -> bytes:
        """The next bytes. Raises `ShortError` where they are not there."""
        if self.end - self.at < count:
            raise ShortError(name)
        self.at += count
        return self.data[self.at - count : self.at]

    def number(self, name: str, count: int, order: Literal["big", "little"] = "big") -> int:
        """The next number, of so many bytes."""
        return int.from_bytes(self.take(name, count), order)

    def note(
        self, name: str, first: int, value: object = None, *, last: int | None = None, raw: int | bytes | None = None,
        low_first: bool = False, expected: int | None = None, **more: Any,
    ) -> None:  # fmt: skip
        """Tell of a field that began at byte `first` and ends here, or before `last`. With `low_first` its last byte is
        the most significant one. `more` is what a `Field` has besides."""
        if self.placed is None:
            return
        last = self.at if last is None else last
        data = self.data[first:last]
        places = range(first, last)
        spans = joined(self.placed(byte) for byte in (reversed(places) if low_first else places))
        if raw is None:
            raw = int.from_bytes(data, "little" if low_first else "big") if len(data) <= MAX_NUMBER_BYTES else data
        if expected is not None and sum(size for _, size in spans) == 2 * 8 * len(data):
            expected = int.from_bytes(f"{expected:0{2 * len(data)}X}".encode(), "big")  # each byte is two digits here
        self.notes.append(Field(name=name, spans=spans, raw=raw, value=value, expected=expected, **more))

    def amend(self, **changes: Any) -> None:
        """Tell more of the last field that was noted."""
        if self.notes:
            self.notes[-1] = msgspec.structs.replace(self.notes[-1], **changes)

    def note_bits(self, name: str, byte: int, skip: int, count: int, value: object, **more: Any) -> None:
        """Tell of `count` bits of a byte, behind the first `skip` of those that it has in the frame."""
        if self.placed is None:
            return
        begin, size = self.placed(byte)
        raw = self.data[byte] >> size - skip - count & (1 << count) - 1
        self.notes.append(Field(name=name, spans=((begin + skip, count),), raw=raw, value=value, **more))
