"""How the bench stands, for a program: values in the units of what they are of, words as texts.

A number that nobody has told yet is `nan`: a sum with it is none either, and no comparison with it holds.
"""

from __future__ import annotations

import math
from typing import Any

from cavet.routines._compiling import Value
from cavet.routines._conditions import EDGES
from cavet.routines._looking import Looking
from cavet.routines._sums import ACTS, lifted
from cavet.routines._sums import converted as _converted
from cavet.routines._sums import divided as _divided

nan = math.nan


class Sight:
    """What a condition looks at."""

    def __init__(self, look: Looking) -> None:
        self._look = look
        self._edges = 0
        """How many edges the condition that is looked at has had so far: each remembers what it saw before."""
        self._found: dict[str, str] = {}
        """What was looked at, as a person is told of it."""
        self.points: set[str] = set()
        """The points that were looked at."""

    def got(self, point: str) -> Any:
        """What was heard of a point last: a number in its unit, true or false, a text. Raises `WrongError`."""
        found = self._look.point(point)
        value = self._look.got(found)
        self.points.add(found.name)
        self._found[point] = found.show(value)
        return _known(value, is_number=not found.kind.is_switch and not found.kind.is_text)

    def asked(self, point: str) -> Any:
        """What a point was asked for last. Raises `WrongError`."""
        found = self._look.point(point)
        value = self._look.asked(found)
        self._found[f"asked {point}"] = found.show_asked(value)
        return _known(value, is_number=not found.kind.is_switch and not found.kind.is_text)

    def part(self, path: str) -> Any:
        """How a part of a simulated board stands, by `board.part`: a number in its unit, or a word; the truth."""
        value = self._look.part(path)
        self._found[path] = told(value)
        return value

    def pin(self, board: str, number: int) -> float:
        """What a pin of a simulated board is driven to, or what it reads."""
        value = float(self._look.pin(board, number))
        self._found[f"{board}.pin {number}"] = told(value)
        return value

    def is_ready(self, board: str) -> bool:
        """Whether a board can be talked to."""
        return self._look.stands(board, "ready")

    def is_lost(self, board: str) -> bool:
        """Whether a board can't be talked to."""
        return self._look.stands(board, "lost")

    def is_open(self, link: str) -> bool:
        """Whether a link is open."""
        return self._look.stands(link, "open")

    def tune(self, name: str) -> float:
        """Where a tune of the routine stands now."""
        return float(self._look.scope[name])

    @property
    def elapsed(self) -> float:
        """How long the routine runs, in s."""
        return self._look.elapsed

    # edges: what a condition looks at again and again

    def rises(self, value: Any) -> bool:
        """Whether a value is greater than when this was looked at last."""
        return self._edge(value, "rises")

    def falls(self, value: Any) -> bool:
        """Whether a value is less than when this was looked at last."""
        return self._edge(value, "falls")

    def changes(self, value: Any) -> bool:
        """Whether a value is another one than when this was looked at last."""
        return self._edge(value, "changes")

    def _edge(self, value: Any, how: str) -> bool:
        key, self._edges = self._edges, self._edges + 1
        now = None if _is_unknown(value) else value
        before = self._look.before.get(key, now)
        self._look.seen[key] = now
        return before is not None and now is not None and EDGES[how](before, now)


def _known(value: Any, *, is_number: bool) -> Any:
    if value is None:
        return nan if is_number else None
    return value


def _is_unknown(value: Any) -> bool:
    return value is None or (isinstance(value, float) and math.isnan(value))


def agree(one: Any, other: Any, within: float = 0.0) -> bool:
    """Whether two values are the same, numbers within so much; what nobody has told yet is like nothing."""
    if _is_unknown(one) or _is_unknown(other):
        return False
    return bool(abs(one - other) <= within if within else one == other)


def differ(one: Any, other: Any, within: float = 0.0) -> bool:
    """Whether two values are not the same; of what nobody has told yet that is not known, either."""
    if _is_unknown(one) or _is_unknown(other):
        return False
    return bool(abs(one - other) > within if within else one != other)


def told(
    value: Any, unit: str | None = None, *, words: tuple[str, str] | None = None, places: int | None = None
) -> str:
    """A value as a person is told of it: with its unit, or its word for false and true; a number with six digits, a
    time to the millisecond. Where it is told how many `places` behind the point count, with these, or with three digits
    where these are more."""
    if _is_unknown(value):
        return "—"
    kind = "switch" if words is not None else "text" if isinstance(value, str) else "number"
    near = 0.1**places if places is not None else 0.0
    made = Value(kind=kind, unit=unit, words=words or ("off", "on"), run=lambda look: value, resolution=near)
    return made.shown(value)


def _function(name: str, *values: Any) -> float:
    found = lifted(ACTS[name])(*[None if _is_unknown(value) else value for value in values])
    return nan if found is None else float(found)


def least(*values: float) -> float:
    """The least of some numbers; of what nobody has told yet there is none."""
    return _function("min", *values)


def greatest(*values: float) -> float:
    """The greatest of some numbers; of what nobody has told yet there is none."""
    return _function("max", *values)


def rounded(value: float, digits: float = 0) -> float:
    """The nearest number with so many digits behind the point."""
    return _function("round", value, digits)


def root(value: float) -> float:
    """The square root; there is none of what is less than nothing."""
    return _function("root", value)


def divided(one: float, other: float) -> float:
    """One number by another; by nothing there is none."""
    found = lifted(_divided)(*[None if _is_unknown(value) else value for value in (one, other)])
    return nan if found is None else float(found)


def converted(value: float, factor: float) -> float:
    """A number in another unit, which is so much smaller."""
    return value if _is_unknown(value) else _converted(value, factor)
