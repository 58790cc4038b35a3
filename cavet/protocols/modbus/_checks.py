"""The checks of the two serial framings.

Source: Modbus over serial line 1.02, sections 6.2.1 (LRC) and 6.2.2 (CRC).
"""

from __future__ import annotations


def _table() -> tuple[int, ...]:
    entries = []
    for byte in range(256):
        crc = byte
        for _ in range(8):
            crc = crc >> 1 ^ 0xA001 if crc & 1 else crc >> 1
        entries.append(crc)
    return tuple(entries)


_TABLE = _table()


def crc16(data: bytes) -> int:
    """CRC-16, polynomial 0x8005 reflected, from 0xFFFF. On the wire its low byte comes first."""
    crc = 0xFFFF
    for byte in data:
        crc = crc >> 8 ^ _TABLE[(crc ^ byte) & 0xFF]
    return crc


def first_good_size(data: bytes) -> int | None:
    """The least length, from four bytes on, at which `data` is a frame whose last two bytes are its CRC."""
    crc = 0xFFFF
    for place, byte in enumerate(data, 1):
        crc = crc >> 8 ^ _TABLE[(crc ^ byte) & 0xFF]
        if crc == 0 and place >= 4:
            return place
    return None


def lrc8(data: bytes) -> int:
    """The two's complement of the sum of all bytes."""
    return -sum(data) & 0xFF
