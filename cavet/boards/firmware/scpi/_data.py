"""Checking program data against what a command takes, and writing what a query answers.

Source: SCPI 1999, volume 1, sections 7 and 8; response forms from IEEE 488.2-1992, section 8.7.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from cavet.protocols.scpi import Datum, FaultError
from cavet.units import convert, spelled
from cavet.wording import WrongError, digits, plain

NOT_ALLOWED = {
    "number": -128, "keyword": -148, "boolean": -148, "string": -158, "block": -168, "channels": -178,
    "expression": -178,
}  # fmt: skip
"""The error for data of a type that is not taken here."""
LIMIT_WORDS = {"MIN": "low", "MINIMUM": "low", "MAX": "high", "MAXIMUM": "high", "DEF": "default", "DEFAULT": "default"}
MOST_DATA = 16384
"""Bytes of a string or block that are kept: twice as many fit into a response. More are -223, section 21.8.10."""


def require(values: Sequence[Datum], least: int, most: int) -> None:
    """Raise the error for too few or too many."""
    if len(values) < least:
        raise FaultError(-109)
    if len(values) > most:
        raise FaultError(-108)


def number(datum: Datum, low: float, high: float, default: float, unit: str) -> float:
    """A number in its limits, in `unit`; or one of the words for its limits."""
    if datum.type in ("keyword", "boolean"):
        word = LIMIT_WORDS.get(str(datum.value))
        if word is None:
            raise FaultError(-224 if datum.type == "keyword" else -148, str(datum.value))
        return {"low": low, "high": high, "default": default}[word]
    if datum.type != "number":
        raise FaultError(NOT_ALLOWED[datum.type])
    assert isinstance(datum.value, int | float)  # a number
    value = float(datum.value) if datum.unit is None else _in_unit(datum.value, datum.unit, unit)
    if not low <= value <= high:
        raise FaultError(-222, digits(value))
    return value


def _in_unit(value: float, suffix: str, unit: str) -> float:
    """A number that bears a suffix, in the unit of what takes it."""
    if not unit:
        raise FaultError(-138, suffix)
    if spelled(suffix) == unit:
        return value
    try:
        return convert(value, spelled(suffix), unit)
    except WrongError as error:
        raise FaultError(-131, suffix) from error


def _rounded(value: float) -> int:
    """To the nearest whole number; a half goes up."""
    return math.floor(value + 0.5)


def whole(datum: Datum, high: int) -> int:
    """A whole number from 0 on; others are rounded. Source: 488.2, section 7.7.2.4."""
    if datum.type != "number":
        raise FaultError(NOT_ALLOWED[datum.type])
    if datum.unit is not None:
        raise FaultError(-138, datum.unit)
    assert isinstance(datum.value, int | float)  # a number
    if not -0.5 <= datum.value < high + 0.5:
        raise FaultError(-222, digits(datum.value))
    return _rounded(datum.value)


def boolean(datum: Datum) -> bool:
    """ON, OFF, or a number: 0 is off. Source: SCPI 1999, volume 1, section 7.3."""
    if datum.type in ("keyword", "boolean"):
        if datum.value in ("ON", "OFF", True, False):
            return datum.value in ("ON", True)
        raise FaultError(-224, str(datum.value))
    if datum.type != "number":
        raise FaultError(NOT_ALLOWED[datum.type])
    if datum.unit is not None:
        raise FaultError(-138, datum.unit)
    assert isinstance(datum.value, int | float)  # a number
    return _rounded(datum.value) != 0


def keyword(datum: Datum, choices: Sequence[str]) -> str:
    """One of some words, in their short or long form; gives the short one."""
    if datum.type not in ("keyword", "boolean"):
        raise FaultError(NOT_ALLOWED[datum.type])
    for choice in choices:
        short = "".join(letter for letter in choice if not letter.islower())
        if str(datum.value) in (short, choice.upper()):
            return short
    raise FaultError(-224, str(datum.value))


def text(datum: Datum) -> str:
    """A string."""
    if datum.type != "string":
        raise FaultError(NOT_ALLOWED[datum.type])
    _check_size(str(datum.value))
    return str(datum.value)


def block(datum: Datum) -> str:
    """Bytes, as hex pairs."""
    if datum.type != "block":
        raise FaultError(NOT_ALLOWED[datum.type])
    _check_size(bytes.fromhex(str(datum.value)))
    return str(datum.value)


def _check_size(data: str | bytes) -> None:
    if len(data) > MOST_DATA:
        raise FaultError(-223, f"{len(data)} bytes")


def channels(datum: Datum, known: Sequence[int]) -> list[int]:
    """A list of channels, all of which there are."""
    if datum.type == "expression" and str(datum.value).startswith("(@"):
        raise FaultError(-171, f"{plain(str(datum.value), 30)}: channels here are single numbers")
    if datum.type != "channels":
        raise FaultError(NOT_ALLOWED[datum.type])
    assert isinstance(datum.value, list | tuple)  # channels
    for channel in datum.value:
        if channel not in known:
            raise FaultError(-222, f"channel {channel}")
    return list(datum.value)


def nr3(value: float) -> str:
    """A number with its exponent."""
    return f"{value + 0.0:.6E}"


def as_block(value: str) -> str:
    """Bytes as a block of definite length; one character a byte."""
    body = bytes.fromhex(value).decode("latin-1")
    return f"#{len(str(len(body)))}{len(body)}{body}"


def quoted(value: str) -> str:
    """A string."""
    return '"' + value.replace('"', '""') + '"'
