"""The engine of sessions whose boards say nothing unasked: questions, their answers, and a queue that wishes jump.

Everything is read once, then again and again at every interval; what is wished goes before that. So many questions are
under way at once as the protocol can tell apart by their answers. What is not answered in time is asked again, a write
only where the protocol says that this does no harm; while nothing answers at all, one question after the other with
pauses between. A protocol says how a question is put, what answers it, and what is made of the answer.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from math import inf
from typing import Generic, TypeVar

from cavet.hosts._base import NEWER_CAME, P, Session, Wish
from cavet.hosts._exchanges import AT_ONCE, Exchange, Exchanges
from cavet.hosts._point import Asked, Point
from cavet.hosts._session import LONGEST_ANSWER, SessionSettings, SessionState
from cavet.hosts._turns import Patience, Turns
from cavet.record import Reason, Tell


class Question(Exchange):
    """Something that is to be said, with the wish that it is for; without one it is only polled."""

    wish: Wish | None = None

    def is_for(self, name: str) -> bool:
        """Whether it is for a wish at a point."""
        return self.wish is not None and self.wish.point.name == name


Q = TypeVar("Q", bound=Question)
LATE_SHARE = 1.2
"""For so many times `reply_within` a late answer is waited for: one that was as late as the one before, and a bit."""


class PollingSession(Session[P], Generic[P, Q]):
    """Asks, and takes what is answered."""

    def __init__(self, board: str, points: Iterable[P], settings: SessionSettings, tell: Tell) -> None:
        super().__init__(board, points, settings, tell)
        self._queue: Exchanges[Q] = Exchanges(self._put, self.answer_by, settings.retries)
        self._waits.append(self._queue)
        self._owed = 0
        """How many late answers may still come."""
        self._poll_at = inf
        self._known: set[str] = set()
        """Points whose first content was read, or that can't be."""
        self._missing: set[str] = set()
        """Points that the board does not have: they are not asked for again."""
        self._turns: Turns | None = None
        """Whose turn it is, where others ask on the same line."""

    # what a protocol says

    def _put(self, question: Q, now: float) -> int | None:
        """Say it. Give what its answer will bear; `None` where nobody answers it."""
        raise NotImplementedError

    def _questions(self) -> Iterable[Q]:
        """What is asked at every interval."""
        raise NotImplementedError

    def _unanswered(self, question: Q, now: float) -> None:
        """Nothing came in time."""
        raise NotImplementedError

    @property
    def _most_under_way(self) -> int:
        """How many questions may wait for their answers at once."""
        return 1

    # the link

    def share(self, turns: Turns, wake: Callable[[], None]) -> None:
        self._turns = turns
        turns.join(self, wake)

    def is_to_be_said(self, name: str) -> bool:
        return self._turns is not None and self._is_wished(name)

    def _begin(self, now: float) -> None:
        """The link is open: nothing is known yet."""
        self._forget_out()
        self._clear()
        self._forget_points()
        self._queue.free_at = now

    def lost(self, reason: str) -> None:
        for question in self._clear():
            if question.wish is not None:
                self._give_up(question.wish, f"the link was lost: {reason}", Reason.LINK_LOST)
        super().lost(reason)

    def comes(self, size: int) -> None:
        """The board says nothing unasked: what comes is the answer."""
        self._queue.prolong(size * self.byte_seconds, LONGEST_ANSWER * self.byte_seconds)

    def _clear(self) -> list[Q]:
        self._poll_at, self._owed = inf, 0
        there = self._queue.clear()
        if self._turns is not None:
            self._turns.give_back(self)
        return there

    def is_idle(self, now: float) -> bool:
        """Frames on a serial line are told apart by the silence between them."""
        is_idle = self._queue.is_idle and now >= self._queue.free_at - AT_ONCE
        if is_idle and self.gives_way and self._turns is not None:  # somebody's hand wants the line
            return self._turns.take(self, now + AT_ONCE, Patience.WISHING)
        return is_idle

    def is_busy(self, now: float) -> bool:
        return bool(self._queue.waiting) or not self.is_idle(now)

    def advance(self, now: float) -> float:
        for question in self._queue.overdue(now):
            self._unanswered(question, now)
        if now >= self._poll_at:
            self._poll_at = now + self._settings.poll
            if not self._is_polled():
                self._queue.waiting.extend(self._questions())
        self._send_on(now)
        is_held = self.gives_way and self._queue.is_idle
        return self._poll_at if is_held else min(self._may_say_at, self._poll_at)

    @property
    def _may_say_at(self) -> float:
        """When something is overdue, or can be said; where it is somebody else's turn that comes by itself."""
        due = self._queue.due
        if self._turns is None or not self._queue.waiting or not self._queue.is_idle:
            return due
        return inf if self._turns.waits(self) else max(due, self._turns.free_at)

    def _wait_for_late(self, owed: int, now: float, silence: float = 0.0) -> None:
        """So many answers may still come, which bear no numbers: until they have, or can no more, nothing is said."""
        self._owed = max(0, owed)
        self._keep_line(now + (LATE_SHARE * self._settings.reply_within if self._owed else silence))

    def _keep_line(self, until: float) -> None:
        """Until then nothing is said on the line, by nobody."""
        self._queue.free_at = until
        if self._turns is not None:
            self._turns.free_at = until

    def _send_on(self, now: float) -> None:
        """Say as much as may be under way at once, where it is this one's turn."""
        if self.gives_way:
            return
        wants = bool(self._queue.waiting) and self._queue.is_idle and now >= self._queue.free_at - AT_ONCE
        if self._turns is None or (wants and self._takes_turn(self._turns, now)):
            self._queue.send_on(now, self._most_under_way)
            wants = False
        if self._turns is not None and self._queue.is_idle and not wants:
            self._turns.give_back(self)

    def _takes_turn(self, turns: Turns, now: float) -> bool:
        """Whether it may say on the line what it has to say first: a wish does not wait for what others poll."""
        patience = Patience.LOOKING if self.state is SessionState.SILENT else Patience.POLLING
        if self._queue.waiting[0].wish is not None:
            patience = Patience.WISHING
        return turns.take(self, now + AT_ONCE, patience)

    # knowing

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
            self._compare_start(point, value, now, cause)
        elif not self._is_wished(point.name):
            self._heard(point, value, now, cause)
        self._known.add(point.name)
        self._learned_more(now)

    def _is_wished(self, name: str) -> bool:
        return bool([question for question in self._queue if question.is_for(name)])

    def _lacks(self, point: Point, why: str) -> None:
        """A point can't be read now. It is asked for again in the next round, unless it is missing."""
        if self.readings[point.name].refusal != why:
            self._refuse(point, why)
        self._known.add(point.name)

    def _learned_more(self, now: float) -> None:
        if self.state is SessionState.LEARNING and len(self._known) == len(self.points):
            self._enter(SessionState.READY, inf)
            self._poll_at = now + self._settings.poll
            self._send_pending(now)

    def _is_polled(self) -> bool:
        """Whether the last round of questions is not over yet."""
        return any(question.wish is None for question in self._queue)

    # asking

    def _makes_way(self, wish: Wish, *, stands_there: bool, again: bool) -> bool:
        """Whether a wish is to be written: not one for what stands there already, nor a retry that a newer one follows.
        Older ones for the same point, not said yet, give way to it."""
        name = wish.point.name
        waiting = [question for question in self._queue.waiting if question.is_for(name)]
        under_way = any(question.is_for(name) for question in self._queue.under_way.values())
        doubtful = self.readings[name].doubtful
        if stands_there and not (again or wish.forced or doubtful or waiting or under_way):
            self._leave(wish)
            return False
        if again and waiting:
            self._overtake(wish, NEWER_CAME)
            return False
        for question in waiting:
            self._queue.waiting.remove(question)
            if question.wish is not None:
                self._overtake(question.wish, NEWER_CAME)
        if again:
            self._tell_again(wish)
        return True

    def _line_up(self, question: Q, now: float) -> None:
        """Put a wish behind the older ones, and before all that is polled; what can be said is said."""
        waiting = self._queue.waiting
        waiting.insert(sum(other.wish is not None for other in waiting), question)
        self._send_on(now)
