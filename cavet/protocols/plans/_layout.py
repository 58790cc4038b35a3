"""Where the fields of a frame lie, reckoned once: packing and unpacking follow from it."""

from __future__ import annotations

import functools
from collections.abc import Container, Iterator, Sequence
from typing import Any

import msgspec

from cavet.protocols._message import FieldError
from cavet.protocols._reader import ShortError
from cavet.protocols.plans._plan import MAX_FRAME_BYTES, Choice, FieldPlan, FramePlan, Values
from cavet.protocols.plans._spot import Spot, next_spot, placed_spot, whole_spot
from cavet.protocols.plans._values import Raw, fields_there, from_wire, show_wire, tags_of, to_wire, value_problem


class Run(msgspec.Struct, frozen=True):
    """Fields of fixed size that follow one another; `size` in bytes."""

    spots: tuple[Spot, ...]
    size: int
    choice: Choice | None = None


class Loose(msgspec.Struct, frozen=True):
    """A field whose length is told by another one, or is what is left. `item` is the size of what it is a list of.

    `beside` holds the fields of fixed size that are in the length told, too, with their bits.
    """

    field: FieldPlan
    teller: FieldPlan | None
    item: int = 1
    beside: tuple[tuple[FieldPlan, int], ...] = ()

    @property
    def choice(self) -> Choice | None:
        return self.field.choice

    def length(self, known: Values) -> int:
        """Its length in bytes, by what its teller says."""
        if self.teller is None:
            return 0
        told: int = known[self.teller.name]
        if self.teller.count_of:
            return told * self.item
        return max(0, told - self.extra(known))

    def extra(self, known: Values) -> int:
        """How many of the bytes told are those of other fields."""
        return sum(bits for field, bits in self.beside if _is_there(field, known)) // 8

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
        self.least = max(sum(step.size for step in self._runs() if step.choice is None), plan.size or 0)
        """The size of a frame whose loose fields are empty, without those that a tag decides on."""
        steady = all(isinstance(step, Run) and step.choice is None for step in self.steps)
        self.is_fixed = plan.size is not None or steady
        self.takes_rest = not self.is_fixed and any(isinstance(step, Loose) and not step.teller for step in self.steps)
        """Whether a field takes what is left, so that only a delimiter ends the frame."""
        front = self.steps[0].spots if self.steps and isinstance(self.steps[0], Run) else ()
        self._front = tuple((spot, wire_constant(spot.field)) for spot in front if spot.field.const is not None)
        """The constants that stand before any loose field, with what must be there."""
        self._repeated = {field.name for field in plan.fields if plan.repeats(field)}
        self._names = {field.name for field in plan.fields}
        self.free = self._free_bits() if steady else b""
        """A 1 for each bit that no field has, where all fields have their fixed places."""
        self._tellers = {field.name: self._told_of(field) for field in plan.fields if field.tells}
        """What a length or a count is about: its fields with their bits or items, `None` where these differ."""

    @functools.cached_property
    def longest(self) -> int:
        """The longest that a frame can be."""
        total = self.least
        for step in () if self.is_fixed else self.steps:
            if isinstance(step, Run):
                total += step.size if step.choice is not None else 0
                continue
            most = step.teller.wire_limits[1] if step.teller is not None else MAX_FRAME_BYTES
            told = from_wire(step.teller, int(most)) if step.teller is not None else most
            total += int(min(told, MAX_FRAME_BYTES)) * step.item
        return min(total, MAX_FRAME_BYTES)

    @property
    def most_fixed(self) -> int:
        """The most bytes that fields of fixed size take together, whatever the value of one of the tags."""
        always = sum(run.size for run in self._runs() if run.choice is None)
        cases = {
            (run.choice.tag, value) for run in self._runs() if run.choice is not None for value in run.choice.values
        }
        return always + max((self._sometimes(tag, value) for tag, value in cases), default=0)

    def _sometimes(self, tag: str, value: Any) -> int:
        return sum(run.size for run in self._runs() if run.choice is not None and run.choice.holds({tag: value}))

    def _runs(self) -> Iterator[Run]:
        return (step for step in self.steps if isinstance(step, Run))

    def _told_of(self, teller: FieldPlan) -> tuple[tuple[FieldPlan, int | None], ...]:
        fields = [self.plan.field(name) for name in (*teller.length_of, teller.count_of) if name]
        if teller.count_of:
            return tuple((field, None if is_loose(self.plan, field) else field.count or 1) for field in fields)
        return tuple((field, _fixed_bits(self.plan, field)) for field in fields)

    def told(self, name: str, there: Container[str]) -> int | None:
        """What a length or a count must be, where the fields that it is about and that are there have a fixed size."""
        total = 0
        for field, size in self._tellers[name]:
            if field.name not in there:
                continue
            if size is None:
                return None
            total += size
        return total if self.plan.field(name).count_of else total // 8

    def _free_bits(self) -> bytes:
        free = bytearray(b"\xff" * self.least)
        for bit in (bit for run in self._runs() for spot in run.spots for bit in spot.bits()):
            free[bit // 8] &= ~(0x80 >> bit % 8)
        return bytes(free) if any(free) else b""

    # packing

    def pack(self, values: Values) -> bytes:
        """Lay a frame's values down. Raises `FieldError` for one that can't be."""
        here = fields_there(self.plan, tags_of(self.plan, values))
        loose = [step for step in self.steps if isinstance(step, Loose) and step.field.name in here]
        packed = {step.field.name: _packed(step, values[step.field.name]) for step in loose}
        data = bytearray()
        checks: list[tuple[Spot, int]] = []
        for step in self.steps:
            first = step.field if isinstance(step, Loose) else step.spots[0].field
            if first.name not in here:
                continue
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
                raw = self._raw(spot.field, values, packed, here, seen.get(name, 0))
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

    def _raw(self, field: FieldPlan, values: Values, packed: dict[str, bytes], here: set[str], item: int) -> Raw:
        given = values.get(field.name)
        if given is not None:
            return to_wire(field, given[item] if field.name in self._repeated else given)
        if field.const is not None:
            return wire_constant(field)
        told = 0
        unit = 1 if field.count_of else 8
        for of, size in self._tellers[field.name]:
            if of.name in here:
                told += size if size is not None else unit * len((values if field.count_of else packed)[of.name])
        return to_wire(field, told // unit)

    # unpacking

    def length(self, data: bytes, at: int) -> int | None:
        """How long the frame that begins at `at` is, as its own fields tell; `None` while that can't be seen yet."""
        if self.is_fixed:
            return self.least
        base = at
        known: dict[str, Any] = {}
        for step in self.steps:
            if step.choice is not None and not step.choice.holds(known):
                continue
            if isinstance(step, Loose):
                base += step.length(known)
                continue
            if base + step.size > len(data):
                return None
            known |= self._learned(step, data, base)
            base += step.size
        return base - at

    def _learned(self, run: Run, data: bytes, base: int) -> dict[str, Any]:
        """The lengths and counts that stand in a run, never less than none, and the tags."""
        known: dict[str, Any] = {}
        for spot in run.spots:
            field = spot.field
            if field.tells or field.name in self.plan.tags:
                value = from_wire(field, spot.get(data, base))
                known[field.name] = max(0, int(value)) if field.tells else value
        return known

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
        known: dict[str, Any] = {}
        size = len(body) if self.plan.size is None else min(len(body), self.plan.size)
        for number, step in enumerate(self.steps):
            if step.choice is not None and not step.choice.holds(known):
                continue
            if isinstance(step, Loose):
                later = [each for each in self.steps[number + 1 :] if each.choice is None or each.choice.holds(known)]
                taken = _loose_size(step, known, size - base, later, problems)
                yield from ((spot, base) for spot in step.spots(taken))
                base += taken
                continue
            if base + step.size > size:
                missing = next(spot for spot in step.spots if base + spot.first + spot.size > size)
                raise ShortError(missing.field.name)
            known |= self._learned(step, body, base)
            yield from ((spot, base) for spot in step.spots)
            base += step.size
        if base < len(body) and self.plan.size is None:
            problems.append(f"found {len(body) - base} bytes behind the last field, expected none")

    def unpack(self, body: bytes) -> tuple[dict[str, Any], list[str]]:
        """Take a frame's body apart; tell what is wrong with it. Raises `ShortError` where it ends too early."""
        fields: dict[str, Any] = {}
        problems: list[str] = []
        for spot, base in self.places(body, problems):
            field, raw = spot.field, spot.get(body, base)
            if field.name in self._repeated:
                fields[field.name] = (*fields.get(field.name, ()), from_wire(field, raw))
            else:
                fields[field.name] = from_wire(field, raw)
            if problem := field_problem(field, raw, body, base + spot.first):
                problems.append(problem)
        here = fields_there(self.plan, fields) if self.plan.tags else self._names
        for name in self._repeated:
            if name in here:
                fields.setdefault(name, ())
        for name in self._tellers:
            size = self.told(name, here)
            if name in here and size is not None and fields[name] != size:
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
        return "" if field.tells else value_problem(field, raw)
    return (
        "" if raw == expected else f"{field.name}: found {show_wire(field, raw)}, expected {show_wire(field, expected)}"
    )


def wire_constant(field: FieldPlan) -> Raw:
    """What a constant field must hold, as on the wire."""
    const = field.const
    assert const is not None
    return const if isinstance(const, int | bytes) else to_wire(field, const)


def _loose_size(step: Loose, known: Values, left: int, later: Sequence[Run | Loose], problems: list[str]) -> int:
    """How many of the bytes that are left a loose field has, with these steps behind it."""
    there = left - sum(other.size for other in later if isinstance(other, Run))
    if there < 0:
        raise ShortError(step.field.name)
    if step.teller is None:
        return there
    claimed = step.length(known)
    is_last = not any(isinstance(other, Loose) for other in later)
    if claimed == there or (not is_last and claimed < there):
        return claimed
    found = there // step.item if step.teller.count_of else there + step.extra(known)
    problems.append(f"{step.teller.name}: found {known[step.teller.name]}, expected {found} as what is there")
    return there


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
        if spots and spots[-1].field.choice != field.choice:
            yield _run(spots)
            spots, place = [], 0
        if field.at is not None:
            spots += [placed_spot(field, item) for item in range(field.count or 1)]
        elif is_loose(plan, field):
            if spots:
                yield _run(spots)
            spots, place = [], 0
            teller = plan.teller(field.name)
            others = [plan.field(name) for name in teller.length_of if name != field.name] if teller else ()
            beside = [(other, size) for other in others if (size := _fixed_bits(plan, other)) is not None]
            yield Loose(field, teller, (field.bits or 8) // 8, tuple(beside))
        else:
            assert field.bits is not None
            for _ in range(field.count or 1):
                spots.append(next_spot(field, place, plan.bit_order))
                place += field.bits
    if spots:
        yield _run(spots)


def _run(spots: list[Spot]) -> Run:
    return Run(tuple(spots), max(spot.first + spot.size for spot in spots), spots[0].field.choice)


def _is_there(field: FieldPlan, known: Values) -> bool:
    return field.choice is None or field.choice.holds(known)


def _fixed_bits(plan: FramePlan, field: FieldPlan) -> int | None:
    """The bits of a field of fixed size; `None` for others."""
    return None if is_loose(plan, field) or field.bits is None else field.bits * (field.count or 1)


def is_loose(plan: FramePlan, field: FieldPlan) -> bool:
    """Whether the length of a field differs from frame to frame."""
    teller = plan.teller(field.name)
    return field.bits is None or (teller is not None and bool(teller.count_of) and field.count is None)
