"""What can be written, and what is read: commands, queries, responses."""

from __future__ import annotations

import re
from typing import Annotated, Any

from cavet.protocols._codec import Side
from cavet.protocols._message import FieldError, Message, Written
from cavet.protocols.scpi._data import MAX_WORD, Datum, FaultError, channels, read_datum, split_data

HEADER = re.compile(r"\*[A-Za-z][A-Za-z0-9_]*|:?[A-Za-z][A-Za-z0-9_]*(?::[A-Za-z][A-Za-z0-9_]*)*")
_STRING = re.compile(r"\"[^\"]*\"|'[^']*'")
MAX_BLOCK = 999_999_999


def _read_values(place: str, text: str) -> tuple[str, ...]:
    return tuple(piece.decode("latin-1") for piece in split_data(text.encode("latin-1", "replace"))) if text else ()


Values = Annotated[tuple[str, ...], Written("program data as written, with commas", _read_values)]


class Response(Message, frozen=True, kw_only=True):
    """What a device answers; the fields are laid down in their order."""

    NAME = "response"
    values: Values = ()
    text: str | None = None
    block: bytes | None = None
    channels: str | None = None

    def __post_init__(self) -> None:
        side = Side.BOARD if type(self) is Response else Side.HOST
        for value in self.values:
            self._check("values", value, lambda found: read_datum(found.encode("latin-1", "replace"), side))
        if self.channels is not None:
            self._check("channels", self.channels, channels)
        if self.text is not None and (not self.text.isascii() or "\n" in self.text):
            raise FieldError(f"{self.NAME}.text", found=self.text, expected="ASCII without a line feed")
        if self.block is not None and len(self.block) > MAX_BLOCK:
            raise FieldError(f"{self.NAME}.block", found=f"{len(self.block)} bytes", expected=f"at most {MAX_BLOCK}")
        super().__post_init__()

    def _check(self, name: str, value: str, read: Any) -> None:
        if "\n" in value or ";" in _STRING.sub("", value):
            raise FieldError(f"{self.NAME}.{name}", found=value, expected="no line feed and no semicolon")
        try:
            read(value)
        except FaultError as fault:
            raise FieldError(f"{self.NAME}.{name}", found=value, expected=f"program data ({fault})") from fault


class Command(Response, frozen=True, kw_only=True):
    """Tell a device to do something."""

    NAME = "command"
    header: str

    def __post_init__(self) -> None:
        if not HEADER.fullmatch(self.header):
            raise FieldError(
                f"{self.NAME}.header", found=self.header, expected="mnemonics parted by colons, or * and one; without ?"
            )
        for word in self.header.lstrip("*:").split(":"):
            if len(word) > MAX_WORD:
                expected = f"mnemonics of at most {MAX_WORD} characters"
                raise FieldError(f"{self.NAME}.header", found=word, expected=expected)
        super().__post_init__()


class Query(Command, frozen=True, kw_only=True):
    """Ask a device for something."""

    NAME = "query"


class Unit(Message, frozen=True, kw_only=True):
    """A message unit as it was read. `nodes` are the whole path after the header-path rule, upper case, without their
    suffixes; `suffixes` are `None` where none was written, which counts as 1."""

    NAME = "command"
    header: str = ""
    nodes: tuple[str, ...] = ()
    suffixes: tuple[int | None, ...] = ()
    values: tuple[Datum, ...] = ()


class QueryUnit(Unit, frozen=True, kw_only=True):
    """A query as it was read."""

    NAME = "query"


class ResponseUnit(Message, frozen=True, kw_only=True):
    """A response as it was read."""

    NAME = "response"
    values: tuple[Datum, ...] = ()


def encode(message: Message) -> bytes:
    """Give the bytes of a message, ended by LF."""
    if not isinstance(message, Response):
        raise FieldError("message", found=message.NAME, expected="a command, query or response to write")
    data = [value.encode("latin-1", "replace") for value in message.values]
    if message.text is not None:
        data.append(b'"' + message.text.encode().replace(b'"', b'""') + b'"')
    if message.block is not None:
        size = str(len(message.block)).encode()
        data.append(b"#" + str(len(size)).encode() + size + message.block)
    if message.channels is not None:
        data.append(b"(@" + message.channels.encode() + b")")
    head = b""
    if isinstance(message, Command):
        head = message.header.encode() + (b"?" if isinstance(message, Query) else b"")
        head += b" " if data else b""
    return head + b",".join(data) + b"\n"
