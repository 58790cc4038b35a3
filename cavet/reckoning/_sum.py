"""What a sum is, and how the numbers in it are read."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

import msgspec

from cavet.units import parse, split, whole_number
from cavet.wording import WrongError

Given = Mapping[str, str]
LEAST, MOST = 1e-24, 1e24
"""No quantity of the trade is smaller or greater; what comes of those that are is no number any more."""


class Reckoned(msgspec.Struct, frozen=True):
    """What came out: the values by their names, the way to them in words, and what does not hold."""

    values: dict[str, Any]
    way: str = ""
    problems: tuple[str, ...] = ()

    def as_json(self) -> dict[str, Any]:
        """The values and the problems, as one object."""
        return {**self.values, "problems": list(self.problems)}


class Sum(NamedTuple):
    """One of the sums: its names, which of them must be there, what it is for, and how it is reckoned. Those of
    `flags` may stand alone."""

    names: tuple[str, ...]
    required: tuple[str, ...]
    summary: str
    reckon: Callable[[Given], Reckoned]
    flags: tuple[str, ...] = ()


def whole(place: str, text: str, low: int, high: int) -> int:
    """Read a whole number within limits, in decimal, 0x hex or 0b binary. Raises `WrongError`."""
    try:
        number = whole_number(text)
    except ValueError as error:
        raise WrongError(place, found=text, expected=f"a number, {low} to {high}") from error
    if not low <= number <= high:
        raise WrongError(place, found=text, expected=f"{low} to {high}")
    return number


def quantity(text: str, unit: str, place: str) -> float:
    """Read a quantity in `unit`. Raises `WrongError`."""
    return _of_the_trade(parse(text, unit, place), text, place)


def number_with_unit(text: str, place: str) -> tuple[float, str]:
    """Read a number, and its unit as it is written, "" where there is none. Raises `WrongError`."""
    number, unit = split(text, "a number", place)
    return _of_the_trade(number, text, place), unit


def _of_the_trade(number: float, text: str, place: str) -> float:
    if number and not LEAST <= abs(number) <= MOST:
        raise WrongError(place, found=text, expected=f"0, or {LEAST:g} to {MOST:g}")
    return number
