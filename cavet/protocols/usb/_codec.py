"""The codec of USB's control pipe, in the shape of all codecs: setup packets and descriptors."""

from __future__ import annotations

from collections.abc import Mapping

from cavet.protocols._codec import Side
from cavet.protocols._frame import Field, Frame, Unreadable, UnreadTail
from cavet.protocols._message import FieldError, Message
from cavet.protocols.usb._descriptors import (
    CONFIGURATION,
    DESCRIPTORS,
    ENDPOINT,
    INTERFACE,
    KNOWN,
    STRING,
    Descriptor,
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
    Request,
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

    def explain(self, frame: Frame, side: Side) -> Field:
        """Take a setup packet or a descriptor apart, down to the bits where they have a meaning of their own."""
        if not frame.readable:
            fields: tuple[Field, ...] = ()
        else:
            fields = _setup_fields(frame.data) if side is Side.HOST else _descriptor_fields(frame)
        return Field(
            name=frame.message.NAME,
            spans=((0, 8 * len(frame.data)),),
            raw=frame.data,
            problem="; ".join(frame.problems),
            fields=fields,
        )


def _number(name: str, data: bytes, first: int, size: int, meaning: str = "") -> Field:
    value = int.from_bytes(data[first : first + size], "little")
    spans = tuple((8 * at, 8) for at in reversed(range(first, first + size)))
    return Field(name=name, spans=spans, raw=value, value=value, meaning=meaning)


def _setup_fields(data: bytes) -> tuple[Field, ...]:
    kind = data[0]
    parts = (
        Field(
            name="direction",
            spans=((0, 1),),
            raw=kind >> 7,
            value=kind >> 7,
            meaning="to the host" if kind >> 7 else "to the device",
        ),
        Field(
            name="type",
            spans=((1, 2),),
            raw=kind >> 5 & 3,
            value=kind >> 5 & 3,
            meaning=("standard", "class", "vendor", "reserved")[kind >> 5 & 3],
        ),
        Field(
            name="recipient",
            spans=((3, 5),),
            raw=kind & 31,
            value=kind & 31,
            meaning={0: "device", 1: "interface", 2: "endpoint", 3: "other"}.get(kind & 31, "reserved"),
        ),
    )
    return (
        Field(name="request_type", spans=((0, 8),), raw=kind, value=kind, fields=parts),
        _number("request", data, 1, 1),
        _number("value", data, 2, 2),
        _number("index", data, 4, 2),
        _number("length", data, 6, 2, "bytes in the data stage"),
    )


def _descriptor_fields(frame: Frame) -> tuple[Field, ...]:
    data = frame.data
    fields = [
        _number("length", data, 0, 1, "bytes of this descriptor"),
        _number("descriptor_type", data, 1, 1, DESCRIPTOR_TYPES.get(data[1], "")),
    ]
    form = KNOWN.get(data[1])
    at = 2
    for name, size in form.LAYOUT if form else ():
        fields.append(_number(name, data, at, size))
        at += size
    if at < len(data):
        spans = ((8 * at, 8 * (len(data) - at)),)
        value = getattr(frame.message, "string", data[at:])
        fields.append(Field(name="string" if data[1] == STRING else "data", spans=spans, raw=data[at:], value=value))
    return tuple(fields)


CODEC = UsbCodec()
