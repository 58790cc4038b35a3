"""What is said in either version of MQTT, so that clients and brokers need not know which one it is."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from cavet.messaging._publication import Publication
from cavet.protocols import Message, mqtt
from cavet.protocols.mqtt import V3, V5, Filter, Property, encode_plain_ack, encode_publish

PUBACK, PUBREC, PUBREL, PUBCOMP = "puback", "pubrec", "pubrel", "pubcomp"
_FORMS: dict[str, Any] = {PUBACK: mqtt.Puback5, PUBREC: mqtt.Pubrec5, PUBREL: mqtt.Pubrel5, PUBCOMP: mqtt.Pubcomp5}


class Speech:
    """Makes the packets of one version, 4 (3.1.1) or 5 (5.0)."""

    def __init__(self, version: int) -> None:
        self.version = version
        self.codec = V5 if version == 5 else V3

    def say(self, packet: Message) -> bytes:
        """The bytes of a packet."""
        return self.codec.encode(packet)

    def publish(
        self, publication: Publication, packet_id: int | None = None, *, qos: int | None = None, dup: bool = False,
        retain: bool | None = None, topic: str | None = None, properties: tuple[Property, ...] = (),
    ) -> bytes:  # fmt: skip
        """A publish packet; `topic` is "" where an alias among `properties` stands for it."""
        return encode_publish(
            self.version,
            publication.topic if topic is None else topic,
            publication.payload,
            qos=publication.qos if qos is None else qos,
            retain=publication.retain if retain is None else retain,
            dup=dup,
            packet_id=packet_id,
            found=publication.properties + properties,
        )

    def answer(self, name: str, packet_id: int, reason: int = 0) -> bytes:
        """One of the four packets that acknowledge; 3.1.1 has no reason in it."""
        if self.version == 4 or not reason:
            return encode_plain_ack(name, packet_id)
        return self.say(_FORMS[name](packet_id=packet_id, reason_code=reason))

    def subscribe(self, packet_id: int, filters: Iterable[Filter]) -> bytes:
        """Ask for topics."""
        form = mqtt.Subscribe5 if self.version == 5 else mqtt.Subscribe
        return self.say(form(packet_id=packet_id, filters=tuple(filters)))

    def suback(self, packet_id: int, codes: tuple[int, ...]) -> bytes:
        """Answer to that; 3.1.1 has only one code for all that goes wrong."""
        if self.version == 5:
            return self.say(mqtt.Suback5(packet_id=packet_id, reason_codes=codes))
        return self.say(mqtt.Suback(packet_id=packet_id, reason_codes=tuple(min(code, 0x80) for code in codes)))

    def unsuback(self, packet_id: int, codes: tuple[int, ...]) -> bytes:
        """Answer to an unsubscribe."""
        if self.version == 5:
            return self.say(mqtt.Unsuback5(packet_id=packet_id, reason_codes=codes))
        return self.say(mqtt.Unsuback(packet_id=packet_id))

    def disconnect(self, reason: int = 0, words: str = "", reference: str = "") -> bytes:
        """Leave; only version 5 says why."""
        if self.version == 4:
            return self.say(mqtt.Disconnect())
        properties = tuple(
            Property(name, value)
            for name, value in (("reason_string", words), ("server_reference", reference))
            if value
        )
        return self.say(mqtt.Disconnect5(reason_code=reason, properties=properties))
