"""Serial ports of a board, as it offers them over Firmata. Source: protocol description, "Serial"."""

from __future__ import annotations

from functools import partial

import msgspec

from cavet.boards._cable import Cable
from cavet.boards._circuit import Circuit, PinRefusedError
from cavet.boards._pins import PinMode
from cavet.boards.firmware.firmata._feature import Feature, Handler, Say
from cavet.protocols import Message, firmata
from cavet.wording import listed

FIRST_SOFTWARE_PORT = 8
MOST_HELD_BYTES = 64
"""So much a port keeps that nobody reads; what comes then is lost."""
MOST_SENT_SECONDS = 2.0
"""What would be out only after so long is not taken: a board has no room for it."""


class _Port(msgspec.Struct):
    cable: Cable | None
    rate: int
    held: bytearray
    reads: bool = False
    most: int = 0
    """How many bytes a reply has at most; 0 for as many as are there."""
    cause: int | None = None
    out_at: float = 0.0


class FirmataSerial(Feature):
    """The serial ports' part of the firmware. Ports made by software this board has none of."""

    def __init__(self, circuit: Circuit, say: Say) -> None:
        self._cables = {part.port: part for part in circuit.parts.values() if isinstance(part, Cable)}
        self._pins = circuit.profile.serial_ports
        self._ports: dict[int, _Port] = {}
        super().__init__(circuit, say)

    @property
    def handlers(self) -> dict[type[Message], Handler]:
        return {
            firmata.SerialConfig: self._configure,
            firmata.SerialWrite: self._write,
            firmata.SerialRead: self._read,
            firmata.SerialClose: self._close,
            firmata.SerialFlush: self._flush,
            firmata.SerialListen: self._listen,
        }

    def forget(self, now: float) -> None:
        for port in self._ports.values():
            if port.cable is not None:
                port.cable.shut()
        self._ports = {}

    def quiet(self) -> None:
        for port in self._ports.values():
            port.reads = False

    def _configure(self, message: firmata.SerialConfig, now: float, cause: int) -> None:
        number = message.port
        if number not in self._pins:
            there = f"there is {listed(sorted(self._pins), 'and')}" if self._pins else "it has none"
            raise PinRefusedError(f"this board has no serial port {number}: {there}")
        if not message.baud:
            raise PinRefusedError(f"serial port {number}: a rate of 0 baud")
        for pin in self._pins[number]:
            self._circuit.set_mode(pin, PinMode.SERIAL, now, cause)
        self._ports[number] = _Port(self._cables.get(number), message.baud, bytearray())
        cable = self._cables.get(number)
        if cable is not None:
            cable.open(message.baud, partial(self._heard, number))

    def _of(self, number: int) -> _Port:
        found = self._ports.get(number)
        if found is None:
            raise PinRefusedError(f"serial port {number} is not open: a serial-config comes before its first use")
        return found

    def _write(self, message: firmata.SerialWrite, now: float, cause: int) -> None:
        port = self._of(message.port)
        if port.out_at - now > MOST_SENT_SECONDS:
            raise PinRefusedError(f"serial port {message.port}: its line has {port.out_at - now:.1f} s to carry yet")
        if port.cable is not None:
            port.out_at = port.cable.send(message.data, now, cause)

    def _read(self, message: firmata.SerialRead, now: float, cause: int) -> None:
        port = self._of(message.port)
        port.reads, port.most, port.cause = message.mode == 0, message.count or 0, cause
        if port.reads and port.held:
            self._reply(message.port, port, now, cause)

    def _heard(self, number: int, data: bytes, at: float, cause: int | None) -> None:
        """Bytes have come in at a port."""
        port = self._ports.get(number)
        if port is None:
            return
        port.held += data
        if port.reads:
            self._reply(number, port, at, cause)
        del port.held[MOST_HELD_BYTES:]

    def _reply(self, number: int, port: _Port, at: float, cause: int | None) -> None:
        while port.held:
            size = port.most or len(port.held)
            data = bytes(port.held[:size])
            del port.held[:size]
            self._say(firmata.SerialReply(port=number, data=data), at, cause)

    def _close(self, message: firmata.SerialClose, now: float, cause: int) -> None:
        port = self._of(message.port)
        if port.cable is not None:
            port.cable.shut()
        del self._ports[message.port]

    def _flush(self, message: firmata.SerialFlush, now: float, cause: int) -> None:
        """Nothing is left to do: what was written goes out by itself, in its order."""
        self._of(message.port)

    def _listen(self, message: firmata.SerialListen, now: float, cause: int) -> None:
        self._of(message.port)
        if message.port < FIRST_SOFTWARE_PORT:
            raise PinRefusedError(f"serial port {message.port} always listens: only ports made by software take turns")
