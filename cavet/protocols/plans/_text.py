"""Frames that are lines of text: words, with values between them."""

from __future__ import annotations

import re
from typing import Any

from cavet.protocols._message import FieldError
from cavet.protocols.plans._plan import FieldPlan, FramePlan, Values
from cavet.protocols.plans._values import from_wire, to_wire, value_problem
from cavet.wording import digits, from_to

PLACE = re.compile(r"\{([^{}]*)\}")
_PATTERNS = {
    "uint": r"\+?\d{1,30}",
    "int": r"[+-]?\d{1,30}",
    "float": r"[+-]?(?:\d{1,30}(?:\.\d{0,30})?|\.\d{1,30})(?:[eE][+-]?\d{1,3})?",
}


class TextLayout:
    """A line of text: how it is written and read. What stands outside braces is there as it is."""

    def __init__(self, plan: FramePlan) -> None:
        assert plan.text is not None
        self.plan = plan
        pieces = PLACE.split(plan.text)
        self._words = pieces[::2]
        self.fields = [plan.field(name) for name in pieces[1::2]]
        pattern = re.escape(self._words[0])
        for place, (field, word) in enumerate(zip(self.fields, self._words[1:], strict=True)):
            pattern += f"(?P<v{place}>{_pattern(field)}){re.escape(word)}"
        self._line = re.compile(pattern, re.DOTALL)

    def pack(self, values: Values) -> bytes:
        """Write the line. Raises `FieldError`."""
        text = self._words[0]
        for field, word in zip(self.fields, self._words[1:], strict=True):
            text += _written(field, values.get(field.name)) + word
        if self._line.fullmatch(text) is None:
            raise FieldError(self.plan.name, found=text, expected="values that can be told apart from the words")
        return text.encode("utf-8", "surrogateescape")

    def match(self, body: bytes) -> tuple[dict[str, Any], list[str], list[tuple[FieldPlan, int, int]]] | None:
        """Read a line: values, what is wrong with them, and where each stands. `None` where it does not fit."""
        text = body.decode("latin-1")
        found = self._line.fullmatch(text)
        if found is None:
            return None
        values: dict[str, Any] = {}
        problems: list[str] = []
        places = []
        for place, field in enumerate(self.fields):
            first, last = found.span(f"v{place}")
            places.append((field, first, last))
            value, problem = _value(field, body[first:last])
            if problem:
                problems.append(problem)
            values.setdefault(field.name, value)
        return values, problems, places


def _pattern(field: FieldPlan) -> str:
    if field.values:
        return r"\S+?"
    if field.kind in _PATTERNS:
        return _PATTERNS[field.kind]
    return r".*?" if field.bits is None else rf".{{0,{field.bits // 8}}}?"


def _written(field: FieldPlan, value: Any) -> str:
    if value is None:
        value = field.const
    raw = to_wire(field, value)
    if isinstance(raw, bytes):
        return raw.rstrip(b"\0").decode("utf-8", "surrogateescape")
    if field.values:
        return next((word for word, number in field.values.items() if number == raw), str(raw))
    return str(raw) if isinstance(raw, int) else repr(float(raw)).removesuffix(".0")


def _value(field: FieldPlan, text: bytes) -> tuple[Any, str]:
    """Read a value, and tell what is wrong with it."""
    word = text.decode("utf-8", "replace")
    if not field.is_number:
        value = from_wire(field, text)
        problem = value_problem(field, text)
    elif word in field.values:
        value, problem = word, ""
    elif field.values:
        known = ", ".join(field.values)
        number = int(word) if re.fullmatch(r"[0-9]{1,30}", word) else None
        if number in field.values.values():
            return from_wire(field, number or 0), ""
        return word if number is None else number, f'{field.name}: found "{word}", expected one of {known}'
    else:
        raw = float(word) if field.kind == "float" else int(word)
        low, high = field.wire_limits
        value, problem = from_wire(field, raw), value_problem(field, raw)
        if not low <= raw <= high and not problem:
            problem = f"{field.name}: found {digits(raw)}, expected {from_to(low, high)}"
    if not problem and field.const is not None and value != from_wire(field, to_wire(field, field.const)):
        problem = f"{field.name}: found {word}, expected {_written(field, field.const)}"
    return value, problem
