"""Routines as functions of a program, with what runs beside them: ready to run on a bench, as those of a file are."""

from __future__ import annotations

import math
import traceback
from collections.abc import Awaitable, Callable, Iterable
from typing import Any

import msgspec

from cavet.benchfile import Setup
from cavet.routines._by_program import Run
from cavet.routines._checked import CheckedRoutine, CheckedTrack, CheckedTune, Program, Written
from cavet.routines._compiling import Value
from cavet.routines._reading import routine_text
from cavet.routines._sight import Sight
from cavet.routines._telling import End, EndError, LeaveError, OverError
from cavet.routines._track import Track
from cavet.wording import UnreachableError, WrongError, unknown

Act = Callable[[Run], Awaitable[None]]
ENDS = (OverError, EndError, LeaveError, UnreachableError, WrongError)


class Tune(msgspec.Struct, frozen=True):
    """A number that can be turned while a routine runs, and between which values, in `unit`."""

    name: str
    value: float
    unit: str | None = None
    low: float = -math.inf
    high: float = math.inf


class Routine:
    """A routine of a program: a function that is given a `Run`, and others that run beside it."""

    def __init__(self, act: Act, tunes: tuple[Tune, ...], boards: Iterable[str] | None, name: str | None) -> None:
        self.name = name or act.__name__
        self._act = act
        self._tunes = tunes
        self._boards = boards
        self._tracks: list[CheckedTrack] = []
        self._whens: list[CheckedTrack] = []
        self._lastly: Act | None = None
        self.errors: list[Exception] = []
        """What its functions have raised that is no end of a step."""

    def alongside(self, name: str) -> Callable[[Act], Act]:
        """A function that runs as long as the routine does, as a track of this name."""

        def keep(act: Act) -> Act:
            self._tracks.append(CheckedTrack(name=name, line=0, body=self._body(act)))
            return act

        return keep

    def when(
        self, condition: Callable[[Sight], object], *, lasts: float | Callable[[Sight], float] = 0.0, line: int = 0
    ) -> Callable[[Act], Act]:
        """A function for each time that a condition begins to hold, and holds so long, in s; one turn at a time."""

        def keep(act: Act) -> Act:
            at = line or act.__code__.co_firstlineno
            points: set[str] = set()
            self._whens.append(
                CheckedTrack(
                    name=f"when, line {at}", line=at, body=self._body(act), condition=_watched(condition, points),
                    lasts=_lasting(lasts), points=points,
                )
            )  # fmt: skip
            return act

        return keep

    def lastly(self, act: Act) -> Act:
        """The function that is run at its end, however it ends: 30 s at most."""
        self._lastly = act
        return act

    def setup(self, setup: Setup) -> CheckedRoutine:
        """The same, ready to run on a bench. Raises `WrongError`."""
        return CheckedRoutine(
            name=self.name, line=0, body=self._body(self._act), tracks=self._tracks, whens=self._whens,
            tunes={
                tune.name: CheckedTune(name=tune.name, unit=tune.unit, value=tune.value, low=tune.low, high=tune.high)
                for tune in self._tunes
            },
            lastly=self._body(self._lastly) if self._lastly is not None else [], hosts=self._hosts(setup),
        )  # fmt: skip

    def _hosts(self, setup: Setup) -> frozenset[str]:
        boards = list(setup.hosts) if self._boards is None else list(self._boards)
        for board in boards:
            if board not in setup.hosts:
                known = setup.hosts
                raise unknown(f"{self.name}.boards", board, known)
        return frozenset(boards)

    def _body(self, act: Act) -> Written:
        async def body(runner: Any, track: Track) -> None:
            try:
                await act(Run(runner, track))
            except ENDS:
                raise
            except Exception as error:
                self.errors.append(error)
                end = End(result="failed", line=_line_of(error, act), why=f"{type(error).__name__}: {error}")
                raise OverError(end) from error

        return Written(body, act.__code__.co_firstlineno)


def routine(*tunes: Tune, boards: Iterable[str] | None = None, name: str | None = None) -> Callable[[Act], Routine]:
    """Make a function a routine of its name: with these tunes, and the boards that must be there when it begins (all of
    them, where none is named)."""
    return lambda act: Routine(act, tunes, boards, name)


def program_of(routines: Iterable[Routine], setup: Setup, reflexes: str = "") -> Program:
    """The routines of a program, and the rules that boards follow by themselves, as `reflex … on …` in the language of
    routines, ready to run. Raises `WrongError`, and an `ExceptionGroup` of all that is wrong in the rules."""
    found = {each.name: each.setup(setup) for each in routines}
    hosts = frozenset().union(*(each.hosts for each in found.values()))
    rules: dict[str, Any] = {}
    if reflexes:
        given = routine_text(reflexes, "reflexes", setup)
        hosts, rules = hosts | given.hosts, given.reflexes
    return Program(file="", routines=found, hosts=hosts, reflexes=rules)


def _line_of(error: Exception, act: Act) -> int:
    """The last line of the program that an error came through."""
    ways = traceback.extract_tb(error.__traceback__)
    return next((way.lineno or 0 for way in reversed(ways) if way.filename == act.__code__.co_filename), 0)


def _watched(condition: Callable[[Sight], object], points: set[str]) -> Callable[[Any], bool]:
    def holds(look: Any) -> bool:
        sight = Sight(look)
        held = bool(condition(sight))
        points.update(sight.points)
        return held

    return holds


def _lasting(lasts: float | Callable[[Sight], float]) -> Value:
    return Value(kind="number", unit="s", run=lambda look: float(lasts(Sight(look)) if callable(lasts) else lasts))
