"""A frame as a ruler: fields one behind the other, so that each of its bits lies in exactly one of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any

import msgspec

from cavet.protocols._codec import Codec, Side, read_all
from cavet.protocols._form import for_json
from cavet.protocols._frame import Field, Frame, Role, Span
from cavet.protocols._message import Message, words_of
from cavet.protocols._reader import gaps_filled


def ruler(chosen: Codec, frame: Frame, side: Side) -> list[Field]:
    """The fields of a frame in their order on the wire, those in no group of others; every bit lies in one of them.

    What could not be read is a field of its own. A field without bits is one that is empty here.
    """
    found = [field for field in _leaves(chosen.explain(frame, side)) if field.spans or field.value in (b"", "", ())]
    filled = gaps_filled(found, len(frame.data), "unread", Role.UNREAD)
    if frame.readable:
        return [_worded(field, frame.message) for field in filled]
    problem = "; ".join(frame.problems)
    return [msgspec.structs.replace(field, problem=problem) if field.role is Role.UNREAD else field for field in filled]


def _worded(field: Field, message: Message) -> Field:
    """A field with the standard's word for its number, where there is one and nothing is told yet."""
    if field.meaning or field.name not in message.__struct_fields__:
        return field
    words = words_of(type(message), field.name)
    word = words.get(field.value) if isinstance(field.value, int) else None
    return msgspec.structs.replace(field, meaning=word) if word else field


def _leaves(fields: Sequence[Field]) -> Iterator[Field]:
    for field in fields:
        if field.fields:
            yield from _leaves(field.fields)
        else:
            yield field


def bits_of(data: bytes, spans: Sequence[Span]) -> int:
    """The number that bits make, the first span's the most significant ones."""
    whole, size = int.from_bytes(data, "big"), 8 * len(data)
    found = 0
    for begin, count in spans:
        found = found << count | whole >> size - begin - count & (1 << count) - 1
    return found


def with_bits(data: bytes, spans: Sequence[Span], value: int) -> bytes:
    """Bytes with other bits at these places. `value` has as many bits as they have."""
    out = bytearray(data)
    for begin, count in reversed(spans):
        first, last = begin // 8, (begin + count + 7) // 8
        shift = 8 * last - begin - count
        mask = (1 << count) - 1
        there = int.from_bytes(out[first:last], "big")
        there = there & ~(mask << shift) | (value & mask) << shift
        out[first:last] = there.to_bytes(last - first, "big")
        value >>= count
    return bytes(out)


Put = Callable[[bytes, Sequence[Span], int], bytes]
"""Puts other bits into a frame, as `with_bits` does."""


def set_right(chosen: Codec, data: bytes, side: Side, put: Put = with_bits) -> bytes:
    """A frame's bytes with its constants, lengths and checks as the rest of it wants them; checks last."""
    for roles in (FOLLOWING, CHECKS):
        place = 0
        while len(frames := read_whole(chosen, data, side)) == 1:
            fields = [field for field in ruler(chosen, frames[0], side) if field.role in roles]
            wanted = [field for field in fields if field.expected is not None][place:]
            if not wanted:
                break
            data = put(data, wanted[0].spans, wanted[0].expected or 0)
            place += 1
    return data


FOLLOWING = (Role.CONSTANT, Role.LENGTH, Role.COUNT)
CHECKS = (Role.CHECK,)


def read_whole(chosen: Codec, data: bytes, side: Side) -> list[Frame]:
    """All frames in these bytes."""
    return read_all(chosen.decoder(side), data)


def ruler_json(fields: Sequence[Field]) -> list[dict[str, Any]]:
    """Fields as JSON has them: `bits` as pairs of the first and the last one, in the order of the field's own bits."""
    return [
        {
            "name": field.name,
            "value": for_json(field.raw if field.value is None else field.value),
            "bits": [[begin, begin + count - 1] for begin, count in field.spans],
            "means": means(field),
            "problem": field.problem or None,
        }
        for field in fields
    ]


def means(field: Field) -> str | None:
    """What a field means, in words; `None` where its value says all."""
    unit = f"{field.value} {field.unit}" if field.unit else ""
    return ", ".join(word for word in (unit, field.meaning) if word) or None
