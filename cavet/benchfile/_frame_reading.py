"""From the tables of a plan file to frames: every mistake is found here, before anything runs."""

from __future__ import annotations

from cavet.benchfile import _schema_plan as schema
from cavet.benchfile._check import Checker, shown
from cavet.benchfile._field_reading import FieldReader
from cavet.benchfile._places import Path
from cavet.protocols import FieldError
from cavet.protocols.plans import PLACE, Choice, Escape, FieldPlan, FramePlan, Layout, Run, is_loose
from cavet.wording import from_to, listed, nearest


class FrameReader:
    """Reads one frame; what is wrong stands in the checker's errors."""

    def __init__(self, checker: Checker, name: str, table: schema.FrameTable) -> None:
        self._checker = checker
        self._name = name
        self._path: Path = ("frames", name)
        self._table = table
        self._is_text = table.text is not None

    def read(self) -> FramePlan | None:
        """Read it; `None` where something is wrong."""
        before = len(self._checker.errors)
        reader = FieldReader(self._checker, self._path, self._table)
        fields = [field for place, raw in enumerate(self._table.fields) if (field := reader.read(place, raw))]
        escape = self._escape()
        if len(self._checker.errors) > before:
            return None
        plan = FramePlan(
            name=self._name, fields=tuple(fields), size=self._table.size, bit_order=self._table.bit_order,
            start=self._table.start, end=self._table.end, escape=escape, text=self._table.text,
        )  # fmt: skip
        self._check_names(plan)
        if len(self._checker.errors) == before:
            self._check_tags(plan)
        if len(self._checker.errors) == before:
            self._check_text(plan) if self._is_text else self._check_places(plan)
        if len(self._checker.errors) == before:
            self._check_constants(plan)
        return plan if len(self._checker.errors) == before else None

    def _wrong(self, plan_field: str, key: str, found: object, expected: str, near: str | None = None) -> None:
        place = next(
            place
            for place, raw in enumerate(self._table.fields)
            if isinstance(raw, dict) and raw.get("name") == plan_field
        )
        path: Path = (*self._path, "fields", place, *((key,) if key else ()))
        self._checker.wrong(path, found=found, expected=expected, nearest=near)

    def _frame_wrong(self, key: str, found: object, expected: str, near: str | None = None) -> None:
        self._checker.wrong((*self._path, key), found=found, expected=expected, nearest=near)

    def _escape(self) -> Escape | None:
        raw = self._table.escape
        if raw is None:
            return None
        table = self._checker.read(raw, schema.EscapeTable, (*self._path, "escape"))
        if self._is_text:
            self._frame_wrong("escape", "an escape", "none in a frame of text")
        elif not self._table.start and not self._table.end:
            self._frame_wrong("escape", "an escape", "a `start` or an `end` that it hides")
        return Escape(table.byte, table.xor) if table else None

    # the frame as a whole

    def _check_names(self, plan: FramePlan) -> None:
        names = [field.name for field in plan.fields]
        if not names:
            self._frame_wrong("fields", "none", "at least one field")
        seen: set[str] = set()
        for place, name in enumerate(names):
            if name in seen:
                self._checker.wrong((*self._path, "fields", place, "name"), found=name, expected="each name once")
            seen.add(name)
        for place, field in enumerate(plan.fields):
            told = [("length_of", name) for name in field.length_of] + [("count_of", field.count_of)]
            for key, other in told:
                if not other:
                    continue
                if other not in names or other == field.name:
                    known = [name for name in names if name != field.name]
                    self._wrong(field.name, key, other, f"a field: {listed(known)}", nearest(other, known))
                elif names.index(other) < place and is_loose(plan, plan.field(other)):
                    self._wrong(
                        field.name, key, other, "a field behind this one: its length is needed to find this one"
                    )
                elif field.kind != "uint" or field.count is not None:
                    self._wrong(field.name, "type", field.kind, "uint for a length or a count")
                elif key == "count_of" and not plan.field(other).is_number:
                    self._wrong(field.name, key, other, "a number: for bytes and text there is `length_of`")
                elif plan.teller(other) is not field or told.count((key, other)) > 1:
                    self._wrong(field.name, key, other, "one field that tells its length or count, and once")
                elif field.length_of and field.count_of:
                    self._wrong(field.name, key, other, "either `length_of` or `count_of`")
                elif not self._told_in_turn(plan, field, plan.field(other)):
                    self._wrong(field.name, key, other, "one field at a time whose length differs")

    def _told_in_turn(self, plan: FramePlan, teller: FieldPlan, field: FieldPlan) -> bool:
        """Whether no other field whose length differs is ever told together with this one."""
        others = [plan.field(name) for name in teller.length_of if name != field.name and plan.has(name)]
        loose = [other for other in others if is_loose(plan, other)]
        return not is_loose(plan, field) or all(excluded(field, other) for other in loose)

    def _check_tags(self, plan: FramePlan) -> None:
        """Check the fields that decide which others are there."""
        differs = ""
        for field in plan.fields:
            if field.name in plan.tags:
                if not field.is_whole or field.count is not None or is_loose(plan, field):
                    self._wrong(field.name, "type", field.kind, "one whole number, as other fields depend on it")
                elif differs:
                    expected = f"a place before {differs}, whose length differs: other fields depend on this one"
                    self._wrong(field.name, "", "it behind that", expected)
            if is_loose(plan, field):
                differs = differs or field.name
            if field.choice is not None:
                self._check_choice(plan, field, plan.field(field.choice.tag))

    def _check_choice(self, plan: FramePlan, field: FieldPlan, tag: FieldPlan) -> None:
        if field.at is not None:
            self._wrong(field.name, "at", "`at`", "none beside `when`: the fields follow one another")
        low, high = tag.wire_limits
        for value in field.choice.values if field.choice is not None and not tag.values else ():
            if not low * tag.scale + tag.offset <= value <= high * tag.scale + tag.offset:
                self._wrong(field.name, "when", value, f"{from_to(low, high)}: {tag.bits} bits")

    def _check_text(self, plan: FramePlan) -> None:
        known = [field.name for field in plan.fields]
        used = PLACE.findall(plan.text or "")
        for name in used:
            if name not in known:
                self._frame_wrong("text", f"{{{name}}}", f"a field: {listed(known)}", nearest(name, known))
        for field in plan.fields:
            if field.name not in used:
                self._wrong(field.name, "", f"no {{{field.name}}} in `text`", "a place for it there")
            if used.count(field.name) > 1:
                self._frame_wrong("text", f"{{{field.name}}} twice", "each field once")
            for key in ("at", "count", "length_of", "count_of"):
                if getattr(field, key):
                    self._wrong(field.name, key, shown(getattr(field, key)), "no such key in a frame of text")
        if plan.size is not None:
            self._frame_wrong("size", plan.size, "none in a frame of text")

    def _check_places(self, plan: FramePlan) -> None:
        placed = [field.at is not None for field in plan.fields]
        if any(placed) and not all(placed):
            odd = plan.fields[placed.index(False)]
            self._wrong(odd.name, "at", "nothing", "`at` in all fields of a frame, or in none")
            return
        if not any(placed) and not self._check_sequence(plan):
            return
        front = Layout(plan).steps[0]
        taken: dict[int, str] = {}
        for spot in front.spots if isinstance(front, Run) else ():
            bits, name = spot.bits(), spot.field.name
            clash = next((bit for bit in bits if bit in taken), None)
            if clash is not None:
                found = f"bit {7 - clash % 8} of byte {clash // 8}"
                self._wrong(name, "at", found, f"bits of its own: {taken[clash]} has this one")
            elif plan.size is not None and max(bits) >= 8 * plan.size:
                expected = f"bytes 0 to {plan.size - 1}: size is {plan.size}"
                self._wrong(name, "at" if any(placed) else "bits", f"byte {max(bits) // 8}", expected)
            else:
                taken |= dict.fromkeys(bits, name)

    def _check_sequence(self, plan: FramePlan) -> bool:
        """Check fields that follow one another; tell whether they can be laid out."""
        good, place = True, 0
        rest: list[FieldPlan] = []
        choice: Choice | None = None
        for field in plan.fields:
            if field.choice != choice and place % 8:
                expected = "that it begins a byte: what is not always there fills whole ones"
                self._wrong(field.name, "", f"bit {place % 8} of a byte", expected)
                good = False
            choice, place = field.choice, 0 if field.choice != choice else place
            if field.bits is None or is_loose(plan, field):
                if place % 8:
                    self._wrong(field.name, "", f"bit {place % 8} of a byte", "that it begins a byte")
                    good = False
                if field.count is not None:
                    self._wrong(field.name, "count", field.count, "no `count` where the length differs")
                    good = False
                elif field.bits is not None and field.bits % 8:
                    self._wrong(field.name, "bits", field.bits, "whole bytes for items that are counted")
                    good = False
                elif plan.teller(field.name) is None:
                    good &= self._check_rest(plan, field, rest)
                    rest.append(field)
                place = 0
                continue
            if field.check is not None and place % 8:
                self._wrong(field.name, "", f"bit {place % 8} of a byte", "that a check begins a byte")
                good = False
            if field.kind in ("bytes", "text", "float") and place % 8:
                self._wrong(field.name, "", f"bit {place % 8} of a byte", f"that {field.kind} begins a byte")
                good = False
            place += field.bits * (field.count or 1)
        return good

    def _check_rest(self, plan: FramePlan, field: FieldPlan, rest: list[FieldPlan]) -> bool:
        other = next((other for other in rest if not excluded(field, other)), None)
        if other is not None:
            self._wrong(field.name, "", "no length", f"one field without a length: {other.name} is one already")
            return False
        if plan.size is None and not plan.end:
            self._wrong(field.name, "", "no length", "`bytes`, a `length_of` it, or an `end` or `size` of the frame")
            return False
        return True

    def _check_constants(self, plan: FramePlan) -> None:
        if self._is_text:
            return
        for field in plan.fields:
            if field.at is not None and field.check is not None and field.at[1]:
                self._wrong(field.name, "at", f"bit {field.at[1]}", "that a check begins a byte")
        try:
            layout = Layout(plan)
        except FieldError as error:
            self._frame_wrong("fields", error.found, error.expected)
            return
        if plan.size is not None and layout.most_fixed > plan.size:
            self._frame_wrong("size", plan.size, f"{layout.most_fixed} and more")


def excluded(field: FieldPlan, other: FieldPlan) -> bool:
    """Whether two fields are never there together."""
    return field.choice is not None and field.choice.excludes(other.choice)
