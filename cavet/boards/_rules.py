"""Rules that a board is given while it runs: conditions of its own pins, and what it does then, step by step.

The same as reflexes, but for more than one pin: a body may wait, repeat and choose. One turn of a rule at a time; an
edge that comes during its turn is kept, one only.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from math import inf
from typing import Protocol

import msgspec

from cavet.boards._circuit import Circuit
from cavet.boards._pins import SWITCHING, Pin, PinMode, unswitchable
from cavet.record import Kind, Tell, Topic

MOST_AT_ONCE = 10_000
"""So many steps a rule may take at one time: more would stand still."""
WATCH_SECONDS = 0.01
"""How often a board looks at what no level tells it: how its outputs are driven, what its converter reads."""


class Hands(Protocol):
    """What a rule can do: read its board's pins, and drive them."""

    def is_high(self, pin: int) -> bool: ...
    def is_on(self, pin: int) -> bool: ...
    def share(self, pin: int) -> float: ...
    def reading(self, pin: int) -> float: ...
    def write(self, pin: int, share: float) -> None: ...


class Rule(msgspec.Struct, frozen=True, kw_only=True):
    """When a condition begins to hold, and holds for `lasts` seconds, `body` is done: it gives the seconds that it
    waits. `at_both` begins it when the condition ends to hold, too."""

    name: str
    inputs: dict[int, PinMode]
    """The pins that it reads, and how."""
    outputs: tuple[int, ...]
    holds: Callable[[Hands], bool]
    body: Callable[[Hands], Iterator[float]]
    watched: tuple[int, ...] = ()
    """The pins that `holds` looks at and no level tells of: it is looked at again and again."""
    lasts: float = 0.0
    at_both: bool = False


class _Turn:
    """A rule at work."""

    def __init__(self, rule: Rule, held: bool) -> None:
        self.rule = rule
        self.held = held
        self.rings_at = inf
        """When the condition will have held long enough."""
        self.is_rung = False
        self.steps: Iterator[float] | None = None
        self.due = inf
        self.edge: int | None = None
        """The event that the condition has begun to hold with."""
        self.rung_by: int | None = None
        self.cause: int | None = None
        """The event of the turn under way."""


class Rules:
    """The rules that a board was given."""

    def __init__(self, circuit: Circuit, tell: Tell) -> None:
        self._circuit = circuit
        self._tell = tell
        self._rules: list[Rule] = []
        self.turns: list[_Turn] = []
        self._driven: list[Pin] = []
        self._now = 0.0
        self._watches_at = inf
        """When it looks again at what is watched."""
        self._acting: int | None = None
        self._named = ""
        """The rule that acts."""

    def give(self, rules: list[Rule], now: float) -> None:
        """Follow these rules from now on, and no others; what was under way is given up."""
        self._rules = rules
        self.start(now)

    def start(self, now: float) -> None:
        """As after power-on: its pins in their modes, nothing has happened yet."""
        for rule in self._rules:
            for pin, mode in rule.inputs.items():
                if self._circuit.pins[pin].mode is not mode and not self._circuit.pins[pin].mode.drives:
                    self._circuit.set_mode(pin, mode, now, None)
            for pin in rule.outputs:
                if not self._circuit.pins[pin].mode.drives:  # else the firmware has given it one
                    self._circuit.set_mode(pin, PinMode.OUTPUT, now, None)
        if self._rules:
            self._circuit.settle(now)
        self._now = now
        self.turns = [_Turn(rule, rule.holds(self)) for rule in self._rules]
        self._watches_at = now if any(rule.watched for rule in self._rules) else inf

    # what a rule can do

    def is_high(self, pin: int) -> bool:
        """The level of a pin."""
        return self._circuit.pins[pin].level

    def is_on(self, pin: int) -> bool:
        """Whether an output is driven."""
        return bool(self._circuit.pins[pin].value)

    def share(self, pin: int) -> float:
        """To which share an output is driven, 0 to 1."""
        return self._circuit.pins[pin].duty

    def reading(self, pin: int) -> float:
        """Which share of its range the converter reads at a pin, 0 to 1."""
        return self._circuit.read_share(pin, self._now)

    def write(self, pin: int, share: float) -> None:
        """Drive an output, 0 to 1. One that somebody has given another mode is told, and left alone."""
        driven = self._circuit.pins[pin]
        if driven.mode not in SWITCHING:
            self._tell(Kind.REFUSED, Topic.REFLEX, self._named, None, self._acting, unswitchable(driven))
            return
        self._circuit.write_value(pin, share, (0.0, 1.0), self._now, self._acting)
        self._driven.append(driven)

    # as time goes on

    def levels_changed(self, pins: list[Pin], now: float) -> None:
        """Input pins have changed."""
        numbers = {pin.number for pin in pins}
        for turn in self.turns:
            read = numbers & turn.rule.inputs.keys()
            if read:
                self._look(turn, self._circuit.pins[min(read)].cause, now)

    def _look(self, turn: _Turn, cause: int | None, now: float) -> None:
        holds = turn.rule.holds(self)
        if holds == turn.held:
            turn.rings_at = inf
        elif turn.rings_at < inf:
            return  # it has held since then
        elif holds or turn.rule.at_both:
            turn.rings_at, turn.edge = now + turn.rule.lasts, cause
        else:
            turn.held, turn.rings_at = False, inf

    def advance(self, now: float) -> tuple[float, list[Pin]]:
        """Do what is due; give when something is due next, and the pins that were driven."""
        self._now, self._driven = now, []
        self._watch(now)
        due = self._watches_at
        for turn in self.turns:
            if now >= turn.rings_at:
                turn.held, turn.rings_at = not turn.held, inf
                if not turn.is_rung:
                    turn.is_rung, turn.rung_by = True, turn.edge
            if turn.steps is None and turn.is_rung:
                turn.is_rung = False
                words = f"{turn.rule.name} begins"
                self._acting = self._tell(Kind.REFLEX, Topic.REFLEX, turn.rule.name, None, turn.rung_by, words)
                turn.cause = self._acting
                turn.steps, turn.due = turn.rule.body(self), now
            if turn.steps is not None and now >= turn.due:
                self._go_on(turn, now)
            due = min(due, turn.rings_at, turn.due)
        return due, self._driven

    def _watch(self, now: float) -> None:
        """Look at what no level tells of, when it is time to."""
        if now < self._watches_at:
            return
        self._watches_at = now + WATCH_SECONDS
        for turn in self.turns:
            if turn.rule.watched:
                pins = [self._circuit.pins[pin] for pin in turn.rule.watched]
                causes = [pin.cause for pin in pins if pin.mode.drives and pin.cause is not None]
                self._look(turn, max(causes, default=None), now)

    def _go_on(self, turn: _Turn, now: float) -> None:
        """Take the steps of a turn up to the next that waits."""
        assert turn.steps is not None  # the caller has looked
        self._acting, self._named = turn.cause, turn.rule.name
        for _ in range(MOST_AT_ONCE):
            wait = next(turn.steps, None)
            if wait is None:
                turn.steps, turn.due = None, inf
                if turn.is_rung:
                    turn.due = now
                return
            if wait > 0:
                turn.due = now + self._circuit.pace * wait
                return
        turn.steps, turn.due = None, inf
        self._tell(Kind.REFUSED, Topic.REFLEX, turn.rule.name, None, turn.cause, "it stood still: nothing in it waits")
