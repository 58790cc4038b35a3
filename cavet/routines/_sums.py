"""Numbers of a routine: what sums give, and how that is told."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

from cavet import units

TOLD_DIGITS, TOLD_OF_TIMES = 6, 3
"""So many digits of a sum are told; of a time of a second or more, so many behind the point at most."""


def lifted(act: Callable[..., Any]) -> Callable[..., Any]:
    """The same, with nothing where one of its values is not known."""

    def run(*values: Any) -> Any:
        return None if any(value is None for value in values) else act(*values)

    return run


def converted(value: float, factor: float) -> float:
    """A number in another unit."""
    return float(f"{value * factor:.15g}")


def divided(one: float, other: float) -> float | None:
    """What is divided by nothing is not known."""
    return one / other if other else None


def rounded(value: float, digits: float = 0) -> float:
    """The nearest number with so many digits behind the point."""
    return float(round(value, int(max(-12, min(12, digits)))))


def root(value: float) -> float | None:
    """The square root; that of a number below nothing is not known."""
    return math.sqrt(value) if value >= 0 else None


ACTS: dict[str, Callable[..., Any]] = {"min": min, "max": max, "abs": abs, "round": rounded, "root": root}
FUNCTION_CODES = {"min": "least", "max": "greatest", "abs": "abs", "round": "rounded", "root": "root"}
"""What a program calls them: they know of values that nobody has told yet."""


def shown_number(value: float, unit: str, resolution: float) -> str:
    """A number for a person: one of a wire with three digits, or as finely as that tells it; a sum with six."""
    if not resolution:
        places = units.decimals_of(value, TOLD_DIGITS)
        is_time = unit == "s" and abs(value) >= 1
        return units.show(value, unit, min(places, TOLD_OF_TIMES) if is_time else places)
    return units.show(value, unit, step=resolution)
