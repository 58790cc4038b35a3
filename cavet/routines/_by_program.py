"""The steps of a routine, taken by a program: the same ones, carried out and recorded in the same way.

A step is told by the line where it stands in the program, or by the `line` that it is given.
"""

from __future__ import annotations

import linecache
import math
import sys
from collections.abc import Callable, Coroutine, Mapping
from typing import Any, Protocol

from cavet import units
from cavet.bench import value_for
from cavet.hosts import Point, PointKind
from cavet.routines import _tree as tree
from cavet.routines._blocks import Blocks
from cavet.routines._checked import Written
from cavet.routines._compiling import Value
from cavet.routines._looking import Looking
from cavet.routines._sight import Sight
from cavet.routines._sums import converted
from cavet.routines._telling import End, LeaveError, OverError
from cavet.routines._track import Track
from cavet.routines._turns import Turns
from cavet.wording import WrongError, listed

MOST_TEXT = 1000
Step = Coroutine[Any, Any, None]
Held = Coroutine[Any, Any, bool]
Condition = Callable[[], object]
Given = float | bool | str | Callable[[], Any]
"""A value, or a function that gives it when the step begins."""
Make = Callable[[], dict[str, Any]]


class Named(Protocol):
    """A routine of the program."""

    name: str


class Place:
    """Where a step stands: its line, its text, and whether the line is one of the program itself."""

    def __init__(self, line: int) -> None:
        frame = sys._getframe(2)
        self.text = linecache.getline(frame.f_code.co_filename, frame.f_lineno).strip()
        self.line = line or frame.f_lineno
        self.home = {} if line else {"home": "program"}


class Run(Sight):
    """What a program has at hand while its routine runs, in one of its tracks. Each step is awaited, and ends when it
    is done; a step that fails ends the whole run. Times are in s."""

    def __init__(self, runner: Blocks, track: Track) -> None:
        super().__init__(track.look)
        self._runner = runner
        self._track = track
        self.kept = track.kept
        """Values that last from one turn of a `when` to the next."""

    # outputs

    def set(self, point: str, value: Given, *, over: Given | None = None, waits: bool = True, line: int = 0) -> Step:
        """Ask for a value, in the point's unit or as a text with one; end when it is confirmed, or at once where it
        does not wait. `over` so many seconds it goes there in a ramp."""

        def make() -> dict[str, Any]:
            found = self._output(point)
            return {"point": found, "value": _for(found, value), "over": _number(over), "waits": waits}

        return self._take("set", make, Place(line))

    def toggle(self, point: str, *, line: int = 0) -> Step:
        """Send an output to rest if it is anywhere else, else to its far end."""
        return self._take("toggle", lambda: {"point": self._output(point)}, Place(line))

    def pulse(self, point: str, seconds: Given, *, line: int = 0) -> Step:
        """Send an output to its far end, and after so many seconds back to rest."""

        def make() -> dict[str, Any]:
            found = self._output(point)
            return {"point": found, "lasts": _number(seconds), "value": _in_its_unit(found, seconds)}

        return self._take("pulse", make, Place(line))

    def ask(self, point: str, *, line: int = 0) -> Step:
        """Read a point afresh from its board."""
        return self._take("ask", lambda: {"point": self._look.point(point)}, Place(line))

    def show(
        self, text: Given, point: str, *, row: Given | None = None, column: Given | None = None, line: int = 0
    ) -> Step:
        """Show a text; rows and columns count from 1."""

        def make() -> dict[str, Any]:
            found = self._output(point)
            return {"point": found, "value": _text(text), "row": _number(row), "column": _number(column)}

        return self._take("show", make, Place(line))

    def clear(self, point: str, *, line: int = 0) -> Step:
        """Show nothing any more."""
        return self._take("clear", lambda: {"point": self._output(point)}, Place(line))

    def keep(self, *points: str, line: int = 0) -> Step:
        """These do not go to rest at the end."""
        return self._take("keep", lambda: {"points": [self._output(point) for point in points]}, Place(line))

    def send(
        self, board: str, message: str, fields: Mapping[str, Given] | None = None, *, answered_by: str | None = None,
        answer: Mapping[str, Given] | None = None, within: Given | None = None, line: int = 0,
    ) -> Step:  # fmt: skip
        """Say any message of a board's protocol, as `cavet encode` has it. With `answered_by`, it fails without such an
        answer, with these fields, within so many seconds."""

        def make() -> dict[str, Any]:
            return {
                "host": self._runner.bench.setup.host_meant(board), "message": message, "fields": _fields(fields),
                "answer": answered_by, "answer_fields": _fields(answer), "within": _number(within),
            }  # fmt: skip

        return self._take("send", make, Place(line))

    # waiting

    def wait(self, seconds: Given, *, line: int = 0) -> Step:
        """Let time pass."""
        return self._take("wait", lambda: {"time": _number(seconds)}, Place(line))

    def wait_until(
        self, condition: Condition, *, lasts: Given | None = None, at_most: Given | None = None, line: int = 0
    ) -> Step:
        """Wait until something holds, without interruption so long; fail where it does not within so much."""

        def make() -> dict[str, Any]:
            return self._waiting(condition, lasts, at_most) | {"instead": None}

        return self._take("wait", make, Place(line))

    def comes(self, condition: Condition, *, at_most: Given, lasts: Given | None = None, line: int = 0) -> Held:
        """Wait until something holds, and tell whether it did within so much."""
        return self._comes(condition, at_most, lasts, Place(line))

    async def _comes(self, condition: Condition, at_most: Given, lasts: Given | None, place: Place) -> bool:
        late: list[bool] = []

        async def note(runner: Any, track: Track) -> None:
            late.append(True)

        await self._take(
            "wait", lambda: self._waiting(condition, lasts, at_most) | {"instead": Written(note, place.line)}, place
        )
        return not late

    def _waiting(self, condition: Condition, lasts: Given | None, at_most: Given | None) -> dict[str, Any]:
        return {"condition": self._watched(condition), "lasts": _number(lasts), "at_most": _number(at_most)}

    def expect(
        self, what: str, condition: Condition, *, lasts: Given | None = None, within: Given | None = None, line: int = 0
    ) -> Step:
        """Something must hold now, or `within` so much, without interruption so long; `what` says it in words."""
        return self._expect(what, condition, lasts, within, Place(line), never=False)

    def expect_never(self, what: str, condition: Condition, seconds: Given, *, line: int = 0) -> Step:
        """Something must not happen for so long; `what` says it in words."""
        return self._expect(f"never {what}", condition, seconds, None, Place(line), never=True)

    def _expect(
        self, what: str, condition: Condition, lasts: Given | None, within: Given | None, place: Place, *, never: bool
    ) -> Step:
        place.text = f"expect {what}"

        def make() -> dict[str, Any]:
            found = Value(kind="text", run=lambda look: self._what_was_found())
            watched = self._watched(condition)
            of = {"never": never, "condition": watched, "lasts": _number(lasts), "within": _number(within)}
            return of | {"found": found}

        return self._take("expect", make, place)

    def expect_reads(self, point: str, value: Given, *, within: Given | None = None, line: int = 0) -> Step:
        """A point is asked afresh, and must be at a value."""
        place = Place(line)
        place.text = f"expect {point} reads {value if not callable(value) else 'what is wanted'}"

        def make() -> dict[str, Any]:
            found = self._look.point(point)
            return {"never": False, "reads": found, "value": _for(found, value), "within": _number(within)}

        return self._take("expect", make, place)

    def holds(self, condition: object, *, line: int = 0) -> Held:
        """Whether something holds now: a step of its own, for an `if` that the record is to know of."""
        return self._holds(condition, Place(line))

    async def _holds(self, condition: object, place: Place) -> bool:
        await self._begins("if", place)
        return bool(condition() if callable(condition) else condition)

    def let(self, value: Any, *, line: int = 0) -> Coroutine[Any, Any, Any]:
        """A value, or what a function gives, as a step of its own."""
        return self._let(value, Place(line))

    async def _let(self, value: Any, place: Place) -> Any:
        await self._begins("let", place)
        return value() if callable(value) else value

    # loops

    def repeat(self, times: Given, *, line: int = 0) -> Loop:
        """`async for` so many turns."""
        return self._loop("repeat", lambda: {"times": _number(times)}, Place(line), Blocks.repeats)

    def forever(self, *, line: int = 0) -> Loop:
        """`async for` turns without an end; something in them has to wait."""
        return self._loop("repeat", lambda: {"times": None}, Place(line), Blocks.repeats)

    def as_long(self, condition: Condition, *, line: int = 0) -> Loop:
        """`async for` turns as long as something holds; something in them has to wait."""
        return self._loop("while", lambda: {"condition": lambda look: bool(condition())}, Place(line), Blocks.whiles)

    def every(self, seconds: Given, *, line: int = 0) -> Loop:
        """`async for` a turn each period, without drift. Turns that come too late are told once, and left out."""
        return self._loop("every", lambda: {"period": _number(seconds)}, Place(line), Blocks.everies)

    def each(self, *values: Given, line: int = 0) -> Loop:
        """`async for` a turn with each of these values."""
        return self._loop("for", lambda: {"each": [_any(value) for value in values]}, Place(line), Blocks.fors)

    def count(self, first: Given, last: Given, by: Given | None = None, *, line: int = 0) -> Loop:
        """`async for` a turn with each number from one to another, in steps of 1 or so much."""

        def make() -> dict[str, Any]:
            return {"first": _number(first), "last": _number(last), "by": _number(by)}

        return self._loop("for", make, Place(line), Blocks.fors)

    def leave(self, *, line: int = 0) -> Step:
        """Say that a loop is left: `break` follows."""
        return self._leave(Place(line))

    async def _leave(self, place: Place) -> None:
        try:
            await self._take("leave", dict, place)
        except LeaveError:
            return  # it is left by `break`

    def do(self, routine: Named, tunes: Mapping[str, float] | None = None, *, line: int = 0) -> Step:
        """Run another routine of the program to its end, with its tracks and what it does at last."""

        def make() -> dict[str, Any]:
            return {
                "routine": routine.name,
                "tunes": {name: _number(value) for name, value in (tunes or {}).items()},
            }

        return self._take("do", make, Place(line))

    # telling, and ending

    def say(self, text: Given, *, line: int = 0) -> Step:
        """Tell who runs it."""
        return self._take("say", lambda: {"value": _text(text)}, Place(line))

    def mark(self, text: Given, *, line: int = 0) -> Step:
        """Put a flag into the record."""
        return self._take("mark", lambda: {"value": _text(text)}, Place(line))

    def fail(self, text: Given, *, line: int = 0) -> Step:
        """End the run: it has failed."""
        return self._take("fail", lambda: {"value": _text(text)}, Place(line))

    def stop(self, text: Given, *, line: int = 0) -> Step:
        """End the run: it is stopped."""
        return self._take("stop", lambda: {"value": _text(text)}, Place(line))

    def end(self, *, line: int = 0) -> Step:
        """End the routine: it is done."""
        return self._take("end", dict, Place(line))

    # the world around: simulated boards only

    def press(self, part: str, seconds: Given | None = None, *, waits: bool = True, line: int = 0) -> Step:
        """Press a button of a board, so long or until it is released."""
        return self._take("press", lambda: {"part": part, "lasts": _number(seconds), "waits": waits}, Place(line))

    def release(self, part: str, *, line: int = 0) -> Step:
        """Let go of it."""
        return self._take("release", lambda: {"part": part}, Place(line))

    def work(
        self, part: str, action: str, value: Given | None = None, *, seconds: Given | None = None, waits: bool = True,
        line: int = 0,
    ) -> Step:  # fmt: skip
        """Do something else to a part by hand."""

        def make() -> dict[str, Any]:
            of = {"part": part, "action": action, "value": _number(value)}
            return of | {"lasts": _number(seconds), "waits": waits}

        return self._take("work", make, Place(line))

    def place(self, quantity: str, value: Given, *, line: int = 0) -> Step:
        """Put a quantity of the rig somewhere, in its unit."""
        return self._take("place", lambda: {"quantity": quantity, "value": _number(value)}, Place(line))

    def break_link(self, link: str, seconds: Given, *, waits: bool = True, line: int = 0) -> Step:
        """Cut a link, or all of a board, for so long."""

        def make() -> dict[str, Any]:
            found = [each.name for each in self._runner.bench.setup.links_meant(link)]
            return {"links": found, "lasts": _number(seconds), "waits": waits}

        return self._take("break", make, Place(line))

    def fault(
        self, kind: str, link: str, *, messages: Given | None = None, seconds: Given | None = None, line: int = 0
    ) -> Step:
        """Make a fault on a link of a board, for so many messages or so long; for one message where neither is said."""

        def make() -> dict[str, Any]:
            board, at_link = self._runner.bench.setup.link_meant(link)
            of = {"fault": kind, "board": board, "at_link": at_link}
            return of | {"next": _number(messages), "lasts": _number(seconds)}

        return self._take("fault", make, Place(line))

    def make(self, defect: str, *, line: int = 0) -> Step:
        """Have a defect of the bench file on."""
        return self._take("make", lambda: {"defect": defect}, Place(line))

    def mend(self, defect: str, *, line: int = 0) -> Step:
        """Have a defect of the bench file off again."""
        return self._take("mend", lambda: {"defect": defect}, Place(line))

    def reset(self, board: str, *, line: int = 0) -> Step:
        """Start a board again, as after power-on."""
        return self._take("reset", lambda: {"board": board}, Place(line))

    # how a step is taken

    def _output(self, name: str) -> Point:
        point = self._look.point(name)
        if not point.kind.is_output:
            raise WrongError(f"{point.board}.{point.name}", found="an input", expected="an output")
        return point

    async def _take(self, kind: str, make: Make, place: Place) -> None:
        await self._runner.step(self._step(kind, make, place), self._track)

    async def _begins(self, kind: str, place: Place) -> None:
        await self._runner.begin(self._step(kind, dict, place), self._track)

    def _step(self, kind: str, make: Make, place: Place) -> tree.Step:
        try:
            of = make()
        except WrongError as error:
            raise OverError(End(result="failed", line=place.line, why=str(error))) from error
        return tree.Step(kind=kind, line=place.line, text=place.text, of=of | place.home)

    def _loop(self, kind: str, make: Make, place: Place, turns: Callable[[Blocks, tree.Step, Track], Turns]) -> Loop:
        async def begin() -> Turns:
            step = self._step(kind, make, place)
            await self._runner.begin(step, self._track)
            return turns(self._runner, step, self._track)

        return Loop(begin)

    def _watched(self, condition: Condition) -> Callable[[Looking], bool]:
        """A condition that is looked at again and again, with what its edges have seen before."""

        def look_at(look: Looking) -> bool:
            outer, self._look, self._edges = self._look, look, 0
            self._found.clear()
            try:
                return bool(condition())
            finally:
                self._look = outer

        return look_at

    def _what_was_found(self) -> str:
        """What the last condition has looked at, in words."""
        return listed([f"{name} {value}" for name, value in self._found.items()], "and")


class Loop:
    """The turns of a loop of a program; it begins when it is asked for the first."""

    def __init__(self, begin: Callable[[], Coroutine[Any, Any, Turns]]) -> None:
        self._begin = begin
        self._turns: Turns | None = None

    def __aiter__(self) -> Loop:
        return self

    async def __anext__(self) -> Any:
        if self._turns is None:
            self._turns = await self._begin()
        return await anext(self._turns)


def _given(value: Given, read: Callable[[Any], Any]) -> Callable[[Any], Any]:
    """What gives a value when its step begins; what is no number is not known."""

    def run(look: Any) -> Any:
        found = value() if callable(value) else value
        is_known = found is not None and not (isinstance(found, float) and math.isnan(found))
        return read(found) if is_known else None

    return run


def _any(value: Given) -> Value:
    return Value(kind="number", run=_given(value, lambda found: found))


def _number(value: Given | None) -> Any:
    return None if value is None else Value(kind="number", run=_given(value, float))


def _text(value: Given) -> Value:
    return Value(kind="text", run=_given(value, lambda found: str(found)[:MOST_TEXT]))


def _for(point: Point, value: Given) -> Value:
    return Value(kind="number", run=_given(value, lambda found: value_for(point, found)))


def _in_its_unit(point: Point, seconds: Given) -> Value | None:
    """How long a pulse that the board itself times is to last."""
    if point.kind is not PointKind.PULSE:
        return None
    factor = units.DIMENSIONS["time"]["s"] / units.DIMENSIONS["time"][point.unit]
    return Value(kind="number", run=_given(seconds, lambda found: converted(float(found), factor)))


def _fields(fields: Mapping[str, Given] | None) -> dict[str, Any]:
    return {name: _any(value) for name, value in (fields or {}).items()}
