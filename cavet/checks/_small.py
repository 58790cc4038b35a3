"""Making a failing run small: fewer faults and defects, and earlier, as long as it still fails.

What is left out is found by halves (the usual delta debugging: A. Zeller, R. Hildebrandt, "Simplifying and Isolating
Failure-Inducing Input", 2002), then each fault that is left is tried earlier and earlier.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from itertools import pairwise
from typing import TypeVar

from msgspec.structs import replace

from cavet.checks._carrying import Case
from cavet.checks._faults import FINEST, Fault

MOST_TRIES = 80
"""So many runs are spent on it."""
T = TypeVar("T")
Item = str | Fault


class Smaller:
    """Tries smaller cases; `fails` runs one."""

    def __init__(self, fails: Callable[[Case], bool]) -> None:
        self._fails = fails
        self._known: dict[Case, bool] = {}

    def of(self, case: Case) -> Case:
        """The smallest failing case that was found on the way down from one that fails."""
        items: list[Item] = [*case.defects, *case.faults]
        kept = self._fewer(case, items)
        return self._earlier(_with(case, kept))

    def _does(self, case: Case) -> bool:
        if case not in self._known:
            if len(self._known) >= MOST_TRIES:
                return False
            self._known[case] = self._fails(case)
        return self._known[case]

    def _fewer(self, case: Case, items: list[Item]) -> list[Item]:
        if self._does(_with(case, [])):
            return []
        parts = 2
        while len(items) > 1:
            pieces = _pieces(items, parts)
            for piece in pieces:
                rest = [item for item in items if item not in piece]
                if self._does(_with(case, rest)):
                    items, parts = rest, max(parts - 1, 2)
                    break
            else:
                if parts >= len(items):
                    break
                parts = min(len(items), 2 * parts)
        return items

    def _earlier(self, case: Case) -> Case:
        for place in range(len(case.faults)):
            least, fault = 0.0, case.faults[place]
            while fault.t - least > 0.01:
                tried = replace(fault, t=round((least + fault.t) / 2, FINEST))
                faults = [*case.faults[:place], tried, *case.faults[place + 1 :]]
                if self._does(replace(case, faults=tuple(faults))):
                    fault, case = tried, replace(case, faults=tuple(faults))
                else:
                    least = tried.t
        return replace(case, faults=tuple(sorted(case.faults)))


def _with(case: Case, items: Sequence[Item]) -> Case:
    defects = tuple(item for item in items if isinstance(item, str))
    return replace(case, defects=defects, faults=tuple(item for item in items if isinstance(item, Fault)))


def _pieces(items: list[T], count: int) -> list[list[T]]:
    ends = [len(items) * place // count for place in range(count + 1)]
    return [items[begin:end] for begin, end in pairwise(ends) if end > begin]
