"""Application messages, as clients and brokers hand them on."""

from __future__ import annotations

from math import inf
from typing import Any

import msgspec

from cavet.protocols import Side
from cavet.protocols.mqtt import V3, V5, Property

PUBLISH_TYPE = 3


class Publication(msgspec.Struct, frozen=True, gc=False):
    """An application message: its topic and payload, and how it is to be delivered."""

    topic: str
    payload: bytes = b""
    qos: int = 0
    retain: bool = False
    properties: tuple[Property, ...] = ()
    """Those of version 5 that go with it to whoever gets it."""
    expires: float = inf
    """The time at which it is worth nothing any more."""
    cause: int | None = None
    """The event that it follows from."""

    @property
    def size(self) -> int:
        """About how many bytes it keeps."""
        return len(self.topic) + len(self.payload) + 100


def find_property(properties: tuple[Property, ...], name: str) -> int | str | bytes | None:
    """The value of a property, `None` where it is not there."""
    for found in properties:
        if found.name == name:
            return found.value
    return None


def number_property(properties: tuple[Property, ...], name: str, default: int) -> int:
    """The value of a property that is a number."""
    value = find_property(properties, name)
    return value if isinstance(value, int) else default


def text_property(properties: tuple[Property, ...], name: str) -> str:
    """The value of a property that is a text; "" where it is not there."""
    value = find_property(properties, name)
    return value if isinstance(value, str) else ""


def read_publish(data: bytes, version: int, side: Side) -> tuple[str, bytes, int] | None:
    """Topic, payload and topic alias (0 for none) of a publish packet; `None` for others."""
    if not data or data[0] >> 4 != PUBLISH_TYPE:
        return None
    frames = (V5 if version == 5 else V3).decoder(side).feed(data)
    if not frames or frames[0].problems:
        return None
    message: Any = frames[0].message
    return message.topic, message.payload, number_property(getattr(message, "properties", ()), "topic_alias", 0)
