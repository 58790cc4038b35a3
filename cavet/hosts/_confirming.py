"""Wishes that wait until pins are read back."""

from __future__ import annotations

from collections import Counter

from cavet.hosts._awaiting import Awaited, Awaiting, Overtake
from cavet.hosts._base import Wish
from cavet.hosts._points import PinPoint

ANSWER_BYTES = 8
"""Of the answer that tells how a pin stands: of a number of 14 bits, which is what mostly is read."""


class _Missing(Awaited):
    """A wish, and the numbers that are still expected, by pins."""

    missing: dict[int, int]


class Confirming(Awaiting[_Missing]):
    """Which numbers are expected to be read back from which pins, and until when.

    An answer tells only of which pin it is. So for each question that nobody waits for any more, since a newer wish
    came, one answer that does not agree is passed over: it tells how the pin stood before.
    """

    def __init__(self, overtake: Overtake) -> None:
        super().__init__(overtake)
        self._stale: Counter[int] = Counter()
        """How many answers of each pin are still to come that nobody waits for."""

    def wait(self, wish: Wish, wanted: dict[int, int], now: float, deadline: float) -> None:
        """Expect these numbers at these pins; an older wish for the same point is not waited for any more."""
        older = self.put(_Missing(wish, now, deadline, dict(wanted)))
        if older is not None and older.wish is not wish:
            self._stale.update(older.missing.keys())

    def hear(self, pin: int, state: int, now: float) -> tuple[Wish, bool, float] | None:
        """A pin was read back. Give the wish that this ends, whether it agrees, and how long it took."""
        waiting = next((waiting for waiting in self if pin in waiting.missing), None)
        if waiting is None:
            return None
        if state != waiting.missing[pin] and self._stale[pin] > 0:
            self._stale[pin] -= 1
            return None
        agrees = state == waiting.missing.pop(pin)
        if agrees and waiting.missing:
            return None
        self.pop(waiting.wish.point.name)
        self._stale.update(waiting.missing.keys())
        return waiting.wish, agrees, now - waiting.since

    def overdue(self, now: float) -> list[_Missing]:
        """Those that were not answered in time. The answers may still come: late, and not to the next question."""
        late = super().overdue(now)
        for waiting in late:
            self._stale.update(waiting.missing.keys())
        return late

    @property
    def owed(self) -> Counter[int]:
        """How many answers of each pin are still to come."""
        owed = +self._stale
        for waiting in self:
            owed.update(waiting.missing.keys())
        return owed

    def expects(self, pin: int, state: int) -> bool:
        """Whether this is what is waited for at a pin."""
        return any(waiting.missing.get(pin) == state for waiting in self)

    def abandon(self) -> list[Wish]:
        self._stale.clear()
        return super().abandon()


class Looks:
    """Outputs that are read afresh, each with the states of its pins as far as they were told."""

    def __init__(self) -> None:
        self._told: dict[str, tuple[PinPoint, dict[int, int]]] = {}

    def clear(self) -> None:
        """Nothing is told of them any more."""
        self._told.clear()

    def begin(self, point: PinPoint) -> list[int]:
        """Read a point afresh. Give the pins to ask for."""
        self._told[point.name] = point, {}
        return list(point.modes())

    def hear(self, pin: int, state: int) -> list[tuple[PinPoint, dict[int, int]]]:
        """A pin was told. Give the points whose pins have all been told by that, with their states."""
        for point, states in self._told.values():
            if pin in point.modes():
                states[pin] = state
        done = [(point, states) for point, states in self._told.values() if len(states) == len(point.modes())]
        for point, _ in done:
            del self._told[point.name]
        return done
