"""What packets are made of: numbers, strings, binary data, variable byte integers.

Sources: MQTT 3.1.1, section 1.5; MQTT 5.0, section 1.5. Statements are named by their numbers in the standard: those of
5.0, which has all that 3.1.1 has, and 3.1.1's own where they differ.
"""

from __future__ import annotations

from typing import Any

from cavet.protocols._frame import Field, Role
from cavet.protocols._message import FieldError
from cavet.protocols._reader import Reader, joined

MAX_STRING = 0xFFFF
MAX_VARINT = 268_435_455


class MalformedError(Exception):
    """A packet can't be read: why, and the statement that it breaks where there is one."""


def put_number(value: int, size: int) -> bytes:
    """A number of one to four bytes, the high one first."""
    return value.to_bytes(size, "big")


def put_varint(value: int) -> bytes:
    """A variable byte integer: seven bits a byte, the low ones first. Source: 5.0, section 1.5.5."""
    out = bytearray()
    while True:
        value, low = value >> 7, value & 0x7F
        out.append(low | (0x80 if value else 0))
        if not value:
            return bytes(out)


def put_text(place: str, text: str) -> bytes:
    """A UTF-8 string behind its length."""
    try:
        data = text.encode()
    except UnicodeEncodeError as error:
        raise FieldError(place, found="half a surrogate pair", expected="text (MQTT-1.5.4-1)") from error
    if "\0" in text:
        raise FieldError(place, found="U+0000 in a text", expected="text without it (MQTT-1.5.4-2)")
    return put_binary(place, data)


def put_binary(place: str, data: bytes) -> bytes:
    """Bytes behind their length."""
    if len(data) > MAX_STRING:
        raise FieldError(place, found=f"{len(data)} bytes", expected=f"at most {MAX_STRING}")
    return put_number(len(data), 2) + data


class PacketReader(Reader):
    """Takes a packet's body apart, piece by piece."""

    __slots__ = ()

    def counted(self, name: str, count: int, **more: Any) -> int:
        """A number of so many bytes."""
        first = self.at
        value = self.number(name, count)
        self.note(name, first, value, **more)
        return value

    def varint(self, name: str, **more: Any) -> int:
        """A variable byte integer: it goes on while a byte's top bit is set. Source: 5.0, section 1.5.5."""
        first = self.at
        value = 0
        for place in range(4):
            byte = self.take(name, 1)[0]
            value |= (byte & 0x7F) << 7 * place
            if not byte & 0x80:
                if place and not byte:
                    raise MalformedError(f"{name}: more bytes than it needs (MQTT-1.5.5-1)")
                self._note_varint(name, first, value, more)
                return value
        raise MalformedError(f"{name}: more than four bytes long")

    def _note_varint(self, name: str, first: int, value: int, more: dict[str, Any]) -> None:
        if self.placed is None:
            return
        places = range(first, self.at)
        for place in places:
            told = "another byte follows" if self.data[place] & 0x80 else "the last byte of it"
            self.note_bits("continuation", place, 0, 1, self.data[place] >> 7, meaning=told, role=Role.LENGTH)
        spans = joined((self.placed(place)[0] + 1, 7) for place in reversed(places))
        self.notes.append(Field(name=name, spans=spans, raw=value, value=value, **more))

    def binary(self, name: str) -> bytes:
        """Bytes behind their length."""
        data = self._behind_length(name)
        self.note(name, self.at - len(data), data, raw=data)
        return data

    def text(self, name: str) -> str:
        """A UTF-8 string behind its length."""
        data = self._behind_length(name)
        try:
            text = data.decode()
        except UnicodeDecodeError as error:
            self.note(name, self.at - len(data), data, raw=data, problem="no UTF-8")
            raise MalformedError(f"{name}: no UTF-8 (MQTT-1.5.4-1)") from error
        problem = "U+0000 in a text" if "\0" in text else ""
        self.note(name, self.at - len(data), text, raw=data, problem=problem)
        if problem:
            raise MalformedError(f"{name}: {problem} (MQTT-1.5.4-2)")
        return text

    def _behind_length(self, name: str) -> bytes:
        first = self.at
        size = self.number(name, 2)
        self.note(f"{name}_length", first, size, meaning="of what follows", role=Role.LENGTH)
        return self.take(name, size)
