"""Register maps: what a device keeps at which address, what its bits mean, and what reading and writing them does."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import msgspec

ACCESS = ("read-write", "read-only", "write-only", "write-one-to-clear", "clear-on-read")
"""What a register or a bit field allows, and its side effect."""
ADDRESSING = ("bytes", "registers")


class BitField(msgspec.Struct, frozen=True, kw_only=True):
    """Bits of a register that mean something together; `low` is the lowest one."""

    name: str
    low: int
    bits: int
    access: str = ""
    """Else the register's."""
    values: Mapping[str, int] = {}
    doc: str = ""

    @property
    def mask(self) -> int:
        """A 1 for each of its bits."""
        return ((1 << self.bits) - 1) << self.low

    def get(self, value: int) -> int:
        """What stands in it, in a register of this value."""
        return (value & self.mask) >> self.low

    def put(self, value: int, number: int) -> int:
        """The register's value with `number` in it."""
        return value & ~self.mask | number << self.low & self.mask


class Register(msgspec.Struct, frozen=True, kw_only=True):
    """A register of `size` bytes at `at`; in a bank, where it has one."""

    name: str
    at: int
    size: int = 1
    reset: int = 0
    access: str = "read-write"
    order: Literal["big", "little"] = "big"
    bank: int | None = None
    fields: tuple[BitField, ...] = ()
    doc: str = ""

    def mask(self, *access: str) -> int:
        """A 1 for each bit with one of these kinds of access."""
        mask = (1 << 8 * self.size) - 1 if self.access in access else 0
        for field in self.fields:
            if field.access:
                mask = mask | field.mask if field.access in access else mask & ~field.mask
        return mask

    def field(self, name: str) -> BitField | None:
        """The field of a name, where there is one."""
        return next((field for field in self.fields if field.name == name), None)


class RegisterMap(msgspec.Struct, frozen=True, kw_only=True):
    """A device's registers. A write's first `pointer` bytes choose where it begins.

    With `addressing` of `bytes` each byte has an address of its own; with `registers` each register has, however long
    it is. With `auto_increment` the next access goes on at the next address, which begins again behind `last`.
    """

    name: str
    registers: tuple[Register, ...]
    address: int | None = None
    """Its address on the bus, the straps all low."""
    straps: int = 0
    """How many of the address's lower bits are set by straps."""
    pointer: int = 1
    addressing: str = "bytes"
    auto_increment: bool = True
    last: int = 0xFF
    banked_by: str = ""
    """The register, or `register.field`, that chooses the bank."""
    doc: str = ""

    def register(self, name: str) -> Register:
        """The register of a name. Raises `KeyError`."""
        for register in self.registers:
            if register.name == name:
                return register
        raise KeyError(name)
