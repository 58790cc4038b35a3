"""USB over IP: how a device is exported to another machine, as the kernel documents it.

Source: the Linux kernel's documentation, `usbip_protocol`, version 1.1.1. All numbers have their high byte first; setup
packets inside are as on the bus.
"""

from __future__ import annotations

import struct
from typing import Final

import msgspec

from cavet.protocols._frame import UnreadTail

VERSION: Final = 0x0111
REQ_DEVLIST, REQ_IMPORT = 0x8005, 0x8003
REP_DEVLIST, REP_IMPORT = 0x0005, 0x0003
SUBMIT, UNLINK, RET_SUBMIT, RET_UNLINK = 1, 2, 3, 4
OUT, IN = 0, 1

OK, NOT_AVAILABLE, BUSY, NO_DEVICE = 0, 1, 2, 4
"""Statuses of a reply to an operation."""
EPIPE, ECONNRESET, EOVERFLOW, ENOENT, ESHUTDOWN = -32, -104, -75, -2, -108
"""Statuses of a transfer: the kernel's error numbers."""

MAX_TRANSFER_BYTES = 1 << 20
"""The longest transfer that is taken."""
NO_PACKETS = 0xFFFFFFFF
"""The number of packets of a transfer that is not isochronous."""

_OPERATION = struct.Struct(">HHI")
_COMMAND = struct.Struct(">IIIII")
_SUBMIT = struct.Struct(">IiIIi8s")
_UNLINK = struct.Struct(">I24x")
_RETURN = struct.Struct(">iiIII8x")
_DEVICE = struct.Struct(">256s32sIIIHHHBBBBBB")
PATH_BYTES, BUS_ID_BYTES = 256, 32
HEAD_BYTES = _COMMAND.size + _SUBMIT.size


class DevlistRequest(msgspec.Struct, frozen=True):
    """Which devices are there?"""


class ImportRequest(msgspec.Struct, frozen=True):
    """Give me this device."""

    bus_id: str


class Submit(msgspec.Struct, frozen=True):
    """A transfer: `data` for OUT, `length` bytes wanted for IN."""

    sequence: int
    direction: int
    endpoint: int
    length: int
    setup: bytes = bytes(8)
    data: bytes = b""
    device: int = 0


class Unlink(msgspec.Struct, frozen=True):
    """Take a transfer back."""

    sequence: int
    victim: int


class Malformed(msgspec.Struct, frozen=True):
    """Bytes that are none of this protocol's, and why. Nothing behind them can be read."""

    reason: str


Request = DevlistRequest | ImportRequest | Submit | Unlink | Malformed


class Exported(msgspec.Struct, frozen=True, kw_only=True):
    """A device as it is told of: where it is, what its descriptors say."""

    path: str
    bus_id: str
    bus: int
    number: int
    speed: int
    vendor: int
    product: int
    version: int
    classes: tuple[int, int, int] = (0, 0, 0)
    configuration: int
    configurations: int
    interfaces: tuple[tuple[int, int, int], ...] = ()

    def packed(self) -> bytes:
        """The device, without its interfaces."""
        return _DEVICE.pack(
            self.path.encode()[: PATH_BYTES - 1], self.bus_id.encode()[: BUS_ID_BYTES - 1], self.bus, self.number,
            self.speed, self.vendor, self.product, self.version, *self.classes, self.configuration,
            self.configurations, len(self.interfaces),
        )  # fmt: skip


class RequestReader:
    """Reads what a client says, cut anywhere: operations first, commands once a device is imported."""

    def __init__(self) -> None:
        self._tail = UnreadTail()
        self._broken = False
        self.imported = False
        """Whether what follows are commands."""

    def feed(self, data: bytes) -> list[tuple[Request, int, bytes]]:
        """Take bytes; give the requests that are complete now, each with its offset and its bytes."""
        if self._broken:
            return []
        self._tail.data += data
        found = []
        while (request := self._next()) is not None:
            message, size = request
            if isinstance(message, Malformed):
                self._broken = True
                size = len(self._tail.data)
            offset, taken = self._tail.take(size)
            found.append((message, offset, taken))
            if self._broken or isinstance(message, ImportRequest):
                break  # what it answers decides how the rest is read
        return found

    def _next(self) -> tuple[Request, int] | None:
        return self._command() if self.imported else self._operation()

    def _operation(self) -> tuple[Request, int] | None:
        data = self._tail.data
        if len(data) < _OPERATION.size:
            return None
        version, code, _ = _OPERATION.unpack_from(data)
        if version != VERSION:
            return Malformed(f"found version 0x{version:04X}, expected 0x{VERSION:04X}"), 0
        if code == REQ_DEVLIST:
            return DevlistRequest(), _OPERATION.size
        if code != REQ_IMPORT:
            return Malformed(f"found operation 0x{code:04X}, expected 0x8003 or 0x8005"), 0
        size = _OPERATION.size + BUS_ID_BYTES
        if len(data) < size:
            return None
        bus_id = bytes(data[_OPERATION.size : size]).partition(b"\0")[0]
        return ImportRequest(bus_id.decode("latin-1")), size

    def _command(self) -> tuple[Request, int] | None:
        data = self._tail.data
        if len(data) < HEAD_BYTES:
            return None
        command, sequence, device, direction, endpoint = _COMMAND.unpack_from(data)
        if command == UNLINK:
            (victim,) = _UNLINK.unpack_from(data, _COMMAND.size)
            return Unlink(sequence, victim), HEAD_BYTES
        if command != SUBMIT:
            return Malformed(f"found command 0x{command:08X}, expected 1 or 2"), 0
        _, length, _, packets, _, setup = _SUBMIT.unpack_from(data, _COMMAND.size)
        if not 0 <= length <= MAX_TRANSFER_BYTES:
            return Malformed(f"found a transfer of {length} bytes, expected at most {MAX_TRANSFER_BYTES}"), 0
        if packets not in (0, NO_PACKETS):
            return Malformed(f"found {packets} isochronous packets, expected none: no endpoint takes them"), 0
        if direction not in (OUT, IN):
            return Malformed(f"found direction {direction}, expected 0 or 1"), 0
        size = HEAD_BYTES + (length if direction == OUT else 0)
        if len(data) < size:
            return None
        return Submit(sequence, direction, endpoint, length, setup, bytes(data[HEAD_BYTES:size]), device), size

    def go_on(self) -> list[tuple[Request, int, bytes]]:
        """Read on behind an import that has been answered."""
        return self.feed(b"")


def devlist_reply(devices: list[Exported]) -> bytes:
    """The devices that are there."""
    out = bytearray(_OPERATION.pack(VERSION, REP_DEVLIST, OK) + len(devices).to_bytes(4, "big"))
    for device in devices:
        out += device.packed()
        for interface in device.interfaces:
            out += bytes((*interface, 0))
    return bytes(out)


def import_reply(device: Exported | None, status: int = OK) -> bytes:
    """The device that was asked for; without one, why not."""
    head = _OPERATION.pack(VERSION, REP_IMPORT, status)
    return head + device.packed() if device is not None else head


def submit_reply(sequence: int, status: int, length: int, data: bytes = b"") -> bytes:
    """How a transfer ended: `length` bytes were transferred; those of an IN follow."""
    return _COMMAND.pack(RET_SUBMIT, sequence, 0, 0, 0) + _RETURN.pack(status, length, 0, 0, 0) + data


def unlink_reply(sequence: int, status: int) -> bytes:
    """Whether a transfer was taken back: `ECONNRESET` when it was, 0 when it had ended before."""
    return _COMMAND.pack(RET_UNLINK, sequence, 0, 0, 0) + struct.pack(">i24x", status)


# the client's side


def devlist_request() -> bytes:
    """Ask which devices are there."""
    return _OPERATION.pack(VERSION, REQ_DEVLIST, OK)


def import_request(bus_id: str) -> bytes:
    """Ask for a device."""
    return _OPERATION.pack(VERSION, REQ_IMPORT, OK) + bus_id.encode()[: BUS_ID_BYTES - 1].ljust(BUS_ID_BYTES, b"\0")


def submit_request(request: Submit) -> bytes:
    """Ask for a transfer."""
    head = _COMMAND.pack(SUBMIT, request.sequence, request.device, request.direction, request.endpoint)
    return head + _SUBMIT.pack(0, request.length, 0, NO_PACKETS, 0, request.setup) + request.data


def unlink_request(request: Unlink, device: int = 0) -> bytes:
    """Take a transfer back."""
    return _COMMAND.pack(UNLINK, request.sequence, device, 0, 0) + _UNLINK.pack(request.victim)


DEVICE_BYTES = _DEVICE.size


def read_exported(data: bytes) -> Exported:
    """Read a device as it is told of; its interfaces are not among these bytes."""
    path, bus_id, bus, number, speed, vendor, product, version, *rest = _DEVICE.unpack(data[:DEVICE_BYTES])
    return Exported(
        path=path.partition(b"\0")[0].decode("latin-1"), bus_id=bus_id.partition(b"\0")[0].decode("latin-1"),
        bus=bus, number=number, speed=speed, vendor=vendor, product=product, version=version,
        classes=(rest[0], rest[1], rest[2]), configuration=rest[3], configurations=rest[4],
        interfaces=((0, 0, 0),) * rest[5],
    )  # fmt: skip


class Ended(msgspec.Struct, frozen=True):
    """A transfer (or the taking back of one) has ended, as the device says."""

    sequence: int
    status: int
    length: int = 0
    data: bytes = b""
    unlinked: bool = False


class ReplyReader:
    """Reads what a device's server says, cut anywhere. `wanted` tells how many bytes a transfer may bring."""

    def __init__(self) -> None:
        self._data = bytearray()
        self.offset = 0
        """How many bytes have been read."""
        self.wanted: dict[int, int] = {}
        """For each transfer under way to the host: the most bytes that may come. Others bring none."""

    def feed(self, data: bytes) -> None:
        """Take bytes."""
        self._data += data

    def operation(self) -> tuple[int, int] | None:
        """The code and status of a reply to an operation; `None` while it has not come. Raises `ValueError`."""
        if len(self._data) < _OPERATION.size:
            return None
        version, code, status = _OPERATION.unpack(self._take(_OPERATION.size))
        if version != VERSION:
            raise ValueError(f"found version 0x{version:04X}, expected 0x{VERSION:04X}")
        return code, status

    @property
    def waiting(self) -> bytes:
        """What has come and is not read yet."""
        return bytes(self._data)

    def take(self, size: int) -> bytes | None:
        """So many bytes; `None` while they have not come."""
        return self._take(size) if len(self._data) >= size else None

    def ended(self) -> Ended | None:
        """The next transfer that has ended; `None` for none yet. Raises `ValueError`."""
        if len(self._data) < HEAD_BYTES:
            return None
        command, sequence, *_ = _COMMAND.unpack_from(self._data)
        if command == RET_UNLINK:
            (status,) = struct.unpack_from(">i", self._data, _COMMAND.size)
            self._take(HEAD_BYTES)
            return Ended(sequence, status, unlinked=True)
        if command != RET_SUBMIT:
            raise ValueError(f"found command 0x{command:08X}, expected a return")
        status, length = struct.unpack_from(">ii", self._data, _COMMAND.size)
        most = self.wanted.get(sequence, 0)
        brings = length if most else 0
        if not 0 <= brings <= most:
            raise ValueError(f"found a transfer of {length} bytes, expected at most {most}")
        if len(self._data) < HEAD_BYTES + brings:
            return None
        self._take(HEAD_BYTES)
        self.wanted.pop(sequence, None)
        return Ended(sequence, status, length, self._take(brings))

    def _take(self, size: int) -> bytes:
        taken = bytes(self._data[:size])
        del self._data[:size]
        self.offset += size
        return taken


OPERATION_BYTES = _OPERATION.size
_COUNT = struct.Struct(">I")
INTERFACE_BYTES = 4


def answer_size(data: bytes) -> int | None:
    """How long the whole answer to an operation is that `data` begins with; `None` while not all of it is there."""
    if len(data) < OPERATION_BYTES:
        return None
    _, code, status = _OPERATION.unpack_from(data)
    size = OPERATION_BYTES
    if code == REP_IMPORT and status == OK:
        size += DEVICE_BYTES
    elif code == REP_DEVLIST and status == OK:
        if len(data) < size + _COUNT.size:
            return None
        (count,) = _COUNT.unpack_from(data, size)
        size += _COUNT.size
        for _ in range(count):
            if len(data) < size + DEVICE_BYTES:
                return None
            size += DEVICE_BYTES + INTERFACE_BYTES * data[size + DEVICE_BYTES - 1]
    return size if len(data) >= size else None


def payload_out(request: bytes) -> bytes | None:
    """What a command carries to a bulk endpoint; `None` for any other."""
    if len(request) < HEAD_BYTES:
        return None
    command, _, _, direction, endpoint = _COMMAND.unpack_from(request)
    return request[HEAD_BYTES:] if command == SUBMIT and direction == OUT and endpoint else None


def payload_in(reply: bytes) -> bytes:
    """What a reply brings from a device."""
    return reply[HEAD_BYTES:] if reply[:4] == RET_SUBMIT.to_bytes(4, "big") else b""
