"""OneWire, as a board offers it over Firmata. Source: protocol description, "OneWire"."""

from __future__ import annotations

from math import inf

import msgspec

from cavet.boards._circuit import Circuit, PinRefusedError
from cavet.boards._pins import PinMode
from cavet.boards.buses import ADDRESS_BYTES, BYTE_SECONDS, RESET_SECONDS, AddressCommand, OneWire, OneWireDevice
from cavet.boards.firmware.firmata._feature import Feature, Handler, Say
from cavet.protocols import Message, firmata

SEARCH_SECONDS = RESET_SECONDS + BYTE_SECONDS + 64 * 3 * 70e-6
"""What a search takes for each device: two bits read and one written for each bit of its address."""
MAX_READ_BYTES = 256


class _Reading(msgspec.Struct):
    """Bytes that are to be read when a delay is over."""

    pin: int
    count: int
    correlation: bytes
    at: float
    cause: int


class FirmataOneWire(Feature):
    """OneWire's part of the firmware. While a command waits before it reads, its line is busy."""

    def __init__(self, circuit: Circuit, say: Say) -> None:
        devices = [part for part in circuit.parts.values() if isinstance(part, OneWireDevice)]
        pins = circuit.profile.able(PinMode.ONEWIRE)
        self._lines = {pin: OneWire([each for each in devices if each.wires["pin"] == pin]) for pin in pins}
        super().__init__(circuit, say)

    @property
    def handlers(self) -> dict[type[Message], Handler]:
        return {
            firmata.OneWireConfig: self._configure,
            firmata.OneWireSearch: self._search,
            firmata.OneWireSearchAlarms: self._search_alarms,
            firmata.OneWireCommand: self._command,
        }

    def forget(self, now: float) -> None:
        self._waiting: list[_Reading] = []

    def _configure(self, message: firmata.OneWireConfig, now: float, cause: int) -> None:
        self._circuit.set_mode(message.pin, PinMode.ONEWIRE, now, cause)

    def _line(self, pin: int) -> OneWire:
        found = self._circuit.pins.get(pin)
        if found is None or found.mode is not PinMode.ONEWIRE:
            raise PinRefusedError(f"pin {pin} is not configured for OneWire")
        if any(reading.pin == pin for reading in self._waiting):
            raise PinRefusedError(f"pin {pin}: its line waits, as the command before had it")
        return self._there(pin)

    def _there(self, pin: int) -> OneWire:
        return OneWire([]) if self._circuit.pins[pin].dead else self._lines[pin]

    def _search(self, message: firmata.OneWireSearch, now: float, cause: int) -> None:
        addresses = self._line(message.pin).search()
        found = firmata.OneWireFound(pin=message.pin, addresses=b"".join(addresses))
        self._say(found, now + SEARCH_SECONDS * max(1, len(addresses)), cause)

    def _search_alarms(self, message: firmata.OneWireSearchAlarms, now: float, cause: int) -> None:
        addresses = self._line(message.pin).search(alarms=True)
        found = firmata.OneWireAlarms(pin=message.pin, addresses=b"".join(addresses))
        self._say(found, now + SEARCH_SECONDS * max(1, len(addresses)), cause)

    def _command(self, message: firmata.OneWireCommand, now: float, cause: int) -> None:
        line = self._line(message.pin)
        does, data, at = firmata.OneWireDo(message.does), message.data, now
        sizes = [
            ADDRESS_BYTES if does & firmata.OneWireDo.SELECT else 0,
            4 if does & firmata.OneWireDo.READ else 0,
            4 if does & firmata.OneWireDo.DELAY else 0,
        ]
        if len(data) < sum(sizes):
            raise PinRefusedError(f"{message.NAME}: {len(data)} bytes, expected {sum(sizes)} and more")
        address, wanted, pause = (data[sum(sizes[:place]) :][:size] for place, size in enumerate(sizes))
        count = int.from_bytes(wanted[:2], "little")
        if count > MAX_READ_BYTES:
            raise PinRefusedError(f"this board reads at most {MAX_READ_BYTES} bytes at once, not {count}")
        out = bytearray()
        if does & firmata.OneWireDo.RESET:
            line.reset(at)
            at += RESET_SECONDS
        if does & firmata.OneWireDo.SKIP:
            out.append(AddressCommand.SKIP)
        if does & firmata.OneWireDo.SELECT:
            out += bytes((AddressCommand.MATCH,)) + address
        if does & firmata.OneWireDo.WRITE:
            out += data[sum(sizes) :]
        for byte in out:
            line.write(byte, at, cause)
            at += BYTE_SECONDS
        at += int.from_bytes(pause, "little") / 1000
        if does & firmata.OneWireDo.READ:
            reading = _Reading(message.pin, count, wanted[2:], at, cause)
            if pause and at > now:
                self._waiting.append(reading)
            else:
                self._read(reading)

    def _read(self, reading: _Reading) -> None:
        line = self._there(reading.pin)
        data = bytes(line.read(reading.at + BYTE_SECONDS * place, reading.cause) for place in range(reading.count))
        reply = firmata.OneWireReply(pin=reading.pin, data=reading.correlation + data)
        self._say(reply, reading.at + BYTE_SECONDS * reading.count, reading.cause)

    def advance(self, now: float) -> float:
        if not self._waiting:
            return inf
        for reading in [each for each in self._waiting if each.at <= now]:
            self._waiting.remove(reading)
            self._read(reading)
        return min((reading.at for reading in self._waiting), default=inf)
