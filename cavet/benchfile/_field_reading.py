"""One field of a frame, from its table in the plan file: every mistake that can be seen in it alone."""

from __future__ import annotations

import re
from typing import Any

from cavet.benchfile import _schema_plan as schema
from cavet.benchfile._check import Checker, shown
from cavet.benchfile._places import Path
from cavet.protocols.checks import Crc
from cavet.protocols.plans import Check, Choice, FieldPlan
from cavet.settings import made
from cavet.wording import digits, from_to, listed, nearest

NAME = re.compile(r"[A-Za-z][A-Za-z0-9_]{0,39}")
KEPT = ("NAME", "PLAN")
"""What a message has beside its fields."""
FLOAT_BITS = (16, 32, 64)
MAX_NUMBER_BITS = 64


class FieldReader:
    """Reads the fields of one frame; what is wrong stands in the checker's errors."""

    def __init__(self, checker: Checker, frame: Path, table: schema.FrameTable) -> None:
        self._checker = checker
        self._frame = frame
        self._table = table
        self._is_text = table.text is not None

    def read(self, place: int, raw: object) -> FieldPlan | None:
        """Read the field that stands at a place among them; `None` where something is wrong."""
        path: Path = (*self._frame, "fields", place)
        if isinstance(raw, dict) and isinstance(raw.get("name"), str):
            self._checker.shown_as[path] = raw["name"]
        table = self._checker.read(raw, schema.FieldTable, path)
        if table is None:
            return None
        before = len(self._checker.errors)
        name = table.name
        if not NAME.fullmatch(name) or name in KEPT:
            self._checker.wrong((*path, "name"), found=name, expected="a name of letters, digits and _")
        bits = self._bits(path, table)
        check = self._check(path, table, bits)
        const = self._const(path, table, bits)
        if table.scale == 0:
            self._checker.wrong((*path, "scale"), found=0, expected="another number than 0")
        if table.min is not None and table.max is not None and table.min > table.max:
            self._checker.wrong((*path, "min"), found=table.min, expected=f"no more than max, {digits(table.max)}")
        at = self._at(path, table, bits)
        values = self._values(path, table, bits)
        choice = self._choice(path, place, table.when)
        if len(self._checker.errors) > before:
            return None
        return made(FieldPlan, table,
            kind=table.type, bits=bits, at=at, const=const, values=values, low=table.min, high=table.max,
            check=check, byte_order=table.byte_order or self._table.byte_order, choice=choice,
        )  # fmt: skip

    def _bits(self, path: Path, table: schema.FieldTable) -> int | None:
        kind, bits = table.type, table.bits
        if table.bytes is not None:
            if bits is not None:
                self._checker.wrong((*path, "bytes"), found=table.bytes, expected="`bits` or `bytes`, not both")
            bits = 8 * table.bytes
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

    def _check(self, path: Path, table: schema.FieldTable, bits: int | None) -> Check | None:
        kind = table.check
        if kind is None:
            return None
        if self._is_text:
            self._checker.wrong((*path, "check"), found=kind, expected="no check in a frame of text")
            return None
        if table.type != "uint" or bits is None:
            self._checker.wrong((*path, "type"), found=table.type, expected="uint with `bits` for a check")
            return None
        if kind != "crc":
            if bits != 8:
                self._checker.wrong((*path, "bits"), found=bits, expected=f"8 for {kind}")
            return Check(kind)
        polynomial = table.polynomial
        if polynomial is None:
            self._checker.wrong((*path, "polynomial"), found="nothing", expected="the polynomial of the crc")
        elif not 0 < polynomial < 1 << bits:
            expected = f"1 to 0x{(1 << bits) - 1:X}: {bits} bits, without the top bit"
            self._checker.wrong((*path, "polynomial"), found=f"0x{polynomial:X}", expected=expected)
        for key in ("initial", "final_xor"):
            if (word := getattr(table, key)) >= 1 << bits:
                self._checker.wrong((*path, key), found=f"0x{word:X}", expected=f"0 to 0x{(1 << bits) - 1:X}")
        if not polynomial:
            return None
        return Check(kind, Crc(bits, polynomial, table.initial, table.final_xor, table.reflect))

    def _const(self, path: Path, table: schema.FieldTable, bits: int | None) -> int | bytes | str | None:
        const, kind = table.const, table.type
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
            if const in table.values:
                return const
            self._checker.wrong(
                (*path, "const"), found=const, expected="a number, or a word of `values`",
                nearest=nearest(const, table.values),
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
            self._checker.wrong((*path, key), found=number, expected=f"{from_to(low, high)}: {bits} bits")

    def _at(self, path: Path, table: schema.FieldTable, bits: int | None) -> tuple[int, int] | None:
        raw = table.at
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
            if bits * (table.count or 1) > room:
                found = f"{bits * (table.count or 1)} bits"
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
        earlier = [each for each in self._table.fields[:place] if isinstance(each, dict)]
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

    def _values(self, path: Path, table: schema.FieldTable, bits: int | None) -> dict[str, int]:
        values: dict[str, int] = {}
        for word, number in table.values.items():
            if isinstance(number, bool) or not isinstance(number, int):
                self._checker.wrong((*path, "values", word), found=shown(number), expected="a whole number")
                continue
            if number in values.values():
                other = next(known for known, taken in values.items() if taken == number)
                expected = f"a number of its own: {other} is {number}"
                self._checker.wrong((*path, "values", word), found=number, expected=expected)
            if table.type == "float":
                self._checker.wrong((*path, "values"), found="words", expected="none for a float")
            self._wide((*path, "values"), word, number, table.type, bits)
            values[word] = number
        if values and table.type in ("bytes", "text"):
            self._checker.wrong((*path, "values"), found="words", expected=f"none for {table.type}")
        return values


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
