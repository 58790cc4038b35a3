"""Pieces of a shape of their own: file records, the event log, the queue, identification objects."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from cavet.protocols._frame import Role
from cavet.protocols._message import FieldError
from cavet.protocols._reader import Reader, ShortError
from cavet.protocols.modbus._pieces import (
    note_byte_count,
    pack_registers,
    read_number,
    read_registers,
    unpack_registers,
)

REFERENCE_TYPE = 6
"""Source: application protocol 1.1b3, sections 6.14 and 6.15."""
GROUP_BYTES = 7


class IdObject(msgspec.Struct, frozen=True):
    """One object of a device's identification."""

    id: int
    value: bytes


def _begin(reader: Reader) -> int:
    """Take the byte count of all groups; give where they end."""
    first = reader.at
    count = reader.number("byte count", 1)
    problems = [f"byte count: found {count}, but {reader.rest} bytes follow"] if count != reader.rest else []
    note_byte_count(reader, first, count, reader.rest, problems)
    return min(reader.end, reader.at + count)


def _take_reference(reader: Reader) -> None:
    first = reader.at
    found = reader.number("reference type", 1)
    problem = "" if found == REFERENCE_TYPE else f"expected {REFERENCE_TYPE}"
    if problem:
        reader.problems.append(f"reference type: found {found}, {problem}")
    reader.note("reference_type", first, found, role=Role.CONSTANT, problem=problem, expected=REFERENCE_TYPE)


def _take_numbers(reader: Reader, *named: tuple[str, Role]) -> tuple[int, ...]:
    """Take numbers of two bytes each. Raises `ShortError`."""
    reader.take(named[-1][0], 2 * len(named))
    reader.at -= 2 * len(named)
    found = []
    for name, role in named:
        first = reader.at
        found.append(reader.number(name, 2))
        reader.note(name, first, found[-1], role=role)
    return tuple(found)


def _take_registers(reader: Reader, name: str, count: int) -> tuple[int, ...]:
    first = reader.at
    data = reader.take(name, 2 * count)
    reader.note("values", first, unpack_registers(data), raw=data)
    return unpack_registers(data)


_PLACE = (("file_number", Role.VALUE), ("record_number", Role.VALUE))


class ReadGroups(msgspec.Struct, frozen=True):
    """Which records are wanted: seven bytes a group."""

    def put(self, message: Any, out: bytearray) -> None:
        out.append(GROUP_BYTES * len(message.file_number))
        for numbers in zip(message.file_number, message.record_number, message.record_length, strict=True):
            out.append(REFERENCE_TYPE)
            out += pack_registers(numbers)

    def take(self, reader: Reader) -> None:
        end = _begin(reader)
        if (end - reader.at) % GROUP_BYTES:
            reader.problems.append(f"byte count: found {end - reader.at}, expected a multiple of {GROUP_BYTES}")
        groups = []
        while end - reader.at >= GROUP_BYTES:
            _take_reference(reader)
            groups.append(_take_numbers(reader, *_PLACE, ("record_length", Role.VALUE)))
        if not groups:
            raise ShortError("file_number")
        files, records, lengths = zip(*groups, strict=True)
        reader.fields.update(file_number=files, record_number=records, record_length=lengths)


class RecordGroups(msgspec.Struct, frozen=True):
    """Records with where they go: seven bytes a group, then its registers."""

    def put(self, message: Any, out: bytearray) -> None:
        body = bytearray()
        for file, record, values in zip(message.file_number, message.record_number, message.values, strict=True):
            body.append(REFERENCE_TYPE)
            body += pack_registers((file, record, len(values), *values))
        out.append(len(body))
        out += body

    def take(self, reader: Reader) -> None:
        end = _begin(reader)
        files, records, groups = [], [], []
        while reader.at < end:
            _take_reference(reader)
            file, record, length = _take_numbers(reader, *_PLACE, ("record_length", Role.COUNT))
            values = _take_registers(reader, "values", length)
            files.append(file)
            records.append(record)
            groups.append(values)
        if not groups:
            raise ShortError("file_number")
        reader.fields.update(file_number=tuple(files), record_number=tuple(records), values=tuple(groups))


class ReadRecords(msgspec.Struct, frozen=True):
    """The records that were read: for each group its length, the reference type, its registers."""

    def put(self, message: Any, out: bytearray) -> None:
        body = bytearray()
        for values in message.values:
            body += bytes((1 + 2 * len(values), REFERENCE_TYPE))
            body += pack_registers(values)
        out.append(len(body))
        out += body

    def take(self, reader: Reader) -> None:
        end = _begin(reader)
        groups = []
        while reader.at < end:
            first = reader.at
            length = reader.number("length", 1)
            problem = "" if length % 2 else "expected an odd number"
            if problem:
                reader.problems.append(f"length of a group: found {length}, {problem}")
            reader.note("length", first, length, role=Role.LENGTH, problem=problem)
            _take_reference(reader)
            first = reader.at
            data = reader.take("values", max(0, length - 1))
            groups.append(unpack_registers(data))
            reader.note("values", first, groups[-1], raw=data)
        reader.fields["values"] = tuple(groups)


class EventLog(msgspec.Struct, frozen=True):
    """Status and counts, then the events, all behind one byte count."""

    def put(self, message: Any, out: bytearray) -> None:
        out.append(6 + len(message.events))
        out += pack_registers((message.status, message.event_count, message.message_count))
        out += message.events

    def take(self, reader: Reader) -> None:
        end = _begin(reader)
        for name in ("status", "event_count", "message_count"):
            first = reader.at
            reader.fields[name] = reader.number(name, 2)
            reader.note(name, first, reader.fields[name])
        first = reader.at
        reader.fields["events"] = reader.take("events", max(0, end - reader.at))
        reader.note("events", first, reader.fields["events"], raw=reader.fields["events"])


class Queue(msgspec.Struct, frozen=True):
    """A byte count of two bytes, the count of registers, the registers."""

    def put(self, message: Any, out: bytearray) -> None:
        out += pack_registers((2 + 2 * len(message.values), len(message.values), *message.values))

    def take(self, reader: Reader) -> None:
        first = reader.at
        size = reader.number("byte count", 2)
        begin = reader.at
        count = reader.number("fifo count", 2)
        expected = 2 + 2 * count
        problems = [f"byte count: found {size}, expected {expected} for {count} registers"] if size != expected else []
        reader.at = begin
        note_byte_count(reader, first, size, expected, problems)
        reader.at = begin + 2
        problem = f"found {count}, expected 0 to 31" if count > 31 else ""
        if problem:
            reader.problems.append(f"fifo count: {problem}")
        reader.note("fifo_count", begin, count, role=Role.COUNT, problem=problem)
        first = reader.at
        values = unpack_registers(reader.take("values", min(2 * count, reader.rest - reader.rest % 2)))
        reader.fields["values"] = values
        if len(values) < count:
            reader.problems.append(f"fifo count: found {count}, but {len(values)} registers follow")
        reader.note("values", first, values, raw=reader.data[first : reader.at])


class Objects(msgspec.Struct, frozen=True):
    """How many objects, then each with its id, length and value."""

    def put(self, message: Any, out: bytearray) -> None:
        out.append(len(message.objects))
        for found in message.objects:
            out += bytes((found.id, len(found.value)))
            out += found.value

    def take(self, reader: Reader) -> None:
        first = reader.at
        count = reader.number("number of objects", 1)
        reader.note("number_of_objects", first, count, role=Role.COUNT)
        objects = []
        for _ in range(count):
            first = reader.at
            name, size = reader.take("objects", 2)
            reader.note("object_id", first, name, last=first + 1)
            reader.note("object_length", first + 1, size, role=Role.LENGTH)
            value = reader.take("objects", size)
            objects.append(IdObject(name, value))
            reader.note("object_value", first + 2, value.decode("latin-1"), raw=value)
        reader.fields["objects"] = tuple(objects)


def read_words(low: int, high: int) -> Callable[[str, str], tuple[int, ...]]:
    """Make the reader of a list of numbers within limits."""
    return lambda place, text: tuple(read_number(place, word, high, low) for word in text.split(",")) if text else ()


def read_groups(place: str, text: str) -> tuple[tuple[int, ...], ...]:
    """Read groups of registers: `1,2/3`."""
    return tuple(read_registers(place, group) for group in text.split("/")) if text else ()


def write_groups(groups: tuple[tuple[int, ...], ...]) -> str:
    """Write groups of registers as `read_groups` takes them."""
    return "/".join(",".join(map(str, group)) for group in groups)


def write_objects(objects: tuple[IdObject, ...]) -> str:
    """Write objects as `read_objects` takes them."""
    return ",".join(f"{each.id}:{each.value.hex()}" for each in objects)


def read_objects(place: str, text: str) -> tuple[IdObject, ...]:
    """Read objects: `0:@Maker,1:41 42`."""
    objects = []
    for word in text.split(",") if text else []:
        name, colon, value = word.partition(":")
        if not colon:
            raise FieldError(place, found=word, expected="ID:@text or ID:hex")
        try:
            data = value[1:].encode() if value.startswith("@") else bytes.fromhex(value)
        except ValueError as error:
            raise FieldError(place, found=value, expected="@text or hex pairs") from error
        objects.append(IdObject(read_number(place, name, 0xFF), data))
    return tuple(objects)
