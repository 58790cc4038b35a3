"""A reflex of a routine's file, made into a rule that a board follows by itself.

A board knows its own pins and nothing else: names are those of its parts, values on and off, or a share of an output.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from cavet.benchfile import Setup
from cavet.boards import Hands, Rule
from cavet.routines import _tree as tree
from cavet.routines._compiling import Names
from cavet.routines._conditions import Compiler
from cavet.routines._mistakes import MistakeError
from cavet.routines._own_pins import OwnPins
from cavet.wording import digits, listed

STEPS = ("set", "toggle", "pulse", "wait", "repeat", "if")
MOST_TURNS = 1_000_000
Body = Callable[[Hands], Iterator[float]]


class ReflexReader:
    """Reads one reflex. Raises `MistakeError`, with the line where it is another one than the reflex's."""

    def __init__(self, reflex: tree.Reflex, setup: Setup) -> None:
        self._reflex = reflex
        self._times = Compiler(Names(setup, {}, set()))
        board = setup.boards.get(reflex.board)
        if board is None:
            raise MistakeError(1, found=reflex.board, expected="a simulated board", words=list(setup.boards))
        self._setup = setup
        self._board = board
        self._pins = OwnPins(board, setup)

    def rules(self) -> list[Rule]:
        """A rule for each `when` of it."""
        return [self._rule(track) for track in self._reflex.whens]

    def _rule(self, track: tree.Track) -> Rule:
        self._pins = OwnPins(self._board, self._setup)
        assert track.condition is not None  # a `when` has one
        condition = track.condition
        at_both = isinstance(condition, tree.Edge) and condition.how == "changes"
        try:
            holds = self._pins.begins(condition)
            watched = tuple(sorted(self._pins.watched))
            lasts = float(self._times.time(track.lasts).run(None)) if track.lasts is not None else 0.0
        except MistakeError as mistake:
            mistake.line = mistake.line or track.line
            raise
        body = self._body(track.body)
        return Rule(
            name=self._reflex.name, inputs=self._pins.inputs, outputs=tuple(sorted(self._pins.outputs)), holds=holds,
            body=body, watched=watched, lasts=lasts, at_both=at_both,
        )  # fmt: skip

    # steps

    def _body(self, steps: list[tree.Step]) -> Body:
        made = []
        for step in steps:
            try:
                if step.kind not in STEPS:
                    raise MistakeError(
                        step.at, found=step.kind, expected=f"one of {listed(STEPS)}: a board can do no more"
                    )
                read: Callable[[tree.Step], Body] = getattr(self, f"_{step.kind}")
                made.append(read(step))
            except MistakeError as mistake:
                mistake.line = mistake.line or step.line
                raise

        def body(hands: Hands) -> Iterator[float]:
            for one in made:
                yield from one(hands)

        return body

    def _set(self, step: tree.Step) -> Body:
        pin, value = self._pins.driven(step.point), step.of["value"]
        if isinstance(value, tree.Number):
            share = value.value / 100 if value.unit == "%" else value.value
            if value.unit not in ("%", None) or not 0 <= share <= 1:
                raise MistakeError(
                    value.at, found=f"{digits(value.value)} {value.unit or ''}".strip(), expected="0 % to 100 %"
                )
        elif isinstance(value, tree.Name) and value.name in ("on", "off"):
            share = 1.0 if value.name == "on" else 0.0
        else:
            raise MistakeError(value.at, found="another value", expected="on, off, or a share in %")

        def body(hands: Hands) -> Iterator[float]:
            hands.write(pin, share)
            yield 0.0

        return body

    def _toggle(self, step: tree.Step) -> Body:
        pin = self._pins.driven(step.point)

        def body(hands: Hands) -> Iterator[float]:
            hands.write(pin, 0.0 if hands.is_on(pin) else 1.0)
            yield 0.0

        return body

    def _pulse(self, step: tree.Step) -> Body:
        pin, lasts = self._pins.driven(step.point), self._time(step.lasts)

        def body(hands: Hands) -> Iterator[float]:
            hands.write(pin, 1.0)
            yield lasts
            hands.write(pin, 0.0)
            yield 0.0

        return body

    def _time(self, expr: tree.Expr) -> float:
        found = self._times.time(expr)
        if not found.constant:
            raise MistakeError(expr.at, found="something that is known only later", expected="a time")
        return float(found.run(None))

    def _wait(self, step: tree.Step) -> Body:
        if "time" not in step.of:
            raise MistakeError(step.at, found="wait until", expected="`wait TIME`: a condition is for `when`")
        seconds = self._time(step.time)

        def body(hands: Hands) -> Iterator[float]:
            yield seconds

        return body

    def _repeat(self, step: tree.Step) -> Body:
        times: Any = step.times
        if times is not None and (not isinstance(times, tree.Number) or not 0 <= times.value <= MOST_TURNS):
            raise MistakeError(times.at, found="another count", expected=f"a whole number, 0 to {MOST_TURNS}")
        inner, count = self._body(step.body), None if times is None else int(times.value)
        if count is None and not any(each.kind in ("wait", "pulse") for each in step.body):
            expected = "a step in it that waits, such as `wait 10 ms`"
            raise MistakeError(step.at, found="repeat in which nothing waits", expected=expected)

        def body(hands: Hands) -> Iterator[float]:
            turn = 0
            while count is None or turn < count:
                yield from inner(hands)
                turn += 1

        return body

    def _if(self, step: tree.Step) -> Body:
        condition, inner, otherwise = (
            self._pins.holds(step.condition),
            self._body(step.body),
            self._body(step.otherwise),
        )

        def body(hands: Hands) -> Iterator[float]:
            yield from inner(hands) if condition(hands) else otherwise(hands)

        return body
