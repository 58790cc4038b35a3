"""Serial ports of the board. Source: protocol description 2.7, "Serial"."""

from __future__ import annotations

from typing import Annotated

from cavet.protocols._message import Range, Words
from cavet.protocols.firmata._messages import SysexMessage
from cavet.protocols.firmata._packed import Part
from cavet.protocols.firmata._pieces import Number, Octets, Rest

SERIAL = 0x60

Port = Annotated[int, Range(0, 15)]


class SerialMessage(SysexMessage, frozen=True, kw_only=True):
    """A message about a serial port of the board: 0 to 7 its own, 8 to 15 made by software."""

    COMMAND = SERIAL


class SerialConfig(SerialMessage, frozen=True, kw_only=True):
    """Open a serial port. Pins are for ports that are made by software."""

    NAME = "serial-config"
    LAYOUT = (Part(0x10, "port"), Number("baud", groups=3, unit="Bd"), Rest("pins"))
    port: Port
    baud: Annotated[int, Range(0, (1 << 21) - 1)]
    pins: Annotated[bytes, Range(0, 2)] = b""
    """Receive and transmit, or none."""


class SerialWrite(SerialMessage, frozen=True, kw_only=True):
    """Send bytes out of a serial port."""

    NAME = "serial-write"
    LAYOUT = (Part(0x20, "port"), Octets("data"))
    port: Port
    data: bytes


class SerialRead(SerialMessage, frozen=True, kw_only=True):
    """Tell what comes in at a serial port, from now on, or no more."""

    NAME = "serial-read"
    LAYOUT = (Part(0x30, "port"), Number("mode"), Number("count", groups=2, optional=True))
    port: Port
    mode: Annotated[int, Range(0, 1), Words({0: "continuously", 1: "stop"})] = 0
    count: Annotated[int | None, Range(0, 0x3FFF)] = None
    """How many bytes a reply has at most; 0 or none: whatever is there."""


class SerialReply(SerialMessage, frozen=True, kw_only=True):
    """What came in at a serial port."""

    NAME = "serial-reply"
    LAYOUT = (Part(0x40, "port"), Octets("data"))
    port: Port
    data: bytes


class SerialClose(SerialMessage, frozen=True, kw_only=True):
    """Shut a serial port."""

    NAME = "serial-close"
    LAYOUT = (Part(0x50, "port"),)
    port: Port


class SerialFlush(SerialMessage, frozen=True, kw_only=True):
    """Wait until all is out of a serial port."""

    NAME = "serial-flush"
    LAYOUT = (Part(0x60, "port"),)
    port: Port


class SerialListen(SerialMessage, frozen=True, kw_only=True):
    """Choose which of the ports made by software listens."""

    NAME = "serial-listen"
    LAYOUT = (Part(0x70, "port"),)
    port: Port
