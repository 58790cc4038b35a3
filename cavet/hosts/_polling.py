"""What sessions have in common whose boards say nothing unasked: questions that wait, and a queue that wishes jump."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable
from math import inf
from typing import Generic, Protocol, TypeVar

from cavet.hosts._base import P, Session, Wish
from cavet.hosts._point import Asked, Point
from cavet.hosts._session import Manners, SessionState
from cavet.record import Kind, Tell, Topic


class Question(Protocol):
    """Something that is to be said, with the wish that it is for; `None` for what is only polled."""

    @property
    def wish(self) -> Wish | None: ...


Q = TypeVar("Q", bound=Question)


class PollingSession(Session[P], Generic[P, Q]):
    """Reads everything once, then again and again; what is wished goes before that."""

    def __init__(self, board: str, points: Iterable[P], manners: Manners, tell: Tell) -> None:
        super().__init__(board, points, manners, tell)
        self._waiting: deque[Q] = deque()
        self._poll_at = inf
        self._known: set[str] = set()
        """Points whose first content was read, or that can't be."""
        self._missing: set[str] = set()
        """Points that the board does not have: they are not asked for again."""

    def _asked_already(self) -> Iterable[Q]:
        """The questions whose answers are awaited."""
        raise NotImplementedError

    def is_idle(self, now: float) -> bool:
        return not list(self._asked_already())

    def _forget_points(self) -> None:
        """It may be another board now, or another firmware."""
        self._known.clear()
        self._missing.clear()

    def _polled_points(self) -> list[P]:
        """The points that are read again and again: outputs too, for others may move them."""
        return [point for point in self.points.values() if point.name not in self._missing]

    def _learn(self, point: Point, value: Asked | None, now: float, cause: int | None) -> None:
        """Take in what was read of a point. Of an output with a wish in hand the wish's own reading tells."""
        self.readings[point.name].refusal = ""
        if point.kind.is_output and point.name not in self._known:
            self._compare_start(point, value, now)
        elif not self._is_wished(point.name):
            self._heard(point, value, now, cause)
        self._known.add(point.name)
        self._learned_more(now)

    def _is_wished(self, name: str) -> bool:
        questions = (*self._waiting, *self._asked_already())
        return any(question.wish is not None and question.wish.point.name == name for question in questions)

    def _lacks(self, point: Point, why: str) -> None:
        """A point can't be read now. It is asked for again in the next round, unless it is missing."""
        if self.readings[point.name].refusal != why:
            self._refuse(point, why)
        self._known.add(point.name)

    def _learned_more(self, now: float) -> None:
        if self.state is SessionState.LEARNING and len(self._known) == len(self.points):
            self._enter(SessionState.READY, inf)
            self._poll_at = now + self._manners.poll
            self._send_pending(now)

    def _is_polled(self) -> bool:
        """Whether the last round of questions is not over yet."""
        return any(question.wish is None for question in (*self._waiting, *self._asked_already()))

    def _makes_way(self, wish: Wish, *, stands_there: bool, again: bool) -> bool:
        """Whether a wish is to be written: not one for what stands there already, nor a retry that a newer one follows.
        Older ones for the same point, not said yet, give way to it."""
        name = wish.point.name
        waiting = [q for q in self._waiting if q.wish is not None and q.wish.point.name == name]
        under_way = any(q.wish is not None and q.wish.point.name == name for q in self._asked_already())
        doubtful = self.readings[name].doubtful
        if stands_there and not (again or wish.forced or doubtful or waiting or under_way):
            self._leave(wish)
            return False
        if again and waiting:
            self._overtake(wish, "a newer wish came")
            return False
        for question in waiting:
            self._waiting.remove(question)
            if question.wish is not None:
                self._overtake(question.wish, "a newer wish came")
        if again:
            self._tell(Kind.RESENT, Topic.POINT, name, wish.value, wish.asked, f"try {wish.tries + 1}")
        return True

    def _line_up(self, question: Q) -> None:
        """Put a wish behind the older ones, and before all that is polled."""
        self._waiting.insert(sum(other.wish is not None for other in self._waiting), question)
