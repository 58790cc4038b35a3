"""A backend for pyusb whose devices are exported over IP: programs that use pyusb reach simulated ones unchanged.

device = usb.core.find(backend=UsbIpBackend("127.0.0.1", 3240))
"""

from __future__ import annotations

import array
import contextlib
import errno
import math
import select
import socket
import threading
import time
from collections.abc import Iterator
from typing import Any, TypeVar

import msgspec
import usb.backend
import usb.core

from cavet.links._tcp import host_port
from cavet.links._usbip_client import IN_BIT, Steps, UsbIpClient
from cavet.protocols.usb import ConfigurationDescriptor, DeviceDescriptor, Setup, encode_descriptor, ip

CONNECT_SECONDS = 5.0
BUSY_SECONDS, AGAIN_SECONDS = 1.0, 0.02
"""How long a device that is taken is asked for again: who had it may be about to leave."""
MILLISECONDS = 1000.0
T = TypeVar("T")
NAMES = {
    1: ("bLength", "bDescriptorType", "bcdUSB", "bDeviceClass", "bDeviceSubClass", "bDeviceProtocol",
        "bMaxPacketSize0", "idVendor", "idProduct", "bcdDevice", "iManufacturer", "iProduct", "iSerialNumber",
        "bNumConfigurations"),
    2: ("bLength", "bDescriptorType", "wTotalLength", "bNumInterfaces", "bConfigurationValue", "iConfiguration",
        "bmAttributes", "bMaxPower"),
    4: ("bLength", "bDescriptorType", "bInterfaceNumber", "bAlternateSetting", "bNumEndpoints", "bInterfaceClass",
        "bInterfaceSubClass", "bInterfaceProtocol", "iInterface"),
    5: ("bLength", "bDescriptorType", "bEndpointAddress", "bmAttributes", "wMaxPacketSize", "bInterval"),
}  # fmt: skip
"""The standard's own names of the fields, which pyusb uses. Source: USB 2.0, section 9.6."""


class Found(msgspec.Struct, frozen=True):
    """A device that the server exports."""

    exported: ip.Exported


class Descriptor:
    """A descriptor as pyusb takes it: each field an attribute."""

    def __init__(self, data: bytes, **more: Any) -> None:
        at = 0
        for name in NAMES[data[1]]:
            size = 2 if name.startswith(("bcd", "id", "w")) else 1
            setattr(self, name, int.from_bytes(data[at : at + size], "little"))
            at += size
        self.extra_descriptors: list[int] = []
        for name, value in more.items():
            setattr(self, name, value)


class Handle:
    """A device that was imported, and the connection to it. Several threads may have transfers under way at once:
    whoever waits first receives, for all of them."""

    def __init__(self, host: str, port: int, exported: ip.Exported) -> None:
        self._news = threading.Condition()
        self._receives = False
        """Whether one of those who wait is receiving."""
        self._ended: dict[tuple[bool, int], ip.Ended] = {}
        """What has ended, by its number and whether it is a transfer that was taken back."""
        deadline = time.monotonic() + BUSY_SECONDS
        while (status := self._import(host, port, exported)) == ip.BUSY and time.monotonic() < deadline:
            self._line.close()
            time.sleep(AGAIN_SECONDS)
        if status:
            self._line.close()
            code = errno.EBUSY if status == ip.BUSY else errno.ENODEV
            raise usb.core.USBError(f"device {exported.bus_id} can't be imported", status, code)

    def _import(self, host: str, port: int, exported: ip.Exported) -> int:
        """Ask for the device on a new connection; give the status of the answer."""
        self._line = _connect(host, port)
        self._client = UsbIpClient()
        return _follow(self._line, self._client, self._client.take(exported))

    def close(self) -> None:
        """Give the device back; whoever waits is told that it is gone."""
        with contextlib.suppress(OSError):  # it may be shut on the other side already
            self._line.shutdown(socket.SHUT_RDWR)
        self._line.close()

    def transfer(
        self, endpoint: int, length: int, timeout: int, setup: bytes = bytes(8), data: bytes = b""
    ) -> ip.Ended:
        """Do a transfer within `timeout` ms, 0 for as long as it takes. Raises `USBError`, `USBTimeoutError`."""
        with self._news:
            sequence, out = self._client.submit(endpoint, length, setup=setup, data=data)
            _send(self._line, out)
        deadline = time.monotonic() + timeout / MILLISECONDS if timeout else None
        ended = self._wait((False, sequence), deadline) or self._take_back(sequence)
        if ended.status:
            raise usb.core.USBError(*_words(ended.status))
        return ended

    def _take_back(self, sequence: int) -> ip.Ended:
        """Time is up. What has ended meanwhile counts all the same."""
        with self._news:
            unlink, out = self._client.unlink(sequence)
            _send(self._line, out)
        if self._wait((True, unlink), time.monotonic() + CONNECT_SECONDS) is None:
            raise usb.core.USBError("the server does not answer", None, errno.EIO)
        with self._news:
            self._client.forget(sequence)
            found = self._ended.pop((False, sequence), None)
        if found is None:
            raise usb.core.USBTimeoutError("no answer in time", ip.ECONNRESET, errno.ETIMEDOUT)
        return found

    def _wait(self, wanted: tuple[bool, int], deadline: float | None) -> ip.Ended | None:
        """Wait until something has ended; `None` when the time is up."""
        with self._news:
            while wanted not in self._ended:
                left = None if deadline is None else deadline - time.monotonic()
                if left is not None and left <= 0:
                    return None
                if self._receives:
                    self._news.wait(left)
                else:
                    self._receive_for_all(left)
            return self._ended.pop(wanted)

    def _receive_for_all(self, left: float | None) -> None:
        """Receive, while the others can send and wait; sort what has ended."""
        self._receives = True
        self._news.release()
        try:
            data = _receive(self._line, left)
        finally:
            self._news.acquire()
            self._receives = False
            self._news.notify_all()
        try:
            self._client.feed(data)
            for ended in self._client.ended():
                self._ended[ended.unlinked, ended.sequence] = ended
        except ValueError as error:
            self.close()
            raise usb.core.USBError(f"the server can't be understood: {error}", None, errno.EIO) from error


def _receive(line: socket.socket, left: float | None) -> bytes:
    """Bytes, or none when the time is up. Raises `USBError`."""
    try:
        ready = select.poll()
        ready.register(line, select.POLLIN)
        if not ready.poll(None if left is None else math.ceil(max(0.0, left) * 1000)):
            return b""
        data = line.recv(65536)
    except (OSError, ValueError) as error:  # it was given back by another thread, or the connection broke
        raise usb.core.USBError("the device is gone", None, errno.ENODEV) from error
    if not data:
        raise usb.core.USBError("the device is gone", None, errno.ENODEV)
    return data


def _send(line: socket.socket, data: bytes) -> None:
    try:
        line.sendall(data)
    except OSError as error:
        raise usb.core.USBError("the device is gone", None, errno.ENODEV) from error


def _follow(line: socket.socket, client: UsbIpClient, steps: Steps[T]) -> T:
    """Send what the steps want to be sent, receive where they need more. Raises `USBError`."""
    deadline = time.monotonic() + CONNECT_SECONDS
    while True:
        try:
            out = next(steps)
        except StopIteration as done:
            found: T = done.value
            return found
        except ValueError as error:
            raise usb.core.USBError(f"the server can't be understood: {error}", None, errno.EIO) from error
        if out:
            _send(line, out)
            continue
        try:
            data = _receive(line, max(0.0, deadline - time.monotonic()))
        except usb.core.USBError as error:
            raise usb.core.USBError("the server has shut the connection", None, errno.EIO) from error
        if not data:
            raise usb.core.USBError("the server does not answer", None, errno.EIO)
        client.feed(data)


def _connect(host: str, port: int) -> socket.socket:
    try:
        line = socket.create_connection((host, port), CONNECT_SECONDS)
    except OSError as error:
        raise usb.core.USBError(f"{host_port(host, port)}: {error.strerror or error}", None, error.errno) from error
    line.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    return line


def _words(status: int) -> tuple[str, int, int]:
    """What a status means: words, the status, the system's number."""
    words = {ip.EPIPE: "the endpoint has stalled", ip.EOVERFLOW: "more bytes than were asked for"}
    return words.get(status, f"the transfer failed with {status}"), status, -status


def exported_devices(host: str, port: int) -> list[ip.Exported]:
    """The devices that a server exports. Raises `USBError`."""
    client = UsbIpClient()
    with _connect(host, port) as line:
        return _follow(line, client, client.exported())


def _as_listed(exported: ip.Exported) -> tuple[bytes, bytes]:
    """The descriptors of a device that another program has: what the list of devices tells of it."""
    device = DeviceDescriptor(
        id_vendor=exported.vendor, id_product=exported.product, bcd_device=exported.version,
        num_configurations=exported.configurations,
    )  # fmt: skip
    configuration = ConfigurationDescriptor(total_length=9, num_interfaces=len(exported.interfaces))
    return encode_descriptor(device), encode_descriptor(configuration)


class UsbIpBackend(usb.backend.IBackend):  # type: ignore[misc]
    """Gives pyusb the devices that a server exports, simulated or not."""

    def __init__(self, host: str, port: int) -> None:
        self._host = host
        self._port = port
        self._cached: dict[str, tuple[bytes, bytes]] = {}

    def enumerate_devices(self) -> Iterator[Found]:
        for exported in exported_devices(self._host, self._port):
            yield Found(exported)

    def get_parent(self, dev: Found) -> None:
        return None

    def _descriptors(self, dev: Found) -> tuple[bytes, bytes]:
        """Those of the device and of its configuration, read once."""
        bus_id = dev.exported.bus_id
        if bus_id in self._cached:
            return self._cached[bus_id]
        try:
            handle = Handle(self._host, self._port, dev.exported)
        except usb.core.USBError as error:
            if error.errno != errno.EBUSY:
                raise
            return _as_listed(dev.exported)
        try:
            device, configuration = (
                handle.transfer(IN_BIT, size, 1000, Setup(IN_BIT, 6, kind << 8, 0, size).packed()).data
                for kind, size in ((1, 18), (2, 0xFFF))
            )
        finally:
            handle.close()
        self._cached[bus_id] = device, configuration
        return device, configuration

    def get_device_descriptor(self, dev: Found) -> Descriptor:
        exported = dev.exported
        return Descriptor(
            self._descriptors(dev)[0], bus=exported.bus, address=exported.number, port_number=1, port_numbers=(1,),
            speed=exported.speed,
        )  # fmt: skip

    def get_configuration_descriptor(self, dev: Found, config: int) -> Descriptor:
        if config:
            raise IndexError(f"there is no configuration {config}")
        return Descriptor(self._descriptors(dev)[1])

    def _inside(self, dev: Found, kind: int) -> list[bytes]:
        """The descriptors of a type inside the configuration."""
        data, found = self._descriptors(dev)[1], []
        while len(data) >= 2 and data[0] >= 2:
            if data[1] == kind:
                found.append(data[: data[0]])
            data = data[data[0] :]
        return found

    def get_interface_descriptor(self, dev: Found, intf: int, alt: int, config: int) -> Descriptor:
        if alt or config:
            raise IndexError(f"interface {intf} has no setting {alt}")
        return Descriptor(self._inside(dev, 4)[intf])

    def get_endpoint_descriptor(self, dev: Found, ep: int, intf: int, alt: int, config: int) -> Descriptor:
        return Descriptor(self._inside(dev, 5)[ep], bRefresh=0, bSynchAddress=0)

    def open_device(self, dev: Found) -> Handle:
        return Handle(self._host, self._port, dev.exported)

    def close_device(self, dev_handle: Handle) -> None:
        dev_handle.close()

    def set_configuration(self, dev_handle: Handle, config_value: int) -> None:
        dev_handle.transfer(0, 0, 1000, Setup(0, 9, config_value).packed())

    def get_configuration(self, dev_handle: Handle) -> int:
        return dev_handle.transfer(IN_BIT, 1, 1000, Setup(IN_BIT, 8, 0, 0, 1).packed()).data[0]

    def set_interface_altsetting(self, dev_handle: Handle, intf: int, altsetting: int) -> None:
        dev_handle.transfer(0, 0, 1000, Setup(1, 11, altsetting, intf).packed())

    def claim_interface(self, dev_handle: Handle, intf: int) -> None:
        """It is claimed already: who has imported a device has it alone."""

    def release_interface(self, dev_handle: Handle, intf: int) -> None:
        """It is released with the device."""

    def bulk_write(self, dev_handle: Handle, ep: int, intf: int, data: Any, timeout: int) -> int:
        sent = bytes(data)
        return dev_handle.transfer(ep, len(sent), timeout, data=sent).length

    def bulk_read(self, dev_handle: Handle, ep: int, intf: int, buff: Any, timeout: int) -> int:
        read = dev_handle.transfer(ep, len(buff), timeout).data
        buff[: len(read)] = array.array("B", read)
        return len(read)

    intr_write = bulk_write
    intr_read = bulk_read

    def ctrl_transfer(
        self, dev_handle: Handle, request_type: int, request: int, value: int, index: int, data: Any, timeout: int
    ) -> int:
        setup = Setup(request_type, request, value, index, len(data)).packed()
        if request_type & IN_BIT:
            read = dev_handle.transfer(IN_BIT, len(data), timeout, setup).data
            data[: len(read)] = array.array("B", read)
            return len(read)
        return dev_handle.transfer(0, len(data), timeout, setup, bytes(data)).length

    def clear_halt(self, dev_handle: Handle, ep: int) -> None:
        dev_handle.transfer(0, 0, 1000, Setup(2, 1, 0, ep).packed())

    def reset_device(self, dev_handle: Handle) -> None:
        self.set_configuration(dev_handle, 1)

    def is_kernel_driver_active(self, dev_handle: Handle, intf: int) -> bool:
        return False
