"""Descriptors: what a device says of itself. Source: USB 2.0, section 9.6."""

from __future__ import annotations

import itertools
from typing import Annotated, Any, ClassVar

import msgspec

from cavet.protocols._message import FieldError, Message, Range, as_found
from cavet.protocols.usb._requests import Byte, DescriptorType, Word

DEVICE, CONFIGURATION, STRING, INTERFACE, ENDPOINT = 1, 2, 3, 4, 5
MAX_STRING_UNITS = 126
TRANSFER_TYPES = ("control", "isochronous", "bulk", "interrupt")


class Descriptor(Message, frozen=True, kw_only=True):
    """A descriptor of a known type: its length, its type, and fields of one or two bytes, the low one first."""

    TYPE: ClassVar[int]
    LAYOUT: ClassVar[tuple[tuple[str, int], ...]]

    def body(self) -> bytes:
        """All behind the length and the type."""
        return b"".join(getattr(self, name).to_bytes(size, "little") for name, size in self.LAYOUT)


class DeviceDescriptor(Descriptor, frozen=True, kw_only=True):
    """The device as a whole. Source: USB 2.0, section 9.6.1."""

    NAME = "device-descriptor"
    TYPE = DEVICE
    LAYOUT = (
        ("bcd_usb", 2), ("device_class", 1), ("device_sub_class", 1), ("device_protocol", 1),
        ("max_packet_size_0", 1), ("id_vendor", 2), ("id_product", 2), ("bcd_device", 2), ("i_manufacturer", 1),
        ("i_product", 1), ("i_serial_number", 1), ("num_configurations", 1),
    )  # fmt: skip

    bcd_usb: Word = 0x0200
    device_class: Byte = 0
    device_sub_class: Byte = 0
    device_protocol: Byte = 0
    max_packet_size_0: Byte = 64
    id_vendor: Word
    id_product: Word
    bcd_device: Word = 0x0100
    i_manufacturer: Byte = 0
    i_product: Byte = 0
    i_serial_number: Byte = 0
    num_configurations: Byte = 1


class ConfigurationDescriptor(Descriptor, frozen=True, kw_only=True):
    """A configuration; its interfaces and endpoints follow it. Source: USB 2.0, section 9.6.3."""

    NAME = "configuration-descriptor"
    TYPE = CONFIGURATION
    LAYOUT = (
        ("total_length", 2), ("num_interfaces", 1), ("configuration_value", 1), ("i_configuration", 1),
        ("attributes", 1), ("max_power", 1),
    )  # fmt: skip

    total_length: Word
    num_interfaces: Byte
    configuration_value: Byte = 1
    i_configuration: Byte = 0
    attributes: Byte = 0x80
    max_power: Byte = 50
    """In steps of 2 mA."""


class InterfaceDescriptor(Descriptor, frozen=True, kw_only=True):
    """An interface, in one of its settings; its endpoints follow it. Source: USB 2.0, section 9.6.5."""

    NAME = "interface-descriptor"
    TYPE = INTERFACE
    LAYOUT = (
        ("interface_number", 1), ("alternate_setting", 1), ("num_endpoints", 1), ("interface_class", 1),
        ("interface_sub_class", 1), ("interface_protocol", 1), ("i_interface", 1),
    )  # fmt: skip

    interface_number: Byte
    alternate_setting: Byte = 0
    num_endpoints: Byte
    interface_class: Byte = 0xFF
    interface_sub_class: Byte = 0
    interface_protocol: Byte = 0
    i_interface: Byte = 0


class EndpointDescriptor(Descriptor, frozen=True, kw_only=True):
    """An endpoint: its number, which way it goes, what it carries. Source: USB 2.0, section 9.6.6."""

    NAME = "endpoint-descriptor"
    TYPE = ENDPOINT
    LAYOUT = (("endpoint_address", 1), ("attributes", 1), ("max_packet_size", 2), ("interval", 1))

    endpoint_address: Byte
    attributes: Byte
    max_packet_size: Word
    interval: Byte = 0


class FoundEndpoint(EndpointDescriptor, frozen=True, kw_only=True):
    """An endpoint as it was read, with what its bits mean."""

    direction: str = ""
    transfer_type: str = ""


class StringDescriptor(Message, frozen=True, kw_only=True):
    """A text in UTF-16. Source: USB 2.0, section 9.6.7."""

    NAME = "string-descriptor"
    string: str

    def __post_init__(self) -> None:
        try:
            units = len(self.string.encode("utf-16-le")) // 2
        except UnicodeEncodeError as error:
            raise FieldError(f"{self.NAME}.string", found="an unpaired surrogate", expected="UTF-16 text") from error
        if units > MAX_STRING_UNITS:
            raise FieldError(
                f"{self.NAME}.string", found=f"{units} UTF-16 units", expected=f"at most {MAX_STRING_UNITS}"
            )

    def body(self) -> bytes:
        """The text, the low byte of each unit first."""
        return self.string.encode("utf-16-le")


class OtherDescriptor(Message, frozen=True, kw_only=True):
    """Any other descriptor, handed on whole."""

    NAME = "descriptor"
    descriptor_type: DescriptorType
    data: Annotated[bytes, Range(0, 253)] = b""

    def body(self) -> bytes:
        """All behind the length and the type."""
        return self.data


KNOWN: dict[int, type[Descriptor]] = {
    form.TYPE: form for form in (DeviceDescriptor, ConfigurationDescriptor, InterfaceDescriptor, EndpointDescriptor)
}
DESCRIPTORS: tuple[type[Message], ...] = (*KNOWN.values(), StringDescriptor, OtherDescriptor)


def encode_descriptor(message: Descriptor | StringDescriptor | OtherDescriptor) -> bytes:
    """Give a descriptor's bytes, length and type first."""
    body = message.body()
    if isinstance(message, OtherDescriptor):
        kind = message.descriptor_type
    else:
        kind = STRING if isinstance(message, StringDescriptor) else message.TYPE
    return bytes((len(body) + 2, kind)) + body


def least_length(kind: int) -> int:
    """The least `bLength` of a descriptor of this type."""
    form = KNOWN.get(kind)
    return 2 + sum(size for _, size in form.LAYOUT) if form else 2


def read_descriptor(data: bytes) -> tuple[Message, tuple[str, ...]]:
    """Read a descriptor whose length is right, at least for its type. Bytes beyond those of its type are let be."""
    kind = data[1]
    if kind == STRING:
        return _read_string(data[2:])
    form = KNOWN.get(kind)
    if form is None:
        return as_found(OtherDescriptor, {"descriptor_type": kind, "data": data[2:]}), ()
    fields: dict[str, Any] = {}
    at = 2
    for name, size in form.LAYOUT:
        fields[name] = int.from_bytes(data[at : at + size], "little")
        at += size
    if form is EndpointDescriptor:
        fields["direction"] = "in" if fields["endpoint_address"] & 0x80 else "out"
        fields["transfer_type"] = TRANSFER_TYPES[fields["attributes"] & 3]
        return as_found(FoundEndpoint, fields), ()
    return as_found(form, fields), ()


def _read_string(body: bytes) -> tuple[Message, tuple[str, ...]]:
    problems = []
    if len(body) % 2:
        problems.append(f"string: found {len(body)} bytes, expected an even number")
    even = body[: len(body) & ~1]
    try:
        text = even.decode("utf-16-le")
    except UnicodeDecodeError as error:
        problems.append(f"string: found an unpaired surrogate in unit {error.start // 2}, expected UTF-16 text")
        text = even.decode("utf-16-le", "replace")
    return as_found(StringDescriptor, {"string": text}), tuple(problems)


class Seen(msgspec.Struct, frozen=True):
    """A descriptor as it lay among others: its message, its bytes, its type."""

    message: Message
    data: bytes
    kind: int
    problems: tuple[str, ...] = ()


def wrong_counts(seen: list[Seen]) -> dict[int, list[str]]:
    """Check a configuration, the first one of `seen`, against what follows it; give problems by their places."""
    problems: dict[int, list[str]] = {}
    configuration = seen[0].message
    if isinstance(configuration, ConfigurationDescriptor):
        total = sum(len(each.data) for each in seen)
        numbers = {each.message.interface_number for each in seen if isinstance(each.message, InterfaceDescriptor)}
        told = problems.setdefault(0, [])
        if configuration.total_length != total:
            told.append(f"total_length: found {configuration.total_length}, expected {total} as what follows")
        if configuration.num_interfaces != len(numbers):
            told.append(
                f"num_interfaces: found {configuration.num_interfaces}, expected {len(numbers)} as what follows"
            )
    places = [place for place, each in enumerate(seen) if each.kind == INTERFACE]
    for place, end in itertools.pairwise([*places, len(seen)]):
        interface = seen[place].message
        endpoints = sum(each.kind == ENDPOINT for each in seen[place:end])
        if isinstance(interface, InterfaceDescriptor) and interface.num_endpoints != endpoints:
            problem = f"num_endpoints: found {interface.num_endpoints}, expected {endpoints} as what follows"
            problems.setdefault(place, []).append(problem)
    return problems
