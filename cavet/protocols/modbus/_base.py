"""What all messages of the application protocol have in common, and what their numbers are called.

Source: Modbus application protocol 1.1b3, sections 4.1, 6.8.1 and 7.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar

import msgspec

from cavet.protocols._message import FieldError, Message, Range, Written
from cavet.protocols.modbus._pieces import (
    Piece,
    read_bits,
    read_registers,
)

U8 = Annotated[int, Range(0, 0xFF)]
U16 = Annotated[int, Range(0, 0xFFFF)]
EXCEPTIONS = {
    1: "illegal function",
    2: "illegal data address",
    3: "illegal data value",
    4: "server device failure",
    5: "acknowledge",
    6: "server device busy",
    8: "memory parity error",
    10: "gateway path unavailable",
    11: "gateway target device failed to respond",
}
"""Source: section 7."""
SUB_FUNCTIONS = {
    0x00: "return query data",
    0x01: "restart communications option",
    0x02: "return diagnostic register",
    0x03: "change ascii input delimiter",
    0x04: "force listen only mode",
    0x0A: "clear counters and diagnostic register",
    0x0B: "return bus message count",
    0x0C: "return bus communication error count",
    0x0D: "return bus exception error count",
    0x0E: "return server message count",
    0x0F: "return server no response count",
    0x10: "return server nak count",
    0x11: "return server busy count",
    0x12: "return bus character overrun count",
    0x14: "clear overrun counter and flag",
}
"""Source: section 6.8.1."""

BitList = Annotated[tuple[int, ...], Written("bits with commas, 1,0,1", read_bits)]
RegisterList = Annotated[tuple[int, ...], Written("registers with commas, each 0 to 65535", read_registers)]


class ModbusMessage(Message, frozen=True, kw_only=True):
    """A protocol data unit with the addresses of its framing. `transaction` is used over TCP only."""

    FUNCTION: ClassVar[int]
    LAYOUT: ClassVar[tuple[Piece, ...]] = ()

    transaction: U16 = 0
    unit: U8 = 1


def require_length(message: ModbusMessage, name: str, low: int, high: int) -> None:
    """Raise `FieldError` where a field has fewer or more values than it may have."""
    size = len(getattr(message, name))
    if not low <= size <= high:
        raise FieldError(f"{message.NAME}.{name}", found=f"{size} of them", expected=f"{low} to {high}")


Quantity = Annotated[int | None, Range(0, 0xFFFF)]
"""How many values follow. It need not be given: it is as many as there are."""


def settle_quantity(message: Any) -> None:
    """Fill in how many values follow, or raise `FieldError` where another number is said."""
    size = len(message.values)
    if message.quantity is None:
        msgspec.structs.force_setattr(message, "quantity", size)
    elif message.quantity != size:
        raise FieldError(
            f"{message.NAME}.quantity", found=message.quantity, expected=f"{size}, as many as there are values"
        )
