"""Addresses on the bus: their bytes, and those that are kept for something. Source: I2C-bus specification 7.0,
sections 3.1.10 to 3.1.17."""

from __future__ import annotations

from typing import NamedTuple

TEN_BIT_PREFIX = 0b11110


class Reserved(NamedTuple):
    """What an address is kept for, and whether a device may acknowledge it."""

    name: str
    answered: bool = True


def reserved(address: int, read: bool) -> Reserved | None:
    """Tell what a seven-bit address is kept for; `None` for one that a device can have."""
    if address == 0:
        return Reserved("start byte", answered=False) if read else Reserved("general call")
    if address in (1, 2, 3):
        return Reserved(("cbus", "different bus format", "future purposes")[address - 1])
    if 4 <= address <= 7:
        return Reserved("hs-mode controller code", answered=False)
    return Reserved("device id") if address >= 0x7C else None


def is_free(address: int) -> bool:
    """Whether a device can have this seven-bit address: it is not kept for anything, nor begins a ten-bit one."""
    return 0x08 <= address <= 0x77


def address_bytes(address: int, *, read: bool, ten_bit: bool) -> bytes:
    """The bytes that call a device; in a ten-bit read those of the first part alone, after the write of both."""
    if not ten_bit:
        return bytes((address << 1 | read,))
    head = TEN_BIT_PREFIX << 3 | address >> 8 << 1 | read
    return bytes((head,)) if read else bytes((head, address & 0xFF))
