"""The rig: the bit of the outside world that parts act on and sense, as small equations over time."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from math import inf
from typing import Any, Protocol

import msgspec

from cavet import units
from cavet.boards._equations import Row, make_equations
from cavet.expressions import Expression

STEP_SECONDS = 0.02
"""The longest step of integration. A paddle's full way takes twenty of them."""

GRAIN_SECONDS = 0.002
"""While no part has set out, so much time may be left for later."""

LOOK_SECONDS = 0.01
"""How often what depends on the rig looks whether it has changed, while that can't be reckoned ahead."""

STEPS_AHEAD = 50
GRAINS = 500
"""So many steps of its whole way are told of a quantity."""


class Quantity(msgspec.Struct, kw_only=True):
    """One number of the outside world: a level, a way, a temperature.

    `rate` is its change in units a second; it holds still while `free` is not true, and stays within its limits.
    """

    name: str
    unit: str = ""
    start: float = 0.0
    low: float = -inf
    high: float = inf
    rate: Expression | None = None
    free: Expression | None = None

    def show(self, value: float) -> str:
        """Print a value of it, as finely as a thousandth of what it can be."""
        span = self.high - self.low
        return units.show(value, self.unit, units.places(span / 1000) if 0 < span < inf else None)


class Course:
    """What is told of a quantity as it goes on: where it stood when that was told last, and how far it has to have gone
    until it is told again."""

    def __init__(self, quantity: Quantity) -> None:
        span = quantity.high - quantity.low
        self.name = quantity.name
        self._grain = span / GRAINS if span < inf else max(abs(quantity.start), 1.0) / GRAINS
        self._told: float | None = None

    def tells(self, value: float, *, moves: bool) -> bool:
        """Whether it is to be told where it stands: also at last, when it has stopped."""
        if value == self._told:
            return False
        if moves and self._told is not None and abs(value - self._told) < self._grain:
            return False
        self._told = value
        return True


class Mover(Protocol):
    """A part whose position or speed the rig can read. While it moves, or is about to, `wake` is a time."""

    wake: float
    stirs_rig: bool
    """Set by the rig that reads it."""

    def fraction(self, now: float) -> float: ...


Function = Callable[[Sequence[float]], float]


class Rig:
    """All quantities, and the parts that their equations name. `advance` brings them to a time.

    `read` are other expressions that will be bound to it.
    """

    def __init__(
        self, quantities: Sequence[Quantity], movers: dict[str, Mover], read: Iterable[Expression] = ()
    ) -> None:
        self.quantities = list(quantities)
        self._slots = {quantity.name: slot for slot, quantity in enumerate(self.quantities)}
        self._movers: list[tuple[int, Mover]] = []
        expressions = [
            expression for quantity in quantities for expression in (quantity.rate, quantity.free) if expression
        ]
        names = {name for expression in (*expressions, *read) for name in expression.names}
        for name in sorted(names & movers.keys()):
            slot = len(self._slots)
            self._slots[name] = slot
            self._movers.append((slot, movers[name]))
            movers[name].stirs_rig = True
        self._looked_at = list(self._movers)
        """Those that are asked where they stand."""
        self._lively = self._looked_at
        """Those of them that may stand elsewhere by now."""
        self._row = [quantity.start for quantity in self.quantities] + [0.0] * len(self._movers)
        self._free: list[Function | None] = [q.free.bind(self._slots) if q.free else None for q in self.quantities]
        self._reckon_rates, self._move = make_equations(self.quantities, self._slots)
        self._moving = [0.0] * len(self.quantities)
        self._stirred = True
        self.touched = True
        """Set by a part that may have set out just now: it is looked at again, though no time has passed."""
        self.calls_at = 0.0
        """When the first of the parts wants to be called."""
        self.awake: set[Any] = set()
        """The parts that want to be called at some time: the others need no look."""
        self._is_still = False
        """Whether nothing moves, and nothing will until something is touched or set."""
        self._courses = [Course(quantity) for quantity in self.quantities]
        self._is_all_told = False
        """Whether it was told of each where it stands, since all is still."""
        self._now = 0.0
        self.next_at = GRAIN_SECONDS
        """Before that it is not brought on, where nothing has touched it."""
        self._ahead: list[tuple[float, Row]] | None = None
        """What it will come to, as far as that was reckoned."""
        self._look(0.0)

    def bind(self, expression: Expression) -> Function:
        """Make the function that reads an expression off this rig; call it with `row`."""
        return expression.bind(self._slots)

    @property
    def row(self) -> Sequence[float]:
        """All values, as bound functions want them."""
        return self._row

    def __contains__(self, name: str) -> bool:
        return name in self._slots

    def value(self, name: str) -> float:
        """A quantity as it stands at the time last advanced to."""
        return self._row[self._slots[name]]

    def changes(self) -> list[tuple[str, float]]:
        """The quantities that have gone on so far since this was asked last that it is to be told, and where they
        stand."""
        if self._is_still and self._is_all_told:
            return []
        self._is_all_told = self._is_still
        return [
            (course.name, self._row[slot]) for slot, course in enumerate(self._courses)
            if course.tells(self._row[slot], moves=self._moving[slot] != 0)
        ]  # fmt: skip

    def set(self, name: str, value: float) -> None:
        """Put a quantity somewhere, by hand."""
        quantity = self.quantities[self._slots[name]]
        self._row[self._slots[name]] = min(quantity.high, max(quantity.low, value))
        self._look(self._now)
        self._stirred = True
        self._ahead = None
        self._is_still = self._is_all_told = False

    def go_on(self, before: Rig, now: float) -> None:
        """Go on where another rig has stopped: quantities of the same name stand as they stood there."""
        for name in self._slots.keys() & before._slots.keys():
            self._row[self._slots[name]] = before._row[before._slots[name]]
        self._now = now
        self.next_at = now + GRAIN_SECONDS
        self._look(now)

    def rate(self, name: str) -> float:
        """How fast a quantity changes, in units a second."""
        return self._moving[self._slots[name]]

    def changing(self, names: Sequence[str]) -> bool:
        """Whether one of the named quantities or parts is changing now."""
        size = len(self.quantities)
        slots = [self._slots[name] for name in names if name in self._slots]
        return any(slot >= size or self._moving[slot] != 0 for slot in slots)

    def blocked(self, name: str, direction: float) -> bool:
        """Whether a quantity can't go on in a direction: it is held, or at its end."""
        slot = self._slots[name]
        free = self._free[slot]
        if free is not None and not free(self._row):
            return True
        quantity, value = self.quantities[slot], self._row[slot]
        return value >= quantity.high if direction > 0 else value <= quantity.low

    def why_blocked(self, name: str) -> str:
        """Say what keeps a quantity from going on."""
        quantity = self.quantities[self._slots[name]]
        free = self._free[self._slots[name]]
        if quantity.free is not None and free is not None and not free(self._row):
            return f"{name} is held: it needs {quantity.free.text}"
        return f"{name} is at its end, {quantity.show(self.value(name))}"

    def leave_out(self, mover: object) -> None:
        """Take a part where it was last: it can't be asked any more."""
        self._looked_at = [(slot, kept) for slot, kept in self._looked_at if kept is not mover]
        self.touched = True

    def take_in(self) -> None:
        """Ask all parts again."""
        self._looked_at = list(self._movers)
        self.touched = True

    @property
    def is_stirred(self) -> bool:
        """Whether `take_stir` would say so."""
        return self._stirred

    def take_stir(self) -> bool:
        """Whether, since the last time this was asked, a quantity has begun or ceased to change, or was set, or a part
        has set out."""
        stirred, self._stirred = self._stirred, False
        return stirred

    def advance(self, now: float) -> None:
        """Integrate up to `now`, in steps of at most `STEP_SECONDS`; a moment too short to matter is left for later."""
        touched = self.touched
        if touched:
            self._take_touch(now)
        elif now < self.next_at:
            return
        elif self._is_still:
            self._now = now
            self.next_at = now + GRAIN_SECONDS
            return
        row, moving = self._row, self._moving
        while self._now < now:
            span = now - self._now
            if span < STEP_SECONDS:
                self._now = now
            else:
                span = STEP_SECONDS
                self._now += span
            self._move(row, moving, span)
            self._look(self._now)
        self.next_at = self._now + GRAIN_SECONDS
        if touched:
            self._lively = [(slot, mover) for slot, mover in self._looked_at if mover.wake < inf]
        self._is_still = not self._lively and not any(moving)

    def _take_touch(self, now: float) -> None:
        """Some part has set out, or come to rest: all are asked once, and from then on those that are on their way."""
        self.touched = False
        self._is_all_told = False
        self._stirred = True
        self._ahead = None
        self._lively = self._looked_at
        if self._now >= now:
            self._look(now)

    def _look(self, at: float) -> None:
        """Take the movers' places, and reckon the rates that hold from now on."""
        row = self._row
        for slot, mover in self._lively:
            row[slot] = mover.fraction(at)
        if self._reckon_rates(row, self._moving):
            self._stirred = True

    def may_change_at(self, function: Function, now: float) -> float:
        """When a bound condition may be another one than it is by now, at the earliest; it is to be looked at then.

        While a part moves that is soon, else as far off as the rig can be reckoned ahead.
        """
        if self.touched or self._lively:
            return now + LOOK_SECONDS
        if self._is_still:
            return inf
        if self._ahead is None or now >= self._ahead[-1][0]:
            self._ahead = self._reckon_ahead()
        state = bool(function(self._row))
        before = now
        for at, row in self._ahead:
            if at > now and bool(function(row)) != state:
                break
            before = max(now, at)
        return max(before, now + LOOK_SECONDS)

    def _reckon_ahead(self) -> list[tuple[float, Row]]:
        """What it will come to in the next second, step by step, if nothing is touched."""
        row, moving, at = self._row.copy(), self._moving.copy(), self._now
        ahead = []
        for _ in range(STEPS_AHEAD):
            self._move(row, moving, STEP_SECONDS)
            self._reckon_rates(row, moving)
            at += STEP_SECONDS
            ahead.append((at, row.copy()))
        return ahead
