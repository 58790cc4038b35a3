"""The codec of USB's control pipe, in the shape of all codecs: setup packets and descriptors."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from cavet.protocols._codec import Side, read_all
from cavet.protocols._frame import Field, Frame, Role, Unreadable, UnreadTail
from cavet.protocols._message import FieldError, Message
from cavet.protocols._reader import Reader, bytes_from
from cavet.protocols.usb._descriptors import (
    CONFIGURATION,
    DESCRIPTORS,
    ENDPOINT,
    INTERFACE,
    KNOWN,
    STRING,
    TRANSFER_TYPES,
    ConfigurationDescriptor,
    Descriptor,
    EndpointDescriptor,
    OtherDescriptor,
    Seen,
    StringDescriptor,
    encode_descriptor,
    least_length,
    read_descriptor,
    wrong_counts,
)
from cavet.protocols.usb._requests import (
    DESCRIPTOR_TYPES,
    REQUESTS,
    SETUP_BYTES,
    BulkOut,
    GetDescriptor,
    Request,
    SetDescriptor,
    read_setup,
)

MAX_CONFIGURATION_BYTES = 0xFFFF
"""The longest run of descriptors that is taken for one configuration: `wTotalLength` has 16 bits."""

FROM_HOST: tuple[type[Message], ...] = (*REQUESTS, BulkOut)
_FORMS: dict[Side, dict[str, type[Message]]] = {
    Side.HOST: {form.NAME: form for form in FROM_HOST},
    Side.BOARD: {form.NAME: form for form in DESCRIPTORS},
}
_APART = frozenset({1, CONFIGURATION, STRING, 6, 7, 15})
"""Types of descriptors that are read for themselves: they end a configuration that came before them."""


class DataStage(Message, frozen=True, kw_only=True):
    """What a device sends in a control transfer, where it is no descriptor. Source: USB 2.0, section 8.5.3."""

    NAME = "data-stage"
    data: bytes


class TransferData(Message, frozen=True, kw_only=True):
    """What passes over a bulk or interrupt endpoint, where its frames are not known. Source: USB 2.0, section 5.3.2."""

    NAME = "transfer-data"
    data: bytes


class StatusStage(Message, frozen=True, kw_only=True):
    """How a control transfer ended that brings no data. Source: USB 2.0, section 8.5.3.1."""

    NAME = "status-stage"
    stalled: bool


def control_answer(setup: bytes, data: bytes) -> list[Frame]:
    """What a device has answered to a request at its control pipe, as frames."""
    request, _ = read_setup(setup)
    if not data:
        return [Frame(message=StatusStage(stalled=False), data=b"", offset=0)]
    if isinstance(request, GetDescriptor) and not isinstance(request, SetDescriptor):
        return read_all(DescriptorDecoder(), data)
    return [Frame(message=DataStage(data=data), data=data, offset=0)]


class SetupDecoder:
    """Reads setup packets, eight bytes each."""

    def __init__(self) -> None:
        self._tail = UnreadTail()

    def feed(self, data: bytes) -> list[Frame]:
        """Take more bytes; give the packets that are complete now."""
        self._tail.data += data
        frames = []
        while len(self._tail.data) >= SETUP_BYTES:
            offset, packet = self._tail.take(SETUP_BYTES)
            message, problems = read_setup(packet)
            frames.append(Frame(message=message, data=packet, offset=offset, problems=problems))
        return frames

    def finish(self) -> list[Frame]:
        """The stream has ended: give what is left."""
        if not self._tail.data:
            return []
        offset, rest = self._tail.take(len(self._tail.data))
        reason = f"found {len(rest)} bytes, expected {SETUP_BYTES} of a setup packet"
        return [Frame(message=Unreadable(reason=reason), data=rest, offset=offset, problems=(reason,))]


class DescriptorDecoder:
    """Reads descriptors one behind the other. A configuration is held back until all that belongs to it has come."""

    def __init__(self) -> None:
        self._tail = UnreadTail()
        self._held: list[Seen] = []
        self._held_bytes = 0

    def feed(self, data: bytes) -> list[Frame]:
        """Take more bytes; give the descriptors that are complete now."""
        self._tail.data += data
        frames: list[Frame] = []
        while len(self._tail.data) >= 2 and self._tail.data[0] <= len(self._tail.data):
            frames += self._take(max(1, self._tail.data[0]))
        return frames

    def finish(self) -> list[Frame]:
        """The stream has ended: give what is left."""
        frames: list[Frame] = []
        if self._tail.data:
            claimed = self._tail.data[0]
            there = len(self._tail.data)
            expected = "at least 2" if claimed < 2 else f"no more than the {there} bytes that are there"
            reason = f"bLength: found {claimed}, expected {expected}"
            frames += self._hold(self._unreadable(bytes(self._tail.data), reason))
            self._tail.data.clear()
        return frames + self._let_go()

    def _take(self, size: int) -> list[Frame]:
        data = bytes(self._tail.data[:size])
        del self._tail.data[:size]
        kind = data[1] if size > 1 else 0
        if size < least_length(kind) or size == 1:
            name = f" in a descriptor of type {DESCRIPTOR_TYPES[kind]}" if kind in DESCRIPTOR_TYPES else ""
            reason = f"bLength: found {data[0]}, expected at least {least_length(kind)}{name}"
            return self._hold(self._unreadable(data, reason))
        message, problems = read_descriptor(data)
        return self._hold(Seen(message=message, data=data, kind=kind, problems=problems))

    def _unreadable(self, data: bytes, reason: str) -> Seen:
        kind = data[1] if len(data) > 1 and data[1] in (INTERFACE, ENDPOINT) else 0
        return Seen(message=Unreadable(reason=reason), data=data, kind=kind, problems=(reason,))

    def _hold(self, seen: Seen) -> list[Frame]:
        frames = []
        if seen.kind in _APART or self._held_bytes + len(seen.data) > MAX_CONFIGURATION_BYTES:
            frames = self._let_go()
        self._held.append(seen)
        self._held_bytes += len(seen.data)
        return frames

    def _let_go(self) -> list[Frame]:
        held, self._held, self._held_bytes = self._held, [], 0
        if not held:
            return []
        wrong = wrong_counts(held)
        frames = []
        for place, seen in enumerate(held):
            problems = (*seen.problems, *wrong.get(place, ()))
            frames.append(Frame(message=seen.message, data=seen.data, offset=self._tail.offset, problems=problems))
            self._tail.offset += len(seen.data)
        return frames


class UsbCodec:
    """Setup packets and descriptors."""

    name = "usb"
    unused: frozenset[str] = frozenset()
    also_called: Mapping[str, str] = {}

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        return _FORMS[side]

    def encode(self, message: Message) -> bytes:
        """Give the bytes of a setup packet, of a descriptor, or of what is sent to a bulk endpoint."""
        if isinstance(message, Request):
            return message.setup().packed()
        if isinstance(message, Descriptor | StringDescriptor | OtherDescriptor):
            return encode_descriptor(message)
        if isinstance(message, BulkOut):
            return message.data
        raise FieldError("message", found=message.NAME, expected="a request or a descriptor of USB")

    def decoder(self, side: Side) -> SetupDecoder | DescriptorDecoder:
        return SetupDecoder() if side is Side.HOST else DescriptorDecoder()

    def explain(self, frame: Frame, side: Side) -> list[Field]:
        """Take a setup packet or a descriptor apart, down to the bits where they have a meaning of their own."""
        reader = Reader(frame.data, placed=bytes_from())
        if isinstance(frame.message, DataStage | StatusStage | TransferData):
            if reader.rest:
                reader.take("data", reader.rest)
                reader.note("data", 0, frame.data, raw=frame.data)
        elif frame.readable:
            _note_setup(reader) if side is Side.HOST else _note_descriptor(reader, frame)
        return reader.notes


def _number(reader: Reader, name: str, size: int, **more: Any) -> int:
    first = reader.at
    value = reader.number(name, size, "little")
    reader.note(name, first, value, low_first=True, **more)
    return value


def _note_setup(reader: Reader) -> None:
    """Source: USB 2.0, table 9-2."""
    kind = reader.take("request_type", 1)[0]
    reader.note_bits("direction", 0, 0, 1, kind >> 7, meaning="to the host" if kind >> 7 else "to the device")
    reader.note_bits("type", 0, 1, 2, kind >> 5 & 3, meaning=("standard", "class", "vendor", "reserved")[kind >> 5 & 3])
    reader.note_bits("recipient", 0, 3, 5, kind & 31, meaning=RECIPIENTS.get(kind & 31, "reserved"))
    _number(reader, "request", 1)
    _number(reader, "value", 2)
    _number(reader, "index", 2)
    _number(reader, "length", 2, meaning="bytes in the data stage", role=Role.LENGTH)


RECIPIENTS = {0: "device", 1: "interface", 2: "endpoint", 3: "other"}
DIRECTIONS = ("out, to the device", "in, to the host")


def _note_descriptor(reader: Reader, frame: Frame) -> None:
    data = frame.data
    _number(reader, "length", 1, meaning="bytes of this descriptor", role=Role.LENGTH, expected=len(data))
    _number(reader, "descriptor_type", 1, meaning=DESCRIPTOR_TYPES.get(data[1], ""), role=Role.CONSTANT)
    form = KNOWN.get(data[1])
    for name, size in form.LAYOUT if form else ():
        split = _SPLIT.get((form, name)) if form else None
        if split is None:
            _number(reader, name, size)
        else:
            reader.take(name, 1)
            split(reader)
    if reader.rest:
        first = reader.at
        rest = reader.take("data", reader.rest)
        is_text = data[1] == STRING
        value = getattr(frame.message, "string", rest) if is_text else rest
        reader.note("string" if is_text else "data", first, value, raw=rest)


def _note_endpoint_address(reader: Reader) -> None:
    """Source: USB 2.0, table 9-13."""
    byte, at = reader.data[reader.at - 1], reader.at - 1
    reader.note_bits("direction", at, 0, 1, byte >> 7, meaning=DIRECTIONS[byte >> 7])
    reader.note_bits("reserved", at, 1, 3, byte >> 4 & 7, role=Role.UNUSED, expected=0)
    reader.note_bits("endpoint_address", at, 4, 4, byte & 15, meaning="the endpoint's number")


def _note_endpoint_attributes(reader: Reader) -> None:
    """Source: USB 2.0, table 9-13."""
    byte, at = reader.data[reader.at - 1], reader.at - 1
    kind = byte & 3
    if TRANSFER_TYPES[kind] == "isochronous":
        reader.note_bits("reserved", at, 0, 2, byte >> 6, role=Role.UNUSED, expected=0)
        reader.note_bits("usage", at, 2, 2, byte >> 4 & 3, meaning=("data", "feedback", "implicit", "")[byte >> 4 & 3])
        told = ("none", "asynchronous", "adaptive", "synchronous")[byte >> 2 & 3]
        reader.note_bits("synchronization", at, 4, 2, byte >> 2 & 3, meaning=told)
    else:
        reader.note_bits("reserved", at, 0, 6, byte >> 2, role=Role.UNUSED, expected=0)
    reader.note_bits("transfer_type", at, 6, 2, kind, meaning=TRANSFER_TYPES[kind])


def _note_configuration_attributes(reader: Reader) -> None:
    """Source: USB 2.0, table 9-10."""
    byte, at = reader.data[reader.at - 1], reader.at - 1
    reader.note_bits("set_to_one", at, 0, 1, byte >> 7, role=Role.CONSTANT, expected=1)
    reader.note_bits("self_powered", at, 1, 1, bool(byte & 0x40))
    reader.note_bits("remote_wakeup", at, 2, 1, bool(byte & 0x20))
    reader.note_bits("reserved", at, 3, 5, byte & 31, role=Role.UNUSED, expected=0)


_SPLIT: dict[tuple[type[Descriptor], str], Callable[[Reader], None]] = {
    (EndpointDescriptor, "endpoint_address"): _note_endpoint_address,
    (EndpointDescriptor, "attributes"): _note_endpoint_attributes,
    (ConfigurationDescriptor, "attributes"): _note_configuration_attributes,
}
"""Bytes of descriptors whose bits have a meaning of their own."""


CODEC = UsbCodec()
