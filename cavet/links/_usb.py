"""A USB device that is plugged in, through pyusb: reports go out and come in whole."""

from __future__ import annotations

import asyncio
import contextlib
import errno
import queue
import threading
from collections.abc import Callable
from typing import Any

from cavet.links._end import Listener, StalledError
from cavet.wording import UnreachableError

READ_MILLISECONDS = 100
WRITE_MILLISECONDS = 1000
REPORT_BYTES = 512
TO_HOST = 0x80
WORDS = {
    errno.EACCES: "access refused: this user may not open it; a udev rule gives the right",
    errno.EBUSY: "another program has it, or a driver of the system's",
    errno.ENODEV: "it was unplugged",
    errno.EPIPE: "the endpoint has stalled",
    errno.ETIMEDOUT: "it took nothing within 1 s",
    errno.EOVERFLOW: "it sent more bytes than were asked for",
}
"""What the system's error numbers mean here."""
Find = Callable[[int, int], Any]


class UsbEnd:
    """Opens the device of a vendor and product number. Reading and writing are done in threads of its own.

    `find` gives pyusb's device of two numbers, `None` where there is none; for tests it may look elsewhere.
    """

    def __init__(self, address: str, out_endpoint: int, in_endpoint: int, find: Find | None = None) -> None:
        self._address = address
        self._numbers = [int(part, 16) for part in address.split(":")]
        self._out = out_endpoint
        self._in = in_endpoint
        self._find = find or _find
        self._device: Any = None
        self._outgoing: queue.SimpleQueue[bytes | None] = queue.SimpleQueue()
        self._listener: Listener | None = None
        self._loop: asyncio.AbstractEventLoop
        self._sent = self._got = 0

    @property
    def address(self) -> str:
        return f"USB {self._address}"

    @property
    def name(self) -> str:
        return ""

    async def open(self, listener: Listener) -> None:
        self._loop = asyncio.get_running_loop()
        self._device = await asyncio.to_thread(self._open)
        self._sent = self._got = 0
        self._listener = listener
        self._outgoing = queue.SimpleQueue()
        listener.opened()
        for work in (self._read, self._write):
            threading.Thread(target=work, args=(self._device, self._outgoing), daemon=True).start()

    def _open(self) -> Any:
        """Raises `UnreachableError`."""
        import usb.core

        try:
            device = self._find(*self._numbers)
            if device is None:
                raise UnreachableError(self.address, "there is no such device")
            device.set_configuration()
            interface = device.get_active_configuration()[(0, 0)]
            known = {endpoint.bEndpointAddress for endpoint in interface}
        except usb.core.NoBackendError as error:
            raise UnreachableError(self.address, "the system's USB library is not there: libusb 1.0") from error
        except usb.core.USBError as error:
            raise UnreachableError(self.address, words(error)) from error
        for endpoint in (self._out, self._in):
            if endpoint not in known:
                listed = ", ".join(f"0x{number:02X}" for number in sorted(known)) or "none"
                raise UnreachableError(self.address, f"it has no endpoint 0x{endpoint:02X}: it has {listed}")
        return device

    def _read(self, device: Any, outgoing: queue.SimpleQueue[bytes | None]) -> None:
        import usb.core

        while self._device is device:
            try:
                data = bytes(device.read(self._in, REPORT_BYTES, READ_MILLISECONDS))
            except usb.core.USBTimeoutError:
                continue
            except usb.core.USBError as error:
                self._lose(device, words(error))
                return
            self._loop.call_soon_threadsafe(self._heard, device, data)

    def _write(self, device: Any, outgoing: queue.SimpleQueue[bytes | None]) -> None:
        import usb.core

        while (data := outgoing.get()) is not None:
            try:
                taken = device.write(self._out, data, WRITE_MILLISECONDS)
            except usb.core.USBError as error:
                self._lose(device, words(error))
                return
            if taken != len(data):
                self._lose(device, f"it took {taken} of {len(data)} bytes")
                return

    def _heard(self, device: Any, data: bytes) -> None:
        if self._device is device and self._listener is not None:
            offset, self._got = self._got, self._got + len(data)
            self._listener.received(data, offset, self._loop.time())

    def _lose(self, device: Any, reason: str) -> None:
        with contextlib.suppress(RuntimeError):  # the loop may have ended meanwhile: then nobody asks any more
            self._loop.call_soon_threadsafe(self._closed, device, reason)

    def _closed(self, device: Any, reason: str) -> None:
        if self._device is not device:
            return
        listener = self._listener
        self.close()
        if listener is not None:
            listener.closed(reason)

    def write(self, data: bytes) -> int:
        self._sent += len(data)
        self._outgoing.put(data)
        return self._sent

    async def control(self, setup: bytes) -> bytes:
        device, kind = self._device, setup[0]
        value, index, length = (int.from_bytes(setup[at : at + 2], "little") for at in (2, 4, 6))

        def ask() -> bytes:
            import usb.core

            try:
                found = device.ctrl_transfer(kind, setup[1], value, index, length or None, WRITE_MILLISECONDS)
            except usb.core.USBError as error:
                if error.errno == errno.EPIPE:
                    raise StalledError("stalled") from error
                raise UnreachableError(self.address, words(error)) from error
            return bytes(found) if kind & TO_HOST else b""

        return await asyncio.to_thread(ask)

    def close(self) -> None:
        device, self._device, self._listener = self._device, None, None
        self._outgoing.put(None)
        if device is not None:
            import usb.util

            threading.Thread(target=usb.util.dispose_resources, args=(device,), daemon=True).start()


def _find(vendor: int, product: int) -> Any:
    import usb.core

    return usb.core.find(idVendor=vendor, idProduct=product)


def words(error: OSError) -> str:
    """Say what went wrong with a device, in one line."""
    number = error.errno
    return WORDS[number] if number in WORDS else error.strerror or str(error)
