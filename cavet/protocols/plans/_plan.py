"""What a frame of the user's own is: its fields, its size, its delimiters."""

from __future__ import annotations

import functools
from collections.abc import Mapping
from typing import Any, Literal

import msgspec

from cavet.protocols.checks import Crc, sum8, xor8
from cavet.wording import listed

Order = Literal["big", "little"]
Values = Mapping[str, Any]
"""The values of a frame's fields, by their names."""
KINDS = ("uint", "int", "float", "bytes", "text")
CHECKS = ("sum8", "xor", "crc")
MAX_FRAME_BYTES = 0x11000
"""The longest frame that is written or read: more than 64 KiB of payload."""


class Check(msgspec.Struct, frozen=True):
    """What a field checks: all bytes of the frame's fields before it."""

    kind: str
    crc: Crc | None = None

    def of(self, data: bytes) -> int:
        """Give the check over `data`."""
        if self.crc is not None:
            return self.crc.of(data)
        return sum8(data) if self.kind == "sum8" else xor8(data)


class Choice(msgspec.Struct, frozen=True):
    """When a field is there: when an earlier one, the tag, has one of these values."""

    tag: str
    values: tuple[Any, ...]

    def __str__(self) -> str:
        return f"{self.tag} is {listed(self.values)}"

    def holds(self, known: Values) -> bool:
        """Whether it does, by the values of the tags that are there."""
        return known.get(self.tag) in self.values

    def excludes(self, other: Choice | None) -> bool:
        """Whether the two never hold together, by what they say themselves."""
        return other is not None and self.tag == other.tag and not set(self.values) & set(other.values)


class FieldPlan(msgspec.Struct, frozen=True, kw_only=True):
    """One field. `bits` is `None` where its length is told by another field, or is what is left.

    The value of a number is the number on the wire × `scale` + `offset`, or the word that `values` has for it.
    """

    name: str
    kind: str = "uint"
    bits: int | None = None
    at: tuple[int, int] | None = None
    """Byte, and the lowest bit in it."""
    const: int | bytes | str | None = None
    values: Mapping[str, int] = {}
    scale: float = 1
    offset: float = 0
    unit: str = ""
    low: float | None = None
    high: float | None = None
    count: int | None = None
    length_of: tuple[str, ...] = ()
    count_of: str = ""
    check: Check | None = None
    byte_order: Order = "big"
    choice: Choice | None = None

    @property
    def is_number(self) -> bool:
        """Whether its value is a number."""
        return self.kind in ("uint", "int", "float")

    @property
    def is_whole(self) -> bool:
        """Whether it is a whole number on the wire."""
        return self.kind in ("uint", "int")

    @property
    def is_scaled(self) -> bool:
        """Whether its value is another number than the one on the wire."""
        return self.scale != 1 or self.offset != 0

    @property
    def fills_itself(self) -> bool:
        """Whether nobody needs to give it: it is constant, or follows from the others."""
        return self.const is not None or self.check is not None or self.tells

    @property
    def tells(self) -> bool:
        """Whether it tells the length or the count of others."""
        return bool(self.length_of or self.count_of)

    @property
    def wire_limits(self) -> tuple[float, float]:
        """The least and the greatest number on the wire."""
        if self.kind == "float" or self.bits is None:
            return (0, float("inf")) if self.kind == "uint" else (-float("inf"), float("inf"))
        if self.kind == "int":
            return -(1 << self.bits - 1), (1 << self.bits - 1) - 1
        return 0, (1 << self.bits) - 1


class Escape(msgspec.Struct, frozen=True):
    """How delimiters inside a frame are hidden: as `byte`, and themselves XORed with `xor`."""

    byte: int
    xor: int


class FramePlan(msgspec.Struct, frozen=True, kw_only=True, dict=True):
    """A frame: how its fields lie, and how it is found on a stream."""

    name: str
    fields: tuple[FieldPlan, ...]
    size: int | None = None
    bit_order: Literal["msb", "lsb"] = "msb"
    start: bytes = b""
    end: bytes = b""
    escape: Escape | None = None
    text: str | None = None

    def field(self, name: str) -> FieldPlan:
        """The field of a name."""
        return next(field for field in self.fields if field.name == name)

    def has(self, name: str) -> bool:
        """Whether there is a field of a name."""
        return any(field.name == name for field in self.fields)

    def teller(self, name: str) -> FieldPlan | None:
        """The field that tells the length or the count of another one."""
        return next((field for field in self.fields if name in (*field.length_of, field.count_of)), None)

    @functools.cached_property
    def tags(self) -> frozenset[str]:
        """The fields whose values decide which others are there."""
        return frozenset(field.choice.tag for field in self.fields if field.choice is not None)

    def repeats(self, field: FieldPlan) -> bool:
        """Whether a field is a list of items."""
        return field.count is not None or any(other.count_of == field.name for other in self.fields)
