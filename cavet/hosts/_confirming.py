"""Wishes that wait to be read back."""

from __future__ import annotations

from collections import Counter
from math import inf

import msgspec

from cavet.hosts._base import Wish
from cavet.hosts._session import Manners
from cavet.record import Kind, Reason, Tell, Topic


class _Waiting(msgspec.Struct):
    wish: Wish
    missing: dict[int, int]
    since: float
    deadline: float


class Confirming:
    """Which numbers are expected to be read back from which pins, and until when.

    An answer tells only of which pin it is. So for each question that nobody waits for any more, since a newer wish
    came, one answer that does not agree is passed over: it tells how the pin stood before.
    """

    def __init__(self, manners: Manners, tell: Tell) -> None:
        self._manners = manners
        self._tell = tell
        self._waiting: dict[str, _Waiting] = {}
        self._stale: Counter[int] = Counter()
        """How many answers of each pin are still to come that nobody waits for."""

    @property
    def due(self) -> float:
        """When the first answer will be overdue."""
        return min(waiting.deadline for waiting in self._waiting.values()) if self._waiting else inf

    def wait(self, wish: Wish, wanted: dict[int, int], now: float) -> None:
        """Expect these numbers at these pins; an older wish for the same point is not waited for any more."""
        older = self._waiting.get(wish.point.name)
        if older is not None and older.wish is not wish:
            self._stale.update(older.missing.keys())
            self._tell(
                Kind.OVERTAKEN,
                Topic.POINT,
                wish.point.name,
                older.wish.value,
                older.wish.asked,
                "a newer wish came",
                reason=Reason.NEWER_WISH,
            )
        deadline = now + self._manners.reply_within
        self._waiting[wish.point.name] = _Waiting(wish, dict(wanted), now, deadline)

    def hear(self, pin: int, state: int, now: float) -> tuple[Wish, bool, float] | None:
        """A pin was read back. Give the wish that this ends, whether it agrees, and how long it took."""
        for name, waiting in self._waiting.items():
            if pin not in waiting.missing:
                continue
            if state != waiting.missing[pin] and self._stale[pin] > 0:
                self._stale[pin] -= 1
                return None
            wanted = waiting.missing.pop(pin)
            if state != wanted:
                del self._waiting[name]
                self._stale.update(waiting.missing.keys())
                return waiting.wish, False, now - waiting.since
            if not waiting.missing:
                del self._waiting[name]
                return waiting.wish, True, now - waiting.since
            return None
        return None

    def overdue(self, now: float) -> tuple[list[Wish], list[Wish]]:
        """Give the wishes to be sent again, and those that were sent often enough."""
        again, ended = [], []
        for name, waiting in list(self._waiting.items()):
            if now < waiting.deadline:
                continue
            del self._waiting[name]
            self._stale.update(waiting.missing.keys())  # the answers may still come: late, and not to the next question
            wish = waiting.wish
            if wish.tries < self._manners.retries:
                wish.tries += 1
                again.append(wish)
            else:
                ended.append(wish)
        return again, ended

    def abandon(self) -> list[Wish]:
        """Nothing will be read back any more; give the wishes that waited for it."""
        wishes = [waiting.wish for waiting in self._waiting.values()]
        self._waiting.clear()
        self._stale.clear()
        return wishes
