"""The codec of SCPI, in the shape of all codecs."""

from __future__ import annotations

import re
from collections.abc import Mapping

from cavet.protocols._codec import Side
from cavet.protocols._frame import Field, Frame, Role
from cavet.protocols._message import Message
from cavet.protocols._reader import Reader, bytes_from, gaps_filled
from cavet.protocols.scpi._data import WHITE, FaultError, read_datum, split_data, strip_white
from cavet.protocols.scpi._messages import Command, Query, Response, encode
from cavet.protocols.scpi._reading import HEAD, ScpiDecoder


class _Codec:
    name = "scpi"
    unused: frozenset[str] = frozenset()
    also_called: Mapping[str, str] = {}

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        if side is Side.HOST:
            return {"command": Command, "query": Query}
        return {"response": Response}

    def encode(self, message: Message) -> bytes:
        return encode(message)

    def decoder(self, side: Side) -> ScpiDecoder:
        return ScpiDecoder(side)

    def explain(self, frame: Frame, side: Side) -> list[Field]:
        """Take a unit apart: header, each value, and what ends it."""
        wire = frame.data
        body = wire[:-1] if wire[-1:] in (b";", b"\n") else wire
        reader = Reader(wire, placed=bytes_from())
        match = HEAD.match(body, len(body) - len(body.lstrip(WHITE))) if side is Side.HOST else None
        if match is not None:
            _note_header(reader, match)
        if strip_white(body[reader.at :]) and frame.readable:
            _note_values(reader, body, side)
        if len(body) < len(wire):
            meaning = "another unit of the same message follows" if wire[-1:] == b";" else "the message ends"
            reader.note("end", len(body), last=len(wire), meaning=meaning, role=Role.CONSTANT)
        notes = reader.notes if frame.readable else []
        return gaps_filled(notes, len(wire), "separator", Role.CONSTANT) if notes else []


def _note_header(reader: Reader, match: re.Match[bytes]) -> None:
    asks = match[0].endswith(b"?")
    end = match.end() - asks
    text = reader.data[match.start() : end].decode("latin-1")
    reader.note("header", match.start(), text, last=end, raw=text.encode("latin-1"), meaning="what is told or asked")
    if asks:
        reader.note("question_mark", end, last=end + 1, meaning="an answer is asked for", role=Role.CONSTANT)
    reader.at = match.end()


def _note_values(reader: Reader, body: bytes, side: Side) -> None:
    at = reader.at
    for piece in split_data(body[at:]):
        first = at + len(piece) - len(piece.lstrip(WHITE))
        last = max(first, at + len(piece.rstrip(WHITE)))
        _note_value(reader, first, at + len(piece) if piece.lstrip(WHITE).startswith(b"#") else last, side)
        at += len(piece) + 1


def _note_value(reader: Reader, first: int, last: int, side: Side) -> None:
    data = reader.data[first:last]
    try:
        datum = read_datum(data, side)
    except FaultError as fault:
        reader.note("value", first, last=last, raw=data, problem=str(fault))
        return
    if datum.type == "block" and data[1:2] not in (b"0", b""):
        inside = first + 2 + int(data[1:2])
        size = int(data[2 : inside - first])
        meaning = "#, how many digits, how many bytes follow"
        reader.note(
            "block_length", first, size, last=inside, meaning=meaning, role=Role.LENGTH, raw=data[: inside - first]
        )
        first = inside
    reader.note(
        "value", first, datum.value, last=last, raw=reader.data[first:last], meaning=datum.type, unit=datum.unit or ""
    )


CODEC = _Codec()
