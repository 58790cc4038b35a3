"""The codec of SCPI, in the shape of all codecs."""

from __future__ import annotations

from collections.abc import Mapping

from cavet.protocols._codec import Side
from cavet.protocols._frame import Field, Frame
from cavet.protocols._message import Message
from cavet.protocols.scpi._data import FaultError, read_datum, split_data, strip_white
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

    def explain(self, frame: Frame, side: Side) -> Field:
        """Take a unit apart: header, each value, and what ends it."""
        wire = frame.data
        body = wire[:-1] if wire[-1:] in (b";", b"\n") else wire
        fields = []
        begin = 0
        match = HEAD.match(body, len(body) - len(body.lstrip())) if side is Side.HOST else None
        if match is not None:
            fields.append(
                _field("header", wire, match.start(), match.end(), match[0].decode(), "what is told or asked")
            )
            begin = match.end()
        if strip_white(body[begin:]) and frame.readable:
            fields += _values(wire, body, begin, side)
        if len(body) < len(wire):
            meaning = "another unit of the same message follows" if wire[-1:] == b";" else "the message ends"
            fields.append(_field("end", wire, len(body), len(wire), None, meaning))
        problem = "; ".join(frame.problems)
        return Field(
            name=frame.message.NAME, spans=((0, 8 * len(wire)),), raw=wire, problem=problem, fields=tuple(fields)
        )


def _field(name: str, wire: bytes, first: int, last: int, value: object, meaning: str, problem: str = "") -> Field:
    spans = ((8 * first, 8 * (last - first)),)
    return Field(name=name, spans=spans, raw=wire[first:last], value=value, meaning=meaning, problem=problem)


def _values(wire: bytes, body: bytes, begin: int, side: Side) -> list[Field]:
    fields = []
    at = begin
    for piece in split_data(body[begin:]):
        try:
            datum = read_datum(piece, side)
            fields.append(
                _field("value", wire, at, at + len(piece), datum.value, f"{datum.type} {datum.unit or ''}".strip())
            )
        except FaultError as fault:
            fields.append(_field("value", wire, at, at + len(piece), None, "", str(fault)))
        at += len(piece) + 1
    return fields


CODEC = _Codec()
