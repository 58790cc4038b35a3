"""OneWire. Source: protocol description 2.7, "OneWire"."""

from __future__ import annotations

from enum import IntFlag
from typing import Annotated

from cavet.protocols._message import Range
from cavet.protocols.firmata._messages import Pin, SysexMessage
from cavet.protocols.firmata._packed import Packed, Part
from cavet.protocols.firmata._pieces import Number

ONEWIRE = 0x73


class OneWireMessage(SysexMessage, frozen=True, kw_only=True):
    """A message about OneWire."""

    COMMAND = ONEWIRE


class OneWireSearch(OneWireMessage, frozen=True, kw_only=True):
    """Ask which devices are on a pin."""

    NAME = "onewire-search-request"
    LAYOUT = (Part(0x40), Number("pin"))
    pin: Pin


class OneWireConfig(OneWireMessage, frozen=True, kw_only=True):
    """Begin to use OneWire on a pin; `power` keeps the line high between, for devices that live on it."""

    NAME = "onewire-config"
    LAYOUT = (Part(0x41), Number("pin"), Number("power"))
    pin: Pin
    power: Annotated[int, Range(0, 1)] = 1


class OneWireFound(OneWireMessage, frozen=True, kw_only=True):
    """The addresses of the devices on a pin, eight bytes each."""

    NAME = "onewire-search-reply"
    LAYOUT = (Part(0x42), Number("pin"), Packed("addresses"))
    pin: Pin
    addresses: bytes = b""


class OneWireReply(OneWireMessage, frozen=True, kw_only=True):
    """What was read; `correlation_id` is that of the command."""

    NAME = "onewire-read-reply"
    LAYOUT = (Part(0x43), Number("pin"), Packed("data"))
    pin: Pin
    data: bytes = b""
    """The correlation id, two bytes with the low one first, then what was read."""


class OneWireSearchAlarms(OneWireMessage, frozen=True, kw_only=True):
    """Ask which devices on a pin have an alarm."""

    NAME = "onewire-search-alarms-request"
    LAYOUT = (Part(0x44), Number("pin"))
    pin: Pin


class OneWireAlarms(OneWireMessage, frozen=True, kw_only=True):
    """The addresses of the devices with an alarm."""

    NAME = "onewire-search-alarms-reply"
    LAYOUT = (Part(0x45), Number("pin"), Packed("addresses"))
    pin: Pin
    addresses: bytes = b""


class OneWireDo(IntFlag):
    """What a OneWire command does, in this order."""

    RESET = 0x01
    SKIP = 0x02
    SELECT = 0x04
    READ = 0x08
    DELAY = 0x10
    WRITE = 0x20


class OneWireCommand(OneWireMessage, frozen=True, kw_only=True):
    """Reset, skip or select, write, wait, read, as `does` has it. In `data`, as far as they are wanted: an address of
    eight bytes, how much to read and a correlation id (two bytes each), a delay in ms (four bytes), what to write."""

    NAME = "onewire-command"
    LAYOUT = (Part(0x00, "does", bits=6), Number("pin"), Packed("data"))
    does: Annotated[int, Range(1, 63)]
    pin: Pin
    data: bytes = b""
