"""A USB device: its descriptors, the requests of its control pipe, its endpoints. Source: USB 2.0, chapter 9."""

from __future__ import annotations

from collections import deque

import msgspec

from cavet.protocols import usb

LANGUAGE = 0x0409
"""The language of its strings: the one that every host asks for."""
MAX_PACKET = 64
"""Of all its endpoints: the most at full speed."""
TRANSFERS = {"bulk": (2, 0), "interrupt": (3, 1)}
"""The attributes and the interval (in ms) of the endpoints. Source: USB 2.0, table 9-13."""
IN_BIT = 0x80
ENDPOINT_HALT = 0
CONFIGURATION = 1


class Identity(msgspec.Struct, frozen=True, kw_only=True):
    """Who a device says it is. `out_endpoint` and `in_endpoint` are addresses as in descriptors."""

    vendor: int
    product: int
    version: int = 0x0100
    maker: str = "Cavet"
    title: str = ""
    serial: str = "0001"
    out_endpoint: int = 0x02
    in_endpoint: int = 0x81
    transfer: str = "bulk"
    """What its endpoints are: `bulk` or `interrupt`."""


class StallError(Exception):
    """The device refuses a transfer; the text says why."""


class UsbDevice:
    """The device as it stands. What its bulk endpoints carry is not its concern."""

    def __init__(self, identity: Identity) -> None:
        self.identity = identity
        self.configuration = CONFIGURATION
        """As it stands when it is exported: who exports it has configured it."""
        self.halted: set[int] = set()
        self.ready: deque[bytes] = deque(maxlen=64)
        """What waits to be read at the IN endpoint; who never reads, loses the oldest."""

    @property
    def endpoints(self) -> tuple[int, ...]:
        """The addresses of the endpoints that it has now, besides 0."""
        if not self.configuration:
            return ()
        return self.identity.out_endpoint, self.identity.in_endpoint

    # descriptors

    def device_descriptor(self) -> bytes:
        """The device as a whole."""
        return usb.encode_descriptor(
            usb.DeviceDescriptor(
                max_packet_size_0=MAX_PACKET, id_vendor=self.identity.vendor, id_product=self.identity.product,
                bcd_device=self.identity.version, i_manufacturer=1, i_product=2, i_serial_number=3,
            )
        )  # fmt: skip

    def configuration_descriptor(self) -> bytes:
        """Its one configuration, with all that belongs to it."""
        inside = usb.encode_descriptor(usb.InterfaceDescriptor(interface_number=0, num_endpoints=2))
        attributes, interval = TRANSFERS[self.identity.transfer]
        for address in (self.identity.out_endpoint, self.identity.in_endpoint):
            endpoint = usb.EndpointDescriptor(
                endpoint_address=address, attributes=attributes, max_packet_size=MAX_PACKET, interval=interval
            )
            inside += usb.encode_descriptor(endpoint)
        head = usb.ConfigurationDescriptor(
            total_length=9 + len(inside), num_interfaces=1, configuration_value=CONFIGURATION
        )
        return usb.encode_descriptor(head) + inside

    def string_descriptor(self, index: int) -> bytes:
        """One of its strings; number 0 lists their languages. Raises `StallError`."""
        if index == 0:
            return bytes((4, 3)) + LANGUAGE.to_bytes(2, "little")
        strings = (self.identity.maker, self.identity.title, self.identity.serial)
        if index > len(strings):
            raise StallError(f"there is no string {index}: there are {len(strings)}")
        return usb.encode_descriptor(usb.StringDescriptor(string=strings[index - 1]))

    # the control pipe

    def control(self, setup: usb.Setup) -> bytes:
        """Answer a request; give what goes to the host. Raises `StallError` for what it refuses."""
        answer = getattr(self, _REQUESTS.get((setup.request_type, setup.request), "_refuse"))(setup)
        assert isinstance(answer, bytes)
        return answer[: setup.length]

    def _refuse(self, setup: usb.Setup) -> bytes:
        raise StallError(f"there is no request 0x{setup.request:02X} of type 0x{setup.request_type:02X}")

    def _get_descriptor(self, setup: usb.Setup) -> bytes:
        kind, index = setup.value >> 8, setup.value & 0xFF
        if kind == 1 and index == 0:
            return self.device_descriptor()
        if kind == 2 and index == 0:
            return self.configuration_descriptor()
        if kind == 3:
            return self.string_descriptor(index)
        raise StallError(f"there is no descriptor {index} of type {kind}")

    def _get_configuration(self, setup: usb.Setup) -> bytes:
        return bytes((self.configuration,))

    def _set_configuration(self, setup: usb.Setup) -> bytes:
        if setup.value not in (0, CONFIGURATION):
            raise StallError(f"there is no configuration {setup.value}: there is {CONFIGURATION}")
        self.configuration = setup.value
        self.halted.clear()
        self.ready.clear()
        return b""

    def _set_address(self, setup: usb.Setup) -> bytes:
        return b""  # over a network there are no addresses to have

    def _get_status_of_device(self, setup: usb.Setup) -> bytes:
        if setup.index:
            raise StallError(f"the device has no part {setup.index}")
        return bytes(2)

    def _get_status_of_interface(self, setup: usb.Setup) -> bytes:
        self._interface(setup.index)
        return bytes(2)

    def _get_status_of_endpoint(self, setup: usb.Setup) -> bytes:
        return bytes((self._endpoint(setup.index) in self.halted, 0))

    def _get_interface(self, setup: usb.Setup) -> bytes:
        self._interface(setup.index)
        return bytes(1)

    def _set_interface(self, setup: usb.Setup) -> bytes:
        self._interface(setup.index)
        if setup.value:
            raise StallError(f"interface 0 has no setting {setup.value}: it has 0")
        self.halted.clear()
        return b""

    def _interface(self, number: int) -> None:
        if number or not self.configuration:
            raise StallError(f"there is no interface {number} now")

    def _set_feature(self, setup: usb.Setup) -> bytes:
        endpoint = self._halting(setup)
        if endpoint & 0x7F:
            self.halted.add(endpoint)
        return b""

    def _clear_feature(self, setup: usb.Setup) -> bytes:
        self.halted.discard(self._halting(setup))
        return b""

    def _halting(self, setup: usb.Setup) -> int:
        if setup.value != ENDPOINT_HALT:
            raise StallError(f"an endpoint has no feature {setup.value}: it has {ENDPOINT_HALT}")
        return self._endpoint(setup.index)

    def _endpoint(self, address: int) -> int:
        if address & 0x7F and address not in self.endpoints:
            raise StallError(f"there is no endpoint 0x{address:02X} now")
        return address


_REQUESTS = {
    (0x80, 0): "_get_status_of_device",
    (0x81, 0): "_get_status_of_interface",
    (0x82, 0): "_get_status_of_endpoint",
    (0x02, 1): "_clear_feature",
    (0x02, 3): "_set_feature",
    (0x00, 5): "_set_address",
    (0x80, 6): "_get_descriptor",
    (0x80, 8): "_get_configuration",
    (0x00, 9): "_set_configuration",
    (0x81, 10): "_get_interface",
    (0x01, 11): "_set_interface",
}
"""The standard requests that it knows, by type and number."""
