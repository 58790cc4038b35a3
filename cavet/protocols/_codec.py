"""The one shape that the codecs of all protocols have."""

from __future__ import annotations

import importlib
from collections.abc import Mapping, Sequence
from enum import Enum
from typing import Protocol

from cavet.protocols._frame import Field, Frame
from cavet.protocols._message import Message
from cavet.wording import WrongError, listed, nearest


class Side(Enum):
    """Who speaks."""

    HOST = "host"
    BOARD = "board"


class Decoder(Protocol):
    """Reads a stream, cut anywhere. It never raises on bad bytes, and bounds what it keeps."""

    def feed(self, data: bytes) -> Sequence[Frame]:
        """Take more bytes; give the frames that are complete now."""

    def finish(self) -> Sequence[Frame]:
        """The stream has ended: give what is left, as frames too."""


class Codec(Protocol):
    """One protocol. A datagram protocol's decoder takes each datagram as one `feed` and keeps nothing between two."""

    name: str
    unused: frozenset[str]
    """Fields of its messages that this protocol does not carry; they are neither asked for nor told."""
    also_called: Mapping[str, str]
    """Other names that the standard itself has for some messages, with those used here."""

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        """The messages that `side` can say, by the standard's names."""

    def encode(self, message: Message) -> bytes:
        """Give the bytes of a message."""

    def decoder(self, side: Side) -> Decoder:
        """Make a decoder for what `side` says."""

    def explain(self, frame: Frame, side: Side) -> Sequence[Field]:
        """Take a frame apart, down to the bits. What could not be read, or is in no field, is left out."""


def read_all(decoder: Decoder, data: bytes) -> list[Frame]:
    """All frames in a stream that is there whole."""
    return [*decoder.feed(data), *decoder.finish()]


PROTOCOLS = {
    "firmata": ("cavet.protocols.firmata", "CODEC"),
    "modbus-tcp": ("cavet.protocols.modbus", "TCP"),
    "modbus-rtu": ("cavet.protocols.modbus", "RTU"),
    "modbus-ascii": ("cavet.protocols.modbus", "ASCII"),
    "scpi": ("cavet.protocols.scpi", "CODEC"),
    "mqtt": ("cavet.protocols.mqtt", "V3"),
    "mqtt5": ("cavet.protocols.mqtt", "V5"),
    "i2c": ("cavet.protocols.i2c", "CODEC"),
    "spi": ("cavet.protocols.spi", "CODEC"),
    "usb": ("cavet.protocols.usb", "CODEC"),
}
"""Where the codec of each protocol is: the module, and its name in there. Loaded when it is asked for."""


def codec(name: str) -> Codec:
    """Give the codec of a protocol by its name."""
    if name not in PROTOCOLS:
        raise WrongError("protocol", found=name, expected=listed(PROTOCOLS), nearest=nearest(name, PROTOCOLS))
    module, attribute = PROTOCOLS[name]
    found: Codec = getattr(importlib.import_module(module), attribute)
    return found
