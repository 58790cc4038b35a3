"""The bus, as a board offers it over Firmata: writing, reading once or at every sampling interval.

What the protocol leaves open is done as most firmwares do: a register's number is one byte where it fits in one;
without a restart there is a stop between writing it and reading; what nobody acknowledges is told as a string.
Source: protocol description, I2C.
"""

from __future__ import annotations

from cavet.boards._circuit import PinRefusedError
from cavet.boards._pins import PinMode
from cavet.boards.buses import Outcome
from cavet.boards.firmware.firmata._feature import Feature, Handler
from cavet.protocols import Message, firmata
from cavet.wording import hex_pairs

MAX_REPEATS = 32
"""So many devices and registers may be read at every interval."""

MAX_READ_BYTES = 256
"""So much may be read at once: a longer answer would fill the line for seconds."""


class FirmataBus(Feature):
    """The bus's part of the firmware."""

    @property
    def handlers(self) -> dict[type[Message], Handler]:
        return {firmata.I2cConfig: self._configure, firmata.I2cRequest: self._use}

    def forget(self, now: float) -> None:
        """As at the start: the bus is not begun, and nothing is read over and over."""
        self._delay = 0.0
        self._repeated: dict[tuple[int, int | None], firmata.I2cRequest] = {}

    def quiet(self) -> None:
        self._repeated.clear()

    @property
    def samples(self) -> bool:
        return bool(self._repeated)

    def _configure(self, message: firmata.I2cConfig, now: float, cause: int) -> None:
        """Begin to use the bus."""
        pins = self._circuit.profile.able(PinMode.BUS)
        if not pins:
            raise PinRefusedError("this board has no pins for a bus")
        self._delay = message.delay / 1e6
        for pin in pins:
            if self._circuit.pins[pin].mode is not PinMode.BUS:
                self._circuit.set_mode(pin, PinMode.BUS, now, cause)

    def _use(self, message: firmata.I2cRequest, now: float, cause: int) -> None:
        """Write, read, read over and over, or stop that."""
        begun = all(self._circuit.pins[pin].mode is PinMode.BUS for pin in self._circuit.profile.able(PinMode.BUS))
        if not begun or not self._circuit.profile.able(PinMode.BUS):
            raise PinRefusedError("the bus is not begun: an i2c-config comes before its first use")
        if message.mode == firmata.I2cAction.STOP_READING:
            self._repeated = {key: kept for key, kept in self._repeated.items() if key[0] != message.address}
        elif message.mode == firmata.I2cAction.WRITE:
            bus = self._circuit.bus
            _require(bus.write(message.address, message.data, now, cause, ten_bit=message.ten_bit))
        else:
            if (message.count or 0) > MAX_READ_BYTES:
                raise PinRefusedError(f"this board reads at most {MAX_READ_BYTES} bytes at once, not {message.count}")
            if message.mode == firmata.I2cAction.READ_CONTINUOUSLY:
                self._repeat(message)
            self._read(message, now, cause)

    def _repeat(self, message: firmata.I2cRequest) -> None:
        key = (message.address, message.register)
        if key not in self._repeated and len(self._repeated) >= MAX_REPEATS:
            raise PinRefusedError(f"this board reads at most {MAX_REPEATS} registers over and over")
        self._repeated[key] = message

    def _read(self, message: firmata.I2cRequest, now: float, cause: int | None) -> None:
        bus, register, count = self._circuit.bus, message.register, message.count or 0
        if register is None:
            outcome = bus.read(message.address, count, now, cause, ten_bit=message.ten_bit)
        else:
            number = bytes((register,)) if register < 0x100 else register.to_bytes(2, "big")
            if message.restart:
                outcome = bus.write_read(message.address, number, count, now, cause, ten_bit=message.ten_bit)
            else:
                written = _require(bus.write(message.address, number, now, cause, ten_bit=message.ten_bit))
                begin = written.ends_at + self._delay
                outcome = bus.read(message.address, count, begin, cause, ten_bit=message.ten_bit)
        read = _require(outcome)
        self._say(
            firmata.I2cReply(address=message.address, register=register or 0, data=read.data), read.ends_at, cause
        )

    def sample(self, now: float) -> None:
        """Read what is read at every interval; a device that does not answer is left out this time."""
        for message in self._repeated.values():
            try:
                self._read(message, now, None)
            except PinRefusedError:  # the bus has told of it in the record; a string each interval would flood the host
                continue


def _require(outcome: Outcome) -> Outcome:
    if outcome.problem:
        raise PinRefusedError(outcome.problem)
    return outcome


def request_words(message: firmata.I2cRequest) -> str:
    """Say what a request wants of the bus."""
    whom = f"0x{message.address:02X}"
    if message.mode == firmata.I2cAction.WRITE:
        return f"to {whom}: {hex_pairs(message.data)}"
    if message.mode == firmata.I2cAction.STOP_READING:
        return f"no more from {whom}"
    where = "" if message.register is None else f", register 0x{message.register:02X}"
    often = ", over and over" if message.mode == firmata.I2cAction.READ_CONTINUOUSLY else ""
    return f"{message.count} bytes from {whom}{where}{often}"
