"""SMBus calls on top of transfers: what is on the wires for each size, with and without its check.

Source: System Management Bus specification 2.0, section 5.5, and the kernel's Documentation/i2c/smbus-protocol.
"""

import errno
import struct
import unittest

from cavet.boards.buses import Outcome, Part
from cavet.kernel.i2c import (
    BLOCK_DATA,
    BLOCK_PROC_CALL,
    BYTE,
    BYTE_DATA,
    I2C_BLOCK,
    PROC_CALL,
    QUICK,
    WORD_DATA,
    OpenedI2c,
    Refused,
    parts_of,
    smbus,
)

AT, COMMAND = 0x2C, 0x35


def crc(data):
    """The packet error code, bit by bit: x8 + x2 + x + 1. Source: section 5.4."""
    value = 0
    for byte in data:
        value ^= byte
        for _ in range(8):
            value = (value << 1 ^ (0x07 if value & 0x80 else 0)) & 0xFF
    return value


class Bus:
    """Keeps what was asked of it, and answers what it was told."""

    def __init__(self, *reads, fault=""):
        self.reads = reads
        self.fault = fault
        self.parts = []

    def __call__(self, parts):
        self.parts += [(part.data, part.count, part.counts) for part in parts]
        return Outcome((), b"".join(self.reads), 0.0, self.fault, self.fault, tuple(self.reads))


def word(value):
    return struct.pack("=H", value)


class Calls(unittest.TestCase):
    def done(self, reads, size, data=b"", *answers, pec=False):
        bus = Bus(*answers)
        found = smbus(OpenedI2c(address=AT, pec=pec), reads, COMMAND, size, data.ljust(34, b"\0"), bus)
        return bus.parts, found

    def test_what_is_on_the_wires(self):
        read = (None, 1, False)
        for reads, size, data, answers, parts, found in (
            (False, QUICK, b"", (), [(b"", 0, False)], b""),
            (True, QUICK, b"", (b"",), [(None, 0, False)], b""),
            (False, BYTE, b"", (), [(b"\x35", 0, False)], b""),
            (True, BYTE, b"", (b"\x7E",), [read], b"\x7E"),
            (False, BYTE_DATA, b"\x0A", (), [(b"\x35\x0A", 0, False)], b""),
            (True, BYTE_DATA, b"", (b"\x0A",), [(b"\x35", 0, False), read], b"\x0A"),
            (False, WORD_DATA, word(0x1234), (), [(b"\x35\x34\x12", 0, False)], b""),
            (True, WORD_DATA, b"", (b"\x34\x12",), [(b"\x35", 0, False), (None, 2, False)], word(0x1234)),
            (
                False, PROC_CALL, word(0x0102), (b"\x34\x12",),
                [(b"\x35\x02\x01", 0, False), (None, 2, False)], word(0x1234),
            ),
            (False, BLOCK_DATA, b"\x03abc", (), [(b"\x35\x03abc", 0, False)], b""),
            (True, BLOCK_DATA, b"", (b"\x02xy",), [(b"\x35", 0, False), (None, 1, True)], b"\x02xy"),
            (False, I2C_BLOCK, b"\x03abc", (), [(b"\x35abc", 0, False)], b""),
            (True, I2C_BLOCK, b"\x03", (b"xyz",), [(b"\x35", 0, False), (None, 3, False)], b"\x03xyz"),
            (False, BLOCK_PROC_CALL, b"\x01q", (b"\x01r",), [(b"\x35\x01q", 0, False), (None, 1, True)], b"\x01r"),
        ):  # fmt: skip
            with self.subTest(reads=reads, size=size):
                self.assertEqual((parts, found), self.done(reads, size, data, *answers))

    def test_with_its_check(self):
        sent = bytes([AT << 1, COMMAND, 0x0A])
        parts, _ = self.done(False, BYTE_DATA, b"\x0a", pec=True)
        self.assertEqual([(bytes([COMMAND, 0x0A, crc(sent)]), 0, False)], parts)
        head = bytes([AT << 1, COMMAND, AT << 1 | 1])
        good = b"\x34\x12" + bytes([crc(head + b"\x34\x12")])
        parts, found = self.done(True, WORD_DATA, b"", good, pec=True)
        self.assertEqual(([(b"\x35", 0, False), (None, 3, False)], word(0x1234)), (parts, found))
        block = b"\x02xy" + bytes([crc(head + b"\x02xy")])
        parts, found = self.done(True, BLOCK_DATA, b"", block, pec=True)
        self.assertEqual(([(b"\x35", 0, False), (None, 2, True)], b"\x02xy"), (parts, found))
        with self.assertRaises(Refused) as caught:
            self.done(True, WORD_DATA, b"", b"\x34\x12\x00", pec=True)
        self.assertEqual(errno.EBADMSG, caught.exception.number)

    def test_what_can_not_be_said(self):
        for reads, size, data, number in (
            (False, BLOCK_DATA, b"\x00", errno.EINVAL), (False, BLOCK_DATA, b"\x21", errno.EINVAL),
            (True, I2C_BLOCK, b"\x00", errno.EINVAL), (False, 9, b"\x01", errno.EINVAL),
        ):  # fmt: skip
            with self.subTest(size=size, data=data), self.assertRaises(Refused) as caught:
                self.done(reads, size, data)
            self.assertEqual(number, caught.exception.number)
        for fault, number in (("address", errno.ENXIO), ("data", errno.EREMOTEIO), ("stuck", errno.ETIMEDOUT)):
            with self.assertRaises(Refused) as caught:
                smbus(OpenedI2c(address=AT), True, 0, BYTE, bytes(34), Bus(fault=fault))
            self.assertEqual(number, caught.exception.number)


class Transfers(unittest.TestCase):
    def test_parts_of_a_transfer(self):
        parts = parts_of([(0x22, 0, 2), (0x22, 1, 3), (0x155, 0x11, 1), (0x11, 0, 1)], b"abc")
        self.assertEqual(
            [Part(address=0x22, data=b"ab"), Part(address=0x22, count=3), Part(address=0x155, count=1, ten_bit=True),
             Part(address=0x11, data=b"c")], parts,
        )  # fmt: skip
        self.assertEqual([Part(address=0x22, count=1, counts=True)], parts_of([(0x22, 0x401, 33)], b"\x01"))
        for heads, data in (
            ([(0x80, 0, 0)], b""), ([(0x400, 0x10, 0)], b""), ([(0x22, 0x4000, 0)], b""),
            ([(0xFFFF, 0, 1)], b"a"), ([(0x22, 0x401, 32)], b"\x01"), ([(0x22, 0x401, 33)], b"\x00"),
        ):  # fmt: skip
            with self.subTest(heads), self.assertRaises(Refused):
                parts_of(heads, data)


if __name__ == "__main__":
    unittest.main()
