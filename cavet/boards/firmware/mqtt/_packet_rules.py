"""What a broker makes of packets: what goes on with a message, what is wrong with one that must not be."""

from __future__ import annotations

from enum import IntEnum
from math import inf
from typing import Any

from cavet.messaging import number_property
from cavet.protocols import Frame
from cavet.protocols.mqtt import Property, misplaced_properties, name_problem
from cavet.wording import plain

MAX_SHOWN = 80
RESERVED_OPTIONS = 0xC0
OWN_TOPICS = ("$SYS", "$share")
"""First levels that are no client's to publish to. Source: 5.0, section 4.7.2."""
PINGRESP = bytes((0xD0, 0))
PLAIN_PUBLISH = 0x30
"""The first byte of a publish packet of QoS 0 that is not retained."""


class Reason(IntEnum):
    """Reason codes. Source: 5.0, section 2.4."""

    NO_MATCH = 0x10
    NO_SUBSCRIPTION = 0x11
    MALFORMED = 0x81
    PROTOCOL_ERROR = 0x82
    NOT_AUTHORIZED = 0x87
    BAD_TOPIC = 0x90
    NO_SUCH_ID = 0x92
    RECEIVED_TOO_MUCH = 0x93
    TOO_LARGE = 0x95
    TOO_MANY = 0x97


def reason_for(frame: Frame) -> int:
    """The reason code of 5.0 for a packet that must not be."""
    message: Any = frame.message
    if not frame.readable:
        return Reason.TOO_LARGE if "a packet of more than" in frame.problems[0] else Reason.MALFORMED
    if message.NAME == "subscribe" and any(wanted.options & RESERVED_OPTIONS for wanted in message.filters):
        return Reason.MALFORMED  # [MQTT-3.8.3-5]
    if misplaced_properties(message):
        return Reason.MALFORMED  # 5.0, section 2.2.2.2
    if message.NAME == "publish" and message.topic and name_problem(message.topic):
        return Reason.BAD_TOPIC
    return Reason.PROTOCOL_ERROR


def shown_name(text: str) -> str:
    """A client's or a topic's name as the record shows it: short, and without control codes."""
    return text if len(text) <= MAX_SHOWN and text.isprintable() else plain(text, MAX_SHOWN)


def kept_properties(properties: tuple[Property, ...], now: float) -> tuple[tuple[Property, ...], float]:
    """What goes on with a message, and when it expires."""
    if not properties:
        return (), inf
    expiry = number_property(properties, "message_expiry_interval", -1)
    kept = tuple(one for one in properties if one.name not in ("message_expiry_interval", "topic_alias"))
    return kept, now + expiry if expiry >= 0 else inf
