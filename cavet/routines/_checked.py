"""A file of routines that was checked against a bench: ready to run."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Iterable, Set
from typing import Any

import msgspec

from cavet.benchfile import Setup
from cavet.boards import Rule
from cavet.routines import _tree as tree
from cavet.routines._compiling import Value


class CheckedTune(msgspec.Struct, frozen=True, kw_only=True):
    """A tune, checked: where it begins, and between which values it may be turned."""

    name: str
    unit: str | None
    value: float
    low: float
    high: float
    line: int = 0
    """Where the text has it."""

    def limited(self, value: float) -> bool:
        """Whether a value lies within its range."""
        return min(self.low, self.high) <= value <= max(self.low, self.high)


class Written(msgspec.Struct, frozen=True):
    """A body that is a function of Python: given who runs it, and its track."""

    act: Callable[[Any, Any], Awaitable[None]]
    line: int
    """Where it begins in the program."""


Body = list[tree.Step] | Written
"""What a track does."""


class CheckedTrack(msgspec.Struct, frozen=True, kw_only=True):
    """A track, checked."""

    name: str
    line: int
    body: Body
    condition: Callable[[Any], bool] | None = None
    lasts: Value | None = None
    points: Set[str] = frozenset()
    """The points that its condition looks at."""


class CheckedRoutine(msgspec.Struct, frozen=True, kw_only=True):
    """A routine, checked against a bench: ready to run."""

    name: str
    line: int
    tunes: dict[str, CheckedTune]
    body: Body
    tracks: list[CheckedTrack]
    whens: list[CheckedTrack]
    lastly: Body
    hosts: frozenset[str] = frozenset()
    """The hosts that it speaks with, those of the routines that it does included."""

    def steps(self) -> Iterable[tree.Step]:
        """All its steps."""
        for body in [self.body, *(track.body for track in (*self.tracks, *self.whens)), self.lastly]:
            yield from all_steps(body) if isinstance(body, list) else ()


class Program(msgspec.Struct, frozen=True, kw_only=True):
    """A whole file, checked."""

    file: str
    routines: dict[str, CheckedRoutine]
    hosts: frozenset[str]
    """The hosts that are spoken with, and those of boards that are given rules."""
    reflexes: dict[str, list[Rule]]
    """The rules that boards are given for the run."""

    def hosts_for(self, name: str, setup: Setup) -> list[str]:
        """The hosts that a routine talks to, and those of boards that get rules, in the bench's order."""
        others = {host for routine in self.routines.values() for host in routine.hosts}
        wanted = self.routines[name].hosts | (self.hosts - others)
        return [host for host in setup.hosts if host in wanted]

    def steps(self) -> Iterable[tree.Step]:
        """All steps of all routines."""
        for routine in self.routines.values():
            yield from routine.steps()


def first_line(body: Body) -> int:
    """The line where a body begins."""
    return body.line if isinstance(body, Written) else body[0].line if body else 0


def all_steps(steps: Iterable[tree.Step]) -> Iterable[tree.Step]:
    """Steps with all that are below them."""
    for step in steps:
        yield step
        yield from all_steps(step.body)
        yield from all_steps(step.otherwise)
