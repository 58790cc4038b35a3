"""Bridges that pause before they turn: a motor that is reversed at full speed draws twice its stall current, and its
bridge may short for a moment."""

from __future__ import annotations

from math import inf

from cavet.hosts._base import Wish
from cavet.hosts._point import PointKind
from cavet.hosts._points import PinPoint


class Reversing:
    """Wishes for the other direction that wait until a motor has had its pause. Time is handed in, in s."""

    def __init__(self) -> None:
        self._sign: dict[str, int] = {}
        """Which way each bridge was driven last."""
        self._stopped: dict[str, float] = {}
        """When it was told to stop."""
        self._waiting: dict[str, tuple[Wish, float]] = {}

    @property
    def due(self) -> float:
        """When the next of them is to go out."""
        return min((due for _, due in self._waiting.values()), default=inf)

    def forget(self) -> list[Wish]:
        """The link is gone, and with it what was known: give those that waited."""
        waiting = [wish for wish, _ in self._waiting.values()]
        self._sign.clear()
        self._stopped.clear()
        self._waiting.clear()
        return waiting

    def overtaken(self, name: str) -> Wish | None:
        """A newer wish has come: give the one that waited, if any."""
        found = self._waiting.pop(name, None)
        return found[0] if found is not None else None

    def holds(self, wish: Wish, point: PinPoint, now: float) -> bool:
        """Whether a wish has to wait for the pause; the bridge is to be stopped first."""
        if point.kind is not PointKind.BRIDGE or not point.pause:
            return False
        value = float(wish.value)
        sign = (value > 0) - (value < 0)
        before = self._sign.get(point.name, 0)
        if not sign:
            self._stopped.setdefault(point.name, now)
            return False
        if before in (0, sign):
            self._sign[point.name] = sign
            self._stopped.pop(point.name, None)
            return False
        due = self._stopped.setdefault(point.name, now) + point.pause
        if now < due:
            self._waiting[point.name] = (wish, due)
            return True
        self._sign[point.name] = sign
        del self._stopped[point.name]
        return False

    def overdue(self, now: float) -> list[Wish]:
        """Those that have waited long enough."""
        found = [name for name, (_, due) in self._waiting.items() if now >= due]
        return [self._waiting.pop(name)[0] for name in found]
