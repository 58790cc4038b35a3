"""An SPI controller as the kernel offers it to programs.

Sources: the kernel's header `linux/spi/spidev.h` and its Documentation/spi/spidev.
"""

from __future__ import annotations

import errno
import struct
from collections.abc import Callable

import msgspec

from cavet.kernel._errors import Refused

MODE, LSB_FIRST, BITS, RATE, MODE_32 = 1, 2, 3, 4, 5
PHASE_POLARITY, LSB = 0x03, 0x08
"""What of a mode this controller can do."""
USUAL_RATE, BITS_IN_WORD = 500_000, 8
SHIFT = struct.Struct("=IIHBB")
MOST_RATE = 125_000_000
REVERSED = bytes(int(f"{byte:08b}"[::-1], 2) for byte in range(256))
Shift = Callable[[bytes, int, int, float], bytes]
"""Sends bytes while the chip is selected, in a mode, at a rate in Hz, a pause in s behind; gives what came back."""


class OpenedSpi(msgspec.Struct):
    """An opened device: what was set for it."""

    mode: int = 0
    rate: int = USUAL_RATE

    def set(self, what: int, value: int) -> None:
        """Set the mode, the order of bits, the bits of a word, the rate. Raises `Refused`."""
        if what in (MODE, MODE_32):
            if value & ~(PHASE_POLARITY | LSB):
                raise Refused(errno.EINVAL)
            self.mode = value
        elif what == LSB_FIRST:
            self.mode = self.mode & ~LSB | (LSB if value else 0)
        elif what == BITS:
            _look_at_bits(value)
        elif what == RATE:
            if not value:
                raise Refused(errno.EINVAL)
            self.rate = min(value, MOST_RATE)
        else:
            raise Refused(errno.ENOTTY)

    def get(self, what: int) -> int:
        """Read one of them back. Raises `Refused`."""
        found = {MODE: self.mode & 0xFF, MODE_32: self.mode, LSB_FIRST: int(bool(self.mode & LSB)), BITS: BITS_IN_WORD,
                 RATE: self.rate}  # fmt: skip
        if what not in found:
            raise Refused(errno.ENOTTY)
        return found[what]

    def message(self, count: int, data: bytes, shift: Shift) -> bytes:
        """Do a message of so many transfers: their heads, then what each sends. Where the chip is to be let go of
        between two (`cs_change`), they are transfers of their own. Raises `Refused`."""
        heads = [SHIFT.unpack_from(data, place * SHIFT.size) for place in range(count)]
        at, found, run = count * SHIFT.size, b"", b""
        for place, (length, rate, delay, bits, changes) in enumerate(heads):
            _look_at_bits(bits)
            run += data[at : at + length]
            at += length
            if changes or place == len(heads) - 1:
                found += self._shifted(run, rate or self.rate, delay / 1e6, shift)
                run = b""
        return found

    def plain(self, sent: bytes, shift: Shift) -> bytes:
        """One transfer, as it was set. Raises `Refused`."""
        return self._shifted(sent, self.rate, 0.0, shift)

    def _shifted(self, data: bytes, rate: int, pause: float, shift: Shift) -> bytes:
        turned = bool(self.mode & LSB)
        came = shift(data.translate(REVERSED) if turned else data, self.mode & PHASE_POLARITY, rate, pause)
        return came.translate(REVERSED) if turned else came


def _look_at_bits(bits: int) -> None:
    if bits not in (0, BITS_IN_WORD):
        raise Refused(errno.EINVAL)
