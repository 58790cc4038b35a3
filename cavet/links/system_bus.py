"""The system's own buses: I2C and SPI devices of the Linux kernel, as a host's end.

Calls and answers pass as `protocols.buses` has them; each is done by an ioctl in a thread of its own.
Sources: the kernel's headers `linux/i2c.h`, `linux/i2c-dev.h`, `linux/spi/spidev.h`.
"""

from __future__ import annotations

import asyncio
import ctypes
import errno
import os
import sys
from concurrent.futures import ThreadPoolExecutor

from cavet.links._end import Listener
from cavet.protocols.buses import SPI, BusAnswer, BusCall, BusDecoder
from cavet.wording import UnreachableError

I2C_RDWR = 0x0707
I2C_M_RD, I2C_M_TEN = 0x0001, 0x0010
SPI_IOC_MESSAGE_1 = 0x40206B00
"""One transfer: `_IOW('k', 0, 32 bytes)`."""
SPI_IOC_WR_MODE = 0x40016B01
"""The mode: `_IOW('k', 1, 1 byte)`."""
USUAL_SPI_HERTZ = 1_000_000
WORDS = {
    errno.ENXIO: "it did not acknowledge",
    errno.EREMOTEIO: "it did not acknowledge",
    errno.ETIMEDOUT: "it holds the bus: a line stays low",
    errno.EAGAIN: "the bus is taken by another controller",
    errno.EOPNOTSUPP: "this bus can't do that",
    errno.EACCES: "access refused: this user may not open it",
    errno.ENOENT: "there is no such device: is the bus switched on?",
    errno.ENOTTY: "it is no bus",
}


class _I2cMessage(ctypes.Structure):
    _fields_ = (
        ("address", ctypes.c_uint16), ("flags", ctypes.c_uint16), ("length", ctypes.c_uint16),
        ("data", ctypes.c_void_p),
    )  # fmt: skip


class _I2cTransaction(ctypes.Structure):
    _fields_ = (("messages", ctypes.POINTER(_I2cMessage)), ("count", ctypes.c_uint32))


class _SpiTransfer(ctypes.Structure):
    _fields_ = (
        ("out", ctypes.c_uint64), ("into", ctypes.c_uint64), ("length", ctypes.c_uint32),
        ("rate", ctypes.c_uint32), ("delay", ctypes.c_uint16), ("bits", ctypes.c_uint8),
        ("chip_change", ctypes.c_uint8), ("out_bits", ctypes.c_uint8), ("into_bits", ctypes.c_uint8),
        ("word_delay", ctypes.c_uint8), ("padding", ctypes.c_uint8),
    )  # fmt: skip


class SystemBusEnd:
    """Opens the system's device of an I2C bus, and those of an SPI bus as chips are called for."""

    def __init__(self, i2c: str, spi: str = "") -> None:
        self._i2c = i2c
        self._spi = spi
        self._files: dict[str, int] = {}
        self._modes: dict[str, int] = {}
        """The mode that each chip's device was set to."""
        self._decoder = BusDecoder()
        self._listener: Listener | None = None
        self._worker: ThreadPoolExecutor | None = None
        self._loop: asyncio.AbstractEventLoop
        self._sent = self._got = 0

    @property
    def address(self) -> str:
        return self._i2c

    @property
    def name(self) -> str:
        return ""

    async def open(self, listener: Listener) -> None:
        if sys.platform != "linux":
            raise UnreachableError(self._i2c, "buses of the host's own are for Linux")
        self._loop = asyncio.get_running_loop()
        try:
            self._file(self._i2c)
        except OSError as error:
            raise UnreachableError(self._i2c, _words(error)) from error
        self._decoder = BusDecoder()
        self._sent = self._got = 0
        self._worker = ThreadPoolExecutor(1, "bus")
        self._listener = listener
        listener.opened()

    def _file(self, path: str) -> int:
        if path not in self._files:
            self._files[path] = os.open(path, os.O_RDWR | os.O_CLOEXEC)
        return self._files[path]

    def write(self, data: bytes) -> int:
        self._sent += len(data)
        for frame in self._decoder.feed(data):
            if isinstance(frame.message, BusCall) and self._worker is not None:
                self._worker.submit(self._do, frame.message, self._worker)
        return self._sent

    def _do(self, call: BusCall, worker: ThreadPoolExecutor) -> None:
        try:
            read = self._transfer(call) if call.bus == SPI else self._transact(call)
            answer = BusAnswer(number=call.number, data=read)
        except OSError as error:
            whom = f"chip {call.address}" if call.bus == SPI else f"0x{call.address:02X}"
            answer = BusAnswer(number=call.number, why=f"{whom}: {_words(error)}")
        self._loop.call_soon_threadsafe(self._answered, answer.packed(), worker)

    def _answered(self, data: bytes, worker: ThreadPoolExecutor) -> None:
        if self._listener is not None and worker is self._worker:
            offset, self._got = self._got, self._got + len(data)
            self._listener.received(data, offset, self._loop.time())

    def _transact(self, call: BusCall) -> bytes:
        """Do an I2C transaction, with a repeated start between writing and reading."""
        import fcntl

        flags = I2C_M_TEN if call.ten_bit else 0
        parts: list[_I2cMessage] = []
        written = ctypes.create_string_buffer(call.data, max(1, len(call.data)))
        read = ctypes.create_string_buffer(max(1, call.count))
        if call.data or not call.count:
            parts.append(_I2cMessage(call.address, flags, len(call.data), ctypes.addressof(written)))
        if call.count:
            parts.append(_I2cMessage(call.address, flags | I2C_M_RD, call.count, ctypes.addressof(read)))
        messages = (_I2cMessage * len(parts))(*parts)
        fcntl.ioctl(self._file(self._i2c), I2C_RDWR, _I2cTransaction(messages, len(parts)))
        return read.raw[: call.count]

    def _transfer(self, call: BusCall) -> bytes:
        """Do an SPI transfer, the chip select low all the while."""
        import fcntl

        if not self._spi:
            raise OSError(errno.ENOENT, "no SPI bus is named")
        out = ctypes.create_string_buffer(call.data, max(1, len(call.data)))
        into = ctypes.create_string_buffer(max(1, len(call.data)))
        path = f"{self._spi}.{call.address}"
        file = self._file(path)
        if self._modes.get(path) != call.mode:
            fcntl.ioctl(file, SPI_IOC_WR_MODE, bytes((call.mode,)))
            self._modes[path] = call.mode
        transfer = _SpiTransfer(
            out=ctypes.addressof(out), into=ctypes.addressof(into), length=len(call.data),
            rate=call.rate or USUAL_SPI_HERTZ, bits=8,
        )  # fmt: skip
        fcntl.ioctl(file, SPI_IOC_MESSAGE_1, transfer)
        return into.raw[: len(call.data)]

    def close(self) -> None:
        self._listener = None
        worker, self._worker = self._worker, None
        files, self._files = self._files, {}
        self._modes.clear()
        if worker is not None:
            worker.submit(_close_all, list(files.values()))
            worker.shutdown(wait=False)
        else:
            _close_all(list(files.values()))


def _close_all(files: list[int]) -> None:
    for file in files:
        os.close(file)


def _words(error: OSError) -> str:
    number = error.errno or 0
    return WORDS.get(number, error.strerror or str(error))
