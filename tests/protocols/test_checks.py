"""Checks of any polynomial, against the values that catalogues of them give for the text 123456789."""

import unittest

from cavet.protocols.checks import Crc, sum8, xor8

DIGITS = b"123456789"
KNOWN = [
    ("CRC-8", Crc(8, 0x07), 0xF4),
    ("CRC-8, reflected", Crc(8, 0x31, reflect=True), 0xA1),
    ("CRC-16, reflected, from 0", Crc(16, 0x8005, reflect=True), 0xBB3D),
    ("CRC-16 of Modbus", Crc(16, 0x8005, initial=0xFFFF, reflect=True), 0x4B37),
    ("CRC-16 from FFFF", Crc(16, 0x1021, initial=0xFFFF), 0x29B1),
    ("CRC-16 from 0", Crc(16, 0x1021), 0x31C3),
    ("CRC-16, turned and inverted", Crc(16, 0x1021, initial=0xFFFF, final_xor=0xFFFF, reflect=True), 0x906E),
    ("CRC-32", Crc(32, 0x04C11DB7, initial=0xFFFFFFFF, final_xor=0xFFFFFFFF, reflect=True), 0xCBF43926),
    ("CRC-5", Crc(5, 0x05, initial=0x1F, final_xor=0x1F, reflect=True), 0x19),
    ("CRC-7", Crc(7, 0x09), 0x75),
    ("CRC-12", Crc(12, 0x80F), 0xF5B),
    ("CRC-64", Crc(64, 0x42F0E1EBA9EA3693), 0x6C40DF5F0B497347),
]


class Checks(unittest.TestCase):
    def test_known_values(self):
        for name, crc, expected in KNOWN:
            with self.subTest(name):
                self.assertEqual(crc.of(DIGITS), expected)

    def test_an_asymmetric_start_of_a_reflected_check_is_turned_too(self):
        self.assertEqual(Crc(16, 0x1021, initial=0xB2AA, reflect=True).of(DIGITS), 0x63D0)

    def test_sums(self):
        self.assertEqual((sum8(b"\xff\x02"), xor8(b"\xff\x02\x01"), sum8(b""), xor8(b"")), (1, 0xFC, 0, 0))


if __name__ == "__main__":
    unittest.main()
