"""What a sum is, and how the numbers in it are read."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

import msgspec

from cavet.units import whole_number
from cavet.wording import WrongError

Given = Mapping[str, str]


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
