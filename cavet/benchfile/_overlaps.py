"""Points that lie over each other in a map: what one of them is set to would change the other."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from cavet.benchfile._check import Checker
from cavet.hosts import DevicePoint, FieldPoint, Point, RegisterPoint

Bits = tuple[tuple[object, ...], range]
"""A place, and the bits of it that a point takes there."""
Taken = tuple[range, int, Point]
"""Bits of one place, and the point that takes them, with its number in the file."""


def check_overlaps(checker: Checker, points: Iterable[Point]) -> None:
    """Points lie beside each other, or at one place: an input may read a part of what an output sets, and two outputs
    may be names for the same thing; but none may set a part of another."""
    taken: dict[tuple[object, ...], list[Taken]] = {}
    for number, point in enumerate(points):
        found = _bits_of(point)
        if found is not None:
            taken.setdefault(found[0], []).append((found[1], number, point))
    first_other: dict[int, Taken] = {}
    for each in taken.values():
        for later, earlier in _clashes(each):
            known = first_other.get(later[1], earlier)
            first_other[later[1]] = min(known, earlier, key=lambda found: found[1])
    by_number = {number: point for each in taken.values() for _, number, point in each}
    for number in sorted(first_other):
        point, other = by_number[number], first_other[number][2]
        path = ("points", point.name, _key_of(point))
        checker.wrong(path, found=point.where, expected=f"a place of its own: {other.name} lies at {other.where}")


def _clashes(taken: list[Taken]) -> Iterator[tuple[Taken, Taken]]:
    """Those of one map that clash, the later one of the file first; only neighbours are compared."""
    reaching: list[Taken] = []
    for found in sorted(taken, key=lambda found: (found[0].start, found[1])):
        reaching = [other for other in reaching if other[0].stop > found[0].start]
        for other in reaching:
            if _clash(found[2], found[0], other[2], other[0]):
                yield (found, other) if found[1] > other[1] else (other, found)
        reaching.append(found)


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
