"""Points that lie over each other in a map: what one of them is set to would change the other."""

from __future__ import annotations

from collections.abc import Iterable

from cavet.bench._check import Checker
from cavet.hosts import DevicePoint, FieldPoint, Point, RegisterPoint

Bits = tuple[tuple[object, ...], range]
"""A place, and the bits of it that a point takes there."""


def check_overlaps(checker: Checker, points: Iterable[Point]) -> None:
    """Points lie beside each other, or at one place: an input may read a part of what an output sets, and two outputs
    may be names for the same thing; but none may set a part of another."""
    taken: dict[tuple[object, ...], list[tuple[range, Point]]] = {}
    for point in points:
        found = _bits_of(point)
        if found is None:
            continue
        place, bits = found
        for others, other in taken.setdefault(place, []):
            if _clash(point, bits, other, others):
                path = ("points", point.name, _key_of(point))
                expected = f"a place of its own: {other.name} lies at {other.where}"
                checker.wrong(path, found=point.where, expected=expected)
                break
        taken[place].append((bits, point))


def _clash(one: Point, bits: range, other: Point, others: range) -> bool:
    meet = bits.start < others.stop and others.start < bits.stop
    inside = (bits.start <= others.start and others.stop <= bits.stop) or (
        others.start <= bits.start and bits.stop <= others.stop
    )
    both_set = one.kind.is_output and other.kind.is_output
    return meet and bits != others and (both_set or not inside)


def _bits_of(point: Point) -> Bits | None:
    """Where a point is, counted in bits: `None` for one that is at no place of a map."""
    if isinstance(point, RegisterPoint):
        width = 1 if point.is_bit else 16
        first = width * point.address + (point.form.bit if not point.is_bit and point.form.kind == "bit" else 0)
        size = 1 if point.is_bit or point.form.kind == "bit" else 16 * point.size
        return (point.board, point.table), range(first, first + size)
    if isinstance(point, DevicePoint) and (point.register or point.line_name):
        first = point.bit if point.register else point.line
        return (point.board, point.device, point.register), range(first, first + (point.bits if point.register else 1))
    if isinstance(point, FieldPoint) and point.frame:
        bits = range(1 << 16) if point.bit is None else range(point.bit, point.bit + 1)
        return (point.board, point.frame, point.field), bits
    return None


def _key_of(point: Point) -> str:
    return {RegisterPoint: "address", DevicePoint: "register", FieldPoint: "field"}[type(point)]
