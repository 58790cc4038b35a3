"""Protocol data units: function code and body, the same in all three framings."""

from __future__ import annotations

import struct
from typing import Any

from cavet.protocols._codec import Side
from cavet.protocols._frame import Field, Unreadable
from cavet.protocols._message import FieldError, Message, as_found, limits
from cavet.protocols._reader import Placed, Reader, ShortError
from cavet.protocols.modbus._base import EXCEPTIONS, ModbusMessage
from cavet.protocols.modbus._messages import (
    REQUESTS,
    RESPONSES,
    ExceptionResponse,
    OtherFunction,
    ReadDeviceIdentification,
)
from cavet.protocols.modbus._pieces import Number

MAX_UNIT_BYTES = 253
"""The longest protocol data unit. Source: application protocol 1.1b3, section 4.1."""
ERROR_BIT = 0x80
DEVICE_IDENTIFICATION = 0x0E
BY_FUNCTION: dict[Side, dict[int, type[ModbusMessage]]] = {
    Side.HOST: {form.FUNCTION: form for form in REQUESTS},
    Side.BOARD: {form.FUNCTION: form for form in RESPONSES},
}


def _plain_forms() -> dict[tuple[Side, int, int], tuple[type[ModbusMessage], struct.Struct, tuple[str, ...]]]:
    """The forms that are nothing but numbers, by side, function and length: they are read in one go."""
    found = {}
    for side, forms in BY_FUNCTION.items():
        for function, form in forms.items():
            pieces = [piece for piece in form.LAYOUT if isinstance(piece, Number)]
            if pieces and len(pieces) == len(form.LAYOUT):
                layout = struct.Struct(">" + "".join("BH"[piece.size - 1] for piece in pieces))
                names = tuple(piece.name for piece in pieces)
                found[side, function, 1 + layout.size] = (form, layout, names)
    return found


_PLAIN = _plain_forms()


def encode_unit(message: ModbusMessage) -> bytes:
    """Give function code and body."""
    if isinstance(message, ExceptionResponse):
        return bytes((message.function | ERROR_BIT, message.exception_code))
    if isinstance(message, OtherFunction):
        return bytes((message.function,)) + message.data
    out = bytearray((message.FUNCTION,))
    for piece in message.LAYOUT:
        piece.put(message, out)
    if len(out) > MAX_UNIT_BYTES:
        raise FieldError(message.NAME, found=f"{len(out)} bytes", expected=f"at most {MAX_UNIT_BYTES}")
    return bytes(out)


def form_of(unit: bytes, side: Side) -> type[ModbusMessage] | None:
    """The form of a unit by its function code; `None` for one that is not public."""
    function = unit[0]
    if function & ERROR_BIT:
        return ExceptionResponse if side is Side.BOARD else None
    form = BY_FUNCTION[side].get(function)
    identifies = len(unit) > 1 and unit[1] == DEVICE_IDENTIFICATION
    if function == ReadDeviceIdentification.FUNCTION and not identifies:
        return None
    return form


class Read:
    """What was made of a unit: the message, what is wrong, and its fields with their places."""

    def __init__(self, message: Message, problems: list[str], notes: list[Field]) -> None:
        self.message = message
        self.problems = problems
        self.notes = notes


def read_unit(unit: bytes, side: Side, header: dict[str, Any], placed: Placed | None = None) -> Read:
    """Take a unit apart. What may not be sent is taken apart all the same, and told as a problem.

    With `placed` its fields are noted too, with their places.
    """
    plain = _PLAIN.get((side, unit[0], len(unit))) if placed is None and unit else None
    if plain is not None:
        made, layout, names = plain
        return _made(made, {**header, **dict(zip(names, layout.unpack(unit[1:]), strict=True))}, Reader(unit))
    reader = Reader(unit, placed=placed)
    if not unit:
        return _unread("no function code", reader)
    form = form_of(unit, side)
    function = unit[0] & ~ERROR_BIT
    reader.at = 1
    if placed is not None:
        _note_function(reader, side, form)
    try:
        if form is ExceptionResponse:
            reader.fields.update(function=function, exception_code=_code(reader))
        elif form is None:
            return _other(unit, header, reader)
        else:
            for piece in form.LAYOUT:
                piece.take(reader)
    except ShortError as short:
        name = form.NAME if form else "this message"
        return _unread(f"{name} ends before its {short.name}", reader)
    if reader.rest:
        reader.problems.append(f"{form.NAME}: {reader.rest} bytes more than expected")
    return _made(form, {**header, **reader.fields}, reader)


def _note_function(reader: Reader, side: Side, form: type[ModbusMessage] | None) -> None:
    """What a board says has a bit for exceptions above its function, where bits lie as they are."""
    assert reader.placed is not None  # the caller has looked
    code = reader.data[0]
    plain = BY_FUNCTION[side].get(code & ~ERROR_BIT)
    meaning = plain.NAME if plain else "none of the public ones"
    if side is Side.HOST or reader.placed(0)[1] != 8:
        reader.note("function", 0, code, meaning=form.NAME if form is ExceptionResponse else meaning)
        return
    refused = code & ERROR_BIT != 0
    told = "the board refuses" if refused else "no exception"
    reader.note_bits("exception", 0, 0, 1, refused, meaning=told)
    reader.note_bits("function", 0, 1, 7, code & ~ERROR_BIT, meaning=meaning)


def _code(reader: Reader) -> int:
    code = reader.number("exception_code", 1)
    reader.note("exception_code", 1, code, meaning=EXCEPTIONS.get(code, ""))
    return code


def _other(unit: bytes, header: dict[str, Any], reader: Reader) -> Read:
    if unit[0] & ERROR_BIT or unit[0] == 0:
        return _unread(f"{unit[0]:02X} is no function code of a request", reader)
    first = reader.at
    data = reader.take("data", reader.rest)
    reader.note("data", first, data, raw=data)
    return _made(OtherFunction, {**header, "function": unit[0], "data": data}, reader)


def _unread(reason: str, reader: Reader) -> Read:
    return Read(Unreadable(reason=reason), [*reader.problems, reason], reader.notes)


def _made(form: type[ModbusMessage], fields: dict[str, Any], reader: Reader) -> Read:
    try:
        return Read(form(**fields), reader.problems, reader.notes)
    except FieldError as error:
        wrong = error
    for name, low, high in limits(form):
        value = fields.get(name)
        if isinstance(value, int) and not low <= value <= high:
            reader.problems.append(f"{name}: found {value}, expected {low} to {high}")
    if not reader.problems:
        reader.problems.append(str(wrong))
    return Read(as_found(form, fields), reader.problems, reader.notes)


def read_message(data: bytes, side: Side, **header: int) -> tuple[Message, tuple[str, ...]]:
    """Read a bare unit; give its message and what is wrong with it. `header` is what its framing has told."""
    read = read_unit(data, side, header)
    return read.message, tuple(read.problems)
