"""A reflex of a routine's file, made into a rule that a board follows by itself.

A board knows its own pins and nothing else: names are those of its parts, values on and off, or a share of an output.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from cavet.benchfile import BoardSetup, Setup
from cavet.boards import KINDS, Hands, PinMode, Rule
from cavet.routines import _tree as tree
from cavet.routines._compiling import Names
from cavet.routines._conditions import Compiler
from cavet.routines._mistakes import MistakeError
from cavet.wording import digits, listed

STEPS = ("set", "toggle", "pulse", "wait", "repeat", "if")
LOW_WORDS, HIGH_WORDS = ("off", "pressed", "closed", "low"), ("on", "released", "open", "high")
TO_GROUND = ("button",)
"""Kinds of parts that pull their pin low when they are worked."""
MOST_TURNS = 1_000_000
Holds = Callable[[Hands], bool]
Body = Callable[[Hands], Iterator[float]]


class ReflexReader:
    """Reads one reflex. Raises `MistakeError`, with the line where it is another one than the reflex's."""

    def __init__(self, reflex: tree.Reflex, setup: Setup) -> None:
        self._reflex = reflex
        self._times = Compiler(Names(setup, {}, set()))
        board = setup.boards.get(reflex.board)
        if board is None:
            raise MistakeError(1, found=reflex.board, expected="a simulated board", words=list(setup.boards))
        self._board: BoardSetup = board
        self._inputs: dict[int, PinMode] = {}
        self._outputs: set[int] = set()

    def rules(self) -> list[Rule]:
        """A rule for each `when` of it."""
        return [self._rule(track) for track in self._reflex.whens]

    def _rule(self, track: tree.Track) -> Rule:
        self._inputs, self._outputs = {}, set()
        assert track.condition is not None  # a `when` has one
        condition = track.condition
        at_both = isinstance(condition, tree.Edge) and condition.how == "changes"
        try:
            holds = self._edge(condition) if isinstance(condition, tree.Edge) else self._condition(condition)
            lasts = float(self._times.time(track.lasts).run(None)) if track.lasts is not None else 0.0
        except MistakeError as mistake:
            mistake.line = mistake.line or track.line
            raise
        body = self._body(track.body)
        return Rule(
            name=self._reflex.name, inputs=self._inputs, outputs=tuple(sorted(self._outputs)), holds=holds, body=body,
            lasts=lasts, at_both=at_both,
        )  # fmt: skip

    # names and conditions

    def _part(self, name: tree.Expr) -> tuple[str, int]:
        """A part of the board with one pin: its kind, and the pin."""
        parts = self._board.parts
        if not isinstance(name, tree.Name) or name.name not in parts:
            found = name.name if isinstance(name, tree.Name) else "a value"
            raise MistakeError(name.at, found=found, expected=f"a part of the {self._board.name}", words=list(parts))
        table = parts[name.name]
        wires = table.wires
        if len(wires) != 1 or table.hangs_on:
            raise MistakeError(name.at, found=name.name, expected="a part that hangs on one pin of the board itself")
        return table.kind, next(iter(wires.values()))

    def _read_pin(self, name: tree.Expr) -> tuple[str, int]:
        kind, pin = self._part(name)
        if KINDS[kind].senses:
            able = self._board.profile.pins[pin]
            mode = PinMode.PULL_UP if kind in TO_GROUND and able.can(PinMode.PULL_UP) else PinMode.INPUT
            self._inputs[pin] = mode
        return kind, pin

    def _edge(self, edge: tree.Edge) -> Holds:
        kind, pin = self._read_pin(edge.of)
        if not KINDS[kind].senses:
            raise MistakeError(edge.of.at, found=f"a {kind}", expected="something that the board senses")
        if edge.how == "falls":
            return lambda hands: not hands.is_high(pin)
        return lambda hands: hands.is_high(pin)

    def _condition(self, expr: tree.Expr) -> Holds:
        if isinstance(expr, tree.Joined):
            parts = [self._condition(each) for each in expr.of]
            join = all if expr.how == "and" else any
            return lambda hands: join([part(hands) for part in parts])
        if isinstance(expr, tree.Not):
            inner = self._condition(expr.of)
            return lambda hands: not inner(hands)
        if isinstance(expr, tree.Compare) and expr.sign in ("is", "=", "!="):
            holds = self._stands(expr.left, expr.right)
            return (lambda hands: not holds(hands)) if expr.sign == "!=" else holds
        if isinstance(expr, tree.Edge):
            raise MistakeError(expr.at, found=expr.how, expected="an edge alone behind `when`")
        expected = f"PART is {listed((*HIGH_WORDS, *LOW_WORDS))}"
        raise MistakeError(expr.at, found="another condition", expected=expected)

    def _stands(self, part: tree.Expr, word: tree.Expr) -> Holds:
        kind, pin = self._read_pin(part)
        name = word.name if isinstance(word, tree.Name) else "another value"
        if name not in (*HIGH_WORDS, *LOW_WORDS):
            expected = f"one of {listed((*HIGH_WORDS, *LOW_WORDS))}"
            raise MistakeError(word.at, found=name, expected=expected, words=[*HIGH_WORDS, *LOW_WORDS])
        if not KINDS[kind].senses:
            return (lambda hands: hands.is_on(pin)) if name in HIGH_WORDS else (lambda hands: not hands.is_on(pin))
        if kind not in TO_GROUND and name in ("closed", "open"):  # a contact to the supply: closed is high
            name = "high" if name == "closed" else "low"
        return (lambda hands: hands.is_high(pin)) if name in HIGH_WORDS else (lambda hands: not hands.is_high(pin))

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

    def _driven(self, point: tree.Name) -> int:
        kind, pin = self._part(point)
        if KINDS[kind].senses or not self._board.profile.pins[pin].can(PinMode.OUTPUT):
            raise MistakeError(point.at, found=point.name, expected="a part that the board drives")
        self._outputs.add(pin)
        return pin

    def _set(self, step: tree.Step) -> Body:
        pin, value = self._driven(step.point), step.of["value"]
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
        pin = self._driven(step.point)

        def body(hands: Hands) -> Iterator[float]:
            hands.write(pin, 0.0 if hands.is_on(pin) else 1.0)
            yield 0.0

        return body

    def _pulse(self, step: tree.Step) -> Body:
        pin, lasts = self._driven(step.point), self._time(step.lasts)

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
        condition, inner, otherwise = self._condition(step.condition), self._body(step.body), self._body(step.otherwise)

        def body(hands: Hands) -> Iterator[float]:
            yield from inner(hands) if condition(hands) else otherwise(hands)

        return body
