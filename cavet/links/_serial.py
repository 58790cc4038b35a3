"""A serial port of this machine, opened as the host."""

from __future__ import annotations

import asyncio
import os
import termios
from typing import TYPE_CHECKING

from cavet.links._end import Listener
from cavet.links._settings import SerialSettings
from cavet.wording import UnreachableError

if TYPE_CHECKING:
    import serial

READ_BYTES = 4096
RATES = {
    int(name[1:]): getattr(termios, name)
    for name in dir(termios)
    if name.startswith("B") and name[1:].isdecimal() and name != "B0"
}
"""Rates in baud, with the system's codes for them."""


class SerialEnd:
    """Opens a serial device, for itself alone."""

    def __init__(self, path: str, settings: SerialSettings) -> None:
        self._path = path
        self._settings = settings
        self._port: serial.Serial | None = None
        self._listener: Listener
        self._rest = b""
        self._sent = self._got = 0

    name = ""

    @property
    def address(self) -> str:
        return self._path

    async def open(self, listener: Listener) -> None:
        settings = self._settings
        try:
            import serial  # here, since most benches never need it

            self._port = serial.Serial(
                self._path,
                settings.rate,
                bytesize=settings.data_bits,
                parity=settings.parity,
                stopbits=settings.stop_bits,
                timeout=0,
                exclusive=True,
            )
        except (OSError, ValueError) as error:
            raise UnreachableError(self._path, _reason(error)) from error
        self._listener = listener
        self._rest = b""
        self._sent = self._got = 0
        asyncio.get_running_loop().add_reader(self._port.fileno(), self._read)
        listener.opened()

    def change(self, settings: SerialSettings) -> bool:
        """Go on at another rate, or in another form, without opening it anew: that would reset many a board. Tell
        whether the device can do that."""
        if self._port is None:
            return False
        before = self._port.get_settings()
        wanted = {
            "baudrate": settings.rate, "parity": settings.parity, "stopbits": settings.stop_bits,
            "bytesize": settings.data_bits,
        }  # fmt: skip
        try:
            self._port.apply_settings(wanted)
        except (OSError, ValueError, termios.error):
            self._port.apply_settings(before)
            return False
        return True

    def _read(self) -> None:
        assert self._port is not None  # the reader is removed when it is closed
        try:
            data = os.read(self._port.fileno(), READ_BYTES)
        except BlockingIOError:
            return
        except OSError as error:
            self._lose(_reason(error))
            return
        if not data:
            self._lose("the device is gone")
            return
        offset = self._got
        self._got += len(data)
        self._listener.received(data, offset, asyncio.get_running_loop().time())

    def write(self, data: bytes) -> int:
        self._sent += len(data)
        self._rest += data
        self._flush()
        return self._sent

    def _flush(self) -> None:
        if self._port is None:
            return
        loop = asyncio.get_running_loop()
        descriptor = self._port.fileno()
        try:
            self._rest = self._rest[os.write(descriptor, self._rest) :]
        except BlockingIOError:
            pass  # the port's buffer is full: the loop calls again when it has room
        except OSError as error:
            self._lose(_reason(error))
            return
        if self._rest:
            loop.add_writer(descriptor, self._flush)
        else:
            loop.remove_writer(descriptor)

    def _lose(self, reason: str) -> None:
        self.close()
        self._listener.closed(reason)

    def close(self) -> None:
        if self._port is None:
            return
        loop = asyncio.get_running_loop()
        loop.remove_reader(self._port.fileno())
        loop.remove_writer(self._port.fileno())
        self._port.close()
        self._port = None


def _reason(error: Exception) -> str:
    """The system's reason in a few words of our own where it is a usual one."""
    number = getattr(error, "errno", None)
    text = str(error)
    if number == 2 or "No such file" in text:
        return "no such device; is it plugged in?"
    if number == 13 or "Permission denied" in text:
        return "no permission; is this user in the group that owns the device?"
    if number in (11, 16) or "exclusively lock" in text or "busy" in text:
        return "in use by another program"
    if number == 5:
        return "the device is gone"
    return text
