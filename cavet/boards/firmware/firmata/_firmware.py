"""The board's side of Firmata 2.7.

What the protocol leaves open is done as most firmwares do: enabling a report sends the present value at once, also of
a pin that is still the input it was at the start; an input's level is reported when it changes; refusals are string
messages; a servo value below 544 is in degrees.
"""

from __future__ import annotations

import functools
from math import inf

from cavet.boards._circuit import Circuit, PinRefusedError
from cavet.boards._pins import Pin, PinMode
from cavet.boards._running import CauseOf, Client, Firmware, Outgoing, rest_of
from cavet.boards.firmware.firmata._bus import FirmataBus, request_words
from cavet.boards.firmware.firmata._encoders import FirmataEncoders
from cavet.boards.firmware.firmata._feature import Feature, Handler
from cavet.boards.firmware.firmata._onewire import FirmataOneWire
from cavet.boards.firmware.firmata._serial import FirmataSerial
from cavet.boards.firmware.firmata._spi import FirmataSpi
from cavet.boards.firmware.firmata._steppers import FirmataSteppers
from cavet.boards.firmware.firmata._tasks import Tasks
from cavet.protocols import FieldError, Frame, Message, Side, firmata
from cavet.record import Kind, Tell, Topic

MODES = {
    firmata.Mode.INPUT: PinMode.INPUT,
    firmata.Mode.OUTPUT: PinMode.OUTPUT,
    firmata.Mode.ANALOG: PinMode.ANALOG,
    firmata.Mode.PWM: PinMode.PWM,
    firmata.Mode.SERVO: PinMode.SERVO,
    firmata.Mode.I2C: PinMode.BUS,
    firmata.Mode.PULLUP: PinMode.PULL_UP,
    firmata.Mode.STEPPER: PinMode.STEPPER,
    firmata.Mode.ENCODER: PinMode.ENCODER,
    firmata.Mode.ONEWIRE: PinMode.ONEWIRE,
    firmata.Mode.SERIAL: PinMode.SERIAL,
}
REPORTS_COUNTS = (PinMode.ANALOG, PinMode.INPUT)
DIGITAL = (PinMode.INPUT, PinMode.PULL_UP)
"""The modes in which a pin's level is reported."""
NUMBERS = {mode: number for number, mode in MODES.items()}

VERSION = (2, 7)
NO_CHANNEL = 127
MAX_UNREAD_BYTES = 1024
"""While its line has so much to carry yet, it leaves its samples out: a real one waits for its line, too."""
FEATURES: tuple[type[Feature], ...] = (
    FirmataBus, FirmataSpi, FirmataSerial, FirmataEncoders, FirmataSteppers, FirmataOneWire,
)  # fmt: skip


@functools.lru_cache(1 << 14)
def _analog_bytes(channel: int, counts: int) -> bytes:
    """What is said at every sampling, again and again."""
    return firmata.encode(firmata.AnalogMessage(pin=channel, value=counts))


class FirmataFirmware(Firmware):
    """Hears messages, acts on the circuit, reports its inputs."""

    def __init__(self, circuit: Circuit, tell: Tell, name: str) -> None:
        super().__init__()
        self._circuit = circuit
        self._tell = tell
        self._name = name
        self._client: Client
        self._channels = {
            pin.channel: number for number, pin in circuit.profile.pins.items() if pin.channel is not None
        }
        self._decoder = firmata.FirmataDecoder(Side.HOST)
        self._tasks = Tasks(circuit, self._say, self._run)
        self._features = [*(feature(circuit, self._say) for feature in FEATURES), self._tasks]
        self._timed = [feature for feature in self._features if type(feature).advance is not Feature.advance]
        """Those that ever want to be called by themselves: the others cost nothing."""
        self._sampled = [feature for feature in self._features if type(feature).sample is not Feature.sample]
        self._handlers: dict[type[Message], Handler] = {
            firmata.AnalogMessage: self._write_analog,
            firmata.ExtendedAnalog: self._write_analog,
            firmata.DigitalMessage: self._write_port,
            firmata.SetDigitalPinValue: self._write_pin,
            firmata.SetPinMode: self._set_mode,
            firmata.ReportAnalogPin: self._report_channel,
            firmata.ReportDigitalPort: self._report_port,
            firmata.VersionQuery: self._tell_version,
            firmata.FirmwareQuery: self._tell_firmware,
            firmata.CapabilityQuery: self._tell_capabilities,
            firmata.AnalogMappingQuery: self._tell_mapping,
            firmata.PinStateQuery: self._tell_pin_state,
            firmata.ServoConfig: self._configure_servo,
            firmata.SamplingInterval: self._set_interval,
            firmata.SystemReset: self._reset,
            firmata.StringData: self._hear_text,
            firmata.Sysex: self._refuse_unknown,
        }
        for feature in self._features:
            self._handlers |= feature.handlers
        self._forget(0.0)

    def _forget(self, now: float) -> None:
        self._forget_reports()
        self._pulses: dict[int, tuple[int, int]] = {}
        for feature in self._features:
            feature.forget(now)

    def _forget_reports(self) -> None:
        self._reported_ports: dict[int, int] = {}
        self._reported_channels: list[int] = []
        self._interval = firmata.SAMPLING_SECONDS
        self._next_sample = inf
        self._features_due = 0.0
        """When a feature wants to be called next."""

    def start(self, now: float) -> None:
        """Begin anew."""
        self._forget(now)

    def joined(self, client: Client, now: float) -> None:
        """A program is there: announce itself to it."""
        self._client = client
        self._decoder = firmata.FirmataDecoder(Side.HOST)
        self._say(firmata.ProtocolVersion(major=VERSION[0], minor=VERSION[1]), now, None)
        self._say(self._firmware(), now, None)

    def unfinished(self, client: Client) -> bytes:
        return rest_of(self._decoder)

    def left(self, client: Client, now: float) -> None:
        """It is gone: what was reported to it is not reported any more. Tasks and steppers go on."""
        self._forget_reports()
        for feature in self._features:
            feature.quiet()

    def feed(self, client: Client, data: bytes, now: float, cause_of: CauseOf) -> None:
        for frame in self._decoder.feed(data):
            self._take(frame, now, cause_of(frame))

    def _take(self, frame: Frame, now: float, cause: int) -> None:
        message = frame.message
        if not frame.readable:
            self._tell(Kind.REFUSED, Topic.BYTES, str(len(frame.data)), frame.data, cause, frame.problems[0])
            return
        self._act(message, now, self._tell(Kind.TAKEN, Topic.MESSAGE, message.NAME, frame.data, cause, _words(message)))

    def _run(self, message: Message, now: float, cause: int) -> None:
        """Act on a message of a task."""
        self._act(message, now, self._tell(Kind.TAKEN, Topic.MESSAGE, message.NAME, None, cause, _words(message)))

    def _act(self, message: Message, now: float, taken: int) -> None:
        try:
            self._handlers[type(message)](message, now, taken)
        except PinRefusedError as refusal:
            self._refuse(str(refusal), now, taken)

    def _refuse(self, why: str, now: float, cause: int | None) -> None:
        refused = self._tell(Kind.REFUSED, Topic.BOARD, "", None, cause, why)
        self._say(firmata.StringData(text=why), now, refused)

    def _say(self, message: Message, at: float, cause: int | None) -> None:
        """Say something; what does not fit into a message is refused: the bytes of a long read, of a long task."""
        try:
            data = firmata.encode(message)
        except FieldError as error:
            self._refuse(str(error), at, cause)
            return
        told = self._tell(Kind.TOLD, Topic.MESSAGE, message.NAME, data, cause)
        self._out.append(Outgoing(self._client, data, told, at))

    # writing

    def _set_mode(self, message: firmata.SetPinMode, now: float, cause: int) -> None:
        mode = MODES.get(message.mode)  # type: ignore[call-overload]
        if mode is None:
            raise PinRefusedError(f"pin {message.pin}: this board knows no mode {message.mode}")
        self._circuit.set_mode(message.pin, mode, now, cause)
        if mode is not PinMode.ANALOG and (channel := self._channel_of(message.pin)) in self._reported_channels:
            self._reported_channels.remove(channel)

    def _channel_of(self, pin: int) -> int:
        channel = self._circuit.profile.pins[pin].channel
        return NO_CHANNEL if channel is None else channel

    def _write_analog(self, message: firmata.AnalogMessage | firmata.ExtendedAnalog, now: float, cause: int) -> None:
        pin = self._circuit.pins.get(message.pin)
        if pin is not None and pin.mode is PinMode.SERVO:
            pulse = self._pulse(pin.number, message.value)
            self._circuit.write_pulse(pin.number, pulse, message.value, now, cause)
        elif pin is not None and pin.mode is PinMode.PWM:
            self._circuit.write_duty(pin.number, min(255, message.value), now, cause)
        else:
            found = f"is in mode {pin.mode.value}" if pin else "does not exist"
            raise PinRefusedError(f"pin {message.pin} {found}: an analog value needs mode pwm or servo")

    def _pulse(self, pin: int, value: int) -> int:
        shortest, longest = self._pulses.get(pin, firmata.SERVO_PULSES)
        if value < firmata.SERVO_DEGREES_BELOW:
            return round(shortest + (longest - shortest) * min(180, value) / 180)
        return min(longest, max(shortest, value))

    def _write_port(self, message: firmata.DigitalMessage, now: float, cause: int) -> None:
        changed = False
        for bit in range(8):
            pin = self._circuit.pins.get(8 * message.port + bit)
            level = message.value >> bit & 1
            if pin is not None and pin.mode is PinMode.OUTPUT and pin.value != level:
                self._circuit.write_level(pin.number, bool(level), now, cause)
                changed = True
        if not changed:
            self._tell(
                Kind.DRIVEN, Topic.PORT, str(message.port), message.value, cause, "no output of this port changes"
            )

    def _write_pin(self, message: firmata.SetDigitalPinValue, now: float, cause: int) -> None:
        self._circuit.write_level(message.pin, bool(message.value), now, cause)

    def _configure_servo(self, message: firmata.ServoConfig, now: float, cause: int) -> None:
        if not 0 < message.min_pulse < message.max_pulse:
            why = f"pin {message.pin}: pulses {message.min_pulse} to {message.max_pulse} µs make no range"
            raise PinRefusedError(why)
        self._circuit.set_mode(message.pin, PinMode.SERVO, now, cause)
        self._pulses[message.pin] = (message.min_pulse, message.max_pulse)

    def _reset(self, message: firmata.SystemReset, now: float, cause: int) -> None:
        self._circuit.reset(now)
        self._forget(now)
        self._tell(Kind.BOARD, Topic.BOARD, "", "reset", cause, "the host asked for it")

    # reporting

    def _report_channel(self, message: firmata.ReportAnalogPin, now: float, cause: int) -> None:
        if message.pin not in self._channels:
            raise PinRefusedError(f"there is no analog channel {message.pin}: there are {len(self._channels)}, from 0")
        if message.pin in self._reported_channels:
            self._reported_channels.remove(message.pin)
        if message.value:
            self._reported_channels.append(message.pin)
            self._reported_channels.sort()
            self._sample(message.pin, now)
            self._next_sample = min(self._next_sample, now + self._period)

    def _sample(self, channel: int, now: float) -> None:
        pin = self._circuit.pins[self._channels[channel]]
        if pin.mode in REPORTS_COUNTS:
            data = _analog_bytes(channel, self._circuit.read_counts(pin.number, now))
            told = self._tell(Kind.TOLD, Topic.MESSAGE, firmata.AnalogMessage.NAME, data)
            self._out.append(Outgoing(self._client, data, told, now))

    def _report_port(self, message: firmata.ReportDigitalPort, now: float, cause: int) -> None:
        self._reported_ports.pop(message.port, None)
        if message.value:
            self._tell_port(message.port, now, cause)

    def _tell_port(self, port: int, now: float, cause: int | None) -> None:
        self._reported_ports[port] = self._levels(port)
        self._say(firmata.DigitalMessage(port=port, value=self._reported_ports[port]), now, cause)

    def _levels(self, port: int) -> int:
        """The levels of a port's input pins, bit 0 the lowest pin."""
        levels = 0
        for bit in range(8):
            pin = self._circuit.pins.get(8 * port + bit)
            if pin is not None and pin.mode in DIGITAL and self._circuit.read_level(pin.number):
                levels |= 1 << bit
        return levels

    def levels_changed(self, pins: list[Pin], now: float) -> None:
        for feature in self._features:
            feature.levels_changed(pins, now)
        causes = {pin.number // 8: pin.cause for pin in pins}
        for port, cause in causes.items():
            if port in self._reported_ports and self._levels(port) != self._reported_ports[port]:
                self._tell_port(port, now, cause)

    @property
    def reports_at(self) -> float:
        if self._next_sample >= self._features_due or [feature for feature in self._sampled if feature.samples]:
            return inf
        return self._next_sample

    @property
    def else_at(self) -> float:
        return self._features_due

    @property
    def report_bytes(self) -> int:
        return firmata.ANALOG_BYTES * len(self._reported_channels)

    def report(self, now: float) -> float:
        self._sample_all(now)
        self._next_sample += self._period
        return min(self._features_due, self._next_sample)

    def advance(self, now: float) -> float:
        due = inf
        for feature in self._timed:
            wake = feature.advance(now)
            if wake < due:
                due = wake
        self._features_due = due
        if now >= self._next_sample - 1e-9:
            if self._client.unread() <= MAX_UNREAD_BYTES:
                self._sample_all(now)
            missed = max(0, int((now - self._next_sample) / self._period))
            self._next_sample += (missed + 1) * self._period
            if not self._samples:
                self._next_sample = inf
        elif self._next_sample == inf and self._samples:
            self._next_sample = now + self._period
        return min(due, self._next_sample)

    def _sample_all(self, now: float) -> None:
        for channel in self._reported_channels:
            self._sample(channel, now)
        for feature in self._sampled:
            feature.sample(now)

    @property
    def _samples(self) -> bool:
        """Whether anything is reported at every interval."""
        return bool(self._reported_channels) or any(feature.samples for feature in self._features)

    @property
    def _period(self) -> float:
        """The interval as it really is, by the board's clock."""
        return self._interval * self._circuit.pace

    def _set_interval(self, message: firmata.SamplingInterval, now: float, cause: int) -> None:
        self._interval = max(1, message.interval) / 1000
        if self._samples:
            self._next_sample = now + self._period

    # telling

    def _firmware(self) -> firmata.FirmwareReport:
        return firmata.FirmwareReport(major=VERSION[0], minor=VERSION[1], name=self._name)

    def _tell_version(self, message: firmata.VersionQuery, now: float, cause: int) -> None:
        self._say(firmata.ProtocolVersion(major=VERSION[0], minor=VERSION[1]), now, cause)

    def _tell_firmware(self, message: firmata.FirmwareQuery, now: float, cause: int) -> None:
        self._say(self._firmware(), now, cause)

    def _tell_capabilities(self, message: firmata.CapabilityQuery, now: float, cause: int) -> None:
        pins = []
        for profile in self._circuit.profile.pins.values():
            modes = {NUMBERS[mode]: bits for mode, bits in profile.modes.items() if mode in NUMBERS}
            pins.append(tuple(firmata.Ability(mode=mode, resolution=modes[mode]) for mode in sorted(modes)))
        self._say(firmata.CapabilityResponse(pins=tuple(pins)), now, cause)

    def _tell_mapping(self, message: firmata.AnalogMappingQuery, now: float, cause: int) -> None:
        channels = bytes(self._channel_of(pin) for pin in self._circuit.profile.pins)
        self._say(firmata.AnalogMappingResponse(channels=channels), now, cause)

    def _tell_pin_state(self, message: firmata.PinStateQuery, now: float, cause: int) -> None:
        pin = self._circuit.pins.get(message.pin)
        if pin is None:
            raise PinRefusedError(f"there is no pin {message.pin}")
        state = int(pin.mode is PinMode.PULL_UP) if not pin.mode.drives else pin.value
        response = firmata.PinStateResponse(pin=pin.number, mode=NUMBERS[pin.mode], state=state)
        self._say(response, now, cause)

    def _hear_text(self, message: firmata.StringData, now: float, cause: int) -> None:
        """A text from the host is for people: it is in the record, and nothing follows from it."""

    def _refuse_unknown(self, message: firmata.Sysex, now: float, cause: int) -> None:
        raise PinRefusedError(f"this board does not know system exclusive command {message.command:02X}")


def _words(message: Message) -> str:
    if isinstance(message, firmata.I2cRequest):
        return request_words(message)
    values = ", ".join(f"{name} {getattr(message, name)}" for name in message.__struct_fields__)
    return values[:120]
