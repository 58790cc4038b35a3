"""The client's side of USB/IP, without I/O: who reads and writes for it may wait for bytes in a loop or in a thread.

What takes several messages is a generator: it yields bytes to be sent, nothing where it needs more of the server's, and
returns what was asked for. Transfers end in any order, each by its number. Source: USB/IP 1.1.1, the kernel's
`usbip_protocol` document.
"""

from __future__ import annotations

from collections.abc import Generator, Iterator
from typing import TypeVar

from cavet.protocols.usb import ip

IN_BIT = 0x80
"""Of an endpoint's address: to the host. Source: USB 2.0, section 9.6.6."""
MOST_DEVICES = 1024
"""A longer list is none: a server could go on with it for ever."""
T = TypeVar("T")
Steps = Generator[bytes, None, T]


class UsbIpClient:
    """What was asked of a server on one connection, and what it has answered."""

    def __init__(self) -> None:
        self._replies = ip.ReplyReader()
        self._sequence = 0
        self._device = 0

    def feed(self, data: bytes) -> None:
        """Take bytes of the server's."""
        self._replies.feed(data)

    # before a device is imported

    def exported(self) -> Steps[list[ip.Exported]]:
        """The devices that the server exports. Raises `ValueError` for what no such server says."""
        yield ip.devlist_request()
        if (yield from self._operation(ip.REP_DEVLIST)):
            raise ValueError("no list of devices")
        count = int.from_bytes((yield from self._bytes(4)), "big")
        if count > MOST_DEVICES:
            raise ValueError(f"found a list of {count} devices, expected at most {MOST_DEVICES}")
        devices = []
        for _ in range(count):
            device = ip.read_exported((yield from self._bytes(ip.DEVICE_BYTES)))
            yield from self._bytes(ip.INTERFACE_BYTES * len(device.interfaces))
            devices.append(device)
        return devices

    def take(self, exported: ip.Exported) -> Steps[int]:
        """Import a device, and give the status of that: 0 where it is ours now. Raises `ValueError`."""
        yield ip.import_request(exported.bus_id)
        status = yield from self._operation(ip.REP_IMPORT)
        if not status:
            yield from self._bytes(ip.DEVICE_BYTES)
            self._device = exported.bus << 16 | exported.number
        return status

    def _operation(self, code: int) -> Steps[int]:
        while (found := self._replies.operation()) is None:
            yield b""
        if found[0] != code:
            raise ValueError(f"found reply 0x{found[0]:04X}, expected 0x{code:04X}")
        return found[1]

    def _bytes(self, size: int) -> Steps[bytes]:
        while (found := self._replies.take(size)) is None:
            yield b""
        return found

    # transfers

    def submit(self, endpoint: int, length: int, *, setup: bytes = bytes(8), data: bytes = b"") -> tuple[int, bytes]:
        """A transfer at an endpoint, by its address: its number, and what is to be sent for it."""
        self._sequence += 1
        direction = ip.IN if endpoint & IN_BIT else ip.OUT
        if direction == ip.IN:
            self._replies.wanted[self._sequence] = length
        submit = ip.Submit(self._sequence, direction, endpoint & ~IN_BIT, length, setup, data, self._device)
        return self._sequence, ip.submit_request(submit)

    def unlink(self, sequence: int) -> tuple[int, bytes]:
        """Take a transfer back: the number of that, and what is to be sent for it."""
        self._sequence += 1
        return self._sequence, ip.unlink_request(ip.Unlink(self._sequence, sequence), self._device)

    def forget(self, sequence: int) -> None:
        """A transfer was taken back: it brings nothing any more."""
        self._replies.wanted.pop(sequence, None)

    def ended(self) -> Iterator[ip.Ended]:
        """What has ended since it was asked last. Raises `ValueError` for what no such server says."""
        while (ended := self._replies.ended()) is not None:
            yield ended


def exported_in(data: bytes) -> list[ip.Exported] | None:
    """The devices in a list that a server has sent; `None` while not all of it is there. Raises `ValueError`."""
    client = UsbIpClient()
    client.feed(data)
    steps = client.exported()
    next(steps)  # the request has gone out
    try:
        next(steps)
    except StopIteration as whole:
        devices: list[ip.Exported] = whole.value
        return devices
    return None
