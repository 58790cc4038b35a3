"""Requests on the control pipe: setup packets of eight bytes. Source: USB 2.0, sections 9.3 and 9.4."""

from __future__ import annotations

import struct
from collections.abc import Callable
from typing import Annotated, Any, ClassVar

import msgspec

from cavet.protocols._message import Message, Range, Words, as_found, limits

SETUP_BYTES = 8
SETUP = struct.Struct("<BBHHH")
IN, OUT = 0x80, 0x00

Byte = Annotated[int, Range(0, 0xFF)]
Word = Annotated[int, Range(0, 0xFFFF)]
Recipient = Annotated[int, Range(0, 2), Words({0: "device", 1: "interface", 2: "endpoint"})]
Feature = Annotated[int, Range(0, 0xFFFF), Words({0: "endpoint halt", 1: "device remote wakeup", 2: "test mode"})]
DESCRIPTOR_TYPES = {
    1: "device", 2: "configuration", 3: "string", 4: "interface", 5: "endpoint", 6: "device qualifier",
    7: "other speed configuration", 8: "interface power", 9: "otg", 10: "debug", 11: "interface association",
    15: "bos", 16: "device capability",
}  # fmt: skip
"""Source: USB 2.0, table 9-5, and the engineering change notices on it."""
DescriptorType = Annotated[int, Range(0, 0xFF), Words(DESCRIPTOR_TYPES)]


class Setup(msgspec.Struct, frozen=True):
    """A setup packet's five fields, as on the wire."""

    request_type: int
    request: int
    value: int = 0
    index: int = 0
    length: int = 0

    @property
    def is_in(self) -> bool:
        """Whether the data goes to the host."""
        return bool(self.request_type & IN)

    @classmethod
    def unpacked(cls, packet: bytes) -> Setup:
        """Read its eight bytes."""
        return cls(*SETUP.unpack(packet))

    def packed(self) -> bytes:
        """Its eight bytes."""
        return SETUP.pack(*msgspec.structs.astuple(self))


class Request(Message, frozen=True, kw_only=True):
    """A request to a device."""

    REQUEST: ClassVar[int] = 0

    def setup(self) -> Setup:
        """Give the packet's fields."""
        raise NotImplementedError


class GetStatus(Request, frozen=True, kw_only=True):
    """Ask a device, interface or endpoint for its status. Source: USB 2.0, section 9.4.5."""

    NAME = "get-status"
    REQUEST = 0
    recipient: Recipient
    index: Word = 0

    def setup(self) -> Setup:
        return Setup(IN | self.recipient, self.REQUEST, 0, self.index, 2)


class ClearFeature(Request, frozen=True, kw_only=True):
    """Switch a feature off. Source: USB 2.0, section 9.4.1."""

    NAME = "clear-feature"
    REQUEST = 1
    recipient: Recipient
    feature_selector: Feature
    index: Word = 0

    def setup(self) -> Setup:
        return Setup(OUT | self.recipient, self.REQUEST, self.feature_selector, self.index)


class SetFeature(ClearFeature, frozen=True, kw_only=True):
    """Switch a feature on. Source: USB 2.0, section 9.4.9."""

    NAME = "set-feature"
    REQUEST = 3


class SetAddress(Request, frozen=True, kw_only=True):
    """Give the device its address. Source: USB 2.0, section 9.4.6."""

    NAME = "set-address"
    REQUEST = 5
    address: Annotated[int, Range(0, 127)]

    def setup(self) -> Setup:
        return Setup(OUT, self.REQUEST, self.address)


class GetDescriptor(Request, frozen=True, kw_only=True):
    """Ask the device for a descriptor. Source: USB 2.0, section 9.4.3."""

    NAME = "get-descriptor"
    REQUEST = 6
    DIRECTION: ClassVar[int] = IN
    descriptor_type: DescriptorType
    descriptor_index: Byte = 0
    language_id: Word = 0
    length: Word

    def setup(self) -> Setup:
        value = self.descriptor_type << 8 | self.descriptor_index
        return Setup(self.DIRECTION, self.REQUEST, value, self.language_id, self.length)


class SetDescriptor(GetDescriptor, frozen=True, kw_only=True):
    """Give the device a descriptor. Source: USB 2.0, section 9.4.8."""

    NAME = "set-descriptor"
    REQUEST = 7
    DIRECTION = OUT


class GetConfiguration(Request, frozen=True, kw_only=True):
    """Ask which configuration is chosen. Source: USB 2.0, section 9.4.2."""

    NAME = "get-configuration"
    REQUEST = 8

    def setup(self) -> Setup:
        return Setup(IN, self.REQUEST, length=1)


class SetConfiguration(Request, frozen=True, kw_only=True):
    """Choose a configuration; 0 for none. Source: USB 2.0, section 9.4.7."""

    NAME = "set-configuration"
    REQUEST = 9
    configuration_value: Byte

    def setup(self) -> Setup:
        return Setup(OUT, self.REQUEST, self.configuration_value)


class GetInterface(Request, frozen=True, kw_only=True):
    """Ask which setting of an interface is chosen. Source: USB 2.0, section 9.4.4."""

    NAME = "get-interface"
    REQUEST = 10
    interface: Word

    def setup(self) -> Setup:
        return Setup(IN | 1, self.REQUEST, 0, self.interface, 1)


class SetInterface(Request, frozen=True, kw_only=True):
    """Choose a setting of an interface. Source: USB 2.0, section 9.4.10."""

    NAME = "set-interface"
    REQUEST = 11
    interface: Word
    alternate_setting: Annotated[int, Range(0, 0xFF)]

    def setup(self) -> Setup:
        return Setup(OUT | 1, self.REQUEST, self.alternate_setting, self.interface)


class SynchFrame(Request, frozen=True, kw_only=True):
    """Ask an isochronous endpoint for its frame number. Source: USB 2.0, section 9.4.11."""

    NAME = "synch-frame"
    REQUEST = 12
    endpoint: Word

    def setup(self) -> Setup:
        return Setup(IN | 2, self.REQUEST, 0, self.endpoint, 2)


class OtherRequest(Request, frozen=True, kw_only=True):
    """Any other request: of a class, of a vendor, or a standard one to where the standard has none."""

    NAME = "setup"
    request_type: Byte
    request: Byte
    value: Word = 0
    index: Word = 0
    length: Word = 0

    def setup(self) -> Setup:
        return Setup(self.request_type, self.request, self.value, self.index, self.length)


class BulkOut(Message, frozen=True, kw_only=True):
    """Bytes for a bulk endpoint; the endpoint is told to the device in the packet's token, not among them."""

    NAME = "bulk-out"
    endpoint: Annotated[int, Range(1, 15)]
    data: bytes


class Carried(Message, frozen=True, kw_only=True):
    """A transfer as a network carries it, whatever it is."""

    NAME = "transfer"


REQUESTS: tuple[type[Request], ...] = (
    GetStatus, ClearFeature, SetFeature, SetAddress, GetDescriptor, SetDescriptor, GetConfiguration,
    SetConfiguration, GetInterface, SetInterface, SynchFrame, OtherRequest,
)  # fmt: skip

_READERS: dict[tuple[int, int], tuple[type[Request], Callable[[Setup], dict[str, Any]]]] = {
    (IN, 6): (GetDescriptor, lambda setup: _descriptor(setup)),
    (OUT, 7): (SetDescriptor, lambda setup: _descriptor(setup)),
    (OUT, 5): (SetAddress, lambda setup: {"address": setup.value}),
    (IN, 8): (GetConfiguration, lambda setup: {}),
    (OUT, 9): (SetConfiguration, lambda setup: {"configuration_value": setup.value}),
    (IN | 1, 10): (GetInterface, lambda setup: {"interface": setup.index}),
    (OUT | 1, 11): (SetInterface, lambda setup: {"interface": setup.index, "alternate_setting": setup.value}),
    (IN | 2, 12): (SynchFrame, lambda setup: {"endpoint": setup.index}),
}
for _to in (0, 1, 2):
    _READERS[IN | _to, 0] = (GetStatus, lambda setup: {"recipient": setup.request_type & 3, "index": setup.index})
    _READERS[OUT | _to, 1] = (ClearFeature, lambda setup: _feature(setup))
    _READERS[OUT | _to, 3] = (SetFeature, lambda setup: _feature(setup))


def _descriptor(setup: Setup) -> dict[str, Any]:
    return {
        "descriptor_type": setup.value >> 8,
        "descriptor_index": setup.value & 0xFF,
        "language_id": setup.index,
        "length": setup.length,
    }


def _feature(setup: Setup) -> dict[str, Any]:
    return {"recipient": setup.request_type & 3, "feature_selector": setup.value, "index": setup.index}


def read_setup(packet: bytes) -> tuple[Request, tuple[str, ...]]:
    """Read a setup packet of eight bytes; tell what in it the standard has otherwise."""
    setup = Setup.unpacked(packet)
    form, fields_of = _READERS.get((setup.request_type, setup.request), (OtherRequest, msgspec.structs.asdict))
    message = as_found(form, fields_of(setup))
    assert isinstance(message, Request)
    return message, tuple(_problems(message, setup))


def _problems(message: Request, setup: Setup) -> list[str]:
    problems = []
    usual = message.setup()
    for name in ("value", "index", "length"):
        found, expected = getattr(setup, name), getattr(usual, name)
        if found != expected:
            problems.append(f"{name}: found {found}, expected {expected} in {message.NAME}")
    for name, low, high in limits(type(message)):
        value = getattr(message, name)
        if isinstance(value, int) and not low <= value <= high:
            problems.append(f"{name}: found {value}, expected {low} to {high}")
    return problems
