"""The messages, each with its field names, ranges and the layout of its body.

A channel message is its command byte (the lower four bits are a pin or port in some) and up to two data bytes; a
system exclusive one is `F0`, its command, its body, `F7`.
"""

from __future__ import annotations

from enum import IntEnum
from typing import Annotated, ClassVar

from cavet.protocols._message import FieldError, Message, Range, Words, Written
from cavet.protocols.firmata._pieces import Number, Octets, Piece, Rest, require_seven_bits
from cavet.protocols.firmata._shapes import AbilityLists, I2cBody, read_abilities, read_mapping, write_mapping


class Mode(IntEnum):
    """Pin modes. Source: protocol description, "pin mode" table."""

    INPUT = 0x00
    OUTPUT = 0x01
    ANALOG = 0x02
    PWM = 0x03
    SERVO = 0x04
    SHIFT = 0x05
    I2C = 0x06
    ONEWIRE = 0x07
    STEPPER = 0x08
    ENCODER = 0x09
    SERIAL = 0x0A
    PULLUP = 0x0B
    SPI = 0x0C
    SONAR = 0x0D
    TONE = 0x0E
    DHT = 0x0F


MODE_WORDS = Words({mode.value: mode.name.lower() for mode in Mode})

Pin = Annotated[int, Range(0, 127)]
Channel = Annotated[int, Range(0, 15)]
ModeNumber = Annotated[int, Range(0, 127), MODE_WORDS]
MAX_WIDE_VALUE = (1 << 63) - 1
"""The widest number that an open-ended field is read or written with: nine groups of seven bits."""


class Ability(Message, frozen=True, kw_only=True):
    """A mode that a pin has, and with how many bits."""

    NAME = "ability"
    mode: ModeNumber
    resolution: Annotated[int, Range(0, 126)]


class ChannelMessage(Message, frozen=True, kw_only=True):
    """A message that is a command byte and its data bytes, without a frame around them."""

    COMMAND: ClassVar[int]
    CHANNEL: ClassVar[str | None] = None
    """The field in the lower four bits of the command byte."""
    LAYOUT: ClassVar[tuple[Piece, ...]] = ()
    DATA_BYTES: ClassVar[int] = 0


class SysexMessage(Message, frozen=True, kw_only=True):
    """A message between `F0` and `F7`."""

    COMMAND: ClassVar[int]
    LAYOUT: ClassVar[tuple[Piece, ...]] = ()

    def __post_init__(self) -> None:
        for piece in self.LAYOUT:
            if isinstance(piece, Rest):
                require_seven_bits(f"{self.NAME}.{piece.name}", getattr(self, piece.name))
        super().__post_init__()


class AnalogMessage(ChannelMessage, frozen=True, kw_only=True):
    """A level for (or from) one of the pins or analog channels 0 to 15: PWM duty, servo angle, converter reading."""

    NAME = "analog-message"
    COMMAND = 0xE0
    CHANNEL = "pin"
    LAYOUT = (Number("value", groups=2, meaning="duty, angle in degrees or pulse in µs, or converter reading"),)
    DATA_BYTES = 2

    pin: Channel
    value: Annotated[int, Range(0, 0x3FFF)]


class DigitalMessage(ChannelMessage, frozen=True, kw_only=True):
    """The levels of the eight pins of a port, as a mask: bit 0 is pin `8 × port`."""

    NAME = "digital-message"
    COMMAND = 0x90
    CHANNEL = "port"
    LAYOUT = (Number("value", groups=2, meaning="levels of the port's eight pins, bit 0 the lowest pin"),)
    DATA_BYTES = 2

    port: Channel
    value: Annotated[int, Range(0, 0xFF)]


class ReportAnalogPin(ChannelMessage, frozen=True, kw_only=True):
    """Report an analog channel at every sampling interval, or stop. `pin` counts analog channels, not pins."""

    NAME = "report-analog-pin"
    COMMAND = 0xC0
    CHANNEL = "pin"
    LAYOUT = (Number("value", meaning="1 report, 0 stop"),)
    DATA_BYTES = 1

    pin: Channel
    value: Annotated[int, Range(0, 1)]


class ReportDigitalPort(ChannelMessage, frozen=True, kw_only=True):
    """Report a port's input pins whenever one changes, or stop."""

    NAME = "report-digital-port"
    COMMAND = 0xD0
    CHANNEL = "port"
    LAYOUT = (Number("value", meaning="1 report, 0 stop"),)
    DATA_BYTES = 1

    port: Channel
    value: Annotated[int, Range(0, 1)]


class SetPinMode(ChannelMessage, frozen=True, kw_only=True):
    """Give a pin its mode."""

    NAME = "set-pin-mode"
    COMMAND = 0xF4
    LAYOUT = (Number("pin"), Number("mode"))
    DATA_BYTES = 2

    pin: Pin
    mode: ModeNumber


class SetDigitalPinValue(ChannelMessage, frozen=True, kw_only=True):
    """Drive one output pin high or low. Since 2.5."""

    NAME = "set-digital-pin-value"
    COMMAND = 0xF5
    LAYOUT = (Number("pin"), Number("value", meaning="1 high, 0 low"))
    DATA_BYTES = 2

    pin: Pin
    value: Annotated[int, Range(0, 1)]


class VersionQuery(ChannelMessage, frozen=True, kw_only=True):
    """Ask for the protocol version. From the host, `F9` stands alone."""

    NAME = "protocol-version"
    COMMAND = 0xF9


class ProtocolVersion(ChannelMessage, frozen=True, kw_only=True):
    """The version of the protocol that the board speaks."""

    NAME = "protocol-version"
    COMMAND = 0xF9
    LAYOUT = (Number("major"), Number("minor"))
    DATA_BYTES = 2

    major: Annotated[int, Range(0, 127)]
    minor: Annotated[int, Range(0, 127)]


class SystemReset(ChannelMessage, frozen=True, kw_only=True):
    """Put all pins back as they were after power-on, and stop reporting."""

    NAME = "system-reset"
    COMMAND = 0xFF


class AnalogMappingQuery(SysexMessage, frozen=True, kw_only=True):
    """Ask which analog channel each pin is."""

    NAME = "analog-mapping-query"
    COMMAND = 0x69


class AnalogMappingResponse(SysexMessage, frozen=True, kw_only=True):
    """The analog channel of each pin in turn, 127 where it has none."""

    NAME = "analog-mapping-response"
    COMMAND = 0x6A
    LAYOUT = (Rest("channels"),)

    channels: Annotated[
        bytes,
        Range(0, 128),
        Written("channels of the pins, with commas, 127 for none", read_mapping, write=write_mapping),
    ]


class CapabilityQuery(SysexMessage, frozen=True, kw_only=True):
    """Ask what each pin can do."""

    NAME = "capability-query"
    COMMAND = 0x6B


def _read_pins(place: str, text: str) -> tuple[tuple[Ability, ...], ...]:
    pins = read_abilities(place, text)
    return tuple(tuple(Ability(mode=mode, resolution=bits) for mode, bits in pin) for pin in pins)


def _write_pins(pins: tuple[tuple[Ability, ...], ...]) -> str:
    return "/".join(",".join(f"{each.mode}:{each.resolution}" for each in pin) for pin in pins)


class CapabilityResponse(SysexMessage, frozen=True, kw_only=True):
    """The modes of each pin in turn, with their resolutions in bits."""

    NAME = "capability-response"
    COMMAND = 0x6C
    LAYOUT = (AbilityLists("pins", Ability),)

    pins: Annotated[
        tuple[tuple[Ability, ...], ...],
        Range(0, 128),
        Written(
            "MODE:RESOLUTION with commas, pins parted by /",
            _read_pins,
            write=_write_pins,
        ),
    ]


class PinStateQuery(SysexMessage, frozen=True, kw_only=True):
    """Ask for a pin's mode and state."""

    NAME = "pin-state-query"
    COMMAND = 0x6D
    LAYOUT = (Number("pin"),)

    pin: Pin


class PinStateResponse(SysexMessage, frozen=True, kw_only=True):
    """A pin's mode and state: for outputs what was last written, for inputs whether the pull-up is on."""

    NAME = "pin-state-response"
    COMMAND = 0x6E
    LAYOUT = (Number("pin"), Number("mode"), Number("state", groups=1, open_ended=True))

    pin: Pin
    mode: ModeNumber
    state: Annotated[int, Range(0, MAX_WIDE_VALUE)]


SAMPLING_SECONDS = 0.019
"""How often a board samples that was not told. Source: protocol description, "sampling interval"."""
ANALOG_BYTES = 3
"""The length of an analog message."""
SERVO_DEGREES_BELOW = 544
"""A servo's value below this is an angle, from here on a pulse in µs. Source: protocol description, "servo config"."""
SERVO_PULSES = (544, 2400)
"""The pulses, in µs, between which a servo turns whose pin was not configured."""


class ExtendedAnalog(SysexMessage, frozen=True, kw_only=True):
    """A level for any pin, and of any width: what an analog message can't reach."""

    NAME = "extended-analog"
    COMMAND = 0x6F
    LAYOUT = (Number("pin"), Number("value", groups=2, open_ended=True))

    pin: Pin
    value: Annotated[int, Range(0, MAX_WIDE_VALUE)]


class ServoConfig(SysexMessage, frozen=True, kw_only=True):
    """Make a pin a servo output, and say which pulses mean 0° and 180°."""

    NAME = "servo-config"
    COMMAND = 0x70
    LAYOUT = (Number("pin"), Number("min_pulse", groups=2, unit="µs"), Number("max_pulse", groups=2, unit="µs"))

    pin: Pin
    min_pulse: Annotated[int, Range(0, 0x3FFF)]
    max_pulse: Annotated[int, Range(0, 0x3FFF)]


class StringData(SysexMessage, frozen=True, kw_only=True):
    """A text for people."""

    NAME = "string-data"
    COMMAND = 0x71
    LAYOUT = (Octets("text", text=True),)

    text: str


class I2cAction(IntEnum):
    """What an I2C request wants. Source: protocol description, I2C, bits 3 and 4 of the second address byte."""

    WRITE = 0
    READ = 1
    READ_CONTINUOUSLY = 2
    STOP_READING = 3


class I2cRequest(SysexMessage, frozen=True, kw_only=True):
    """Write to a device on the bus, read from it once or at every sampling interval, or stop reading."""

    NAME = "i2c-request"
    COMMAND = 0x76
    LAYOUT = (I2cBody(),)

    address: Annotated[int, Range(0, 0x3FF)]
    mode: Annotated[int, Range(0, 3), Words({action.value: action.name.lower() for action in I2cAction})]
    ten_bit: bool = False
    restart: bool = False
    """Whether a read goes on from its register write with a repeated start instead of a stop."""
    register: Annotated[int | None, Range(0, 0x3FFF)] = None
    count: Annotated[int | None, Range(0, 0x3FFF)] = None
    data: bytes = b""

    def __post_init__(self) -> None:
        if not self.ten_bit and self.address > 0x7F:
            raise FieldError("i2c-request.address", found=self.address, expected="0 to 127, or ten_bit=on")
        reads = self.mode in (I2cAction.READ, I2cAction.READ_CONTINUOUSLY)
        if reads and self.count is None:
            raise FieldError("i2c-request.count", found="nothing", expected="how many bytes to read")
        if reads and self.data:
            raise FieldError("i2c-request.data", found=f"{len(self.data)} bytes", expected="none in a read")
        if not reads and (self.count is not None or self.register is not None):
            raise FieldError("i2c-request.mode", found=self.mode, expected="a read, where register or count is given")
        for name, high in (("address", 0x3FF), ("mode", 3), ("register", 0x3FFF), ("count", 0x3FFF)):
            value = getattr(self, name)
            if value is not None and not 0 <= value <= high:
                raise FieldError(f"i2c-request.{name}", found=value, expected=f"0 to {high}")


class I2cReply(SysexMessage, frozen=True, kw_only=True):
    """What was read from a device."""

    NAME = "i2c-reply"
    COMMAND = 0x77
    LAYOUT = (Number("address", groups=2), Number("register", groups=2), Octets("data"))

    address: Annotated[int, Range(0, 0x3FF)]
    register: Annotated[int, Range(0, 0x3FFF)]
    data: bytes = b""


class I2cConfig(SysexMessage, frozen=True, kw_only=True):
    """Begin to use the bus, with a delay between writing a register's number and reading it."""

    NAME = "i2c-config"
    COMMAND = 0x78
    LAYOUT = (Number("delay", groups=2, unit="µs"), Rest("data"))

    delay: Annotated[int, Range(0, 0x3FFF)] = 0
    data: bytes = b""
    """Whatever else this firmware wants, seven bits a byte."""


class FirmwareQuery(SysexMessage, frozen=True, kw_only=True):
    """Ask for the firmware's name and version."""

    NAME = "report-firmware"
    COMMAND = 0x79


class FirmwareReport(SysexMessage, frozen=True, kw_only=True):
    """The firmware's name and version."""

    NAME = "report-firmware"
    COMMAND = 0x79
    LAYOUT = (Number("major"), Number("minor"), Octets("name", text=True))

    major: Annotated[int, Range(0, 127)]
    minor: Annotated[int, Range(0, 127)]
    name: str = ""


class SamplingInterval(SysexMessage, frozen=True, kw_only=True):
    """How often analog channels and continuous bus reads are reported."""

    NAME = "sampling-interval"
    COMMAND = 0x7A
    LAYOUT = (Number("interval", groups=2, unit="ms"),)

    interval: Annotated[int, Range(0, 0x3FFF)]


class Sysex(SysexMessage, frozen=True, kw_only=True):
    """Any other system exclusive message, handed on whole."""

    NAME = "sysex"

    command: Annotated[int, Range(0, 127)]
    data: bytes = b""

    def __post_init__(self) -> None:
        require_seven_bits("sysex.data", self.data)
        super().__post_init__()


BOTH: tuple[type[ChannelMessage] | type[SysexMessage], ...] = (
    AnalogMessage, DigitalMessage, StringData, ExtendedAnalog, Sysex,
)  # fmt: skip
FROM_HOST = (
    *BOTH, SetPinMode, SetDigitalPinValue, ReportAnalogPin, ReportDigitalPort, VersionQuery, SystemReset,
    FirmwareQuery, CapabilityQuery, AnalogMappingQuery, PinStateQuery, ServoConfig, SamplingInterval,
    I2cConfig, I2cRequest,
)  # fmt: skip
FROM_BOARD = (
    *BOTH, ProtocolVersion, FirmwareReport, CapabilityResponse, AnalogMappingResponse, PinStateResponse, I2cReply,
)  # fmt: skip
