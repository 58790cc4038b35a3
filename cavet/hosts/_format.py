"""The host's side of a format of the user's own: frames out of the points' values, and values out of frames."""

from __future__ import annotations

from collections.abc import Iterable
from math import inf
from typing import Any

import msgspec

from cavet.hosts._awaiting import Awaited, Awaiting
from cavet.hosts._base import FindCause, Session, Wish
from cavet.hosts._point import Asked
from cavet.hosts._points import FieldPoint
from cavet.hosts._session import LONGEST_ANSWER, SessionSettings, SessionState
from cavet.protocols import Decoder, FieldError, Frame, Side
from cavet.protocols.plans import FieldPlan, FramePlan, PlanCodec
from cavet.record import Kind, Purpose, Reason, Tell, Topic
from cavet.wording import counted


class Format(msgspec.Struct, frozen=True, kw_only=True):
    """The frames that are spoken, and the one that asks a board how it stands, where there is such a one."""

    codecs: dict[str, PlanCodec]
    asks: str = ""

    def question(self) -> bytes:
        """The frame that asks, with its fields 0, or as near as they come. Raises `FieldError` where none can."""
        codec = self.codecs[self.asks]
        return codec.encode(codec.message(_nothing_of(codec.plan)))


class _Sent(Awaited):
    """A wish under way; `told` is what the board has told in its place, last."""

    told: Asked | None = None


class FormatSession(Session[FieldPoint]):
    """Says frames, and hears them. What was never asked for is sent as 0, so a format should have a mask for that."""

    protocol = "plan"

    def __init__(
        self, board: str, points: Iterable[FieldPoint], settings: SessionSettings, tell: Tell, spoken: Format
    ) -> None:
        super().__init__(board, points, settings, tell)
        self._format = spoken
        self._wanted: dict[tuple[str, str], Any] = {}
        """What each field was last sent with."""
        self._decoders: dict[str, Decoder] = {}
        self._awaiting = Awaiting[_Sent](self._overtake)
        self._waits.append(self._awaiting)
        self._said: dict[str, float] = {}
        """When each point was set last, since the link was opened."""
        self._poll_at = inf
        self._compared: set[str] = set()

    @property
    def title(self) -> str:
        return "a format of its own"

    # the link

    def opened(self, now: float) -> None:
        """Ask how everything stands, where there is a frame for that; else it is there when it says something, or has
        had the time to boot."""
        self._forget_out()
        told = {point.state_frame for point in self.points.values() if point.state_frame}
        self._decoders = {name: self._format.codecs[name].decoder(Side.BOARD) for name in sorted(told)}
        self._awaiting.abandon()
        self._compared.clear()
        self._said.clear()
        if not self._format.asks:
            self._enter(SessionState.BOOTING, now + self._settings.boot_wait)
            return
        self._enter(SessionState.LEARNING, inf)
        self._ask()
        self._deadline = self.answer_by(now, LONGEST_ANSWER)

    def _ask(self) -> None:
        """Say the frame that asks and changes nothing: all of its fields 0."""
        self._say(self._format.question(), None, Topic.BOARD, self.board, purpose=Purpose.SET_UP)

    def _begin(self, now: float) -> None:
        self._enter(SessionState.READY, inf)
        self._poll_at = now + self._settings.poll if self._format.asks else inf
        if not self._format.asks:
            for point in self.points.values():
                untold = point.kind.is_output and point.name not in self._compared
                if untold and self.readings[point.name].asked is not None:
                    self._compare_start(point, None, now)
        self._send_pending(now)

    def lost(self, reason: str) -> None:
        for wish in self._awaiting.abandon():
            self._give_up(wish, f"the link was lost: {reason}", Reason.LINK_LOST)
        self._poll_at = inf
        super().lost(reason)

    def advance(self, now: float) -> float:
        if now >= self._deadline and self.state is SessionState.BOOTING:
            self._begin(now)
        elif now >= self._deadline:
            self._tries += 1
            silent = self._tries > self._settings.retries or self.state is SessionState.SILENT
            if silent and self.state is not SessionState.SILENT:
                self._enter(SessionState.SILENT, inf)
            self._ask()
            self._deadline = now + self._settings.boot_wait if silent else self.answer_by(now, LONGEST_ANSWER)
        for expected in self._awaiting.overdue(now):
            wish = expected.wish
            if self._stood_there(wish):
                self._leave(wish)
            elif not self._try_again(wish, now):
                self._give_up(wish, *self._why_not(expected))
        if now >= self._poll_at:
            self._poll_at = now + self._settings.poll
            if not self._awaiting:
                self._ask()
        return min(self._deadline, self._poll_at, self._awaiting.due)

    # asking

    def _write(self, wish: Wish, now: float, *, again: bool = False) -> None:
        point = self.points[wish.point.name]
        codec = self._format.codecs[point.frame]
        if not again and self._stands_there(point, wish):
            self._leave(wish)
            return
        if again:
            self._tell_again(wish)
        try:
            data = codec.encode(codec.message(self._values(point, wish.value), point.field))
        except FieldError as error:
            self._refuse_wish(wish, str(error))
            return
        self._say(data, wish.asked, Topic.POINT, point.name)
        if point.confirm and point.state_frame:
            self._awaiting.put(_Sent(wish, now, self.answer_by(now, LONGEST_ANSWER)))
        self._said[point.name] = now

    def look(self, name: str, now: float) -> bool:
        told = bool(self._format.asks and self.points[name].state_frame)
        if told and self.state is SessionState.READY:
            self._ask()
        return told

    def _stands_there(self, point: FieldPoint, wish: Wish) -> bool:
        """Whether nothing has to be sent: the board has told that it is so, and nothing else is under way."""
        if wish.forced or point.name in self._awaiting or not point.state_frame:
            return False
        reading = self.readings[point.name]
        if not point.confirm and reading.got_at <= self._said.get(point.name, -inf) + self._settings.reply_within:
            return False  # it may be told how it stood before the last wish
        return self._is_there(wish)

    def _stood_there(self, wish: Wish) -> bool:
        """Whether the board had told, before a wish was sent all the same, that it stands there: one that tells only of
        changes has nothing to say then."""
        if wish.tries or wish.point.name not in self._compared:
            return False
        return self._is_there(wish)

    def _why_not(self, expected: _Sent) -> tuple[str, Reason]:
        point, tries = expected.wish.point, f"{counted(expected.wish.tries + 1, 'try')}, {self._within}"
        if expected.told is None:
            return f"no frame tells of it after {tries}", Reason.NO_ANSWER
        found, wanted = point.show(expected.told), point.show(expected.wish.value)
        return f"the frames tell {found}, expected {wanted}, after {tries}", Reason.OTHER_VALUE

    def _values(self, point: FieldPoint, value: Asked) -> dict[str, Any]:
        """The values of all fields of the point's frame: its own; what the others were sent with last, or else hold as
        the board has told."""
        plan = self._format.codecs[point.frame].plan
        values = _nothing_of(plan)
        for other in self.points.values():
            got = self.readings[other.name].got
            if other.frame == point.frame and other.kind.is_output and got is not None:
                values[other.field] = other.put(values[other.field], got, plan.field(other.field))
        values |= {name: self._wanted[point.frame, name] for name in values if (point.frame, name) in self._wanted}
        values[point.field] = point.put(values[point.field], value, plan.field(point.field))
        self._wanted[point.frame, point.field] = values[point.field]
        if point.mask:
            values[point.mask] = 1 << (point.bit or 0)
        return values

    # hearing

    def feed(self, data: bytes, now: float, find_cause: FindCause) -> None:
        frames = [frame for decoder in self._decoders.values() for frame in decoder.feed(data)]
        for frame in sorted(frames, key=lambda frame: frame.offset):
            if frame.readable or len(self._decoders) == 1:
                self._take(frame, now, find_cause(frame))

    def _take(self, frame: Frame, now: float, cause: int | None) -> None:
        if frame.problems:
            self._tell(Kind.LOST, Topic.BYTES, str(len(frame.data)), frame.data, cause, "; ".join(frame.problems))
            return
        name = frame.message.NAME
        for point in self.points.values():
            value = getattr(frame.message, point.state_field) if point.state_frame == name else None
            if value is not None:
                plan = self._format.codecs[name].plan.field(point.state_field)
                self._told(point, point.get(value, plan), now, cause)
        if self.state in (SessionState.BOOTING, SessionState.LEARNING, SessionState.SILENT):
            self._begin(now)

    def _told(self, point: FieldPoint, value: Asked, now: float, cause: int | None) -> None:
        expected = self._awaiting.get(point.name)
        if expected is not None and point.same(value, expected.wish.value):
            self._awaiting.pop(point.name)
            took = None if expected.wish.tries else now - expected.since
            self._confirm(expected.wish, now, took, value)
        elif point.kind.is_output and point.name not in self._compared | self._said.keys():
            self._compare_start(point, value, now, cause)
        else:
            self._heard(point, value, now, cause)
            if expected is not None:
                expected.told = value
        self._compared.add(point.name)


def _nothing_of(plan: FramePlan) -> dict[str, Any]:
    """What the fields of a frame hold that nobody has asked anything of."""
    fields = [field for field in plan.fields if not field.fills_itself]
    return {
        field.name: (_nothing(field),) * (field.count or 0) if plan.repeats(field) else _nothing(field)
        for field in fields
    }


def _nothing(field: FieldPlan) -> Any:
    """What such a field holds: 0, the first of its words, no text."""
    if field.kind == "bytes":
        return bytes((field.bits or 0) // 8)
    if field.kind == "text":
        return ""
    zero: Any = next((word for word, number in field.values.items() if number == 0), None)
    if zero is None:
        zero = next(iter(field.values), 0)
    if not field.values:
        zero = max(0, field.low if field.low is not None else 0)
        zero = zero if field.high is None else min(zero, field.high)
    return zero
