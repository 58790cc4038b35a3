"""The system's buses as an end: what is asked of the kernel, and what its errors are called."""

import asyncio
import ctypes
import errno
import os
import struct
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from cavet.links.system_bus import SystemBusEnd
from cavet.protocols.buses import SPI, BusCall, BusDecoder
from cavet.wording import UnreachableError
from tests.patience import PATIENCE


class Kernel:
    """Takes ioctls in the kernel's place, with files that are only files."""

    def __init__(self, error=0):
        self.asked = []
        self._error = error

    def ioctl(self, file, number, argument):
        name = Path(f"/proc/self/fd/{file}").readlink().name
        if self._error:
            raise OSError(self._error, os.strerror(self._error))
        if number == 0x0707:  # I2C_RDWR: each message's address, flags and bytes
            raw = ctypes.string_at(ctypes.addressof(argument), ctypes.sizeof(argument))
            address, count = struct.unpack_from("QI", raw)
            for place in range(count):
                whom, flags, length, data = struct.unpack("HHHxxQ", ctypes.string_at(address + 16 * place, 16))
                self.asked.append((name, whom, flags, ctypes.string_at(data, length).hex()))
                if flags & 1:
                    ctypes.memmove(data, bytes(range(0x40, 0x40 + length)), length)
        elif number == 0x40206B00:  # one SPI transfer
            raw = ctypes.string_at(ctypes.addressof(argument), ctypes.sizeof(argument))
            out, into, length, rate, _, bits = struct.unpack_from("QQIIHB", raw)
            self.asked.append((name, "transfer", rate, bits, ctypes.string_at(out, length).hex()))
            ctypes.memmove(into, bytes(range(0x60, 0x60 + length)), length)
        else:
            self.asked.append((name, hex(number), bytes(argument).hex()))


class Heard:
    def __init__(self):
        self.answers = []
        self.changed = asyncio.Event()
        self._decoder = BusDecoder(answers=True)

    def opened(self):
        """Nothing is waited for here."""

    def received(self, data, offset, at):
        self.answers += [frame.message for frame in self._decoder.feed(data)]
        self.changed.set()

    def closed(self, reason):
        """It is never shut by the other side."""


class SystemBuses(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        for name in ("i2c-1", "spidev0.0", "spidev0.3"):
            (self.folder / name).touch()

    def call(self, *calls, error=0):
        """Give what the kernel was asked, and the answers."""
        kernel = Kernel(error)

        async def talk():
            heard = Heard()
            end = SystemBusEnd(str(self.folder / "i2c-1"), str(self.folder / "spidev0"))
            await end.open(heard)
            end.write(b"".join(call.packed() for call in calls))
            while len(heard.answers) < len(calls):
                heard.changed.clear()
                await asyncio.wait_for(heard.changed.wait(), PATIENCE)
            end.close()
            return heard.answers

        with mock.patch("fcntl.ioctl", kernel.ioctl):
            answers = asyncio.run(talk())
        return kernel.asked, answers

    def test_transactions_with_a_repeated_start_between_writing_and_reading(self):
        asked, answers = self.call(
            BusCall(number=1, address=0x22, data=b"\x02\x0f"),
            BusCall(number=2, address=0x22, data=b"\x0e", count=2),
            BusCall(number=3, address=0x155, ten_bit=True, count=1),
        )
        self.assertEqual(
            asked,
            [
                ("i2c-1", 0x22, 0, "020f"),
                ("i2c-1", 0x22, 0, "0e"),
                ("i2c-1", 0x22, 1, "0000"),
                ("i2c-1", 0x155, 0x11, "00"),
            ],
        )
        self.assertEqual([answer.data for answer in answers], [b"", b"\x40\x41", b"\x40"])

    def test_transfers_in_their_mode_and_rate_each_chip_for_itself(self):
        asked, answers = self.call(
            BusCall(number=1, bus=SPI, address=0, data=b"\x01\x02"),
            BusCall(number=2, bus=SPI, address=3, mode=2, rate=250_000, data=b"\x03"),
            BusCall(number=3, bus=SPI, address=3, mode=2, rate=250_000, data=b"\x04"),
        )
        self.assertEqual(
            asked,
            [
                ("spidev0.0", "0x40016b01", "00"),
                ("spidev0.0", "transfer", 1_000_000, 8, "0102"),
                ("spidev0.3", "0x40016b01", "02"),
                ("spidev0.3", "transfer", 250_000, 8, "03"),
                ("spidev0.3", "transfer", 250_000, 8, "04"),
            ],
        )
        self.assertEqual([answer.data for answer in answers], [b"\x60\x61", b"\x60", b"\x60"])

    def test_errors_are_one_line(self):
        cases = ((errno.EREMOTEIO, "it did not acknowledge"), (errno.ENOTTY, "it is no bus"))
        for number, words in cases:
            with self.subTest(words):
                _, (answer,) = self.call(BusCall(number=1, address=0x22), error=number)
                self.assertEqual(answer.why, f"0x22: {words}")
        _, (answer,) = self.call(BusCall(number=1, bus=SPI, address=7))
        self.assertEqual(answer.why, "chip 7: there is no such device: is the bus switched on?")

    def test_a_bus_that_is_not_there_is_told_when_it_is_opened(self):
        with self.assertRaises(UnreachableError) as caught:
            asyncio.run(SystemBusEnd(str(self.folder / "i2c-9")).open(Heard()))
        self.assertIn("there is no such device", str(caught.exception))


if __name__ == "__main__":
    unittest.main()
