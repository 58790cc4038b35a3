"""The checks that frames of any format end with: sums, XOR, and cyclic redundancy checks of any polynomial.

A polynomial is written without its top bit, and not reflected: CRC-16 of 0x8005 is `polynomial=0x8005`, whether or not
its bits are taken in from the low end.
"""

from __future__ import annotations

import functools

import msgspec


class Crc(msgspec.Struct, frozen=True):
    """A cyclic redundancy check of 1 to 64 bits. `reflect` turns the bits of every byte, and those of the result."""

    bits: int
    polynomial: int
    initial: int = 0
    final_xor: int = 0
    reflect: bool = False

    def of(self, data: bytes) -> int:
        """Give the check over `data`."""
        if self.bits < 8:
            return self._bit_by_bit(data)
        table, mask = _table(self), (1 << self.bits) - 1
        if self.reflect:
            crc = _turned(self.initial, self.bits)
            for byte in data:
                crc = crc >> 8 ^ table[(crc ^ byte) & 0xFF]
            return crc ^ self.final_xor
        crc, up = self.initial, self.bits - 8
        for byte in data:
            crc = crc << 8 & mask ^ table[crc >> up ^ byte]
        return crc ^ self.final_xor

    def _bit_by_bit(self, data: bytes) -> int:
        """The plain long way, which narrow checks take."""
        crc, top, mask = self.initial, 1 << self.bits - 1, (1 << self.bits) - 1
        for byte in data:
            for place in range(8) if self.reflect else reversed(range(8)):
                bit = byte >> place & 1 ^ (crc & top > 0)
                crc = crc << 1 & mask ^ (self.polynomial if bit else 0)
        return (_turned(crc, self.bits) if self.reflect else crc) ^ self.final_xor


def _turned(value: int, bits: int) -> int:
    """The bits in the other order."""
    return int(f"{value:0{bits}b}"[::-1], 2)


@functools.cache
def _table(crc: Crc) -> tuple[int, ...]:
    """What each byte does to the check."""
    entries = []
    mask, top = (1 << crc.bits) - 1, 1 << crc.bits - 1
    turned = _turned(crc.polynomial, crc.bits)
    for byte in range(256):
        value = byte if crc.reflect else byte << crc.bits - 8
        for _ in range(8):
            if crc.reflect:
                value = value >> 1 ^ turned if value & 1 else value >> 1
            else:
                value = value << 1 & mask ^ (crc.polynomial if value & top else 0)
        entries.append(value)
    return tuple(entries)


def sum8(data: bytes) -> int:
    """The sum of all bytes, modulo 256."""
    return sum(data) & 0xFF


def xor8(data: bytes) -> int:
    """All bytes, XORed."""
    value = 0
    for byte in data:
        value ^= byte
    return value
