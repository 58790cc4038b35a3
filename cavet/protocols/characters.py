"""Characters on a serial line: what a receiver makes of them that runs at another rate."""

from __future__ import annotations

import math


def garble(data: bytes, sent_rate: int, heard_rate: int) -> bytes:
    """Give what a receiver set to `heard_rate` makes of bytes sent at `sent_rate`, 8N1, one behind the other.

    The line is sampled as a receiver does: from the falling edge of a start bit, in the middle of each bit of its own
    length; a character is over with its stop bit, whatever level that has.
    """
    line = []
    for byte in data:
        line += [0, *(byte >> bit & 1 for bit in range(8)), 1]
    ratio = sent_rate / heard_rate  # of its own bits, one of the receiver's
    out = bytearray()
    at = 0.0
    while at < len(line):
        edge = _falling_edge(line, at)
        if edge is None:
            break
        bits = [_level(line, edge + (place + 1.5) * ratio) for place in range(8)]
        out.append(sum(bit << place for place, bit in enumerate(bits)))
        at = edge + 9.5 * ratio
    return bytes(out)


def _falling_edge(line: list[int], at: float) -> float | None:
    """Where the line next falls, from `at` on; before its beginning it was high."""
    place = math.ceil(at)
    if at > 0 and _level(line, at) == 0:
        while place < len(line) and line[place] == 0:
            place += 1  # still low from before: it must rise first
    while place < len(line) and line[place] == 1:
        place += 1
    return float(place) if place < len(line) else None


def _level(line: list[int], at: float) -> int:
    return line[int(at)] if at < len(line) else 1
