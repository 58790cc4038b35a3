"""Between a field's value, as a person and a program have it, and what stands for it on the wire."""

from __future__ import annotations

import contextlib
from math import isfinite
from typing import Any

from cavet import units
from cavet.protocols._message import FieldError
from cavet.protocols.plans._plan import FieldPlan, FramePlan, Values
from cavet.wording import WrongError, digits, hex_pairs, listed, nearest

SWITCH_WORDS = {"on": 1, "true": 1, "off": 0, "false": 0}
"""What one bit may be called."""
Raw = int | float | bytes
"""What stands on the wire: a number, or bytes."""


def from_wire(field: FieldPlan, raw: Raw) -> Any:
    """Give the value that something on the wire stands for: a word, a scaled number, a text, bytes."""
    if isinstance(raw, bytes):
        return raw if field.kind == "bytes" else raw.rstrip(b"\0").decode("utf-8", "replace")
    if field.values:
        return next((word for word, number in field.values.items() if number == raw), raw)
    return _tidy(raw * field.scale + field.offset) if field.is_scaled else raw


def to_wire(field: FieldPlan, value: Any) -> Raw:
    """Give what stands for a value on the wire. Raises `FieldError` for one that the field can't hold."""
    if not field.is_number:
        return _octets(field, value)
    number = _number(field, value)
    if field.is_scaled:
        number = (number - field.offset) / field.scale
    if field.kind != "float":
        number = round(number)
    low, high = field.wire_limits
    if not low <= number <= high:
        raise FieldError(field.name, found=value, expected=_limits(field))
    return number


def _number(field: FieldPlan, value: Any) -> float:
    if isinstance(value, str):
        if value not in field.values:
            raise FieldError(
                field.name, found=value, expected=listed(field.values), nearest=nearest(value, field.values)
            )
        return field.values[value]
    number: float = value
    if field.kind != "float" and not isfinite(number):
        raise FieldError(field.name, found=value, expected=_limits(field))
    if problem := value_problem(field, None, number):
        raise FieldError(field.name, found=value, expected=problem.partition("expected ")[2])
    return number


def tags_of(plan: FramePlan, values: Values) -> Values:
    """Give the values of the fields that decide which others are there, as decoding gives them. Raises `FieldError`."""
    tags = {}
    for name in plan.tags:
        field, value = plan.field(name), values.get(name)
        given = field.const if value is None else value
        if given is not None:
            tags[name] = from_wire(field, to_wire(field, given))
    return tags


def fields_there(plan: FramePlan, tags: Values) -> set[str]:
    """Give the fields that a frame with these tags has."""
    found: set[str] = set()
    for field in plan.fields:
        if field.choice is None or (field.choice.tag in found and field.choice.holds(tags)):
            found.add(field.name)
    return found


def _octets(field: FieldPlan, value: Any) -> bytes:
    data = value if isinstance(value, bytes) else str(value).encode("utf-8", "surrogateescape")
    if field.bits is None:
        return data
    size = field.bits // 8
    if len(data) > size or (len(data) < size and field.kind == "bytes"):
        expected = f"{size} bytes" if field.kind == "bytes" else f"at most {size} bytes"
        raise FieldError(field.name, found=f"{len(data)} bytes", expected=expected)
    return data.ljust(size, b"\0")


def value_problem(field: FieldPlan, raw: Raw | None, value: float | None = None) -> str:
    """Tell what is wrong with a number that could be read: it is no named one, or out of its limits."""
    if isinstance(raw, bytes):
        try:
            raw.decode("utf-8")
        except UnicodeDecodeError:
            return f"{field.name}: found {hex_pairs(raw[:16])}, expected UTF-8" if field.kind == "text" else ""
        return ""
    if raw is not None:
        value = raw if field.values else from_wire(field, raw)
    assert value is not None
    if field.values:
        if value not in field.values.values():
            return f"{field.name}: found {digits(value)}, expected {_words(field)}"
    elif (field.low is not None and value < field.low) or (field.high is not None and value > field.high):
        return f"{field.name}: found {digits(value)}, expected {_limits(field)}"
    elif value != value and (field.low is not None or field.high is not None):
        return f"{field.name}: found no number, expected {_limits(field)}"
    return ""


def read_value(field: FieldPlan, place: str, text: str) -> Any:
    """Read a value as a person writes it. Raises `FieldError`."""
    if field.kind == "text":
        return text.removeprefix("@")
    if field.kind == "bytes":
        if text.startswith("@"):
            return text[1:].encode("utf-8", "surrogateescape")
        try:
            return bytes.fromhex(text.removeprefix("0x").replace(",", " "))
        except ValueError as error:
            raise FieldError(place, found=text, expected="hex pairs, or text after @") from error
    if text in field.values:
        return text
    if field.bits == 1 and text.lower() in SWITCH_WORDS:
        return SWITCH_WORDS[text.lower()]
    try:
        number = _quantity(field, text)
    except ValueError as error:
        words = list(field.values)
        raise FieldError(place, found=text, expected=looks(field), nearest=nearest(text, words)) from error
    for word, value in field.values.items():
        if value == number:
            return word
    try:
        to_wire(field, number)
    except FieldError as error:
        raise FieldError(place, found=text, expected=error.expected, nearest=error.nearest) from error
    return number


def _quantity(field: FieldPlan, text: str) -> float:
    with contextlib.suppress(ValueError):
        return units.whole_number(text)
    try:
        return units.parse(text, field.unit) if not field.values else float(text)
    except WrongError as error:
        raise ValueError from error


def looks(field: FieldPlan) -> str:
    """Say in words what a field can be."""
    if field.kind == "text":
        return "text" if field.bits is None else f"text, at most {field.bits // 8} bytes"
    if field.kind == "bytes":
        return "bytes as hex or @text" if field.bits is None else f"{field.bits // 8} bytes as hex or @text"
    if field.bits == 1 and not field.values:
        return "on or off"
    return _words(field) if field.values else f"a number {_limits(field)}"


def _words(field: FieldPlan) -> str:
    return listed(f"{word} ({number})" for word, number in field.values.items())


def _limits(field: FieldPlan) -> str:
    low, high = field.wire_limits
    ends = sorted((low * field.scale + field.offset, high * field.scale + field.offset))
    least = max(ends[0], field.low if field.low is not None else ends[0])
    most = min(ends[1], field.high if field.high is not None else ends[1])
    unit = f" {field.unit}" if field.unit else ""
    if not isfinite(most):
        return f"{_shown(least)} or more{unit}" if isfinite(least) else f"as a number{unit}"
    return f"{_shown(least)} to {_shown(most)}{unit}" if isfinite(least) else f"up to {_shown(most)}{unit}"


def _shown(number: float) -> str:
    tidy = _tidy(number)
    return str(tidy) if isinstance(tidy, int) or abs(tidy) < 1e15 else digits(tidy)


def _tidy(number: float) -> float:
    """Rounded once to 15 digits, a whole number as one."""
    if not isinstance(number, float) or not isfinite(number):
        return number
    rounded = float(f"{number:.15g}")
    return int(rounded) if rounded.is_integer() and abs(rounded) < 1e15 else rounded


def show_wire(field: FieldPlan, raw: Raw) -> str:
    """Show what stands on the wire, as a problem has it."""
    if isinstance(raw, bytes):
        return hex_pairs(raw)
    if isinstance(raw, int) and field.kind == "uint" and field.bits:
        return f"0x{raw:0{(field.bits + 3) // 4}X}"
    return digits(raw)
