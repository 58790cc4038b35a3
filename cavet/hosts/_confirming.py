"""Wishes that wait until pins are read back."""

from __future__ import annotations

from cavet.hosts._awaiting import Awaited, Awaiting
from cavet.hosts._base import Wish
from cavet.hosts._points import PinPoint

ANSWER_BYTES = 8
"""Of the answer that tells how a pin stands: of a number of 14 bits, which is what mostly is read."""


class _Missing(Awaited):
    """A wish, and the numbers that are still expected, by pins."""

    missing: dict[int, int]


class Confirming(Awaiting[_Missing]):
    """Which numbers are expected to be read back from which pins, and until when."""

    def wait(self, wish: Wish, wanted: dict[int, int], now: float, deadline: float) -> None:
        """Expect these numbers at these pins; an older wish for the same point is not waited for any more."""
        self.put(_Missing(wish, now, deadline, dict(wanted)))

    def hear(self, wish: Wish, pin: int, state: int) -> bool | None:
        """A pin was read back for a wish. Tell whether it agrees, where this ends the wish."""
        waiting = self.get(wish.point.name)
        if waiting is None or waiting.wish is not wish or pin not in waiting.missing:
            return None
        agrees = state == waiting.missing.pop(pin)
        if agrees and waiting.missing:
            return None
        self.pop(wish.point.name)
        return agrees


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
