"""A file's tree held against a bench: every name, unit, range, mode and kind is looked at before anything moves."""

from __future__ import annotations

import math
from functools import partial
from typing import Any

import msgspec

from cavet.benchfile import Setup
from cavet.boards import Rule
from cavet.hosts import Point, PointKind
from cavet.routines import _tree as tree
from cavet.routines._checked import CheckedRoutine, CheckedTrack, CheckedTune, Program, all_steps
from cavet.routines._compiling import Names, Value, of_point
from cavet.routines._conditions import Compiler
from cavet.routines._mistakes import MistakeError
from cavet.routines._reflexes import ReflexReader
from cavet.routines._step_checks import BARE, StepChecks
from cavet.wording import WrongError


def check(sheet: tree.Sheet, setup: Setup) -> tuple[Program, list[WrongError]]:
    """Check a file against a bench; give what can be run, and all mistakes."""
    return _Checker(sheet, setup).check()


class _Checker(StepChecks):
    """Checks the whole of a file: its routines with their tracks and tunes, its reflexes."""

    def check(self) -> tuple[Program, list[WrongError]]:
        self._tunes = {name: self._tunes_of(routine) for name, routine in self._sheet.routines.items()}
        found, used = {}, {}
        for name, routine in self._sheet.routines.items():
            self._speak_anew()
            self._attempt(routine.line, partial(self._free, name, 9, "a routine"))
            found[name] = self._routine_plan(routine)
            used[name] = self._used
        self._no_circles()
        for name, setup in found.items():
            hosts = frozenset().union(*(used.get(each, set()) for each in [name, *self._inner(name)]))
            found[name] = msgspec.structs.replace(setup, hosts=hosts)
        self._speak_anew()
        reflexes: dict[str, list[Rule]] = {}
        for reflex in self._sheet.reflexes:
            rules = self._attempt(reflex.line, partial(self._rules_of, reflex))
            reflexes.setdefault(reflex.board, []).extend(rules or [])
        hosts = frozenset(self._used).union(*(setup.hosts for setup in found.values()))
        return Program(file=self._sheet.file, routines=found, hosts=hosts, reflexes=reflexes), self.mistakes

    def _rules_of(self, reflex: tree.Reflex) -> list[Rule]:
        self._free(reflex.name, 8, "a reflex")
        self._everywhere.use_board(reflex.board)
        return ReflexReader(reflex, self._setup).rules()

    def _no_circles(self) -> None:
        for name, routine in self._sheet.routines.items():
            if name in self._inner(name):
                mistake = MistakeError(1, found=f"{name}, which does itself", expected="routines that end somewhere")
                self.mistakes.append(mistake.told(self._sheet.file, routine.line))
                return

    def _inner(self, name: str) -> set[str]:
        """The routines that one does, and those that these do."""
        seen: set[str] = set()
        waiting = [name]
        while waiting:
            new = set(self._does.get(waiting.pop(), ())) - seen
            seen |= new
            waiting += new
        return seen

    # routines and tracks

    def _tunes_of(self, routine: tree.Routine) -> dict[str, CheckedTune]:
        found: dict[str, CheckedTune] = {}
        for tune in routine.tunes:
            made = self._attempt(tune.line, partial(self._tune, tune, routine))
            if made is not None:
                found[tune.name] = made
        return found

    def _tune(self, tune: tree.Tune, routine: tree.Routine) -> CheckedTune:
        self._free(tune.name, tune.at, "a tune")
        compiler = Compiler(self._everywhere)
        value = self._constant(compiler.value(tune.value, BARE), tune.value)
        if tune.low is None or tune.high is None:
            point = self._first_set(routine, tune.name)
            if point is not None and point.kind in (PointKind.LEVEL, PointKind.BRIDGE, PointKind.PULSE):
                value = compiler.fitting(tune.value, of_point(point))
                low, high = point.low, point.high
            else:
                low, high = -math.inf, math.inf
        else:
            low, high = (self._constant(compiler.fitting(end, value), end).run(None) for end in (tune.low, tune.high))
        made = CheckedTune(name=tune.name, unit=value.unit, value=value.run(None), low=low, high=high, line=tune.line)
        if not made.limited(made.value):
            ends = f"{value.shown(min(low, high))} to {value.shown(max(low, high))}"
            raise MistakeError(tune.value.at, found=value.shown(made.value), expected=ends)
        return made

    def _constant(self, value: Value, expr: tree.Expr) -> Value:
        if value.kind != "number" or not value.constant:
            raise MistakeError(expr.at, found="something that is known only later", expected="a number")
        return value

    def _first_set(self, routine: tree.Routine, name: str) -> Point | None:
        """The point that a tune is first set to."""
        bodies = [routine.body, *(track.body for track in (*routine.alongside, *routine.whens)), routine.lastly]
        for step in all_steps(each for body in bodies for each in body):
            value = step.of.get("value")
            if step.kind == "set" and isinstance(value, tree.Name) and value.name == name:
                return self._setup.points.get(step.of["point"].name)
        return None

    def _routine_plan(self, routine: tree.Routine) -> CheckedRoutine:
        self._routine = routine.name
        tunes = self._tunes[routine.name]

        def names() -> Names:
            known = {
                name: Value(kind="number", unit=tune.unit, run=partial(_in_scope, name), code=f'run.tune("{name}")')
                for name, tune in tunes.items()
            }
            return Names(self._setup, known, self._used)

        self._steps(routine.body, names())
        for track in routine.alongside:
            self._steps(track.body, names())
        whens = [each for each in (self._when(track, names()) for track in routine.whens) if each is not None]
        self._steps(routine.lastly, names())
        return CheckedRoutine(
            name=routine.name, line=routine.line, tunes=tunes, body=routine.body, lastly=routine.lastly, whens=whens,
            tracks=[CheckedTrack(name=track.name, line=track.line, body=track.body) for track in routine.alongside],
        )  # fmt: skip

    def _when(self, track: tree.Track, names: Names) -> CheckedTrack | None:
        def listening() -> CheckedTrack:
            compiler = Compiler(names, watched=True)
            assert track.condition is not None  # a `when` has one
            lasts = compiler.time(track.lasts) if track.lasts is not None else None
            return CheckedTrack(
                name=track.name, line=track.line, body=track.body, condition=compiler.condition(track.condition),
                lasts=lasts, points=frozenset(compiler.points),
            )  # fmt: skip

        found: CheckedTrack | None = self._attempt(track.line, listening)
        self._steps(track.body, names)
        return found


def _in_scope(name: str, look: Any) -> Any:
    """What a name of the track stands for just now."""
    return look.scope[name]
