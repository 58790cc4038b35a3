"""Calls to buses of the host's own, and their answers, as bytes: so that they pass over a link like all else.

A call is its length (2 bytes, high first, without itself), a number (2), its bus (1: 0 for I2C, 1 for SPI), flags (1:
bit 0 for a ten-bit address, bits 1 and 2 SPI's mode), address or chip select (2), how many bytes are to be read (2),
SPI's rate in Hz (4), and what is to be written.
An answer is its length, the call's number, a status (1: 0 for done), and what was read, or why not.
"""

from __future__ import annotations

import struct
from typing import Annotated

from cavet.protocols import i2c, spi
from cavet.protocols._codec import Side
from cavet.protocols._frame import Field, Frame, Unreadable, UnreadTail
from cavet.protocols._message import Message, Range

I2C, SPI = 0, 1
_LENGTH = struct.Struct(">H")
_CALL = struct.Struct(">HBBHHI")
_ANSWER = struct.Struct(">HB")
MAX_BODY = 0xFFFF


class BusCall(Message, frozen=True, kw_only=True):
    """A transaction that is wanted."""

    NAME = "transaction"
    number: Annotated[int, Range(0, 0xFFFF)]
    bus: Annotated[int, Range(0, 1)] = I2C
    ten_bit: bool = False
    mode: Annotated[int, Range(0, 3)] = 0
    rate: Annotated[int, Range(0, 0xFFFF_FFFF)] = 0
    """Of SPI, in Hz; 0 for the usual one."""
    address: Annotated[int, Range(0, 0x3FF)] = 0
    count: Annotated[int, Range(0, 0xFFFF)] = 0
    data: Annotated[bytes, Range(0, MAX_BODY - _CALL.size)] = b""

    def packed(self) -> bytes:
        """Its bytes."""
        flags = self.ten_bit | self.mode << 1
        body = _CALL.pack(self.number, self.bus, flags, self.address, self.count, self.rate) + self.data
        return _LENGTH.pack(len(body)) + body


class BusAnswer(Message, frozen=True, kw_only=True):
    """How a transaction went: what was read, or, in `why`, what went wrong."""

    NAME = "bus-answer"
    number: Annotated[int, Range(0, 0xFFFF)]
    data: Annotated[bytes, Range(0, MAX_BODY - _ANSWER.size)] = b""
    why: str = ""

    def packed(self) -> bytes:
        """Its bytes."""
        content = self.why.encode()[: MAX_BODY - _ANSWER.size] if self.why else self.data
        body = _ANSWER.pack(self.number, bool(self.why)) + content
        return _LENGTH.pack(len(body)) + body


class BusDecoder:
    """Reads calls, or with `answers` the answers, cut anywhere."""

    def __init__(self, *, answers: bool = False) -> None:
        self._tail = UnreadTail()
        self._answers = answers

    def feed(self, data: bytes) -> list[Frame]:
        """Take more bytes; give what is complete now."""
        tail = self._tail
        tail.data += data
        frames = []
        while len(tail.data) >= _LENGTH.size:
            (size,) = _LENGTH.unpack_from(tail.data)
            if len(tail.data) < _LENGTH.size + size:
                break
            offset, taken = tail.take(_LENGTH.size + size)
            message = self._read(taken[_LENGTH.size :])
            problems = (message.reason,) if isinstance(message, Unreadable) else ()
            frames.append(Frame(message=message, data=taken, offset=offset, problems=problems))
        return frames

    def _read(self, body: bytes) -> Message:
        least = _ANSWER.size if self._answers else _CALL.size
        if len(body) < least:
            return Unreadable(reason=f"found {len(body)} bytes, expected at least {least}")
        if self._answers:
            number, status = _ANSWER.unpack_from(body)
            content = body[_ANSWER.size :]
            if status:
                return BusAnswer(number=number, why=content.decode("utf-8", "replace"))
            return BusAnswer(number=number, data=content)
        number, bus, flags, address, count, rate = _CALL.unpack_from(body)
        if bus > SPI or address > 0x3FF:
            return Unreadable(reason=f"found bus {bus}, address {address}, expected bus 0 or 1, address 0 to 1023")
        data = body[_CALL.size :]
        return BusCall(
            number=number, bus=bus, ten_bit=bool(flags & 1), mode=flags >> 1 & 3, rate=rate, address=address,
            count=count, data=data,
        )  # fmt: skip


def on_wires(call: BusCall) -> bytes:
    """What the controller sends for a call: on I2C its address bytes, too."""
    return spi.CODEC.encode(as_said(call)) if call.bus == SPI else i2c.CODEC.encode(as_said(call))


def as_said(call: BusCall) -> Message:
    """A call as its own protocol has it."""
    if call.bus == SPI:
        return spi.Transfer(data=call.data, mode=call.mode)
    address, ten_bit = call.address, call.ten_bit
    register, data = call.data[0] if call.data else None, call.data[1:]
    if call.count and call.data:
        return i2c.WriteRead(address=address, ten_bit=ten_bit, register=register, data=data, count=call.count)
    if call.count:
        return i2c.Read(address=address, ten_bit=ten_bit, count=call.count)
    return i2c.Write(address=address, ten_bit=ten_bit, register=register, data=data)


def as_frame(call: BusCall, offset: int = 0) -> Frame:
    """A call as what passes on the wires; on I2C with its starts."""
    message, data = as_said(call), on_wires(call)
    if not isinstance(message, i2c.Transaction):
        return Frame(message, data, offset)
    tokens: list[i2c.Token] = []
    for part in message.calls():
        tokens += [i2c.Mark.RESTART if tokens else i2c.Mark.START, *(i2c.Octet(byte) for byte in part)]
    return i2c.BusFrame(message, data, offset, tokens=tuple(tokens))


def explain(call: BusCall) -> list[Field]:
    """Take what is on the wires for a call apart."""
    return (spi.CODEC if call.bus == SPI else i2c.CODEC).explain(as_frame(call), Side.HOST)


def read_calls(data: bytes) -> list[BusCall]:
    """The calls in bytes that a host has sent; none where they are no calls."""
    found = [frame.message for frame in BusDecoder().feed(data)]
    return [message for message in found if isinstance(message, BusCall)]
