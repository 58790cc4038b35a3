"""SPI: devices at chip selects. Source: protocol description 2.7, "SPI"."""

from __future__ import annotations

from typing import Annotated

from cavet.protocols._message import FieldError, Range, Words
from cavet.protocols.firmata._messages import Pin, SysexMessage
from cavet.protocols.firmata._packed import Part, TwoParts
from cavet.protocols.firmata._pieces import Number, Octets

SPI = 0x68

Seven = Annotated[int, Range(0, 127)]
Device = Annotated[int, Range(0, 15)]
Channel = Annotated[int, Range(0, 7)]


class SpiMessage(SysexMessage, frozen=True, kw_only=True):
    """A message about SPI."""

    COMMAND = SPI


class SpiBegin(SpiMessage, frozen=True, kw_only=True):
    """Begin to use an SPI channel."""

    NAME = "spi-begin"
    LAYOUT = (Part(0x00), Number("channel"))
    channel: Channel = 0


class SpiDeviceConfig(SpiMessage, frozen=True, kw_only=True):
    """Say how a device is spoken with: mode, order of bits, rate, word size, chip select."""

    NAME = "spi-device-config"
    LAYOUT = (
        Part(0x01), TwoParts("device_id", "channel", 3), TwoParts("mode", "bit_order", 1),
        Number("max_speed", groups=5, unit="Hz"), Number("word_size"), Number("cs_pin_options"), Number("cs_pin"),
    )  # fmt: skip
    device_id: Device = 0
    channel: Channel = 0
    mode: Annotated[int, Range(0, 3)] = 0
    bit_order: Annotated[int, Range(0, 1), Words({0: "lsb first", 1: "msb first"})] = 1
    max_speed: Annotated[int, Range(0, 0xFFFFFFFF)] = 1_000_000
    word_size: Annotated[int, Range(0, 32)] = 8
    """In bits; 0 for 8."""
    cs_pin_options: Annotated[int, Range(0, 3)] = 1
    """Bit 0: the board works the chip select; bit 1: it is high while the device is chosen."""
    cs_pin: Pin = 0


class SpiTransfer(SpiMessage, frozen=True, kw_only=True):
    """Send bytes, and get as many back."""

    NAME = "spi-transfer"
    LAYOUT = (
        Part(0x02), TwoParts("device_id", "channel", 3), Number("request_id"), Number("deselect"),
        Number("count"), Octets("data"),
    )  # fmt: skip
    device_id: Device = 0
    channel: Channel = 0
    request_id: Seven = 0
    deselect: Annotated[int, Range(0, 1)] = 1
    """Whether the chip select ends behind it."""
    count: Seven
    data: bytes

    def __post_init__(self) -> None:
        super().__post_init__()
        if self.count != len(self.data):
            raise FieldError(f"{self.NAME}.count", found=self.count, expected=f"{len(self.data)}, as data is long")


class SpiWrite(SpiTransfer, frozen=True, kw_only=True):
    """Send bytes; what comes back is dropped."""

    NAME = "spi-write"
    LAYOUT = (Part(0x03), *SpiTransfer.LAYOUT[1:])


class SpiRead(SpiMessage, frozen=True, kw_only=True):
    """Get bytes, while zeros are sent."""

    NAME = "spi-read"
    LAYOUT = (
        Part(0x04), TwoParts("device_id", "channel", 3), Number("request_id"), Number("deselect"), Number("count"),
    )  # fmt: skip
    device_id: Device = 0
    channel: Channel = 0
    request_id: Seven = 0
    deselect: Annotated[int, Range(0, 1)] = 1
    count: Seven


class SpiReply(SpiMessage, frozen=True, kw_only=True):
    """What came back in a transfer or a read."""

    NAME = "spi-reply"
    LAYOUT = (Part(0x05), TwoParts("device_id", "channel", 3), Number("request_id"), Number("count"), Octets("data"))
    device_id: Device = 0
    channel: Channel = 0
    request_id: Seven = 0
    count: Seven
    data: bytes


class SpiEnd(SpiMessage, frozen=True, kw_only=True):
    """Use an SPI channel no more."""

    NAME = "spi-end"
    LAYOUT = (Part(0x06), Number("channel"))
    channel: Channel = 0
