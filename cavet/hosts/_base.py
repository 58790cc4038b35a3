"""What the sessions of all protocols do alike: asking, keeping wishes until the board is ready, saying bytes.

A wish is a value wanted at a point, by the event that asked for it. While the board is not ready yet it is kept, the
newest for each point. Then it is written, unless it is known to stand there; and it is done when the board has told so:
what was written is no answer. What is not told in time is written again, so often as the settings allow, and then
given up with what is known of why. A newer wish overtakes an older one for the same point at every stage. What was
asked for before a link was lost is asked for again when it is back.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Mapping
from math import inf
from typing import Generic, Protocol, TypeVar

import msgspec

from cavet.hosts._point import Asked, Point
from cavet.hosts._session import Reading, Said, SessionSettings, SessionState, state_words
from cavet.hosts._turns import Turns
from cavet.protocols import Frame
from cavet.record import Kind, Purpose, Reason, Tell, Topic
from cavet.wording import WrongError, digits, unknown

FindCause = Callable[[Frame], int | None]
"""Gives the event behind a frame that was heard."""
STANDS_THERE = "the board stands there already"
ASKED_ALREADY = "it was asked for already"
MAX_TEXTS = 50
NEWER_CAME = "a newer wish came"
P = TypeVar("P", bound=Point)


class Wish(msgspec.Struct):
    """A value wanted at a point, by the event that asked for it."""

    point: Point
    value: Asked
    asked: int
    forced: bool = False
    tries: int = 0
    before: int | None = None
    """The event of the latest wish before it for the same point, for which something was to be sent."""
    turned_at: float = -inf
    """When another value was asked for before it."""


class Waits(Protocol):
    """Something in which answers are waited for, each until a time."""

    def extend(self, seconds: float) -> None:
        """Wait so much longer for each of them."""


class Session(Generic[P]):
    """Talks to one board. Feed it what arrives, call `advance` when it says, send what `take_out` gives.

    A protocol's own session says how it comes to know a board, how a wish is written, and what is made of bytes.
    """

    protocol = ""

    def __init__(self, board: str, points: Iterable[P], settings: SessionSettings, tell: Tell) -> None:
        self.board = board
        self.points: Mapping[str, P] = {point.name: point for point in points}
        self.readings = {name: Reading() for name in self.points}
        self.state = SessionState.SHUT
        self.texts: deque[str] = deque(maxlen=MAX_TEXTS)
        """What the board has said in words, made fit to show."""
        self.round_trip: float | None = None
        self.hears_others = False
        """Whether somebody says something by hand: what answers that is no news."""
        self.gives_way = False
        """Whether nothing is said meanwhile, on a link where one question can be under way."""
        self.hang_up = ""
        """Why the link is to be shut, by whoever holds it; "" while it is not."""
        self.stirred = True
        """Whether what was heard last may have answered something, or made something due."""
        self.byte_seconds = 0.0
        """How long a byte takes on its line, in s. Whoever holds the link tells this, and the next."""
        self.said_until = 0.0
        """Until when the line carries what was said so far."""
        self._settings = settings
        self._tell = tell
        self._out = bytearray()
        self._out_frames: list[tuple[int, int]] = []
        self._deadline = inf
        self._tries = 0
        self._pending: dict[str, Wish] = {}
        self._waits: list[Waits] = []

    @property
    def title(self) -> str:
        """What is spoken with whom, for a person."""
        return self.protocol

    @property
    def name(self) -> str:
        """How the board has called itself; "" before it has."""
        return ""

    # the link

    def opened(self, now: float) -> None:
        """The link is open."""

    def lost(self, reason: str) -> None:
        """The link is gone. What was asked stays asked, and is sent anew once it is back."""
        self._forget_out()
        self._assume_nothing()
        self._enter(SessionState.SHUT, inf)

    def _assume_nothing(self) -> None:
        """What was sent, and nobody tells of, may be otherwise now: it is sent again when it is asked for again."""
        for reading in self.readings.values():
            reading.assume_nothing()

    def share(self, turns: Turns, wake: Callable[[], None]) -> None:
        """Others ask on the same line; `wake` is called when it may be this one's turn."""

    def is_to_be_said(self, name: str) -> bool:
        """Whether it still has something to say, or to hear, of a wish at a point, on a line where others talk, too."""
        return False

    def farewell(self, now: float) -> None:
        """The link is about to be shut on purpose: say so, where that is the custom."""

    def reopen_pause(self) -> float:
        """How long to wait before a lost link is opened again, in seconds."""
        return self._settings.reopen

    @property
    def words(self) -> str:
        """How it stands, for a person."""
        return state_words(self.state)

    def feed(self, data: bytes, now: float, find_cause: FindCause) -> None:
        """Hear bytes."""
        raise NotImplementedError

    def advance(self, now: float) -> float:
        """Do what is due; give when something is due next."""
        raise NotImplementedError

    def was_away(self, seconds: float) -> None:
        """Nobody could hear for so long, since the program was stopped, say: no answer is late by that time."""
        self._deadline += seconds
        for each in self._waits:
            each.extend(seconds)

    def answer_by(self, now: float, size: int = 0) -> float:
        """Until when what is said now must be answered. What a line needs to carry that, all that is before it, and
        `size` bytes of an answer, is not the board's time."""
        gone = max(now, self.said_until) + len(self._out) * self.byte_seconds
        return gone + size * self.byte_seconds + self._settings.reply_within

    def comes(self, size: int) -> None:
        """So many bytes have come down a line: an answer that is under way is not late by the time that they took."""

    def is_idle(self, now: float) -> bool:
        """Whether no answer is awaited, and the line is free."""
        return True

    def is_busy(self, now: float) -> bool:
        """Whether what is to be said may have to wait for something else."""
        return not self.is_idle(now)

    def say_by_hand(self, data: bytes, asked: int, name: str, now: float) -> None:
        """Say bytes that are not of its own."""
        self._say(data, asked, Topic.MESSAGE, name)

    def _forget_out(self) -> None:
        self._out.clear()
        self._out_frames.clear()

    def _enter(self, state: SessionState, deadline: float) -> None:
        self._deadline = deadline
        self._tries = 0
        if state is not self.state:
            self.state = state
            self._tell(Kind.LINK, Topic.SESSION, self.board, state.value)

    def take_out(self) -> Said | None:
        """Give what is to be sent, `None` for nothing, and forget it."""
        if not self._out:
            return None
        said = Said(bytes(self._out), tuple(self._out_frames))
        self._forget_out()
        return said

    def _say(
        self, data: bytes, cause: int | None, topic: Topic, subject: str, *, purpose: Purpose = Purpose.NONE
    ) -> int:
        framed = self._tell(Kind.FRAMED, topic, subject, data, cause, purpose=purpose)
        self._out += data
        self._out_frames.append((len(self._out), framed))
        return framed

    # asking

    def ask(
        self, name: str, value: Asked, now: float, *, by: str = "", forced: bool = False, cause: int | None = None
    ) -> int:
        """Want a point at a value; give the event that its trail begins with.

        It is limited, refused, sent, or kept until the board is ready. `forced` sends it even if it stands there.
        """
        point = self._output(name)
        limited = point.limited(value)
        asked = self._tell(Kind.ASKED, Topic.POINT, name, limited, cause, by)
        if limited != value:
            most = "what can be carried and shown" if point.kind.is_text else "the limit"
            note = f"asked {point.show(value)}, {most} is {point.show(limited)}"
            self._tell(Kind.LIMITED, Topic.POINT, name, value, asked, note)
        reading = self.readings[name]
        turned_at = -inf if reading.asked is None or reading.asked == limited else reading.asked_at
        reading.asked, reading.asked_at, reading.trail, reading.remark = limited, now, asked, ""
        reading.agreed = False
        reading.wanted = value if limited != value else None
        if reading.refusal and self.state is SessionState.READY:
            self._tell(Kind.REFUSED, Topic.POINT, name, None, asked, reading.refusal, reason=Reason.NOT_ALLOWED)
            return asked
        wish = Wish(point, limited, asked, forced, before=reading.latest, turned_at=turned_at)
        reading.latest = asked
        if self.state is SessionState.READY:
            self._write(wish, now)
        else:
            older = self._pending.pop(name, None)
            if older is not None:
                self._overtake(older, "a newer wish came before it was sent")
            self._pending[name] = wish
        return asked

    def _output(self, name: str) -> P:
        if name not in self.points:
            raise unknown(self.board, name, self.points)
        point = self.points[name]
        if not point.kind.is_output:
            raise WrongError(f"{self.board}.{name}", found="an input", expected="an output")
        return point

    def _overtake(self, wish: Wish, why: str) -> None:
        self._tell(Kind.OVERTAKEN, Topic.POINT, wish.point.name, wish.value, wish.asked, why, reason=Reason.NEWER_WISH)

    def rest(self, now: float, by: str) -> list[int]:
        """Send every output to its rest value, also those that are believed to stand there."""
        outputs = [point for point in self.points.values() if point.rests]
        return [self.ask(point.name, _rest(point), now, by=by, forced=True) for point in outputs]

    def _is_news(self, wish: Wish) -> bool:
        """Whether what was told of its point last can't be how that stood before another value was asked for."""
        got_at = self.readings[wish.point.name].got_at
        return got_at > wish.turned_at + self._settings.patience(self.byte_seconds)

    def _is_there(self, wish: Wish) -> bool:
        """Whether a point is known to stand where a wish wants it, or so near to that as its board has come before."""
        point, value, reading = wish.point, wish.value, self.readings[wish.point.name]
        if reading.stands is None or reading.doubtful or not self._is_news(wish):
            return False
        return point.is_at(reading.stands, value) or (
            reading.settled is not None and point.is_at(reading.settled, value)
        )

    def _leave(self, wish: Wish) -> None:
        """What is wanted is so already, as was told or is taken for granted: nothing is sent."""
        reading = self.readings[wish.point.name]
        told = reading.got if reading.assumed is None else None
        reading.latest = wish.before if reading.latest == wish.asked else reading.latest
        why = STANDS_THERE if told is not None and wish.point.same(wish.value, told) else ASKED_ALREADY
        self._tell(
            Kind.UNCHANGED, Topic.POINT, wish.point.name, wish.value, wish.asked, why, reason=Reason.STANDS_THERE
        )

    def _refuse_wish(self, wish: Wish, why: str, value: int | None = None) -> None:
        """It can't be done, or is not taken."""
        self._tell(Kind.REFUSED, Topic.POINT, wish.point.name, value, wish.asked, why, reason=Reason.NOT_ALLOWED)

    def _send_pending(self, now: float) -> None:
        pending, self._pending = list(self._pending.values()), {}
        for wish in pending:
            refusal = self.readings[wish.point.name].refusal
            if refusal:
                self._refuse_wish(wish, refusal)
            else:
                self._write(wish, now)

    def _write(self, wish: Wish, now: float, *, again: bool = False) -> None:
        raise NotImplementedError

    def _try_again(self, wish: Wish, now: float) -> bool:
        """Write a wish once more, where it was not written often enough; `False` where it is to be given up. One that a
        newer one has followed is not: the newest has to be what comes of it."""
        if self._is_old(wish):
            self._overtake(wish, NEWER_CAME)
            return True
        if wish.tries >= self._settings.retries:
            return False
        wish.tries += 1
        self._write(wish, now, again=True)
        return True

    def _is_old(self, wish: Wish) -> bool:
        """Whether a newer wish for the same point has come, for which something was to be sent."""
        return self.readings[wish.point.name].latest != wish.asked

    @property
    def _within(self) -> str:
        return f"each within {digits(self._settings.reply_within)} s"

    def _tell_again(self, wish: Wish, tries: int = 0) -> None:
        words = f"try {(tries or wish.tries) + 1}"
        self._tell(Kind.RESENT, Topic.POINT, wish.point.name, wish.value, wish.asked, words)

    # knowing

    def look(self, name: str, now: float) -> bool:
        """Ask afresh how a point stands; its reading counts one up when that is known. `False` where nothing can be
        asked: then what was heard of it last is all there is."""
        return False

    def _refuse(self, point: Point, why: str) -> None:
        """This point can't work on this board."""
        self.readings[point.name].refusal = why
        self._tell(Kind.REMARK, Topic.POINT, point.name, None, None, why)

    def _compare_start(self, point: Point, found: Asked | None, now: float, cause: int | None = None) -> None:
        """Say how the board stands, and where that is elsewhere than the host believes; ask again for what was asked
        before. `found` is `None` where the board can't say it."""
        reading = self.readings[point.name]
        if found is None:
            reading.hear(found, now)
        else:
            self._heard(point, found, now, cause)
        if (
            reading.asked is None
            and point.start is not None
            and not (found is not None and point.same(found, _on_the_wire(point, point.start)))
        ):
            note = f"starts at {point.show(point.start)} for the host, but the board stands at {point.show(found)}"
            reading.remark = note
            self._tell(Kind.REMARK, Topic.POINT, point.name, None, None, note)
        elif reading.asked is not None and point.name not in self._pending:
            self._pending[point.name] = Wish(point, reading.asked, self._wish_again(point, reading), forced=True)

    def _wish_again(self, point: Point, reading: Reading) -> int:
        number = self._tell(Kind.ASKED, Topic.POINT, point.name, reading.asked, None, "again, since the board is back")
        reading.trail = reading.latest = number
        return number

    def _heard(self, point: Point, value: Asked | None, now: float, cause: int | None) -> None:
        """A point stands at a value; `None` is for an answer that is no number."""
        reading = self.readings[point.name]
        before = reading.got
        reading.hear(value, now)
        if value != before:
            self._tell(Kind.HEARD, Topic.POINT, point.name, value, cause, "no number" if value is None else "")

    def _confirm(self, wish: Wish, now: float, took: float | None, found: Asked | None = None) -> None:
        """What was asked for was read back: `found`, as near as the wire can say. `took` is how long the answer took,
        where that tells how fast the board is."""
        found = wish.value if found is None else found
        reading = self.readings[wish.point.name]
        self.round_trip = self.round_trip if took is None else took
        reading.hear(found, now)
        reading.agreed, reading.settled = True, wish.value
        self._tell(Kind.CONFIRMED, Topic.POINT, wish.point.name, found, wish.asked)

    def _give_up(self, wish: Wish, why: str, reason: Reason = Reason.OTHER_VALUE) -> None:
        """It has not come to what was asked. Where a newer wish has come to the same point, another value is no
        wonder."""
        if reason is Reason.OTHER_VALUE and self._is_old(wish):
            self._overtake(wish, NEWER_CAME)
            return
        self.readings[wish.point.name].doubtful = True
        self._tell(Kind.UNCONFIRMED, Topic.POINT, wish.point.name, None, wish.asked, why, reason=reason)


def _on_the_wire(point: Point, value: Asked) -> Asked:
    """A value as it comes back from the wire: no finer than that can tell."""
    return value if point.kind.is_text else point.from_wire(point.to_wire(value))


def _rest(point: Point) -> Asked:
    return bool(point.rest) if point.kind.is_switch else point.rest
