"""How long a frame in RTU framing is, as far as its first bytes tell."""

from __future__ import annotations

from cavet.protocols._codec import Side

OPEN = -1
"""The function does not tell: any length may be right, and the CRC decides."""

_FIXED = {
    Side.HOST: {1: 8, 2: 8, 3: 8, 4: 8, 5: 8, 6: 8, 7: 4, 0x0B: 4, 0x0C: 4, 0x11: 4, 0x16: 10, 0x18: 6},
    Side.BOARD: {5: 8, 6: 8, 7: 5, 0x0B: 8, 0x0F: 8, 0x10: 8, 0x16: 10},
}
"""Functions whose frames are always as long as this."""
_COUNTED = {
    Side.HOST: {0x0F: 6, 0x10: 6, 0x14: 2, 0x15: 2, 0x17: 10},
    Side.BOARD: {1: 2, 2: 2, 3: 2, 4: 2, 0x0C: 2, 0x11: 2, 0x14: 2, 0x15: 2, 0x17: 2},
}
"""Functions with a byte count, by the place of it; behind what it counts only the CRC follows."""
FIFO, IDENTIFICATION, MEI = 0x18, 0x2B, 0x0E


def rtu_size(data: bytes, side: Side) -> int | None:
    """The length of the frame that `data` begins with; `None` while that can't be told, `OPEN` where it never can."""
    if len(data) < 2:
        return None
    function = data[1]
    if function & 0x80:
        return 5 if side is Side.BOARD else OPEN
    if function in _FIXED[side]:
        return _FIXED[side][function]
    if function in _COUNTED[side]:
        place = _COUNTED[side][function]
        return place + 1 + data[place] + 2 if len(data) > place else None
    if function == FIFO:
        return 4 + int.from_bytes(data[2:4], "big") + 2 if len(data) > 3 else None
    if function == IDENTIFICATION:
        return _identification_size(data, side)
    return OPEN


def _identification_size(data: bytes, side: Side) -> int | None:
    if len(data) < 3:
        return None
    if data[2] != MEI:
        return OPEN
    if side is Side.HOST:
        return 7
    if len(data) < 8:
        return None
    at = 8
    for _ in range(data[7]):
        if len(data) < at + 2:
            return None
        at += 2 + data[at + 1]
    return at + 2
