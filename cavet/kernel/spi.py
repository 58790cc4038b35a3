"""An SPI controller as the kernel offers it to programs.

Sources: the kernel's header `linux/spi/spidev.h` and its Documentation/spi/spidev.
"""

from __future__ import annotations

import errno
import struct
import sys
from collections.abc import Callable

import msgspec

from cavet.kernel.errors import Refused

MODE, LSB_FIRST, BITS, RATE, MODE_32 = 1, 2, 3, 4, 5
SETS = {
    MODE: "SPI_IOC_WR_MODE", LSB_FIRST: "SPI_IOC_WR_LSB_FIRST", BITS: "SPI_IOC_WR_BITS_PER_WORD",
    RATE: "SPI_IOC_WR_MAX_SPEED_HZ", MODE_32: "SPI_IOC_WR_MODE32",
}  # fmt: skip
PHASE_POLARITY, LSB = 0x03, 0x08
"""What of a mode this controller can do."""
USUAL_RATE, BITS_IN_WORD = 500_000, 8
SIZES = {8: 1, 16: 2, 24: 4, 32: 4}
"""How many bits a word can have here, and how many bytes it takes in memory. Source: `bits_per_word` of `spidev`."""
SHIFT = struct.Struct("=IIHBB")
LEAST_RATE, MOST_RATE = 1000, 125_000_000
"""What this controller can do, in Hz: less is refused, more is brought down, as the kernel has it."""
REVERSED = bytes(int(f"{byte:08b}"[::-1], 2) for byte in range(256))
Shift = Callable[[bytes, int, int, float], bytes]
"""Sends bytes while the chip is selected, in a mode, at a rate in Hz, a pause in s behind; gives what came back."""


class OpenedSpi(msgspec.Struct):
    """An opened device: what was set for it."""

    mode: int = 0
    rate: int = USUAL_RATE
    bits: int = BITS_IN_WORD

    def set(self, what: int, value: int) -> None:
        """Set the mode, the order of bits, the bits of a word, the rate. Raises `Refused`."""
        if what in (MODE, MODE_32):
            if value & ~(PHASE_POLARITY | LSB):
                raise Refused(errno.EINVAL)
            self.mode = value
        elif what == LSB_FIRST:
            self.mode = self.mode & ~LSB | (LSB if value else 0)
        elif what == BITS:
            self.bits = _bits(value or BITS_IN_WORD)
        elif what == RATE:
            _look_at_rate(value)
            self.rate = min(value, MOST_RATE)
        else:
            raise Refused(errno.ENOTTY)

    def get(self, what: int) -> int:
        """Read one of them back. Raises `Refused`."""
        found = {MODE: self.mode & 0xFF, MODE_32: self.mode, LSB_FIRST: int(bool(self.mode & LSB)), BITS: self.bits,
                 RATE: self.rate}  # fmt: skip
        if what not in found:
            raise Refused(errno.ENOTTY)
        return found[what]

    def message(self, count: int, data: bytes, shift: Shift) -> bytes:
        """Do a message of so many transfers: their heads, then what each sends. Where the chip is to be let go of
        between two (`cs_change`), they are transfers of their own. Raises `Refused`."""
        heads = [SHIFT.unpack_from(data, place * SHIFT.size) for place in range(count)]
        for _, rate, _, _, _ in heads:
            _look_at_rate(rate or self.rate)
        sizes = [_bits(bits or self.bits) for _, _, _, bits, _ in heads]
        if any(head[0] % SIZES[bits] for head, bits in zip(heads, sizes, strict=True)):
            raise Refused(errno.EINVAL)
        at, came, run = count * SHIFT.size, b"", b""
        for place, (length, rate, delay, _, changes) in enumerate(heads):
            run += self._packed(data[at : at + length], sizes[place])
            at += length
            if changes or place == len(heads) - 1:
                came += shift(run, self.mode & PHASE_POLARITY, min(rate or self.rate, MOST_RATE), delay / 1e6)
                run = b""
        at, found = 0, b""
        for (length, *_), bits in zip(heads, sizes, strict=True):
            end = at + length * (bits // 8) // SIZES[bits]
            found += self._unpacked(came[at:end], bits)
            at = end
        return found

    def plain(self, sent: bytes, shift: Shift) -> bytes:
        """One transfer, as it was set. Raises `Refused`."""
        head = SHIFT.pack(len(sent), 0, 0, 0, 0)
        return self.message(1, head + sent, shift)

    def _packed(self, data: bytes, bits: int) -> bytes:
        """Words in memory, as they go over the wire: highest bit first or lowest, and no more than their bits."""
        size = SIZES[bits]
        if size == 1:
            return data.translate(REVERSED) if self.mode & LSB else data
        words = [int.from_bytes(data[at : at + size], sys.byteorder) for at in range(0, len(data), size)]
        if self.mode & LSB:
            words = [_reversed(word, bits) for word in words]
        return b"".join((word & (1 << bits) - 1).to_bytes(bits // 8, "big") for word in words)

    def _unpacked(self, data: bytes, bits: int) -> bytes:
        """The other way round."""
        step = bits // 8
        if step == 1:
            return data.translate(REVERSED) if self.mode & LSB else data
        words = [int.from_bytes(data[at : at + step], "big") for at in range(0, len(data), step)]
        if self.mode & LSB:
            words = [_reversed(word, bits) for word in words]
        return b"".join(word.to_bytes(SIZES[bits], sys.byteorder) for word in words)


def _look_at_rate(value: int) -> None:
    if value < LEAST_RATE:
        raise Refused(errno.EINVAL)


def _bits(value: int) -> int:
    if value not in SIZES:
        raise Refused(errno.EINVAL)
    return value


def _reversed(word: int, bits: int) -> int:
    return int(f"{word & (1 << bits) - 1:0{bits}b}"[::-1], 2)
