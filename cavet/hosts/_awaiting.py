"""What is waited for where boards tell of themselves: which wish, until when, overtaken by which, lost with the link.

A protocol says what tells of a wish. Each point has one wish under way at most: a newer one takes the place of the
older, which is then told overtaken and not waited for any more. Boards that say nothing unasked are another matter:
what is waited for there are answers to questions, see `_polling.py`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from math import inf
from typing import Generic, TypeVar

import msgspec

from cavet.hosts._base import NEWER_CAME, Wish

Overtake = Callable[[Wish, str], None]
"""Tells that a wish was overtaken, and by what."""


class Awaited(msgspec.Struct):
    """A wish under way: since when, and until when something must have told of it."""

    wish: Wish
    since: float
    deadline: float


A = TypeVar("A", bound=Awaited)


class Awaiting(Generic[A]):
    """The wishes under way, by the names of their points."""

    def __init__(self, overtake: Overtake) -> None:
        self._overtake = overtake
        self._awaited: dict[str, A] = {}

    def __contains__(self, name: str) -> bool:
        return name in self._awaited

    def __iter__(self) -> Iterator[A]:
        return iter(list(self._awaited.values()))

    def __bool__(self) -> bool:
        return bool(self._awaited)

    @property
    def due(self) -> float:
        """When the first of them will be overdue."""
        return min(awaited.deadline for awaited in self._awaited.values()) if self._awaited else inf

    def get(self, name: str) -> A | None:
        """What is waited for at a point."""
        return self._awaited.get(name)

    def holds(self, awaited: Awaited) -> bool:
        """Whether it is still what is waited for at its point."""
        return self._awaited.get(awaited.wish.point.name) is awaited

    def put(self, awaited: A) -> A | None:
        """Wait for this one. Give the one that was waited for at its point; a wish that is another one is overtaken."""
        name = awaited.wish.point.name
        older = self._awaited.get(name)
        if older is not None and older.wish is not awaited.wish:
            self._overtake(older.wish, NEWER_CAME)
        self._awaited[name] = awaited
        return older

    def pop(self, name: str) -> A | None:
        """Wait no longer at a point."""
        return self._awaited.pop(name, None)

    def overdue(self, now: float) -> list[A]:
        """Those that nothing has told of in time; they are waited for no longer."""
        late = [name for name, awaited in self._awaited.items() if now >= awaited.deadline]
        return [self._awaited.pop(name) for name in late]

    def postpone(self, deadline: float) -> None:
        """Wait for all of them until then."""
        for awaited in self._awaited.values():
            awaited.deadline = deadline

    def extend(self, seconds: float) -> None:
        """Wait so much longer for each of them."""
        for awaited in self._awaited.values():
            awaited.deadline += seconds

    def abandon(self) -> list[Wish]:
        """Nothing will be told of them any more; give the wishes that waited for that."""
        wishes = [awaited.wish for awaited in self._awaited.values()]
        self._awaited.clear()
        return wishes
