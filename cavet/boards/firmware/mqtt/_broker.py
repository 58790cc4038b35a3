"""A small broker, for benches that have none: both versions of MQTT, by the same rules as a big one.

It is a firmware like others, of a board without pins. Everything that a stranger can make it keep has a limit.

Sources: MQTT 5.0 and MQTT 3.1.1, sections 3 and 4.
"""

from __future__ import annotations

from collections.abc import Callable
from math import inf
from typing import Any

import msgspec

from cavet.boards._running import CauseOf, Client, Firmware, Outgoing
from cavet.boards.firmware.mqtt._admission import Admission, Refusal, refusal_words
from cavet.boards.firmware.mqtt._limits import BrokerSettings
from cavet.boards.firmware.mqtt._packet_rules import (
    MAX_SHOWN,
    OWN_TOPICS,
    PINGRESP,
    PLAIN_PUBLISH,
    Reason,
    kept_properties,
    reason_for,
    shown_name,
)
from cavet.boards.firmware.mqtt._post import Post
from cavet.boards.firmware.mqtt._session import BrokerSession, Delivery
from cavet.boards.firmware.mqtt._visitor import Visitor
from cavet.messaging import (
    MAX_LEVELS,
    PUBACK,
    PUBCOMP,
    PUBREC,
    PUBREL,
    AliasError,
    Flight,
    Publication,
    number_property,
)
from cavet.protocols import Frame
from cavet.protocols.mqtt import Connack5, Property
from cavet.record import Kind, Tell, Topic
from cavet.wording import hex_pairs

LOOK_SECONDS = 0.01
"""How often it looks whether a client that was choked can take more."""


class Broker(Firmware):
    """Lets clients in, and passes messages on between them."""

    def __init__(self, settings: BrokerSettings, tell: Tell) -> None:
        super().__init__()
        self.sessions: dict[str, BrokerSession] = {}
        self._settings = settings
        self._tell = tell
        self._visitors: dict[Client, Visitor] = {}
        self._speaking: dict[Visitor, None] = {}
        """Those to whom something is to be said."""
        self._choked: set[BrokerSession] = set()
        self._held = 0
        self._look_at = inf
        self._forgets_every = self._forgets_at = inf
        self._post = Post(settings, self._deliver)
        self._admission = Admission(settings, self.sessions)
        self._now = 0.0
        self._same: tuple[Publication, int, bytes] | None = None

    # the board's life

    def stop(self, now: float) -> None:
        """All clients are sent away. Source: 5.0, section 4.13, reason 0x8B."""
        for visitor in list(self._visitors.values()):
            if visitor.session is not None:
                visitor.session.will = None
            self._hang_up(visitor, now, 0x8B)

    def joined(self, client: Client, now: float) -> None:
        """A connection is there."""
        self._visitors[client] = Visitor(client, now, self._settings)
        self._look_at = min(self._look_at, now + self._settings.connect_within)

    def unfinished(self, client: Client) -> bytes:
        return self._visitors[client].unfinished

    def left(self, client: Client, now: float) -> None:
        """It is gone. Unless its client has said so before, its will is published."""
        visitor = self._visitors.pop(client, None)
        if visitor is None:
            return
        self._speaking.pop(visitor, None)
        visitor.gone = True
        self._part(visitor, now)

    def take_out(self) -> list[Outgoing]:
        if not self._speaking:
            return []
        out = [outgoing for visitor in self._speaking for outgoing in visitor.take_out()]
        self._speaking.clear()
        return out

    # time

    def was_away(self, seconds: float) -> None:
        for visitor in self._visitors.values():
            visitor.silent_at += seconds

    def advance(self, now: float) -> float:
        if self._choked:
            for session in list(self._choked):
                self._choked.discard(session)
                self._flush(session, now)
        if now >= self._look_at:
            self._look(now)
        if now >= self._forgets_at:
            self._forget(now)
        return min(self._look_at, self._forgets_at, now + LOOK_SECONDS if self._choked else inf)

    def forget_every(self, seconds: float, now: float) -> None:
        """Forget all sessions, and hang up, every so many seconds from now on; `inf` for never."""
        if seconds != self._forgets_every:
            self._forgets_every, self._forgets_at = seconds, now + seconds

    def _forget(self, now: float) -> None:
        """A broker that was started anew without its store: nobody's session is there any more, and no will is told."""
        self._forgets_at = now + self._forgets_every
        for visitor in list(self._visitors.values()):
            if visitor.session is not None:
                visitor.session.will, visitor.session.keeps = None, 0.0
            self._hang_up(visitor, now)
        for session in list(self.sessions.values()):
            session.will = None
            self._end(session, now)

    def _look(self, now: float) -> None:
        """Send away who was silent for too long; publish wills, and end sessions, whose time has come."""
        for visitor in list(self._visitors.values()):
            if now >= visitor.silent_at and not visitor.gone:
                self._hang_up(visitor, now, 0x8D, visitor.silence)
        for session in list(self.sessions.values()):
            if now >= session.will_at:
                self._publish_will(session, now)
            if now >= session.ends_at:
                self._end(session, now)
        dues = [visitor.silent_at for visitor in self._visitors.values() if not visitor.gone]
        dues += [session.due for session in self.sessions.values()]
        self._look_at = min(dues, default=inf)

    # connections

    def _hang_up(self, visitor: Visitor, now: float, reason: int | None = None, words: str = "") -> None:
        """Shut its connection. Where it is by its own doing, that is told. Source: 5.0, section 4.13; 3.1.1, 4.8."""
        if visitor.gone:
            return
        if words:
            self._remark("the broker hangs up on", visitor, words)
        visitor.hang_up(now, reason, words[:MAX_SHOWN])
        self._speaking[visitor] = None
        self._part(visitor, now)

    def _remark(self, does: str, visitor: Visitor, why: str) -> None:
        who = shown_name(visitor.who)
        self._tell(Kind.REMARK, Topic.CLIENT, who, None, None, f"{does} {who or 'a program'}: {shown_name(why)}")

    def _turn_away(self, visitor: Visitor, answer: Refusal, now: float) -> None:
        """It is not let in, and hears why."""
        self._remark("the broker does not let in", visitor, refusal_words(answer))
        visitor.refuse(answer, now)
        self._speaking[visitor] = None

    def _part(self, visitor: Visitor, now: float) -> None:
        """A client's connection is over: its session lives on, if it is to be kept."""
        session, visitor.session = visitor.session, None
        if session is None:
            return
        session.visitor, session.left_at = None, now
        self._choked.discard(session)
        self._tell(Kind.LINK, Topic.CLIENT, shown_name(session.client_id), "gone")
        if session.will is not None:
            session.will_at = now + min(session.will_delay, session.keeps)
        session.ends_at = now + session.keeps
        if now >= session.will_at:
            self._publish_will(session, now)
        if now >= session.ends_at:
            self._end(session, now)
        self._look_at = min(self._look_at, session.due)

    def _publish_will(self, session: BrokerSession, now: float) -> None:
        will, session.will, session.will_at = session.will, None, inf
        if will is not None:
            self._pass(msgspec.structs.replace(will, expires=now + session.will_lasts), session, now)

    def _end(self, session: BrokerSession, now: float) -> None:
        """A session is over. Source: 5.0, section 3.1.2.5: its will is published by now."""
        if self.sessions.get(session.client_id) is not session:
            return  # it ended before
        if session.will is not None:
            self._publish_will(session, now)
        self._post.forget(session)
        self._held -= session.outbox.held
        del self.sessions[session.client_id]

    # hearing

    def feed(self, client: Client, data: bytes, now: float, cause_of: CauseOf) -> None:
        visitor = self._visitors[client]
        if visitor.gone:
            return
        self._now = now
        if visitor.decoder is None and not self._begin(visitor, data, now):
            return
        data, visitor.head = (visitor.head, b"") if visitor.head else (data, b"")
        assert visitor.decoder is not None  # it was made by now
        for frame in visitor.decoder.feed(data):
            if visitor.gone:
                break
            visitor.heard(now)
            self._hear(visitor, frame, now, cause_of)
        if visitor.out:
            self._speaking[visitor] = None

    def _begin(self, visitor: Visitor, data: bytes, now: float) -> bool:
        """Learn from its first bytes which version it speaks; give whether that is one that is spoken here."""
        level = visitor.begin(data)
        if level == 0:
            self._hang_up(visitor, now, words=f"{hex_pairs(visitor.head[:12])} is no connect of MQTT's")
        elif level is not None and visitor.decoder is None:
            self._turn_away(visitor, self._admission.wrong_level(visitor.speech.version), now)
        return visitor.decoder is not None

    def _hear(self, visitor: Visitor, frame: Frame, now: float, cause_of: CauseOf) -> None:
        message: Any = frame.message
        if visitor.session is None:
            self._connect(visitor, frame, now)
        elif frame.problems:
            self._hang_up(visitor, now, reason_for(frame), frame.problems[0])
        elif len(frame.data) > self._settings.packet:
            self._hang_up(visitor, now, Reason.TOO_LARGE, f"a packet of more than {self._settings.packet} bytes")
        elif message.NAME == "publish":
            self._publish(visitor, visitor.session, frame, now, cause_of(frame))
        else:
            self._HEARS[message.NAME](self, visitor, visitor.session, message, now)

    # coming in

    def _connect(self, visitor: Visitor, frame: Frame, now: float) -> None:
        version = visitor.speech.version
        if self._admission.is_wrong(frame, version):  # [MQTT-3.1.4-1], [MQTT-3.1.4-2] (5.0): the older one says nothing
            if version == 5:
                visitor.tell(visitor.speech.say(Connack5(reason_code=reason_for(frame))), now)
            self._hang_up(visitor, now, words=frame.problems[0])
            return
        visitor.called = getattr(frame.message, "client_id", "")
        refusal = self._admission.refusal(frame.message, version)
        if refusal is not None:
            self._turn_away(visitor, refusal, now)
            return
        older = self._admission.superfluous(visitor.called)
        if older is not None:
            self._end(older, now)
        session, there, answer = self._admission.admit(visitor, frame.message, now, self._take_over)
        visitor.session, session.visitor = session, visitor
        visitor.heard(now)
        self._look_at = min(self._look_at, visitor.silent_at)
        self._tell(Kind.LINK, Topic.CLIENT, shown_name(session.client_id), "here", None, visitor.speech.codec.name)
        visitor.tell(visitor.speech.say(answer), now)
        if there:
            self._resume(visitor, session, now)

    def _take_over(self, older: BrokerSession, *, ends: bool, now: float) -> None:
        """Another connection has come for a session: the older one is shut. Source: [MQTT-3.1.4-3]."""
        if older.visitor is not None:
            self._hang_up(older.visitor, now, 0x8E, "another one has come by its name")
        older.ends_at = inf
        if ends:
            self._end(older, now)
        elif older.will_delay:  # it is back in time. Source: [MQTT-3.1.3-9] (5.0)
            older.will, older.will_at = None, inf

    def _resume(self, visitor: Visitor, session: BrokerSession, now: float) -> None:
        """Send again what was not acknowledged, then what waits. Source: [MQTT-4.4.0-1]."""
        for packet_id, flight in list(session.outbox.flying.items()):
            if flight.released:
                visitor.answer(PUBREL, packet_id, 0, now)
            elif not visitor.send(packet_id, flight, now, dup=True):
                session.outbox.flying.pop(packet_id)
        self._flush(session, now)

    # messages in

    def _publish(self, visitor: Visitor, session: BrokerSession, frame: Frame, now: float, cause: int) -> None:
        message: Any = frame.message
        properties: tuple[Property, ...] = getattr(message, "properties", ())
        topic = message.topic
        if visitor.speech.version == 5:
            try:
                topic = visitor.aliases_in.resolve(topic, properties)
            except AliasError as error:
                self._hang_up(visitor, now, error.code, str(error))
                return
        if message.qos == 2 and not self._receive(visitor, session, message.packet_id, now, cause):
            return
        publication = Publication(
            topic, message.payload, message.qos, message.retain, *kept_properties(properties, now), cause
        )
        if frame.data[0] == PLAIN_PUBLISH and not properties:
            self._same = (publication, visitor.speech.version, frame.data)  # it goes on as it came
        reason = self._pass(publication, session, now)
        if message.qos == 1:
            visitor.answer(PUBACK, message.packet_id, reason, now, cause)
        elif message.qos == 2:
            if reason >= 0x80:
                session.received.discard(message.packet_id)
            visitor.answer(PUBREC, message.packet_id, reason, now, cause)

    def _receive(self, visitor: Visitor, session: BrokerSession, packet_id: int, now: float, cause: int) -> bool:
        """Whether a message of QoS 2 is a new one, and may be. Source: [MQTT-4.3.3-10], [MQTT-3.3.4-7] (5.0)."""
        if packet_id in session.received:
            visitor.answer(PUBREC, packet_id, 0, now, cause)
            return False
        if visitor.speech.version == 5 and len(session.received) >= self._settings.received:
            self._hang_up(visitor, now, Reason.RECEIVED_TOO_MUCH, "more messages of QoS 2 at once than it may")
            return False
        session.received.add(packet_id)
        return True

    def _pass(self, publication: Publication, sender: BrokerSession, now: float) -> int:
        """Pass a message on; give the reason code for whoever has sent it."""
        topic = publication.topic
        shown = shown_name(topic)
        if topic.startswith("$") and topic.partition("/")[0] in OWN_TOPICS:
            self._tell(Kind.REFUSED, Topic.MESSAGE, shown, None, publication.cause, "a topic of the broker's own")
            return Reason.NOT_AUTHORIZED
        if topic.count("/") >= MAX_LEVELS:
            self._tell(Kind.REFUSED, Topic.MESSAGE, shown, None, publication.cause, f"more than {MAX_LEVELS} levels")
            return Reason.BAD_TOPIC
        self._now = now
        count = self._post.pass_on(publication, sender, now)
        self._tell(Kind.PASSED, Topic.MESSAGE, shown, int(count), publication.cause)
        return 0 if count else Reason.NO_MATCH

    def _acknowledged(self, visitor: Visitor, session: BrokerSession, message: Any, now: float) -> None:
        session.outbox.settle(message.packet_id, qos=1 if message.NAME == "puback" else 2)
        self._flush(session, now)

    def _was_received(self, visitor: Visitor, session: BrokerSession, message: Any, now: float) -> None:
        if getattr(message, "reason_code", 0) >= 0x80:  # it does not want it. Source: 5.0, section 4.3.3
            session.outbox.settle(message.packet_id, qos=2)
            self._flush(session, now)
            return
        known = session.outbox.release(message.packet_id) is not None
        visitor.answer(PUBREL, message.packet_id, 0 if known else Reason.NO_SUCH_ID, now)

    def _released(self, visitor: Visitor, session: BrokerSession, message: Any, now: float) -> None:
        known = message.packet_id in session.received
        session.received.discard(message.packet_id)
        visitor.answer(PUBCOMP, message.packet_id, 0 if known else Reason.NO_SUCH_ID, now)

    # messages out

    def _deliver(self, session: BrokerSession, publication: Publication, qos: int, delivery: Delivery) -> bool:
        """Hand a message over to a session; give whether it was taken."""
        now = self._now
        visitor = session.visitor
        if visitor is None and (qos == 0 or not session.keeps):
            return False
        if visitor is not None and qos == 0 and not session.outbox.waits and not visitor.choked:
            return self._send_at_once(visitor, publication, delivery, now)
        if self._held + publication.size > self._settings.held_bytes or not session.outbox.post(
            publication, qos, delivery
        ):
            name = shown_name(session.client_id)
            self._tell(Kind.LOST, Topic.CLIENT, name, None, publication.cause, "its queue is full")
            return False
        self._held += publication.size
        if visitor is not None:
            self._flush(session, now)
        return True

    def _send_at_once(self, visitor: Visitor, publication: Publication, delivery: Delivery, now: float) -> bool:
        self._speaking[visitor] = None
        if not visitor.is_plain(publication, delivery):
            return visitor.send(None, Flight(publication, delivery, 0), now)
        version = visitor.speech.version
        if self._same is None or self._same[0] is not publication or self._same[1] != version:
            self._same = (publication, version, visitor.speech.publish(publication, qos=0, retain=False))
        data = self._same[2]
        if len(data) > visitor.max_bytes:
            return False
        visitor.tell(data, now, publication.cause)
        return True

    def _flush(self, session: BrokerSession, now: float) -> None:
        """Send what waits, as far as the client takes it."""
        visitor, outbox = session.visitor, session.outbox
        if visitor is None:
            return
        while outbox.ready:
            if visitor.choked:
                self._choked.add(session)
                break
            before = outbox.held
            packet_id, flight = outbox.depart()
            self._held -= before - outbox.held
            if flight.publication.expires <= now or not visitor.send(packet_id, flight, now):
                outbox.flying.pop(packet_id or 0, None)
        if visitor.out:
            self._speaking[visitor] = None

    # subscriptions

    def _subscribe(self, visitor: Visitor, session: BrokerSession, message: Any, now: float) -> None:
        number = number_property(getattr(message, "properties", ()), "subscription_identifier", 0)
        codes, new = self._post.subscribe_to(session, message.filters, visitor.speech.version, number)
        visitor.tell(visitor.speech.suback(message.packet_id, tuple(codes)), now)
        delivery = Delivery(True, (number,) if number else ())
        for text, qos in new:
            for publication in self._post.retained(text, now):
                self._deliver(session, publication, min(qos, publication.qos), delivery)

    def _unsubscribe(self, visitor: Visitor, session: BrokerSession, message: Any, now: float) -> None:
        codes = [0 if self._post.unsubscribe(session, text) else Reason.NO_SUBSCRIPTION for text in message.filters]
        visitor.tell(visitor.speech.unsuback(message.packet_id, tuple(codes)), now)

    # the rest

    def _ping(self, visitor: Visitor, session: BrokerSession, message: Any, now: float) -> None:
        visitor.tell(PINGRESP, now)

    def _leave(self, visitor: Visitor, session: BrokerSession, message: Any, now: float) -> None:
        """Source: 5.0, section 3.14: with 0x04 the will is published all the same."""
        keeps = number_property(getattr(message, "properties", ()), "session_expiry_interval", -1)
        may = session.end_in(keeps)
        if may and getattr(message, "reason_code", 0) == 0:  # [MQTT-3.14.4-3]
            session.will = None
        words = "" if may else "a session expiry on leaving, where it had none"
        self._hang_up(visitor, now, None if may else Reason.PROTOCOL_ERROR, words)

    def _not_now(self, visitor: Visitor, session: BrokerSession, message: Any, now: float) -> None:
        """A second connect, or an auth without a method. Source: [MQTT-3.1.0-2], [MQTT-4.12.0-1]."""
        self._hang_up(visitor, now, Reason.PROTOCOL_ERROR, f"{message.NAME}, once it was let in")

    _HEARS: dict[str, Callable[[Broker, Visitor, BrokerSession, Any, float], None]] = {
        "puback": _acknowledged, "pubcomp": _acknowledged, "pubrec": _was_received, "pubrel": _released,
        "subscribe": _subscribe, "unsubscribe": _unsubscribe, "pingreq": _ping, "disconnect": _leave,
        "connect": _not_now, "auth": _not_now,
    }  # fmt: skip
