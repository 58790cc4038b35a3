"""A broker's side of one connection: what was agreed on it, and the packets that it is told."""

from __future__ import annotations

from math import inf
from typing import Any

from cavet.boards._running import Client, Outgoing, rest_of
from cavet.boards.firmware.mqtt._limits import BrokerSettings
from cavet.boards.firmware.mqtt._session import BrokerSession, Delivery
from cavet.messaging import AliasesIn, AliasesOut, Flight, Publication, Speech
from cavet.protocols import Side
from cavet.protocols.mqtt import MAX_PACKET_BYTES, MqttDecoder, Property
from cavet.wording import digits

HIGH_WATER_BYTES = 1 << 18
"""Nothing more is given to a client that has not taken so much yet: it waits in its queue instead."""
LONGEST_PACKET = 268_435_460
PROTOCOLS = (b"MQTT", b"MQIsdp")
"""The protocol's name, today's and the one before."""


def _level(head: bytes) -> int | None:
    """The protocol level in a connect's first bytes; 0 where they are none, `None` while they do not tell."""
    if head and head[0] != 0x10:
        return 0
    place = next((place for place, byte in enumerate(head[1:5], 2) if not byte & 0x80), None)
    if place is None:
        return 0 if len(head) >= 5 else None
    rest = head[place:]
    for name in PROTOCOLS:
        begin = len(name).to_bytes(2, "big") + name
        if rest[: len(begin)] == begin[: len(rest)]:
            return rest[len(begin)] or 255 if len(rest) > len(begin) else None
    return 0


class Visitor:
    """One connection."""

    def __init__(self, client: Client, now: float, settings: BrokerSettings) -> None:
        self.client = client
        self.head = b""
        """What came before it was known which version it speaks."""
        self.speech = Speech(4)
        self.decoder: MqttDecoder | None = None
        self.session: BrokerSession | None = None
        """Known once it was let in."""
        self.called = ""
        """What it has called itself when it wanted to be let in."""
        self.gone = False
        """Whether it was hung up on: nothing is heard from it or told to it any more."""
        self.keep_alive = 0.0
        self.silent_at = now + settings.connect_within
        self.max_bytes = LONGEST_PACKET
        self.aliases_in = AliasesIn(0)
        self.aliases_out = AliasesOut(0)
        self.shortens = False
        self.unsent = 0
        """Bytes that the link was not given yet."""
        self.out: list[Outgoing] = []

    @property
    def choked(self) -> bool:
        """Whether it has to take what it was given, before it gets more."""
        return self.client.unread() + self.unsent > HIGH_WATER_BYTES

    @property
    def who(self) -> str:
        """Its name, for a person; "" before it has said it."""
        return self.session.client_id if self.session is not None else self.called

    def begin(self, data: bytes) -> int | None:
        """Learn from its first bytes which version it speaks. Give its level, 0 for none, `None` while they do not
        tell; its decoder is there if that is one that is spoken here."""
        self.head += data
        level = _level(self.head)
        if level:
            self.speech = Speech(5 if level > 4 else 4)
        if level in (4, 5):
            self.decoder = self.speech.codec.decoder(Side.HOST, most=MAX_PACKET_BYTES)
        return level

    @property
    def unfinished(self) -> bytes:
        """What it has said that is no whole packet."""
        if self.gone:
            return b""
        return rest_of(self.decoder) if self.decoder is not None else self.head

    @property
    def silence(self) -> str:
        """How long it may be silent, and was, in words."""
        if self.session is None:
            return "it has not said who it is in time"
        return f"nothing was heard for one and a half times its keep-alive of {digits(self.keep_alive)} s"

    def heard(self, now: float) -> None:
        """It has said something: it is alive. Source: [MQTT-3.1.2-22] (5.0), [MQTT-3.1.2-24] (3.1.1)."""
        self.silent_at = now + 1.5 * self.keep_alive if self.keep_alive else inf

    def tell(self, data: bytes, now: float, cause: int | None = None) -> None:
        """Say a packet to it."""
        if not self.gone:
            self.out.append(Outgoing(self.client, data, cause, now))
            self.unsent += len(data)

    def take_out(self) -> list[Outgoing]:
        """Give the link what there is to be said."""
        out, self.out = self.out, []
        self.unsent = 0
        return out

    def answer(self, name: str, packet_id: int, reason: int, now: float, cause: int | None = None) -> None:
        """Say one of the packets that acknowledge."""
        self.tell(self.speech.answer(name, packet_id, reason), now, cause)

    def hang_up(self, now: float, reason: int | None = None, words: str = "") -> None:
        """Shut the connection; version 5 is told why, where there is a reason."""
        if self.gone:
            return
        tells = reason is not None and self.speech.version == 5
        data = self.speech.disconnect(reason or 0, words) if tells else b""
        if len(data) > self.max_bytes:  # [MQTT-3.14.2-3]
            data = self.speech.disconnect(reason or 0)
        self.gone = True
        self.out.append(Outgoing(self.client, data, None, now, hangs_up=True))

    def refuse(self, packet: Any, now: float) -> None:
        """Answer a connect that is not let in, and shut the connection."""
        self.tell(self.speech.say(packet), now)
        self.hang_up(now)

    def send(self, packet_id: int | None, flight: Flight[Delivery], now: float, *, dup: bool = False) -> bool:
        """Send a message; give whether it could be: one that is longer than this client takes is dropped.

        Source: [MQTT-3.1.2-24], [MQTT-3.1.2-25] (5.0).
        """
        publication, delivery = flight.publication, flight.ref
        extra: tuple[Property, ...] = ()
        alias: tuple[Property, ...] = ()
        topic = publication.topic
        if self.speech.version == 5:
            extra = tuple(Property("subscription_identifier", number) for number in delivery.numbers)
            if publication.expires < inf:
                left = max(0, round(publication.expires - now))
                extra += (Property("message_expiry_interval", left),)
            if self.shortens:
                topic, alias = self.aliases_out.shorten(topic)
        data = self.speech.publish(
            publication, packet_id, qos=flight.qos, dup=dup, retain=delivery.retain, topic=topic,
            properties=extra + alias,
        )  # fmt: skip
        if len(data) > self.max_bytes:
            if alias and topic:
                self.aliases_out.take_back(topic)
            return False
        self.tell(data, now, publication.cause)
        return True

    def is_plain(self, publication: Publication, delivery: Delivery) -> bool:
        """Whether a message of QoS 0 looks the same for all clients of this version."""
        return not (self.shortens or delivery.retain or delivery.numbers) and publication.expires == inf
