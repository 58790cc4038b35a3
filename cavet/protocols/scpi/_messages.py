"""What can be written, and what is read: commands, queries, responses."""

from __future__ import annotations

import re
from typing import Annotated, Any

from cavet.protocols._codec import Side
from cavet.protocols._message import FieldError, Message, Written
from cavet.protocols.scpi._data import MAX_WORD, WHITE, Datum, FaultError, read_datum, split_data, strip_white

HEADER = re.compile(r"\*[A-Za-z][A-Za-z0-9_]*|:?[A-Za-z][A-Za-z0-9_]*(?::[A-Za-z][A-Za-z0-9_]*)*")
_STRING = re.compile(r"\"[^\"]*\"|'[^']*'")
_BLOCK = re.compile(rb"#([1-9])")
MAX_BLOCK = 999_999_999


def _read_values(place: str, text: str) -> tuple[str, ...]:
    return tuple(piece.decode("latin-1") for piece in split_data(text.encode("latin-1", "replace"))) if text else ()


Values = Annotated[tuple[str, ...], Written("program data as written, with commas", _read_values, write=",".join)]


class Response(Message, frozen=True, kw_only=True):
    """What a device answers; the fields are laid down in their order."""

    NAME = "response"
    values: Values = ()
    text: str | None = None
    block: bytes | None = None
    channels: str | None = None

    def __post_init__(self) -> None:
        for value in self.values:
            self._check("values", value, value)
        if self.channels is not None:
            self._check("channels", self.channels, f"(@{self.channels})")
        if self.text is not None and (not self.text.isascii() or "\n" in self.text):
            raise FieldError(f"{self.NAME}.text", found=self.text, expected="ASCII without a line feed")
        if self.block is not None and len(self.block) > MAX_BLOCK:
            raise FieldError(f"{self.NAME}.block", found=f"{len(self.block)} bytes", expected=f"at most {MAX_BLOCK}")
        super().__post_init__()

    def _check(self, name: str, value: str, data: str) -> None:
        if "\n" in value or ";" in _STRING.sub("", value):
            raise FieldError(f"{self.NAME}.{name}", found=value, expected="no line feed and no semicolon")
        try:
            read_datum(data.encode("latin-1", "replace"), Side.BOARD if type(self) is Response else Side.HOST)
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


def _as_written(data: bytes) -> dict[str, Any]:
    """Program data as fields: in their own words, but for a block at the end that holds what else would end the
    message."""
    pieces = [piece.lstrip(WHITE) for piece in split_data(data)] if strip_white(data) else []
    pieces = [piece if _BLOCK.match(piece) else piece.rstrip(WHITE) for piece in pieces]
    fields: dict[str, Any] = {}
    if pieces and (head := _BLOCK.match(pieces[-1])) and re.search(b"[;\n]", pieces[-1]):
        fields["block"] = pieces.pop()[head.end() + int(head[1]) :]
    return fields | {"values": tuple(piece.decode("latin-1") for piece in pieces)}


def _unended(data: bytes) -> bytes:
    """A unit without what ends it."""
    return data[:-1] if data[-1:] in (b";", b"\n") else data


class Unit(Message, frozen=True, kw_only=True):
    """A message unit as it was read. `nodes` are the whole path after the header-path rule, upper case, without their
    suffixes; `suffixes` are `None` where none was written, which counts as 1."""

    NAME = "command"
    header: str = ""
    nodes: tuple[str, ...] = ()
    suffixes: tuple[int | None, ...] = ()
    values: tuple[Datum, ...] = ()

    def to_send(self, data: bytes) -> Message:
        """The command or query by itself, its data as they were written; one that followed from the unit before it has
        its whole path then."""
        text = _unended(data).lstrip(WHITE)
        head = HEADER.match(text.decode("latin-1"))
        rest = text[head.end() if head else 0 :].removeprefix(b"?")
        header = self.header
        if len(header.removeprefix(":").split(":")) < len(self.nodes):
            pairs = zip(self.nodes, self.suffixes, strict=True)
            header = ":".join(f"{node}{'' if suffix is None else suffix}" for node, suffix in pairs)
        form = Query if isinstance(self, QueryUnit) else Command
        return form(header=header, **_as_written(rest))


class QueryUnit(Unit, frozen=True, kw_only=True):
    """A query as it was read."""

    NAME = "query"


class ResponseUnit(Message, frozen=True, kw_only=True):
    """A response as it was read."""

    NAME = "response"
    values: tuple[Datum, ...] = ()

    def to_send(self, data: bytes) -> Message:
        """The response by itself, its data as they were written."""
        return Response(**_as_written(_unended(data)))


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
