"""Where the fields of a frame lie, reckoned once: packing and unpacking follow from it."""

from __future__ import annotations

import functools
from collections.abc import Iterator
from typing import Any

import msgspec

from cavet.protocols._message import FieldError
from cavet.protocols.plans._plan import MAX_FRAME_BYTES, FieldPlan, FramePlan, Values
from cavet.protocols.plans._spot import Spot, next_spot, placed_spot, whole_spot
from cavet.protocols.plans._values import Raw, from_wire, show_wire, to_wire, value_problem


class ShortError(Exception):
    """The bytes end before this field."""

    def __init__(self, name: str) -> None:
        self.name = name
        super().__init__(name)


class Run(msgspec.Struct, frozen=True):
    """Fields of fixed size that follow one another; `size` in bytes."""

    spots: tuple[Spot, ...]
    size: int


class Loose(msgspec.Struct, frozen=True):
    """A field whose length is told by another one, or is what is left. `item` is the size of what it is a list of."""

    field: FieldPlan
    teller: FieldPlan | None
    item: int = 1

    def length(self, told: int) -> int:
        """Its length in bytes, when its teller says `told`."""
        return told * self.item if self.teller is not None and self.teller.count_of else told

    def spots(self, size: int) -> tuple[Spot, ...]:
        """Its places where it has `size` bytes."""
        if not self.field.is_number:
            return (Spot(self.field, 0, size),)
        return tuple(whole_spot(self.field, at) for at in range(0, size - self.item + 1, self.item))


class Layout:
    """A frame's fields in their places. Lengths are in bytes, without delimiters and escapes."""

    def __init__(self, plan: FramePlan) -> None:
        self.plan = plan
        self.steps: tuple[Run | Loose, ...] = tuple(_steps(plan))
        self.least = max(sum(step.size for step in self.steps if isinstance(step, Run)), plan.size or 0)
        """The size of a frame whose loose fields are empty."""
        self.is_fixed = plan.size is not None or all(isinstance(step, Run) for step in self.steps)
        self.takes_rest = not self.is_fixed and any(isinstance(step, Loose) and not step.teller for step in self.steps)
        """Whether a field takes what is left, so that only a delimiter ends the frame."""
        front = self.steps[0].spots if self.steps and isinstance(self.steps[0], Run) else ()
        self._front = tuple((spot, wire_constant(spot.field)) for spot in front if spot.field.const is not None)
        """The constants that stand before any loose field, with what must be there."""
        self._repeated = {field.name for field in plan.fields if plan.repeats(field)}
        self.free = self._free_bits()
        """A 1 for each bit that no field has, where all fields have their fixed places."""
        self.told_fixed = {
            field.name: self._fixed_size(field) for field in plan.fields if field.length_of or field.count_of
        }

    @functools.cached_property
    def longest(self) -> int:
        """The longest that a frame can be."""
        total = self.least
        for step in () if self.is_fixed else self.steps:
            if isinstance(step, Loose):
                most = step.teller.wire_limits[1] if step.teller is not None else MAX_FRAME_BYTES
                told = from_wire(step.teller, int(most)) if step.teller is not None else most
                total += step.length(int(min(told, MAX_FRAME_BYTES)))
        return min(total, MAX_FRAME_BYTES)

    def _fixed_size(self, field: FieldPlan) -> int | None:
        """What a length or a count of a field of fixed size must be; `None` for others."""
        of = self.plan.field(field.length_of or field.count_of)
        if is_loose(self.plan, of) or of.bits is None:
            return None
        return (of.count or 1) if field.count_of else of.bits * (of.count or 1) // 8

    def _free_bits(self) -> bytes:
        """A 1 for each bit that no field has, where all fields have their fixed places."""
        if not self.is_fixed or not all(isinstance(step, Run) for step in self.steps):
            return b""
        free = bytearray(b"\xff" * self.least)
        for step in self.steps:
            for bit in (bit for spot in step.spots for bit in spot.bits()) if isinstance(step, Run) else ():
                free[bit // 8] &= ~(0x80 >> bit % 8)
        return bytes(free) if any(free) else b""

    # packing

    def pack(self, values: Values) -> bytes:
        """Lay a frame's values down. Raises `FieldError` for one that can't be."""
        loose = {step.field.name: step for step in self.steps if isinstance(step, Loose)}
        packed = {name: _packed(step, values[name]) for name, step in loose.items()}
        data = bytearray()
        checks: list[tuple[Spot, int]] = []
        for step in self.steps:
            if isinstance(step, Loose):
                data += packed[step.field.name]
                continue
            base = len(data)
            data += bytes(step.size)
            seen: dict[str, int] = {}
            for spot in step.spots:
                name = spot.field.name
                if spot.field.check is not None and values.get(name) is None:
                    checks.append((spot, base))
                    continue
                raw = self._raw(spot.field, values, packed, seen.get(name, 0))
                seen[name] = seen.get(name, 0) + 1
                spot.put(raw, data, base)
        if self.plan.size is not None:
            if len(data) > self.plan.size:
                raise FieldError(self.plan.name, found=f"{len(data)} bytes", expected=f"{self.plan.size} bytes")
            data += bytes(self.plan.size - len(data))
        if len(data) > MAX_FRAME_BYTES:
            raise FieldError(self.plan.name, found=f"{len(data)} bytes", expected=f"at most {MAX_FRAME_BYTES} bytes")
        for spot, base in checks:
            assert spot.field.check is not None
            spot.put(spot.field.check.of(bytes(data[: base + spot.first])), data, base)
        return bytes(data)

    def _raw(self, field: FieldPlan, values: Values, packed: dict[str, bytes], item: int) -> Raw:
        given = values.get(field.name)
        if given is not None:
            return to_wire(field, given[item] if field.name in self._repeated else given)
        if field.const is not None:
            return wire_constant(field)
        told = field.length_of or field.count_of
        fixed = self.told_fixed[field.name]
        if fixed is not None:
            return to_wire(field, fixed)
        return to_wire(field, len(values[told]) if field.count_of else len(packed[told]))

    # unpacking

    def length(self, data: bytes, at: int) -> int | None:
        """How long the frame that begins at `at` is, as its own fields tell; `None` while that can't be seen yet."""
        if self.is_fixed:
            return self.least
        base = at
        told: dict[str, int] = {}
        for step in self.steps:
            if isinstance(step, Loose):
                base += step.length(told[step.teller.name]) if step.teller is not None else 0
                continue
            if base + step.size > len(data):
                return None
            told |= _told(step, data, base)
            base += step.size
        return base - at

    def fits(self, data: bytes, at: int) -> bool | None:
        """Whether the constants at the front are those of a frame at `at`; `None` while some have not come."""
        for spot, expected in self._front:
            if at + spot.first + spot.size > len(data):
                return None
            if spot.get(data, at) != expected:
                return False
        return True

    def places(self, body: bytes, problems: list[str]) -> Iterator[tuple[Spot, int]]:
        """Go through the fields with their places in this body: the spot, and where its run begins.

        Where a length told is not what is there, what is there counts. Raises `ShortError`.
        """
        base = 0
        told: dict[str, int] = {}
        size = len(body) if self.plan.size is None else min(len(body), self.plan.size)
        for number, step in enumerate(self.steps):
            if isinstance(step, Loose):
                behind = sum(later.size for later in self.steps[number + 1 :] if isinstance(later, Run))
                taken = self._loose_size(step, told, size - base - behind, problems)
                yield from ((spot, base) for spot in step.spots(taken))
                base += taken
                continue
            if base + step.size > size:
                missing = next(spot for spot in step.spots if base + spot.first + spot.size > size)
                raise ShortError(missing.field.name)
            told |= _told(step, body, base)
            yield from ((spot, base) for spot in step.spots)
            base += step.size
        if base < len(body) and self.plan.size is None:
            problems.append(f"found {len(body) - base} bytes behind the last field, expected none")

    def _loose_size(self, step: Loose, told: dict[str, int], there: int, problems: list[str]) -> int:
        if there < 0:
            raise ShortError(step.field.name)
        if step.teller is None:
            return there
        claimed = step.length(told[step.teller.name])
        is_last = [other for other in self.steps if isinstance(other, Loose)][-1] is step
        if claimed == there or (not is_last and claimed < there):
            return claimed
        unit = step.item if step.teller.count_of else 1
        found = there // unit
        problems.append(f"{step.teller.name}: found {told[step.teller.name]}, expected {found} as what is there")
        return there

    def unpack(self, body: bytes) -> tuple[dict[str, Any], list[str]]:
        """Take a frame's body apart; tell what is wrong with it. Raises `ShortError` where it ends too early."""
        fields: dict[str, Any] = dict.fromkeys(self._repeated, ())
        problems: list[str] = []
        for spot, base in self.places(body, problems):
            field, raw = spot.field, spot.get(body, base)
            if field.name in self._repeated:
                fields[field.name] = (*fields[field.name], from_wire(field, raw))
            else:
                fields[field.name] = from_wire(field, raw)
            if problem := field_problem(field, raw, body, base + spot.first):
                problems.append(problem)
        for name, size in self.told_fixed.items():
            if size is not None and fields[name] != size:
                problems.append(f"{name}: found {fields[name]}, expected {size} as what is there")
        for place, free in enumerate(self.free):
            if body[place] & free:
                problems.append(f"bits without a field: found 0x{body[place] & free:02X} in byte {place}, expected 0")
        return fields, problems


def field_problem(field: FieldPlan, raw: Raw, body: bytes, first: int) -> str:
    """What is wrong with a field that stands at `first`; "" where nothing is."""
    expected: Raw
    if field.check is not None:
        expected = field.check.of(body[:first])
    elif field.const is not None:
        expected = wire_constant(field)
    else:
        return "" if field.length_of or field.count_of else value_problem(field, raw)
    return (
        "" if raw == expected else f"{field.name}: found {show_wire(field, raw)}, expected {show_wire(field, expected)}"
    )


def wire_constant(field: FieldPlan) -> Raw:
    """What a constant field must hold, as on the wire."""
    const = field.const
    assert const is not None
    return const if isinstance(const, int | bytes) else to_wire(field, const)


def _told(run: Run, data: bytes, base: int) -> dict[str, int]:
    """The lengths and counts that stand in a run, never less than none."""
    return {
        spot.field.name: max(0, int(from_wire(spot.field, spot.get(data, base))))
        for spot in run.spots
        if spot.field.length_of or spot.field.count_of
    }


def _packed(step: Loose, value: Any) -> bytes:
    """The bytes of a loose field: itself, or its items."""
    if not step.field.is_number:
        raw = to_wire(step.field, value)
        assert isinstance(raw, bytes)
        return raw
    data = bytearray(step.item * len(value))
    for spot, item in zip(step.spots(len(data)), value, strict=True):
        spot.put(to_wire(step.field, item), data, 0)
    return bytes(data)


def _steps(plan: FramePlan) -> Iterator[Run | Loose]:
    """Cut the fields into runs of fixed size and loose ones between them."""
    spots: list[Spot] = []
    place = 0  # in bits, within the run
    for field in plan.fields:
        if field.at is not None:
            spots += [placed_spot(field, item) for item in range(field.count or 1)]
        elif is_loose(plan, field):
            if spots:
                yield Run(tuple(spots), _extent(spots))
            spots, place = [], 0
            yield Loose(field, plan.teller(field.name), (field.bits or 8) // 8)
        else:
            assert field.bits is not None
            for _ in range(field.count or 1):
                spots.append(next_spot(field, place, plan.bit_order))
                place += field.bits
    if spots:
        yield Run(tuple(spots), _extent(spots))


def is_loose(plan: FramePlan, field: FieldPlan) -> bool:
    """Whether the length of a field differs from frame to frame."""
    teller = plan.teller(field.name)
    return field.bits is None or (teller is not None and bool(teller.count_of) and field.count is None)


def _extent(spots: list[Spot]) -> int:
    return max(spot.first + spot.size for spot in spots)
