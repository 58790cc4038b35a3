"""A client of MQTT: the host's and the simulated board's alike. No I/O; time is handed in.

It is told when its connection is open, shut, or has brought bytes; it gives bytes to send, and what has happened.
What was handed to it with QoS 1 or 2 is sent until the broker has it, over any number of connections.

Sources: MQTT 5.0 and MQTT 3.1.1, sections 3 and 4.
"""

from __future__ import annotations

from collections.abc import Iterable
from enum import Enum
from math import inf
from typing import Any

import msgspec

from cavet.messaging._aliases import AliasError, AliasesIn, AliasesOut
from cavet.messaging._outbox import Flight, Outbox
from cavet.messaging._publication import Publication, number_property, text_property
from cavet.messaging._speech import PUBACK, PUBCOMP, PUBREC, PUBREL, Speech
from cavet.protocols import Frame, Message, Side, mqtt
from cavet.protocols.mqtt import MAX_PACKET_BYTES, NAMES, RETURN_CODES, Filter, MqttDecoder, Property
from cavet.wording import digits, plain

CONNACK_WITHIN = 5.0
PONG_WITHIN = 5.0
SUBACK_WITHIN = 5.0
PING_SHARE = 0.8
"""A ping is sent when nothing else was for so much of the keep-alive time."""
ALIASES = 16
"""So many topic aliases we take, and give."""
MAX_WAITING = 1000
MAX_WAITING_BYTES = 1 << 24
MAX_RECEIVED = 0xFFFF
MALFORMED, PROTOCOL_ERROR = 0x81, 0x82
MAX_SHOWN = 80
PACKETS_KEPT_BYTES = 268_435_460
"""As long as a packet can be."""


class ClientState(Enum):
    """How a client stands towards its broker."""

    SHUT = "shut"
    CONNECTING = "connects"
    OPEN = "open"


class ClientSettings(msgspec.Struct, frozen=True, kw_only=True):
    """Who a client is to its broker. Times in seconds; `keeps` is how long the broker keeps its session."""

    client_id: str = ""
    version: int = 4
    keep_alive: int = 30
    keeps: int = 0
    user_name: str | None = None
    password: bytes | None = None
    will: Publication | None = None
    will_delay: int = 0
    receive_maximum: int = 100


class Connected(msgspec.Struct, frozen=True):
    """The broker has let it in; `kept` says whether it still knew its session."""

    kept: bool


class Refused(msgspec.Struct, frozen=True):
    """The broker has not let it in, or sent it away: by which code, in words, and where to go instead."""

    code: int
    words: str
    reference: str = ""

    @property
    def tells(self) -> str:
        """All of it, for a person."""
        return f"the broker: {self.words}{f'; it names {self.reference}' if self.reference else ''}"


class Arrived(msgspec.Struct, frozen=True):
    """A message has come, in this frame."""

    publication: Publication
    frame: Frame


class Settled(msgspec.Struct, frozen=True):
    """The broker has acknowledged what was published for `ref`. From 0x80 on the code says why it does not want it."""

    ref: Any
    code: int
    words: str = ""


class Undelivered(msgspec.Struct, frozen=True):
    """What was published for `ref` will not reach the broker, or no one knows."""

    ref: Any
    why: str


class Subscribed(msgspec.Struct, frozen=True):
    """The broker has answered for a filter: the QoS that it grants, or from 0x80 on why it does not."""

    filter: str
    code: int
    words: str


class Noted(msgspec.Struct, frozen=True):
    """Something that a person should know."""

    words: str


Happening = Connected | Refused | Arrived | Settled | Undelivered | Subscribed | Noted


class Outgoing(msgspec.Struct, frozen=True):
    """A packet to be sent, and for whose `ref`; `None` for the client's own."""

    data: bytes
    ref: Any = None


class MqttClient:
    """One client. `hang_up` says why its connection is to be shut by whoever holds it; "" while it is not."""

    def __init__(self, settings: ClientSettings) -> None:
        self.settings = settings
        self.state = ClientState.SHUT
        self.hang_up = ""
        self._speech = Speech(settings.version)
        self._decoder: MqttDecoder
        self._outbox: Outbox[Any] = Outbox(MAX_WAITING, MAX_WAITING_BYTES)
        self._received: set[int] = set()
        """Identifiers of QoS 2 messages that have arrived and are not released."""
        self._asked: dict[int, tuple[Filter, ...]] = {}
        self._out: list[Outgoing] = []
        self._happened: list[Happening] = []
        self._keep_alive = float(settings.keep_alive)
        self._said_at = 0.0
        self._deadline = inf
        self._granted_by = inf
        """Until when the broker has to answer for filters."""
        self._max_bytes = PACKETS_KEPT_BYTES
        self._max_qos = 2
        self._may_retain = True
        self._aliases_in = AliasesIn(0)
        self._aliases_out = AliasesOut(0)

    # the connection

    def opened(self, now: float) -> None:
        """The connection is open: ask to be let in."""
        self.hang_up = ""
        self._decoder = self._speech.codec.decoder(Side.BOARD, most=MAX_PACKET_BYTES)
        self._out.clear()
        self._asked.clear()
        self._granted_by = inf
        self._outbox.reserved.clear()
        self.state = ClientState.CONNECTING
        self._deadline = now + CONNACK_WITHIN
        self._put(self._speech.say(self._connect()), now)

    def _connect(self) -> Message:
        settings, will = self.settings, self.settings.will
        topic = will.topic if will is not None else None
        payload = will.payload if will is not None else None
        qos, retain = (will.qos, will.retain) if will is not None else (0, False)
        if settings.version == 4:
            return mqtt.Connect(
                client_id=settings.client_id, clean_session=not settings.keeps, keep_alive=settings.keep_alive,
                will_topic=topic, will_message=payload, will_qos=qos, will_retain=retain, user_name=settings.user_name,
                password=settings.password,
            )  # fmt: skip
        properties = [
            Property("receive_maximum", settings.receive_maximum),
            Property("maximum_packet_size", MAX_PACKET_BYTES),
            Property("topic_alias_maximum", ALIASES),
        ]
        if settings.keeps:
            properties.append(Property("session_expiry_interval", settings.keeps))
        delay = (
            (Property("will_delay_interval", settings.will_delay),) if will is not None and settings.will_delay else ()
        )
        return mqtt.Connect5(
            client_id=settings.client_id, clean_start=not settings.keeps, keep_alive=settings.keep_alive,
            properties=tuple(properties), will_topic=topic, will_payload=payload, will_qos=qos, will_retain=retain,
            will_properties=(*will.properties, *delay) if will is not None else (), user_name=settings.user_name,
            password=settings.password,
        )  # fmt: skip

    def lost(self) -> None:
        """The connection is gone. What is not acknowledged is kept."""
        self.hang_up = ""
        self.state = ClientState.SHUT
        self._deadline = inf
        self._out.clear()

    def disconnect(self, now: float) -> None:
        """Leave in good order: the broker does not publish the will."""
        if self.state is ClientState.OPEN:
            self._put(self._speech.disconnect(), now)
        self.state = ClientState.SHUT
        self._deadline = inf

    # asking

    def publish(self, publication: Publication, ref: Any, now: float) -> None:
        """Have a message delivered. It waits while there is no connection; of QoS 0 it is lost then."""
        if publication.qos == 0 and self.state is not ClientState.OPEN:
            self._happened.append(Undelivered(ref, "there is no connection to the broker"))
        elif not self._outbox.post(publication, publication.qos, ref):
            self._happened.append(Undelivered(ref, f"{self._outbox.waits} messages wait already"))
        else:
            self._send_on(now)

    def withdraw(self, ref: Any) -> None:
        """What was published for `ref` is not wanted any more: do not send it again."""
        self._outbox.withdraw(ref)

    def subscribe(self, filters: Iterable[Filter], now: float) -> None:
        """Ask for topics, once it is let in; it has to be done anew after each `Connected`."""
        wanted = tuple(filters)
        packet_id = self._outbox.free_id()
        self._outbox.reserved.add(packet_id)
        self._asked[packet_id] = wanted
        self._granted_by = now + SUBACK_WITHIN
        self._put(self._speech.subscribe(packet_id, wanted), now)

    def take_out(self) -> list[Outgoing]:
        """Give the packets to be sent, and forget them."""
        out, self._out = self._out, []
        return out

    def take_happened(self) -> list[Happening]:
        """Give what has happened, and forget it."""
        happened, self._happened = self._happened, []
        return happened

    def _put(self, data: bytes, now: float, ref: Any = None) -> None:
        self._out.append(Outgoing(data, ref))
        self._said_at = now

    def _send_on(self, now: float) -> None:
        while self.state is ClientState.OPEN and self._outbox.ready:
            packet_id, flight = self._outbox.depart()
            self._send(packet_id, flight, now)

    def _send(self, packet_id: int | None, flight: Flight[Any], now: float, *, dup: bool = False) -> None:
        publication = flight.publication
        if publication.retain and not self._may_retain:
            self._cant_send(packet_id, flight, "this broker keeps no retained messages")
            return
        topic, alias = self._aliases_out.shorten(publication.topic)
        qos = min(flight.qos, self._max_qos)
        lowered = packet_id is not None and not qos
        if packet_id is not None and lowered:
            self._outbox.flying.pop(packet_id)
            packet_id = None
        flight.qos = qos
        data = self._speech.publish(publication, packet_id, qos=qos, dup=dup, topic=topic, properties=alias)
        if len(data) > self._max_bytes:
            if alias and topic:
                self._aliases_out.take_back(topic)
            self._cant_send(packet_id, flight, f"{len(data)} bytes, and the broker takes {self._max_bytes} at most")
            return
        self._put(data, now, flight.ref)
        if lowered:
            self._happened.append(Settled(flight.ref, 0, "sent at QoS 0: the broker takes no more"))

    def _cant_send(self, packet_id: int | None, flight: Flight[Any], why: str) -> None:
        if packet_id is not None:
            self._outbox.flying.pop(packet_id, None)
        self._happened.append(Undelivered(flight.ref, why))

    # time

    def advance(self, now: float) -> float:
        """Do what is due; give when something is due next."""
        if self.state is ClientState.SHUT or self.hang_up:
            return inf
        is_new = self.state is ClientState.CONNECTING
        what, within = ("CONNACK", CONNACK_WITHIN) if is_new else ("PINGRESP", PONG_WITHIN)
        if now >= self._granted_by:
            what, within = "SUBACK", SUBACK_WITHIN
        if now >= min(self._deadline, self._granted_by):
            self.hang_up = f"the broker does not answer: no {what} within {digits(within)} s"
            return inf
        ping_at = self._said_at + PING_SHARE * self._keep_alive if self._keep_alive else inf
        if self.state is ClientState.OPEN and now >= ping_at and self._deadline == inf:
            self._put(self._speech.say(mqtt.Pingreq()), now)
            self._deadline = now + PONG_WITHIN
            ping_at = now + PING_SHARE * self._keep_alive
        return min(self._deadline, self._granted_by, ping_at if self._deadline == inf else inf)

    def extend(self, seconds: float) -> None:
        """Wait so much longer for what the broker is to answer."""
        self._deadline, self._granted_by = self._deadline + seconds, self._granted_by + seconds

    # hearing

    def feed(self, data: bytes, now: float) -> None:
        """Hear the broker's bytes."""
        for frame in self._decoder.feed(data):
            if self.state is ClientState.SHUT or self.hang_up:
                return
            if frame.problems:
                self._complain(MALFORMED if not frame.readable else PROTOCOL_ERROR, frame.problems[0], now)
            else:
                self._hear(frame, now)
        self._send_on(now)

    def _complain(self, code: int, what: str, now: float) -> None:
        """The broker has said what it must not: say so, and leave. Source: 5.0, section 4.13."""
        if self._speech.version == 5 and self.state is ClientState.OPEN:
            self._put(self._speech.disconnect(code), now)
        self.hang_up = f"the broker has said what it must not: {plain(what, MAX_SHOWN)}"

    def _hear(self, frame: Frame, now: float) -> None:
        message: Any = frame.message
        if (self.state is ClientState.CONNECTING) != (message.NAME == "connack"):
            self._complain(PROTOCOL_ERROR, f"{message.NAME} {self.state.value}", now)
            return
        getattr(self, f"_hear_{message.NAME}")(message, frame, now)

    def _hear_connack(self, message: Any, frame: Frame, now: float) -> None:
        code, words = _reason(message, self._speech.version)
        if code:
            reference = text_property(getattr(message, "properties", ()), "server_reference")
            self._happened.append(Refused(code, words, plain(reference, MAX_SHOWN)))
            self.hang_up = f"the broker refuses: {words}"
            return
        self.state = ClientState.OPEN
        self._deadline = inf
        self._take_limits(getattr(message, "properties", ()))
        self._happened.append(Connected(message.session_present))
        if message.session_present:
            self._resume(now)
        else:
            self._received.clear()
            for flight in self._outbox.take_back():
                self._happened.append(Undelivered(flight.ref, "the broker had received it, and then lost its session"))

    def _take_limits(self, properties: tuple[Property, ...]) -> None:
        self._outbox.quota = number_property(properties, "receive_maximum", MAX_RECEIVED)
        self._max_bytes = number_property(properties, "maximum_packet_size", PACKETS_KEPT_BYTES)
        self._max_qos = number_property(properties, "maximum_qos", 2)
        self._may_retain = bool(number_property(properties, "retain_available", 1))
        self._keep_alive = number_property(properties, "server_keep_alive", self.settings.keep_alive)
        self._aliases_in = AliasesIn(ALIASES if self._speech.version == 5 else 0)
        self._aliases_out = AliasesOut(min(ALIASES, number_property(properties, "topic_alias_maximum", 0)))

    def _resume(self, now: float) -> None:
        """Send again what was not acknowledged, in the old order. Source: [MQTT-4.4.0-1], [MQTT-4.6.0-1]."""
        for packet_id, flight in list(self._outbox.flying.items()):
            if flight.released:
                self._put(self._speech.answer(PUBREL, packet_id), now, flight.ref)
            else:
                self._send(packet_id, flight, now, dup=True)

    def _hear_publish(self, message: Any, frame: Frame, now: float) -> None:
        properties: tuple[Property, ...] = getattr(message, "properties", ())
        try:
            topic = self._aliases_in.resolve(message.topic, properties)
        except AliasError as error:
            self._complain(error.code, str(error), now)
            return
        publication = Publication(topic, message.payload, message.qos, message.retain, properties)
        if message.qos == 2:
            self._put(self._speech.answer(PUBREC, message.packet_id), now)
            if message.packet_id in self._received:
                return  # again, since our answer was lost
            self._received.add(message.packet_id)
            if self._speech.version == 5 and len(self._received) > self.settings.receive_maximum:
                self._complain(0x93, f"more than {self.settings.receive_maximum} messages not acknowledged", now)
                return
        self._happened.append(Arrived(publication, frame))
        if message.qos == 1:
            self._put(self._speech.answer(PUBACK, message.packet_id), now)

    def _hear_pubrel(self, message: Any, frame: Frame, now: float) -> None:
        known = message.packet_id in self._received
        self._received.discard(message.packet_id)
        self._put(self._speech.answer(PUBCOMP, message.packet_id, 0 if known else 0x92), now)

    def _hear_puback(self, message: Any, frame: Frame, now: float) -> None:
        self._settle(message, qos=1)

    def _hear_pubrec(self, message: Any, frame: Frame, now: float) -> None:
        code, _ = _reason(message, self._speech.version)
        if code >= 0x80:
            self._settle(message, qos=2)
            return
        flight = self._outbox.release(message.packet_id)
        reason = 0 if flight is not None else 0x92
        self._put(self._speech.answer(PUBREL, message.packet_id, reason), now, flight.ref if flight else None)

    def _hear_pubcomp(self, message: Any, frame: Frame, now: float) -> None:
        self._settle(message, qos=2)

    def _settle(self, message: Any, *, qos: int) -> None:
        code, words = _reason(message, self._speech.version)
        flight = self._outbox.settle(message.packet_id, qos=qos)
        if flight is None:
            self._happened.append(Noted(f"{message.NAME} for {message.packet_id}, which nothing waits for"))
        else:
            self._happened.append(Settled(flight.ref, code, words))

    def _hear_suback(self, message: Any, frame: Frame, now: float) -> None:
        filters = self._asked.pop(message.packet_id, ())
        self._outbox.reserved.discard(message.packet_id)
        if not self._asked:
            self._granted_by = inf
        if len(filters) != len(message.reason_codes):
            self._complain(PROTOCOL_ERROR, f"{len(message.reason_codes)} codes for {len(filters)} filters", now)
            return
        for wanted, code in zip(filters, message.reason_codes, strict=True):
            self._happened.append(Subscribed(wanted.filter, code, NAMES.get(code, f"code 0x{code:02X}")))

    def _hear_unsuback(self, message: Any, frame: Frame, now: float) -> None:
        self._complain(PROTOCOL_ERROR, "an unsuback that nothing waits for", now)

    def _hear_pingresp(self, message: Any, frame: Frame, now: float) -> None:
        self._deadline = inf

    def _hear_disconnect(self, message: Any, frame: Frame, now: float) -> None:
        code, words = _reason(message, 5)
        reference = text_property(message.properties, "server_reference")
        self._happened.append(Refused(code, words, plain(reference, MAX_SHOWN)))
        self.hang_up = f"the broker sends us away: {words}"

    def _hear_auth(self, message: Any, frame: Frame, now: float) -> None:
        self._complain(PROTOCOL_ERROR, "an auth without a method", now)


def _reason(message: Any, version: int) -> tuple[int, str]:
    """The code of an answer, in words, with the broker's own reason where it gives one."""
    if hasattr(message, "return_code"):
        return message.return_code, RETURN_CODES[message.return_code]
    if version == 4:
        return 0, ""
    code = message.reason_code
    words = NAMES.get(code, f"code 0x{code:02X}") if code else ""
    said = text_property(message.properties, "reason_string")
    return code, f"{words}: {plain(said, MAX_SHOWN)}" if said else words
