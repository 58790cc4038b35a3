"""What packets are made of: numbers, strings, binary data, variable byte integers.

Sources: MQTT 3.1.1, section 1.5; MQTT 5.0, section 1.5. Statements are named by their numbers in the standard: those of
5.0, which has all that 3.1.1 has, and 3.1.1's own where they differ.
"""

from __future__ import annotations

from cavet.protocols._message import FieldError

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


class Reader:
    """Takes a packet's body apart, piece by piece. Keeps where each field stood, for explanations."""

    def __init__(self, data: bytes, at: int = 0, end: int | None = None) -> None:
        self.data = data
        self.at = at
        self.end = len(data) if end is None else end
        self.notes: list[tuple[str, int, int, object]] = []
        """Each field's name, where it begins and ends in the packet, and what it is."""

    @property
    def rest(self) -> int:
        return self.end - self.at

    def take(self, name: str, size: int) -> bytes:
        """The next bytes. Raises `MalformedError` where the packet ends before."""
        if size > self.rest:
            raise MalformedError(f"it ends before its {name.replace('_', ' ')}")
        self.at += size
        return self.data[self.at - size : self.at]

    def number(self, name: str, size: int) -> int:
        begin = self.at
        value = int.from_bytes(self.take(name, size), "big")
        self.note(name, begin, value)
        return value

    def varint(self, name: str) -> int:
        begin = self.at
        value = 0
        for place in range(4):
            byte = self.take(name, 1)[0]
            value |= (byte & 0x7F) << 7 * place
            if not byte & 0x80:
                if self.at - begin > 1 and not byte:
                    raise MalformedError(f"{name}: more bytes than it needs (MQTT-1.5.5-1)")
                self.note(name, begin, value)
                return value
        raise MalformedError(f"{name}: more than four bytes long")

    def binary(self, name: str) -> bytes:
        begin = self.at
        data = self.take(name, int.from_bytes(self.take(name, 2), "big"))
        self.note(name, begin, data)
        return data

    def text(self, name: str) -> str:
        begin = self.at
        data = self.take(name, int.from_bytes(self.take(name, 2), "big"))
        try:
            text = data.decode()
        except UnicodeDecodeError as error:
            raise MalformedError(f"{name}: no UTF-8 (MQTT-1.5.4-1)") from error
        if "\0" in text:
            raise MalformedError(f"{name}: U+0000 in a text (MQTT-1.5.4-2)")
        self.note(name, begin, text)
        return text

    def note(self, name: str, begin: int, value: object) -> None:
        self.notes.append((name, begin, self.at, value))
