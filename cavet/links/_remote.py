"""A simulated serial line over TCP, with the port's settings as the program sets them from afar: RFC 2217.

Telnet's side of it is pyserial's own; here stands the port that it believes to have.
"""

from __future__ import annotations

import struct
from collections.abc import Callable

from cavet.links._settings import SerialSettings
from cavet.protocols.characters import garble

SAME_RATE = 0.03
"""Rates that differ by less than this still understand each other: half a bit over a character's ten."""
MAX_COMMAND_BYTES = 256
MALFORMED = (TypeError, ValueError, IndexError, struct.error, OSError)
Write = Callable[[bytes], None]
Told = Callable[[str], None]


class MalformedError(Exception):
    """The program has sent what is no Telnet."""


class _Port:
    """The settings that a program may change; the lines that it may read are always ready."""

    cts = dsr = cd = True
    ri = False
    xonxoff = rtscts = dsrdtr = False
    break_condition = False

    def __init__(self, settings: SerialSettings, tell: Told) -> None:
        self._tell = tell
        self._rate = settings.rate
        self._lines = {"dtr": False, "rts": False}
        self.bytesize = settings.data_bits
        self.parity = settings.parity
        self.stopbits = settings.stop_bits

    @property
    def baudrate(self) -> int:
        return self._rate

    @baudrate.setter
    def baudrate(self, rate: int) -> None:
        if rate != self._rate:
            self._rate = rate
            self._tell(f"{rate} baud at the other end")

    @property
    def dtr(self) -> bool:
        return self._lines["dtr"]

    @dtr.setter
    def dtr(self, on: bool) -> None:
        self._set("dtr", on)

    @property
    def rts(self) -> bool:
        return self._lines["rts"]

    @rts.setter
    def rts(self, on: bool) -> None:
        self._set("rts", on)

    def _set(self, line: str, on: bool) -> None:
        if on != self._lines[line]:
            self._lines[line] = bool(on)
            self._tell(f"{line.upper()} is {'on' if on else 'off'}")

    def reset_input_buffer(self) -> None:
        """Nothing waits here: what has arrived is with the board."""

    def reset_output_buffer(self) -> None:
        """Nothing waits here."""


class RemotePort:
    """Takes settings out of what a program sends, and garbles bytes where its rate is not the board's."""

    def __init__(self, settings: SerialSettings, write: Write, tell: Told) -> None:
        self._settings = settings
        self._port = _Port(settings, tell)
        self.write = write  # what the manager sends by itself
        from serial.rfc2217 import PortManager  # here, since most benches never need it

        self._manager = PortManager(self._port, self)

    def incoming(self, data: bytes) -> bytes:
        """Give the bytes that go on to the board. Raises `MalformedError`."""
        try:
            plain = b"".join(self._manager.filter(data))
        except MALFORMED as error:
            raise MalformedError(f"no Telnet: {error}") from error
        if self._manager.suboption is not None and len(self._manager.suboption) > MAX_COMMAND_BYTES:
            raise MalformedError(f"a command of more than {MAX_COMMAND_BYTES} bytes")
        return plain if self._same_rate else garble(plain, self._port.baudrate, self._settings.rate)

    def outgoing(self, data: bytes) -> bytes:
        """Give the bytes that go to the program."""
        if not self._same_rate:
            data = garble(data, self._settings.rate, self._port.baudrate)
        return b"".join(self._manager.escape(data))

    @property
    def _same_rate(self) -> bool:
        rate = max(1, self._port.baudrate)
        return abs(rate / self._settings.rate - 1) < SAME_RATE
