"""The host's side of MQTT: commands go to topics, other topics say how things stand.

A wish is confirmed when its state topic says so. What stops it on the way is told apart: the broker did not take it,
nobody has subscribed, the board is gone, it has taken it and says nothing.
"""

from __future__ import annotations

from collections.abc import Iterable
from math import inf

import msgspec

from cavet.hosts._awaiting import Awaited, Awaiting
from cavet.hosts._base import FindCause, Session, Wish
from cavet.hosts._point import PointKind
from cavet.hosts._points import TopicPoint
from cavet.hosts._presence import BoardTopics, Presence, read_health
from cavet.hosts._session import SessionSettings, SessionState
from cavet.messaging import (
    Arrived,
    ClientSettings,
    Connected,
    Happening,
    MqttClient,
    Noted,
    Pauses,
    PayloadError,
    Publication,
    Refused,
    Settled,
    Subscribed,
    Undelivered,
    fits,
)
from cavet.protocols.mqtt import Filter
from cavet.record import Kind, Purpose, Tell, Topic
from cavet.wording import digits, plain

NO_SUBSCRIBERS = 0x10
PUBLISH_TYPE = 3
MAX_SHOWN = 60


class _Sent(Awaited):
    """A wish that was handed to the client, and whether the broker has it."""

    said: bool = False
    taken: int | None = None
    """The code by which the broker has acknowledged it."""


class MqttSession(Session[TopicPoint]):
    """Talks to one board over a broker."""

    protocol = "mqtt"

    def __init__(
        self, board: str, points: Iterable[TopicPoint], settings: SessionSettings, tell: Tell, client: ClientSettings,
        topics: BoardTopics,
    ) -> None:  # fmt: skip
        super().__init__(board, points, settings, tell)
        self.presence = Presence()
        self._topics = topics
        self._mqtt = MqttClient(client)
        self._pauses = Pauses(f"{board}/{client.client_id}")
        self._awaiting = Awaiting[_Sent](self._overtake)
        self._waits += [self._awaiting, self._mqtt]
        self._asked_for: set[str] = set()
        """Filters that the broker has not answered for yet."""
        self._known: set[str] = set()
        """Points whose state was heard since the link was opened."""
        self._refusal = ""
        self._look_until = inf

    @property
    def title(self) -> str:
        return f"mqtt {'5.0' if self._mqtt.settings.version == 5 else '3.1.1'}"

    @property
    def words(self) -> str:
        if self._refusal:
            return self._refusal
        if self.state is SessionState.ASKING:
            return "open; waits for the broker to let it in"
        return super().words

    # the link

    def opened(self, now: float) -> None:
        self._forget_out()
        self._enter(SessionState.ASKING, inf)
        self._mqtt.opened(now)
        self._collect(now)

    def lost(self, reason: str) -> None:
        """What is under way is sent again once the link is back."""
        self._mqtt.lost()
        self.hang_up = ""
        self._awaiting.postpone(inf)
        super().lost(reason)

    def farewell(self, now: float) -> None:
        self._mqtt.disconnect(now)
        self._collect(now)

    def was_away(self, seconds: float) -> None:
        self._look_until += seconds
        super().was_away(seconds)

    def reopen_pause(self) -> float:
        return self._pauses.next()

    def advance(self, now: float) -> float:
        due = self._mqtt.advance(now)
        for sent in self._awaiting.overdue(now):
            self._overdue(sent, now)
        if not self._asked_for:
            self._look_for_board(now)
        self._collect(now)
        look_at = self._look_until if self.state is SessionState.LEARNING and not self._asked_for else inf
        return min(due, look_at, self._awaiting.due)

    def feed(self, data: bytes, now: float, find_cause: FindCause) -> None:
        self._mqtt.feed(data, now)
        self._collect(now, find_cause)

    def _collect(self, now: float, find_cause: FindCause | None = None) -> None:
        """Take what has happened, and what is to be sent."""
        for happening in self._mqtt.take_happened():
            self._take(happening, now, find_cause)
        for outgoing in self._mqtt.take_out():
            sent = outgoing.ref
            if not isinstance(sent, _Sent):
                purpose = Purpose.POLL if self.state is SessionState.READY else Purpose.SET_UP
                self._say(outgoing.data, None, Topic.BOARD, self.board, purpose=purpose)
            elif outgoing.data[0] >> 4 == PUBLISH_TYPE:
                self._say_wish(sent, outgoing.data)
            else:
                self._say(outgoing.data, sent.wish.asked, Topic.POINT, sent.wish.point.name, purpose=Purpose.RELEASE)
        self.hang_up = self._mqtt.hang_up

    def _say_wish(self, sent: _Sent, data: bytes) -> None:
        wish = sent.wish
        if sent.said:
            self._tell(Kind.RESENT, Topic.POINT, wish.point.name, wish.value, wish.asked, "the link is back")
        sent.said = True
        self._say(data, wish.asked, Topic.POINT, wish.point.name)

    def _take(self, happening: Happening, now: float, find_cause: FindCause | None) -> None:
        if isinstance(happening, Connected):
            self._let_in(now)
        elif isinstance(happening, Subscribed):
            self._subscribed(happening, now)
        elif isinstance(happening, Arrived):
            cause = find_cause(happening.frame) if find_cause is not None else None
            self._arrived(happening.publication, now, cause)
        elif isinstance(happening, Settled):
            self._settled(happening, now)
        elif isinstance(happening, Undelivered):
            self._undelivered(happening)
        elif isinstance(happening, Noted):
            self._tell(Kind.REMARK, Topic.BOARD, self.board, None, None, happening.words)
        elif isinstance(happening, Refused):
            self._refusal = happening.tells
            self._tell(Kind.REMARK, Topic.BOARD, self.board, happening.code, None, self._refusal)

    def _let_in(self, now: float) -> None:
        self._refusal = ""
        self._pauses.succeeded()
        self._known.clear()
        self.presence = msgspec.structs.replace(self.presence, here=None, since=now)
        self._enter(SessionState.LEARNING, inf)
        self._look_until = now + self._settings.boot_wait
        wanted = [point.state for point in self.points.values() if point.state]
        wanted += [topic for topic in (self._topics.presence, self._topics.health) if topic]
        self._asked_for = set(wanted)
        if wanted:
            self._mqtt.subscribe([Filter(topic, 1) for topic in dict.fromkeys(wanted)], now)
        else:
            self._ready(now)

    def _subscribed(self, answer: Subscribed, now: float) -> None:
        self._asked_for.discard(answer.filter)
        for point in self.points.values():
            if point.state == answer.filter:
                refused = answer.code >= 0x80
                self.readings[point.name].refusal = ""
                if refused:
                    self._refuse(point, f"the broker does not grant {plain(point.state, MAX_SHOWN)}: {answer.words}")
        if not self._asked_for:
            self._look_for_board(now)

    def _look_for_board(self, now: float) -> None:
        """All topics are granted. Go on when the board has said whether it is there, or has not for long enough."""
        if self.state is not SessionState.LEARNING:
            return
        if self._topics.presence and self.presence.here is None and now < self._look_until:
            return
        self._ready(now)

    def _ready(self, now: float) -> None:
        self._enter(SessionState.READY, inf)
        self._awaiting.postpone(now + self._settings.reply_within)
        self._send_pending(now)

    # hearing

    def _arrived(self, publication: Publication, now: float, cause: int | None) -> None:
        topic = publication.topic
        if topic == self._topics.presence:
            self._heard_presence(publication.payload, now, cause)
        if topic == self._topics.health:
            self._heard_health(publication.payload, now)
        for point in self.points.values():
            if point.state and (point.state == topic or fits(point.state, topic)):
                self._heard_state(point, publication.payload, now, cause)

    @property
    def follows_presence(self) -> bool:
        """Whether the board, as far as the host knows, tells anywhere that it is there."""
        return bool(self._topics.presence or self._topics.health)

    def _heard_presence(self, payload: bytes, now: float, cause: int | None) -> None:
        said = payload.decode("utf-8", "replace")
        known = {self._topics.here: True, self._topics.gone: False}
        if said not in known:
            note = f'its presence says "{plain(said, MAX_SHOWN)}", expected {self._topics.here} or {self._topics.gone}'
            self._tell(Kind.REMARK, Topic.BOARD, self.board, None, cause, note)
        elif known[said] is not self.presence.here:
            self.presence.here, self.presence.since = known[said], now
            self._assume_nothing()
            self._tell(Kind.LINK, Topic.PRESENCE, self.board, "here" if known[said] else "gone", cause)
            if not self._asked_for:
                self._look_for_board(now)

    def _heard_health(self, payload: bytes, now: float) -> None:
        try:
            self.presence.took_health(read_health(payload), now)
        except ValueError as error:
            self._tell(Kind.REMARK, Topic.BOARD, self.board, None, None, f"its health is {error}")

    def _heard_state(self, point: TopicPoint, payload: bytes, now: float, cause: int | None) -> None:
        try:
            value = point.unpack(payload)
        except PayloadError as error:
            note = f"{plain(point.state, MAX_SHOWN)}: {error}"
            self._tell(Kind.REMARK, Topic.POINT, point.name, None, cause, note)
            return
        reading = self.readings[point.name]
        sent = self._awaiting.get(point.name)
        first = point.name not in self._known
        self._known.add(point.name)
        if sent is not None and point.same(value, sent.wish.value, point.told_step(payload)):
            self._awaiting.pop(point.name)
            self._confirm(sent.wish, now, now - sent.since, value)
        elif first and reading.asked is None and point.kind.is_output:
            self._compare_start(point, value, now, cause)
        else:
            self._heard(point, value, now, cause)

    # asking

    def _write(self, wish: Wish, now: float, *, again: bool = False) -> None:
        point = self.points[wish.point.name]
        if self._stands_there(point, wish):
            self._leave(wish)
            return
        try:
            payload = point.pack(wish.value)
        except PayloadError as error:
            self._refuse_wish(wish, str(error))
            return
        sent = _Sent(wish, now, now + self._settings.reply_within)
        older = self._awaiting.put(sent)
        if older is not None and older.wish is not wish:
            self._mqtt.withdraw(older)
        self._mqtt.publish(Publication(point.command, payload, point.qos, point.retain), sent, now)
        if not point.qos and not (point.confirm and point.state):
            self._done(sent)
        self._collect(now)

    def look(self, name: str, now: float) -> bool:
        """Subscribe anew: the broker then gives what is retained. Source: [MQTT-3.8.4-3]."""
        state = self.points[name].state
        if state and self.state is SessionState.READY:
            self._mqtt.subscribe([Filter(state, 1)], now)
            self._collect(now)
        return bool(state)

    def _stands_there(self, point: TopicPoint, wish: Wish) -> bool:
        """Whether nothing has to be published: what is asked stands there, and nothing else is under way."""
        if wish.forced or point.kind is PointKind.PULSE or point.name in self._awaiting:
            return False
        return self._is_there(wish)

    def _done(self, sent: _Sent) -> None:
        """What is not confirmed counts as done when the broker has it."""
        self._awaiting.pop(sent.wish.point.name)
        self.readings[sent.wish.point.name].assume(sent.wish.value)

    def _settled(self, settled: Settled, now: float) -> None:
        sent = settled.ref
        if not isinstance(sent, _Sent) or not self._awaiting.holds(sent):
            return  # it was overtaken, or confirmed before its acknowledgement came
        sent.taken = settled.code
        point = self.points[sent.wish.point.name]
        if settled.code >= 0x80:
            self._awaiting.pop(point.name)
            words = f"the broker does not take it: {settled.words}"
            self._refuse_wish(sent.wish, words, settled.code)
        elif not (point.confirm and point.state):
            self._done(sent)

    def _undelivered(self, happening: Undelivered) -> None:
        sent = happening.ref
        if isinstance(sent, _Sent) and self._awaiting.holds(sent):
            self._awaiting.pop(sent.wish.point.name)
            self._give_up(sent.wish, happening.why)

    def _overdue(self, sent: _Sent, now: float) -> None:
        """Nothing has said yet that it is so. What the broker does not acknowledge is not said again: it has it, or
        the link is dead. Source: [MQTT-4.4.0-1]."""
        wish = sent.wish
        point = self.points[wish.point.name]
        if wish.tries >= self._settings.retries:
            self._mqtt.withdraw(sent)
            self._give_up(wish, self._why(point, sent, now))
            return
        wish.tries += 1
        sent.deadline = now + self._settings.reply_within
        if point.qos and sent.taken is None:
            self._awaiting.put(sent)
            return
        self._tell_again(wish)
        again = _Sent(wish, sent.since, sent.deadline)
        self._awaiting.put(again)
        self._mqtt.publish(Publication(point.command, point.pack(wish.value), point.qos, point.retain), again, now)

    def _why(self, point: TopicPoint, sent: _Sent, now: float) -> str:
        """How far it has come, by all that a host can know."""
        waited = self._settings.reply_within * (self._settings.retries + 1)
        if point.qos and sent.taken is None:
            return f"the broker did not take it: no acknowledgement within {digits(waited)} s"
        if sent.taken == NO_SUBSCRIBERS:
            return f"the broker took it, but nobody has subscribed to {plain(point.command, MAX_SHOWN)}"
        if self.presence.here is False:
            return f"the board is gone: its presence says {self._topics.gone}, for {now - self.presence.since:.0f} s"
        took = "the broker took it" if point.qos else "it was published"
        there = ", and the board is there" if self.presence.here else ""
        tries = f", to {sent.wish.tries + 1} tries" if sent.wish.tries else ""
        stands = self.readings[point.name].got
        says = f"says {point.show(stands)}" if stands is not None else "says nothing"
        return f"{took}{there}, but {plain(point.state, MAX_SHOWN)} {says}{tries}"
