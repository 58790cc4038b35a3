"""SPI: transfers and chains."""

import unittest

from cavet.protocols import FieldError, Side, as_fields, codec, find_form, read_message

SPI = codec("spi")


def encode(name, **given):
    return SPI.encode(read_message(find_form(SPI, name, list(given), False), given))


class Spi(unittest.TestCase):
    def test_a_transfer_is_its_bytes_as_their_bits_leave(self):
        self.assertEqual(encode("transfer", data="01 80 F0"), bytes.fromhex("0180F0"))
        self.assertEqual(encode("transfer", data="01 80 F0", order="lsb", mode="3"), bytes.fromhex("80010F"))

    def test_in_a_chain_the_farthest_devices_word_leaves_first(self):
        self.assertEqual(encode("chain", words="0x2001,0,0x0102"), bytes.fromhex("0102 0000 2001"))
        self.assertEqual(encode("chain", words="1,2", bits="8"), bytes.fromhex("0201"))

    def test_what_can_not_be_is_refused(self):
        for name, given, part in (
            ("transfer", {"data": "01", "mode": "4"}, "0 to 3"),
            ("transfer", {"data": "01", "order": "msp"}, 'did you mean "msb"?'),
            ("chain", {"words": "0x10000"}, "0 to 65535"),
            ("chain", {"words": "256", "bits": "8"}, "0 to 255"),
            ("chain", {"words": "1", "bits": "9"}, "8 or 16"),
            ("chain", {"words": "one"}, "numbers with commas"),
        ):
            with self.subTest(given), self.assertRaises(FieldError) as caught:
                encode(name, **given)
            self.assertIn(part, str(caught.exception))

    def test_all_that_comes_is_one_transfer(self):
        decoder = SPI.decoder(Side.HOST)
        self.assertEqual([*decoder.feed(b"\x01"), *decoder.feed(b"\x02")], [])
        (frame,) = decoder.finish()
        self.assertEqual((as_fields(frame.message), frame.data), ({"data": "01 02"}, b"\x01\x02"))
        self.assertEqual(len(SPI.explain(frame, Side.HOST)), 2)


if __name__ == "__main__":
    unittest.main()
