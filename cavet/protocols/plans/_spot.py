"""A field in its place: which bytes, and which bits of the number that these are together."""

from __future__ import annotations

import struct

import msgspec

from cavet.protocols._frame import Span
from cavet.protocols._message import FieldError
from cavet.protocols.plans._plan import FieldPlan, Order
from cavet.protocols.plans._values import Raw

_FLOATS = {16: ">e", 32: ">f", 64: ">d"}


class Spot(msgspec.Struct, frozen=True):
    """A field's place in a run of bytes; for bytes and text, only where and how many."""

    field: FieldPlan
    first: int
    size: int
    order: Order = "big"
    shift: int = 0
    mask: int = 0

    def get(self, data: bytes, base: int) -> Raw:
        """Read what stands there, in the run that begins at `base`."""
        first = base + self.first
        if not self.mask:
            return data[first : first + self.size]
        number = int.from_bytes(data[first : first + self.size], self.order) >> self.shift & self.mask
        return number if self.field.kind == "uint" else self._signed(number)

    def _signed(self, number: int) -> float:
        bits = self.mask.bit_length()
        if self.field.kind == "float":
            value: float = struct.unpack(_FLOATS[bits], number.to_bytes(bits // 8, "big"))[0]
            return value
        return number - (1 << bits) if number >> bits - 1 else number

    def put(self, raw: Raw, data: bytearray, base: int) -> None:
        """Lay it down; the bits beside it stay."""
        first = base + self.first
        if isinstance(raw, bytes):
            data[first : first + self.size] = raw
            return
        there = int.from_bytes(data[first : first + self.size], self.order)
        there = there & ~(self.mask << self.shift) | self._bits(raw) << self.shift
        data[first : first + self.size] = there.to_bytes(self.size, self.order)

    def _bits(self, number: float) -> int:
        if self.field.kind != "float":
            return int(number) & self.mask
        bits = self.mask.bit_length()
        try:
            return int.from_bytes(struct.pack(_FLOATS[bits], number), "big")
        except OverflowError as error:
            raise FieldError(self.field.name, found=number, expected=f"a number that {bits} bits hold") from error

    def bits(self) -> list[int]:
        """Its bits, the highest first, counted from the top bit of the run's first byte."""
        if not self.mask:
            return list(range(8 * self.first, 8 * (self.first + self.size)))
        places = []
        for bit in reversed(range(self.shift, self.shift + self.mask.bit_length())):
            byte = bit // 8 if self.order == "little" else self.size - 1 - bit // 8
            places.append(8 * (self.first + byte) + 7 - bit % 8)
        return places


def spans_of(bits: list[int]) -> tuple[Span, ...]:
    """Bits as runs of them."""
    runs: list[list[int]] = []
    for bit in bits:
        if runs and bit == runs[-1][0] + runs[-1][1]:
            runs[-1][1] += 1
        else:
            runs.append([bit, 1])
    return tuple((first, count) for first, count in runs)


def placed_spot(field: FieldPlan, item: int = 0) -> Spot:
    """A field that says where it is: at a byte, or at a bit in one. `item` counts where there are several."""
    assert field.at is not None and field.bits is not None
    byte, low = field.at
    if field.bits % 8 == 0 and not low:
        return whole_spot(field, byte + item * field.bits // 8)
    low += item * field.bits
    return Spot(field, byte + low // 8, 1, "big", low % 8, (1 << field.bits) - 1)


def whole_spot(field: FieldPlan, first: int) -> Spot:
    """A field of whole bytes."""
    assert field.bits is not None
    mask = (1 << field.bits) - 1 if field.is_number else 0
    return Spot(field, first, field.bits // 8, field.byte_order, 0, mask)


def next_spot(field: FieldPlan, place: int, bit_order: str) -> Spot:
    """A field that begins `place` bits behind the beginning of its run.

    Whole bytes on a byte's boundary follow the field's order of bytes; all others the frame's order of bits.
    """
    assert field.bits is not None
    if place % 8 == 0 and field.bits % 8 == 0:
        return whole_spot(field, place // 8)
    first = place // 8
    size = (place + field.bits + 7) // 8 - first
    mask = (1 << field.bits) - 1
    if bit_order == "lsb":
        return Spot(field, first, size, "little", place % 8, mask)
    return Spot(field, first, size, "big", 8 * size - place % 8 - field.bits, mask)
