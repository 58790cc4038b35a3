"""USB: setup packets and descriptors, with the bytes that chapter 9 gives them."""

import unittest

from cavet.protocols import FieldError, Side, as_fields, codec, find_form, read_message

USB = codec("usb")

REQUESTS = [
    ("get-status", {"recipient": "device"}, "80 00 00 00 00 00 02 00"),
    ("get-status", {"recipient": "endpoint", "index": "0x81"}, "82 00 00 00 81 00 02 00"),
    ("clear-feature", {"recipient": "endpoint", "feature_selector": "0", "index": "2"}, "02 01 00 00 02 00 00 00"),
    ("set-feature", {"recipient": "device", "feature_selector": "1"}, "00 03 01 00 00 00 00 00"),
    ("set-address", {"address": "5"}, "00 05 05 00 00 00 00 00"),
    ("get-descriptor", {"descriptor_type": "device", "length": "18"}, "80 06 00 01 00 00 12 00"),
    (
        "get-descriptor",
        {"descriptor_type": "string", "descriptor_index": "2", "language_id": "0x0409", "length": "255"},
        "80 06 02 03 09 04 FF 00",
    ),
    ("set-descriptor", {"descriptor_type": "3", "length": "4"}, "00 07 00 03 00 00 04 00"),
    ("get-configuration", {}, "80 08 00 00 00 00 01 00"),
    ("set-configuration", {"configuration_value": "1"}, "00 09 01 00 00 00 00 00"),
    ("get-interface", {"interface": "1"}, "81 0A 00 00 01 00 01 00"),
    ("set-interface", {"interface": "1", "alternate_setting": "2"}, "01 0B 02 00 01 00 00 00"),
    ("synch-frame", {"endpoint": "0x83"}, "82 0C 00 00 83 00 02 00"),
    (
        "setup",
        {"request_type": "0xC0", "request": "0x51", "value": "1", "index": "0x0203", "length": "64"},
        "C0 51 01 00 03 02 40 00",
    ),
]

DEVICE = "12 01 00 02 00 00 00 40 09 12 7E CA 00 01 01 02 03 01"
INTERFACE = "09 04 00 00 02 FF 00 00 00"
OUT, IN = "07 05 02 02 40 00 00", "07 05 81 02 40 00 00"
CONFIGURATION = f"09 02 20 00 01 01 00 80 32 {INTERFACE} {OUT} {IN}"

WRONG = [
    # descriptors, the place of the frame, a part of its problem
    (CONFIGURATION.replace("20 00 01", "21 00 01", 1), 0, "total_length: found 33, expected 32"),
    (CONFIGURATION.replace("20 00 01", "20 00 02", 1), 0, "num_interfaces: found 2, expected 1"),
    (CONFIGURATION.replace("04 00 00 02", "04 00 00 03"), 1, "num_endpoints: found 3, expected 2"),
    ("05 05 02 02 40", 0, "bLength: found 5, expected at least 7 in a descriptor of type endpoint"),
    ("12 01 00 02", 0, "bLength: found 18, expected no more than the 4 bytes"),
    ("00 05", 0, "bLength: found 0"),
    ("01", 0, "bLength: found 1"),
    ("05 03 48 00 69", 0, "expected an even number"),
    ("04 03 00 D8", 0, "unpaired surrogate"),
]


def encode(name, given):
    return USB.encode(read_message(find_form(USB, name, list(given), False), given))


def decode(data, side=Side.BOARD):
    decoder = USB.decoder(side)
    return [*decoder.feed(bytes.fromhex(data)), *decoder.finish()]


class Requests(unittest.TestCase):
    def test_setup_packets_are_written_and_read(self):
        for name, given, wire in REQUESTS:
            with self.subTest(name, given=given):
                self.assertEqual(encode(name, given), bytes.fromhex(wire))
                (frame,) = decode(wire, Side.HOST)
                self.assertEqual((frame.message.NAME, frame.problems), (name, ()))
                self.assertEqual(USB.encode(frame.message), bytes.fromhex(wire))

    def test_what_the_standard_has_otherwise_is_a_problem_and_what_it_has_not_another_request(self):
        (frame,) = decode("80 00 01 00 00 00 02 00", Side.HOST)
        self.assertEqual(frame.problems, ("value: found 1, expected 0 in get-status",))
        for other in ("83 00 00 00 00 00 02 00", "81 06 00 22 00 00 20 00", "00 02 00 00 00 00 00 00"):
            self.assertEqual(decode(other, Side.HOST)[0].message.NAME, "setup")

    def test_a_packet_that_is_cut_off_is_unreadable(self):
        frames = decode("80 08 00 00 00 00 01 00 80 06", Side.HOST)
        self.assertEqual([frame.readable for frame in frames], [True, False])

    def test_bulk_data_is_printed_as_it_is(self):
        self.assertEqual(encode("bulk-out", {"endpoint": "2", "data": "01020306"}), b"\x01\x02\x03\x06")
        with self.assertRaises(FieldError):
            encode("bulk-out", {"endpoint": "0", "data": "01"})


class Descriptors(unittest.TestCase):
    def test_they_are_written_and_read(self):
        self.assertEqual(
            encode(
                "device-descriptor",
                {
                    "id_vendor": "0x1209",
                    "id_product": "0xCA7E",
                    "i_manufacturer": "1",
                    "i_product": "2",
                    "i_serial_number": "3",
                },
            ),
            bytes.fromhex(DEVICE),
        )
        frames = decode(f"{DEVICE} {CONFIGURATION} 06 03 48 00 69 00 05 24 00 10 01")
        self.assertEqual([problem for frame in frames for problem in frame.problems], [])
        self.assertEqual(
            [frame.message.NAME for frame in frames],
            ["device-descriptor", "configuration-descriptor", "interface-descriptor", "endpoint-descriptor",
             "endpoint-descriptor", "string-descriptor", "descriptor"],
        )  # fmt: skip
        endpoint = as_fields(frames[4].message)
        self.assertEqual((endpoint["direction"], endpoint["transfer_type"]), ("in", "bulk"))
        self.assertEqual(frames[5].message.string, "Hi")
        for frame in frames:
            self.assertEqual(USB.encode(frame.message), frame.data)

    def test_those_that_lie_are_told(self):
        for data, place, part in WRONG:
            with self.subTest(data):
                frames = decode(data)
                self.assertIn(part, "; ".join(frames[place].problems))
                self.assertEqual(b"".join(frame.data for frame in frames), bytes.fromhex(data))

    def test_every_cut_gives_the_same(self):
        data = bytes.fromhex(f"{DEVICE} {CONFIGURATION} 06 03 48 00 69 00 00 05 03")
        whole = decode(data.hex())
        for cut in range(len(data) + 1):
            decoder = USB.decoder(Side.BOARD)
            self.assertEqual([*decoder.feed(data[:cut]), *decoder.feed(data[cut:]), *decoder.finish()], whole)

    def test_longer_ones_keep_what_is_known_of_them(self):
        (frame,) = decode("09 05 81 03 08 00 0A 00 00")
        self.assertEqual((frame.message.interval, frame.problems), (10, ()))

    def test_a_string_has_at_most_126_units(self):
        self.assertEqual(len(encode("string-descriptor", {"string": "x" * 126})), 254)
        for text in ("x" * 127, "\U0001f600" * 64, "\ud800"):
            with self.assertRaises(FieldError):
                encode("string-descriptor", {"string": text})

    def test_fields_are_told_with_their_bits(self):
        (frame,) = decode("80 06 00 01 00 00 12 00", Side.HOST)
        told = USB.explain(frame, Side.HOST)
        names = ["direction", "type", "recipient", "request", "value", "index", "length"]
        self.assertEqual([field.name for field in told], names)
        self.assertEqual(told[4].spans, ((24, 8), (16, 8)))
        frame = decode(CONFIGURATION)[3]
        direction, _, number = USB.explain(frame, Side.BOARD)[2:5]
        self.assertEqual((direction.value, number.value, number.spans), (1, 1, ((20, 4),)))


if __name__ == "__main__":
    unittest.main()
