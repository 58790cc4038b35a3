"""A condition that is looked at again and again. Of pins alone each look sees what they have been since the one before.

A strobe, a step or a wrong level may last a millisecond, or less: who looks now and then passes it by. What pins were
driven to, and which levels came, stands in the record; so each moment between two looks can be looked at as it was.
Parts have their inertia, and of points a host knows no more than what it has heard: these are looked at as they are.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from itertools import groupby
from typing import Any

from cavet.bench import RunningBench
from cavet.boards import PinMode
from cavet.record import Event, Kind, Topic
from cavet.routines._compiling import Run
from cavet.routines._looking import Looking

Pin = tuple[str, int]
"""A board, and the number of a pin of it."""


class Moments:
    """Looks at a condition; its edges are its own."""

    def __init__(self, condition: Run, look: Looking, bench: RunningBench) -> None:
        self._condition = condition
        self._glance = _Glance(look)
        self._look = look
        self._bench = bench
        self._next = len(bench.record)

    def look(self) -> list[bool]:
        """Whether it held, at each moment since the last look at which a pin that it is about has changed; and now."""
        since, self._next = self._next, len(self._bench.record)
        is_of_pins = self._glance.pins and not self._glance.sees_more
        between = list(self._held_between(self._bench.record.since(since, self._next - since))) if is_of_pins else []
        return [*between, self._held(None)]

    def _held(self, pins: dict[Pin, float] | None) -> bool:
        self._glance.then = pins
        held = bool(self._condition(self._glance))
        self._look.look_again()
        return held

    def _held_between(self, events: Iterable[Event]) -> Iterator[bool]:
        changes = [(event.t, pin, value) for event in events for pin, value in self._change(event)]
        pins = dict(self._glance.pins)
        self._glance.changed = {pin for _, pin, _ in changes}
        for _, group in groupby(changes, key=lambda change: change[0]):
            pins |= {pin: value for _, pin, value in group}
            before, seen = dict(self._look.before), dict(self._look.seen)
            held = self._held(pins)
            if self._glance.sees_more:  # what else it is about was not as it is now
                self._look.before |= before
                self._look.seen |= seen
                return
            yield held

    def _change(self, event: Event) -> Iterator[tuple[Pin, float]]:
        """The pin that an event is about, and what it is then, where the condition has looked at it."""
        if event.topic is not Topic.PIN or event.kind not in (Kind.DRIVEN, Kind.LEVEL):
            return
        pin, value = (event.board, int(event.subject)), event.value
        if pin not in self._glance.pins or isinstance(value, str | bytes) or value is None:
            return
        mode = self._bench.world.boards[event.board].circuit.pins[pin[1]].mode
        if event.kind is Kind.LEVEL or event.note == mode.word or mode is PinMode.SERVO:  # not: steps, or how it blinks
            yield pin, float(value)


class Edges:
    """Calls `ring` at each edge at which a condition begins to hold, once it has held so long; `now` tells the time."""

    def __init__(self, moments: Moments, lasts: float, now: Callable[[], float], ring: Callable[[], None]) -> None:
        self._moments = moments
        self._lasts = lasts
        self._now = now
        self._ring = ring
        self._held = moments.look()[-1]
        self._since: float | None = None

    def look(self) -> None:
        """Look on from where it was looked last."""
        for holds in self._moments.look():
            if holds and not self._held:
                self._since = self._now()
            if not holds:
                self._since = None
            if self._since is not None and self._now() - self._since >= self._lasts - 1e-9:
                self._ring()
                self._since = None
            self._held = holds


class _Glance:
    """A look at pins as they were at a moment; it notes whether anything else was looked at."""

    def __init__(self, look: Looking) -> None:
        self._look = look
        self.scope, self.before, self.seen = look.scope, look.before, look.seen
        self.pins: dict[Pin, float] = {}
        """What those that were looked at were, when they were looked at last."""
        self.then: dict[Pin, float] | None = None
        """What they were at the moment that is looked at; `None` for now."""
        self.changed: set[Pin] = set()
        """Those that have changed since the last look."""
        self.sees_more = False

    def pin(self, board: str, number: int) -> Any:
        key = (board, number)
        if self.then is not None and key in self.then:
            return self.then[key]
        if self.then is not None and key in self.changed:
            self.sees_more = True
        value = self._look.pin(board, number)
        if self.then is None:
            self.pins[key] = value
        return value

    def __getattr__(self, name: str) -> Any:
        self.sees_more = True
        return getattr(self._look, name)
