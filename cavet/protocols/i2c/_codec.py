"""The codec of I2C and SMBus, in the shape of all codecs."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from cavet.protocols._codec import Side
from cavet.protocols._frame import Field, Frame, Role
from cavet.protocols._message import FieldError, Message
from cavet.protocols.i2c._addresses import TEN_BIT_PREFIX
from cavet.protocols.i2c._marks import Mark, Octet, Token
from cavet.protocols.i2c._messages import FROM_CONTROLLER, FROM_TARGET, Checked, Transaction
from cavet.protocols.i2c._reading import PEC, BusFrame, I2cDecoder

_FORMS: dict[Side, dict[str, type[Message]]] = {
    Side.HOST: {form.NAME: form for form in FROM_CONTROLLER},
    Side.BOARD: {form.NAME: form for form in FROM_TARGET},
}
_CONDITIONS = {
    Mark.START: ("start", "the data line falls while the clock is high: a controller takes the bus"),
    Mark.RESTART: ("repeated start", "a start without a stop before it: the controller keeps the bus"),
    Mark.STOP: ("stop", "the data line rises while the clock is high: the bus is free"),
}


class I2cCodec:
    """I2C and SMBus: what the controller sends, what the target sends, and the bus with both."""

    name = "i2c"
    unused: frozenset[str] = frozenset()
    also_called: Mapping[str, str] = {}

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        return _FORMS[side]

    def encode(self, message: Message) -> bytes:
        """Give the bytes of the side that the message belongs to, with its packet error code."""
        if not isinstance(message, Transaction):
            raise FieldError("message", found=message.NAME, expected="a transaction of I2C")
        called = b"".join(message.calls())
        checked = isinstance(message, Checked) and message.pec
        if isinstance(message, FROM_TARGET):
            answer = message.answer or b""
            return answer + bytes((PEC.of(called + answer),)) if checked else answer
        return called + bytes((PEC.of(called),)) if checked and message.answer is None else called

    def decoder(self, side: Side, *, pec: bool = False) -> I2cDecoder:
        """Make a decoder of the bus; it reads both sides. With `pec` each transaction's last byte is its code."""
        return I2cDecoder(pec=pec)

    def explain(self, frame: Frame, side: Side) -> list[Field]:
        """Take what passed on the bus apart: conditions, addresses down to the bits, bytes, acknowledge bits."""
        tokens = frame.tokens if isinstance(frame, BusFrame) else tuple(Octet(byte) for byte in frame.data)
        fields: list[Field] = []
        at = 0
        fresh, ten_bit, read = True, False, False
        for token in tokens:
            if isinstance(token, Mark):
                name, meaning = _CONDITIONS[token]
                fields.append(Field(name=name, spans=(), meaning=meaning))
                fresh, ten_bit = True, False
                continue
            if fresh:
                ten_bit, read = token.value >> 3 == TEN_BIT_PREFIX, bool(token.value & 1)
                fields += _address(token, 8 * at, ten_bit=ten_bit)
                ten_bit = ten_bit and not read
            elif ten_bit:
                _complete_address(fields, token, 8 * at)
                ten_bit = False
            else:
                is_last = at == len(frame.data) - 1
                fields.append(_data(frame.message, token, at, is_last, read=read, expected=PEC.of(frame.data[:-1])))
            fresh = False
            at += 1
        return fields


def _answer(token: Token) -> str:
    if not isinstance(token, Octet) or token.acknowledged is None:
        return ""
    return "acknowledged" if token.acknowledged else "not acknowledged"


def _byte(name: str, token: Octet, at: int, meaning: str) -> Field:
    told = ", ".join(word for word in (meaning, _answer(token)) if word)
    return Field(name=name, spans=((at, 8),), raw=token.value, value=token.value, meaning=told)


def _address(token: Octet, at: int, *, ten_bit: bool) -> list[Field]:
    byte = token.value
    direction = "the controller reads" if byte & 1 else "the controller writes"
    bit = Field(
        name="read",
        spans=((at + 7, 1),),
        raw=byte & 1,
        value=bool(byte & 1),
        meaning=", ".join(word for word in (direction, _answer(token)) if word),
    )
    if not ten_bit:
        meaning = f"0x{byte >> 1:02X}, of the device"
        return [Field(name="address", spans=((at, 7),), raw=byte >> 1, value=byte >> 1, meaning=meaning), bit]
    upper = byte >> 1 & 3
    return [
        Field(
            name="ten_bit", spans=((at, 5),), raw=byte >> 3, value=True, meaning="a ten-bit address begins",
            role=Role.CONSTANT,
        ),
        Field(
            name="address", spans=((at + 5, 2),), raw=upper, value=upper, meaning="the upper two bits of the address"
        ),
        bit,
    ]  # fmt: skip


def _complete_address(fields: list[Field], token: Octet, at: int) -> None:
    """Join the lower eight bits of a ten-bit address to its upper two, which are among the fields already."""
    place = max(place for place, field in enumerate(fields) if field.name == "address")
    upper = fields[place]
    value = (upper.value if isinstance(upper.value, int) else 0) << 8 | token.value
    told = ", ".join(word for word in (f"0x{value:03X}, of the device", _answer(token)) if word)
    fields[place] = Field(name="address", spans=(*upper.spans, (at, 8)), raw=value, value=value, meaning=told)


def _data(message: Message, token: Octet, at: int, is_last: bool, *, read: bool, expected: int) -> Field:
    if is_last and getattr(message, "pec", None) is not None:
        return msgspec.structs.replace(
            _byte("pec", token, 8 * at, "CRC-8 over the whole transaction"), role=Role.CHECK, expected=expected,
            problem="" if expected == token.value else f"expected {expected:02X}",
        )  # fmt: skip
    if read:
        return _byte("data", token, 8 * at, "from the device")
    head = 2 if getattr(message, "ten_bit", None) else 1
    if at == head and getattr(message, "register", None) is not None:
        return _byte("register", token, 8 * at, "where it begins")
    return _byte("data", token, 8 * at, "to the device")


CODEC = I2cCodec()
