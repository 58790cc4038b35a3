"""From the tables of a plan file to frames: every mistake is found here, before anything runs."""

from __future__ import annotations

import re
from typing import Any

from cavet.bench import _schema_plan as schema
from cavet.bench._check import Checker, shown
from cavet.bench._places import Path
from cavet.protocols import FieldError
from cavet.protocols.checks import Crc
from cavet.protocols.plans import PLACE, Check, Choice, Escape, FieldPlan, FramePlan, Layout, Run, is_loose
from cavet.wording import listed, nearest

NAME = re.compile(r"[A-Za-z][A-Za-z0-9_]{0,39}")
KEPT = ("NAME", "PLAN")
"""What a message has beside its fields."""
FLOAT_BITS = (16, 32, 64)
MAX_NUMBER_BITS = 64


class FrameReader:
    """Reads one frame; what is wrong stands in the checker's errors."""

    def __init__(self, checker: Checker, name: str, table: dict[str, Any]) -> None:
        self._checker = checker
        self._name = name
        self._path: Path = ("frames", name)
        self._table = table
        self._is_text = table["text"] is not None

    def read(self) -> FramePlan | None:
        """Read it; `None` where something is wrong."""
        before = len(self._checker.errors)
        fields = [field for place, raw in enumerate(self._table["fields"]) if (field := self._field(place, raw))]
        escape = self._escape()
        if len(self._checker.errors) > before:
            return None
        plan = FramePlan(
            name=self._name, fields=tuple(fields), size=self._table["size"], bit_order=self._table["bit_order"],
            start=self._table["start"], end=self._table["end"], escape=escape, text=self._table["text"],
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
            for place, raw in enumerate(self._table["fields"])
            if isinstance(raw, dict) and raw.get("name") == plan_field
        )
        path: Path = (*self._path, "fields", place, *((key,) if key else ()))
        self._checker.wrong(path, found=found, expected=expected, nearest=near)

    def _frame_wrong(self, key: str, found: object, expected: str, near: str | None = None) -> None:
        self._checker.wrong((*self._path, key), found=found, expected=expected, nearest=near)

    # one field

    def _field(self, place: int, raw: object) -> FieldPlan | None:
        path: Path = (*self._path, "fields", place)
        if isinstance(raw, dict) and isinstance(raw.get("name"), str):
            self._checker.shown_as[path] = raw["name"]
        table = self._checker.table(raw, schema.FIELD, path)
        if table is None:
            return None
        before = len(self._checker.errors)
        name = table["name"]
        if not NAME.fullmatch(name) or name in KEPT:
            self._checker.wrong((*path, "name"), found=name, expected="a name of letters, digits and _")
        bits = self._bits(path, table)
        check = self._check(path, table, bits)
        const = self._const(path, table, bits)
        if table["scale"] == 0:
            self._checker.wrong((*path, "scale"), found=0, expected="another number than 0")
        if None not in (table["min"], table["max"]) and table["min"] > table["max"]:
            self._checker.wrong((*path, "min"), found=table["min"], expected=f"no more than max, {table['max']:g}")
        at = self._at(path, table, bits)
        values = self._values(path, table, bits)
        choice = self._choice(path, place, table["when"])
        if len(self._checker.errors) > before:
            return None
        return FieldPlan(
            name=name, kind=table["type"], bits=bits, at=at, const=const, values=values, scale=table["scale"],
            offset=table["offset"], unit=table["unit"], low=table["min"], high=table["max"], count=table["count"],
            length_of=table["length_of"], count_of=table["count_of"], check=check,
            byte_order=table["byte_order"] or self._table["byte_order"], choice=choice,
        )  # fmt: skip

    def _bits(self, path: Path, table: dict[str, Any]) -> int | None:
        kind, bits = table["type"], table["bits"]
        if table["bytes"] is not None:
            if bits is not None:
                self._checker.wrong((*path, "bytes"), found=table["bytes"], expected="`bits` or `bytes`, not both")
            bits = 8 * table["bytes"]
        if bits is None:
            if kind in ("uint", "int", "float") and not self._is_text:
                self._checker.wrong((*path, "bits"), found="nothing", expected="how many bits it has")
            return None
        if kind == "float" and bits not in FLOAT_BITS:
            self._checker.wrong((*path, "bits"), found=bits, expected=f"{listed(FLOAT_BITS)} for a float")
        elif kind in ("uint", "int") and bits > MAX_NUMBER_BITS:
            self._checker.wrong((*path, "bits"), found=bits, expected=f"at most {MAX_NUMBER_BITS} for a number")
        elif kind in ("bytes", "text") and bits % 8:
            self._checker.wrong((*path, "bits"), found=bits, expected=f"whole bytes for {kind}")
        return int(bits)

    def _check(self, path: Path, table: dict[str, Any], bits: int | None) -> Check | None:
        kind = table["check"]
        if kind is None:
            if table["polynomial"] is not None:
                found = table["polynomial"]
                self._checker.wrong((*path, "polynomial"), found=found, expected='`check = "crc"` beside it')
            return None
        if self._is_text:
            self._checker.wrong((*path, "check"), found=kind, expected="no check in a frame of text")
            return None
        if table["type"] != "uint" or bits is None:
            self._checker.wrong((*path, "type"), found=table["type"], expected="uint with `bits` for a check")
            return None
        if kind != "crc":
            if bits != 8:
                self._checker.wrong((*path, "bits"), found=bits, expected=f"8 for {kind}")
            return Check(kind)
        polynomial = table["polynomial"]
        if polynomial is None:
            self._checker.wrong((*path, "polynomial"), found="nothing", expected="the polynomial of the crc")
        elif not 0 < polynomial < 1 << bits:
            expected = f"1 to 0x{(1 << bits) - 1:X}: {bits} bits, without the top bit"
            self._checker.wrong((*path, "polynomial"), found=f"0x{polynomial:X}", expected=expected)
        for key in ("initial", "final_xor"):
            if table[key] >= 1 << bits:
                self._checker.wrong((*path, key), found=f"0x{table[key]:X}", expected=f"0 to 0x{(1 << bits) - 1:X}")
        if not polynomial:
            return None
        return Check(kind, Crc(bits, polynomial, table["initial"], table["final_xor"], table["reflect"]))

    def _const(self, path: Path, table: dict[str, Any], bits: int | None) -> int | bytes | str | None:
        const, kind = table["const"], table["type"]
        if const is None:
            return None
        if kind == "text":
            if isinstance(const, str):
                return const
            self._checker.wrong((*path, "const"), found=shown(const), expected="a text")
        elif kind == "bytes":
            data = octets(const)
            if data is None or (bits is not None and len(data) != bits // 8):
                size = f"{bits // 8} bytes as " if bits is not None else ""
                self._checker.wrong((*path, "const"), found=shown(const), expected=f"{size}hex, or text after @")
            return data
        elif isinstance(const, str):
            if const in table["values"]:
                return const
            self._checker.wrong(
                (*path, "const"), found=const, expected="a number, or a word of `values`",
                nearest=nearest(const, table["values"]),
            )  # fmt: skip
        elif isinstance(const, bool) or not isinstance(const, int):
            self._checker.wrong((*path, "const"), found=shown(const), expected="a whole number")
        else:
            self._wide(path, "const", const, kind, bits)
            return const
        return None

    def _wide(self, path: Path, key: str, number: int, kind: str, bits: int | None) -> None:
        if bits is None:
            return
        low, high = FieldPlan(name="", kind=kind, bits=bits).wire_limits
        if not low <= number <= high:
            self._checker.wrong((*path, key), found=number, expected=f"{low:g} to {high:g}: {bits} bits")

    def _at(self, path: Path, table: dict[str, Any], bits: int | None) -> tuple[int, int] | None:
        raw = table["at"]
        if raw is None:
            return None
        match = re.fullmatch(r"(\d{1,5})(?:\.([0-7]))?", raw) if isinstance(raw, str) else None
        if match is None and (isinstance(raw, bool) or not isinstance(raw, int) or raw < 0):
            near = f'"{raw}"' if isinstance(raw, float) else None
            expected = 'a byte, or "BYTE.BIT" in quotes, with a bit of 0 to 7'
            self._checker.wrong((*path, "at"), found=shown(raw), expected=expected, nearest=near)
            return None
        byte, low = (int(match[1]), int(match[2] or 0)) if match else (int(raw), 0)
        inside = match is not None and match[2] is not None
        if bits is None:
            expected = "how many bits or bytes it has, as `at` is given"
            self._checker.wrong((*path, "bits"), found="nothing", expected=expected)
        elif bits % 8 or (inside and (low or bits > 8)):
            room = 8 - low
            if bits * (table["count"] or 1) > room:
                found = f"{bits * (table['count'] or 1)} bits"
                self._checker.wrong((*path, "bits"), found=found, expected=f"at most {room}: it stays in its byte")
        return byte, low

    def _choice(self, path: Path, place: int, raw: dict[str, Any] | None) -> Choice | None:
        """When the field is there: by an earlier field, whose table is looked at here as it stands in the file."""
        if raw is None:
            return None
        path = (*path, "when")
        if self._is_text:
            self._checker.wrong(path, found="a table", expected="no such key in a frame of text")
            return None
        if len(raw) != 1:
            self._checker.wrong(path, found=listed(raw, "and") or "nothing", expected="one field, with its value")
            return None
        ((tag, wanted),) = raw.items()
        earlier = [each for each in self._table["fields"][:place] if isinstance(each, dict)]
        known = [each["name"] for each in earlier if isinstance(each.get("name"), str)]
        if tag not in known:
            expected = f"a field before this one: {listed(known) or 'there is none'}"
            self._checker.wrong((*path, tag), found=tag, expected=expected, nearest=nearest(tag, known))
            return None
        words = earlier[[each.get("name") for each in earlier].index(tag)].get("values", {})
        several = wanted if isinstance(wanted, list) else [wanted]
        values = [self._tag_value((*path, tag), words, each) for each in several]
        if not values:
            self._checker.wrong((*path, tag), found="nothing", expected="at least one value")
        return Choice(tag, tuple(values))

    def _tag_value(self, path: Path, words: object, raw: object) -> int | str:
        """A tag's value as decoding gives it: its word, where it has one."""
        if isinstance(words, dict) and words:
            word = (
                raw
                if isinstance(raw, str) and raw in words
                else next((word for word, number in words.items() if number == raw), None)
            )
            if isinstance(word, str):
                return word
            expected = listed(f"{word} ({number})" for word, number in words.items())
            near = nearest(raw, list(words)) if isinstance(raw, str) else None
            self._checker.wrong(path, found=shown(raw), expected=expected, nearest=near)
        elif isinstance(raw, int) and not isinstance(raw, bool):
            return raw
        else:
            self._checker.wrong(path, found=shown(raw), expected="a whole number")
        return 0

    def _values(self, path: Path, table: dict[str, Any], bits: int | None) -> dict[str, int]:
        values: dict[str, int] = {}
        for word, number in table["values"].items():
            if isinstance(number, bool) or not isinstance(number, int):
                self._checker.wrong((*path, "values", word), found=shown(number), expected="a whole number")
                continue
            if number in values.values():
                other = next(known for known, taken in values.items() if taken == number)
                expected = f"a number of its own: {other} is {number}"
                self._checker.wrong((*path, "values", word), found=number, expected=expected)
            if table["type"] == "float":
                self._checker.wrong((*path, "values"), found="words", expected="none for a float")
            self._wide((*path, "values"), word, number, table["type"], bits)
            values[word] = number
        if values and table["type"] in ("bytes", "text"):
            self._checker.wrong((*path, "values"), found="words", expected=f"none for {table['type']}")
        return values

    def _escape(self) -> Escape | None:
        raw = self._table["escape"]
        if raw is None:
            return None
        table = self._checker.table(raw, schema.ESCAPE, (*self._path, "escape"))
        if self._is_text:
            self._frame_wrong("escape", "an escape", "none in a frame of text")
        elif not self._table["start"] and not self._table["end"]:
            self._frame_wrong("escape", "an escape", "a `start` or an `end` that it hides")
        return Escape(table["byte"], table["xor"]) if table else None

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
                if field.kind not in ("uint", "int") or field.count is not None or is_loose(plan, field):
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
                self._wrong(field.name, "when", value, f"{low:g} to {high:g}: {tag.bits} bits")

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


def octets(raw: object) -> bytes | None:
    """Bytes as a plan file has them: hex pairs, or text behind `@`. `None` for anything else."""
    if not isinstance(raw, str):
        return None
    if raw.startswith("@"):
        return raw[1:].encode()
    try:
        return bytes.fromhex(raw)
    except ValueError:
        return None
