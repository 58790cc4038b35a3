"""What a program has opened: what can be asked of it."""

from __future__ import annotations

import errno
import struct
from collections import deque
from collections.abc import Callable
from typing import TYPE_CHECKING, ClassVar

import msgspec

from cavet.kernel import i2c, spi
from cavet.kernel._mapping import Mapping
from cavet.kernel.errors import Refused
from cavet.kernel.i2c import OpenedI2c, done, parts_of, smbus
from cavet.kernel.spi import OpenedSpi

if TYPE_CHECKING:
    from cavet.kernel._touch import Touch

OPEN, SET, TRANSFER, SMBUS, GET, MESSAGE, WHICH, CONTROL, REQUEST, EVENTS, PLAIN_READ, PLAIN_WRITE = range(1, 13)
"""What is asked, as `shim.h` has it."""
I2C_KIND, SPI_KIND, CHIP_KIND, LINES_KIND = range(1, 5)
"""What a handle is of: the shim reads it in its top byte."""
HEAD = struct.Struct("=HHHH")
CALLS = {
    TRANSFER: "I2C_RDWR", SMBUS: "I2C_SMBUS", MESSAGE: "SPI_IOC_MESSAGE", PLAIN_READ: "read", PLAIN_WRITE: "write",
}  # fmt: skip


class Question(msgspec.Struct, frozen=True):
    """What the shim asks: two numbers and some bytes, which mean what the kind says."""

    kind: int
    first: int
    second: int
    data: bytes


class Fifo:
    """What waits to be read. A reader that waits is woken by a token on its connection, which stands there as long as
    there is something."""

    def __init__(self, most: int, *, keeps_newest: bool) -> None:
        self._waiting: deque[bytes] = deque()
        self._most = most
        self._keeps_newest = keeps_newest
        self._wake: Callable[[], None] | None = None

    def begin(self, wake: Callable[[], None]) -> None:
        """From now on `wake` gives a token."""
        self._wake = wake
        if self._waiting:
            wake()

    def put(self, event: bytes) -> None:
        """One more; where there are too many, the oldest is lost, or this one."""
        if len(self._waiting) >= self._most:
            if not self._keeps_newest:
                return
            self._waiting.popleft()
        self._waiting.append(event)
        if len(self._waiting) == 1 and self._wake is not None:
            self._wake()

    @property
    def is_empty(self) -> bool:
        """Whether nothing waits."""
        return not self._waiting

    def take(self, room: int) -> tuple[int, bytes]:
        """Give as many as there is room for, and 1 where that was all: then the reader takes the token away."""
        taken = []
        while self._waiting and room >= len(self._waiting[0]):
            taken.append(self._waiting.popleft())
            room -= len(taken[-1])
        return int(bool(taken) and not self._waiting), b"".join(taken)


class File:
    """Something opened, on a mapped device."""

    KIND = 0
    SETS: ClassVar[dict[int, str]] = {}
    """What can be set, each by the name of its call."""
    WRONG = errno.ENOTTY
    """The error of a call that it does not know."""

    def __init__(self, mapping: Mapping) -> None:
        self.mapping = mapping
        self.events: Fifo | None = None

    def call(self, asked: Question) -> str:
        """What the call is named, for the record."""
        return self.SETS.get(asked.first, "ioctl") if asked.kind == SET else CALLS.get(asked.kind, "ioctl")

    def ask(self, asked: Question, touch: Touch) -> tuple[int, bytes]:
        """Answer with a number and bytes. Raises `Refused`."""
        raise Refused(self.WRONG)

    def shut(self) -> None:
        """All copies of its descriptor are shut."""


class I2cFile(File):
    """An opened I2C adapter."""

    KIND = I2C_KIND
    SETS = i2c.SETS

    def __init__(self, mapping: Mapping) -> None:
        super().__init__(mapping)
        self._opened = OpenedI2c()

    def ask(self, asked: Question, touch: Touch) -> tuple[int, bytes]:
        if asked.kind == SET:
            self._opened.set(asked.first, asked.second)
            return 0, b""
        if asked.kind == TRANSFER:
            heads = heads_of(asked)
            written = asked.data[len(heads) * HEAD.size :]
            reads = done(touch.transfer(parts_of(heads, written)))
            return len(heads), b"".join(struct.pack("=H", len(each)) + each for each in reads)
        if asked.kind in (PLAIN_READ, PLAIN_WRITE):
            part = self._opened.part(None if asked.kind == PLAIN_READ else asked.data, asked.first)
            return 0, b"".join(done(touch.transfer([part])))
        if asked.kind == SMBUS:
            reads_it, command = bool(asked.first >> 8), asked.first & 0xFF
            answer = smbus(self._opened, reads_it, command, asked.second, asked.data, touch.transfer)
            return len(answer), answer
        raise Refused(self.WRONG)


class SpiFile(File):
    """An opened SPI device."""

    KIND = SPI_KIND
    SETS = spi.SETS

    def __init__(self, mapping: Mapping) -> None:
        super().__init__(mapping)
        self._opened = OpenedSpi()

    def ask(self, asked: Question, touch: Touch) -> tuple[int, bytes]:
        if asked.kind == SET:
            self._opened.set(asked.first, asked.second)
            return 0, b""
        if asked.kind == GET:
            return self._opened.get(asked.first), b""
        if asked.kind == MESSAGE:
            return 0, self._opened.message(asked.first, asked.data, touch.shift)
        if asked.kind == PLAIN_READ:
            return 0, self._opened.plain(bytes(asked.first), touch.shift)
        if asked.kind == PLAIN_WRITE:
            self._opened.plain(asked.data, touch.shift)
            return 0, b""
        raise Refused(self.WRONG)


def heads_of(asked: Question) -> list[tuple[int, int, int]]:
    """Address, flags and length of each part of a transfer."""
    return [HEAD.unpack_from(asked.data, place * HEAD.size)[:3] for place in range(asked.first)]
