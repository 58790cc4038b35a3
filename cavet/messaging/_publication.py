"""Application messages, as clients and brokers hand them on."""

from __future__ import annotations

from math import inf

import msgspec

from cavet.protocols.mqtt import Property


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
