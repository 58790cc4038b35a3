"""I2C and SMBus: bytes from the specifications' figures, marks, acknowledge bits, reserved addresses."""

import unittest

from cavet.protocols import Side, as_fields, codec, find_form, read_message
from cavet.protocols.i2c import CODEC, I2cDecoder, clocks, pull_up, read_marks, show_marks
from cavet.wording import WrongError

CASES = [
    # message, response, fields, bytes
    ("write", False, "address=0x26", "4C"),
    ("write", False, "address=0x26 register=2", "4C 02"),
    ("write", False, "address=0x26 register=2 data=3F01", "4C 02 3F01"),
    ("write", False, "address=0x3B data=FF", "76 FF"),
    ("write", False, "address=0x2AB ten_bit=on register=1 data=02", "F4 AB 01 02"),
    ("read", False, "address=0x26 count=2", "4D"),
    ("read", True, "address=0x26 count=2 data=1234", "12 34"),
    ("read", False, "address=0x2AB ten_bit=on count=1", "F4 AB F5"),
    ("write-read", False, "address=0x26 register=4 count=2", "4C 04 4D"),
    ("write-read", False, "address=0x26 register=4 data=05 count=2", "4C 04 05 4D"),
    ("write-read", True, "address=0x26 register=4 count=2 reply=AABB", "AA BB"),
    ("write-read", False, "address=0x3FF ten_bit=on register=4 count=2", "F6 FF 04 F7"),
    ("quick-command", False, "address=0x26 read=off", "4C"),
    ("quick-command", False, "address=0x26 read=on", "4D"),
    ("send-byte", False, "address=0x5A value=0x80", "B4 80"),
    ("send-byte", False, "address=0x5A value=0x80 pec=on", "B4 80 92"),
    ("receive-byte", False, "address=0x5A pec=on", "B5"),
    ("receive-byte", True, "address=0x5A value=0x17 pec=on", "17 6B"),
    ("write-byte", False, "address=0x5A register=0x20 value=0x12", "B4 20 12"),
    ("write-word", False, "address=0x5A register=0x2E value=0xC807", "B4 2E 07 C8"),
    ("read-byte", False, "address=0x5A register=0x20", "B4 20 B5"),
    ("read-byte", True, "address=0x5A register=0x20 value=1", "01"),
    ("read-word", False, "address=0x5A register=7 pec=on", "B4 07 B5"),
    ("read-word", True, "address=0x5A register=7 value=0x3AD2 pec=on", "D2 3A 30"),
    ("process-call", False, "address=0x5A register=1 value=0x0203", "B4 01 03 02 B5"),
    ("process-call", True, "address=0x5A register=1 value=0x0203 reply=0x0405", "05 04"),
    ("block-write", False, "address=0x5A register=1 data=0A0B", "B4 01 02 0A 0B"),
    ("block-read", False, "address=0x5A register=1", "B4 01 B5"),
    ("block-read", True, "address=0x5A register=1 data=0A0B", "02 0A 0B"),
    ("block-process-call", False, "address=0x5A register=1 data=0A", "B4 01 01 0A B5"),
    ("block-process-call", True, "address=0x5A register=1 data=0A reply=0B0C", "02 0B 0C"),
]

REFUSED = [
    ("write", "address=0x80", "0 to 127, or ten_bit=on"),
    ("write", "address=0x400 ten_bit=on", "0 to 1023"),
    ("write", "address=1 register=256", "0 to 255"),
    ("read", "address=1 count=0", "1 to 65535"),
    ("read", "address=1", "read.count"),
    ("block-write", "address=1 register=1 data=", "length of 1 to 32"),
    ("block-write", f"address=1 register=1 data={'00' * 33}", "length of 1 to 32"),
    ("block-process-call", f"address=1 register=1 data={'00' * 32}", "at most 31 bytes"),
    ("send-byte", "address=1 value=256", "0 to 255"),
]

SEEN = [
    # marks, message, fields, a part of the problem
    ("S 4C A 02 A 3F A P", "write", {"address": 0x26, "register": 2, "data": "3F"}, ""),
    ("S 4C A P", "write", {"address": 0x26, "data": ""}, ""),
    ("S 4D A 12 A 34 N P", "read", {"address": 0x26, "count": 2, "data": "12 34"}, ""),
    (
        "S 4C A 04 A Sr 4D A 12 N P",
        "write-read",
        {"address": 0x26, "register": 4, "data": "", "count": 1, "reply": "12"},
        "",
    ),
    ("4C 02 3F", "write", {"address": 0x26, "register": 2, "data": "3F"}, ""),
    ("S F4 A AB A 01 A P", "write", {"address": 0x2AB, "ten_bit": True, "register": 1, "data": ""}, ""),
    ("S F4 A AB A Sr F5 A 12 N P", "read", {"address": 0x2AB, "ten_bit": True, "count": 1, "data": "12"}, ""),
    (
        "S F4 A AB A 07 A Sr F5 A 12 N P",
        "write-read",
        {"address": 0x2AB, "ten_bit": True, "register": 7, "data": "", "count": 1, "reply": "12"},
        "",
    ),
    ("S 00 A 06 A P", "write", {"address": 0, "register": 6, "data": "", "reserved": "general call"}, ""),
    ("S 01 N P", "read", {"address": 0, "count": 0, "data": "", "reserved": "start byte"}, ""),
    ("S 01 N Sr 4C A 02 A P", "write", {"address": 0x26, "register": 2, "data": "", "reserved": "start byte"}, ""),
    ("S 02 A P", "write", {"address": 1, "data": "", "reserved": "cbus"}, ""),
    ("S 05 A P", "read", {"address": 2, "count": 0, "data": "", "reserved": "different bus format"}, ""),
    ("S 06 A P", "write", {"address": 3, "data": "", "reserved": "future purposes"}, ""),
    ("S 0C N P", "write", {"address": 6, "data": "", "reserved": "hs-mode controller code"}, ""),
    (
        "S F8 A 4C A Sr F9 A 01 A 02 A 03 N P",
        "write-read",
        {"address": 0x7C, "register": 0x4C, "data": "", "count": 3, "reply": "01 02 03", "reserved": "device id"},
        "",
    ),
    ("S 4C N P", "write", {"address": 0x26, "data": ""}, "address 0x26: not acknowledged"),
    ("S 4C A 02 N P", "write", {"address": 0x26, "register": 2, "data": ""}, ""),
    ("S 4C A 02 N 03 A P", "write", {"address": 0x26, "register": 2, "data": "03"}, "yet more follow"),
    ("S 4D A 12 A P", "read", {"address": 0x26, "count": 1, "data": "12"}, "would go on sending"),
    ("S 01 A P", "read", {"address": 0, "count": 0, "data": "", "reserved": "start byte"}, "no device answers"),
    ("S F5 A 12 N P", "unreadable", {}, "without the write of its address"),
    ("S F4 A P", "unreadable", {}, "second byte"),
    ("S P", "unreadable", {}, "right behind a start"),
]


def decode(text, *, pec=False):
    decoder = I2cDecoder(pec=pec)
    return [*decoder.feed_text(text), *decoder.finish()]


class Encode(unittest.TestCase):
    def test_the_bytes_of_both_sides(self):
        for name, response, words, wire in CASES:
            given = dict(word.split("=", 1) for word in words.split(" "))
            with self.subTest(name, fields=words, response=response):
                form = find_form(CODEC, name, list(given), response)
                self.assertEqual(CODEC.encode(read_message(form, given)), bytes.fromhex(wire))

    def test_what_the_bus_can_not_carry_is_refused(self):
        for name, words, part in REFUSED:
            given = dict(word.split("=", 1) for word in words.split(" "))
            with self.subTest(name, fields=words), self.assertRaises(WrongError) as caught:
                read_message(find_form(CODEC, name, list(given), False), given)
            self.assertIn(part, str(caught.exception))

    def test_a_response_needs_what_the_device_sends(self):
        for name, given in (("read", {"address": "1", "count": "1"}), ("read-byte", {"address": "1", "register": "1"})):
            with self.subTest(name), self.assertRaises(WrongError):
                read_message(find_form(CODEC, name, list(given), True), given)
        with self.assertRaises(WrongError) as caught:
            read_message(find_form(CODEC, "read", [], True), {"address": "1", "count": "2", "data": "01"})
        self.assertIn("2 bytes", str(caught.exception))


class Decode(unittest.TestCase):
    def test_what_is_seen_on_the_bus(self):
        for text, name, fields, problem in SEEN:
            with self.subTest(text):
                (frame,) = decode(text)
                self.assertEqual(frame.message.NAME, name)
                if frame.readable:
                    self.assertEqual(as_fields(frame.message), fields)
                self.assertIn(problem, "; ".join(frame.problems))
                self.assertEqual(bool(frame.problems), bool(problem), frame.problems)

    def test_every_cut_gives_the_same(self):
        for text, *_ in SEEN:
            words = text.split()
            whole = decode(text)
            for cut in range(len(words) + 1):
                with self.subTest(text, cut=cut):
                    decoder = I2cDecoder()
                    frames = decoder.feed_text(" ".join(words[:cut])) + decoder.feed_text(" ".join(words[cut:]))
                    self.assertEqual([*frames, *decoder.finish()], whole)

    def test_a_transaction_that_goes_on_to_another_device_is_several_frames(self):
        frames = decode("S 4C A 01 A Sr 76 A FF A Sr 4D A 12 N P S 4E A P")
        self.assertEqual([frame.message.NAME for frame in frames], ["write", "write", "read", "write"])
        self.assertEqual([frame.offset for frame in frames], [0, 2, 4, 6])
        self.assertEqual(b"".join(frame.data for frame in frames), bytes.fromhex("4C 01 76 FF 4D 12 4E"))

    def test_the_packet_error_code_is_told_and_checked(self):
        (frame,) = decode("S B4 A 07 A Sr B5 A D2 A 3A A 30 N P", pec=True)
        fields = as_fields(frame.message)
        self.assertEqual((fields["reply"], fields["count"], fields["pec"]), ("D2 3A", 2, 0x30))
        self.assertEqual(frame.problems, ())
        (frame,) = decode("B4 80 83", pec=True)
        self.assertEqual(frame.problems, ("pec: found 0x83, expected 0x92",))
        (frame,) = decode("S B4 A P", pec=True)
        self.assertIn("found no byte", frame.problems[0])

    def test_the_clocks_are_counted(self):
        for text, expected in (("S 4C A 02 A P", 20), ("4C 02", 20), ("S 4C A 04 A Sr 4D A 12 N P", 39)):
            with self.subTest(text):
                self.assertEqual(sum(frame.clocks for frame in decode(text)), expected)

    def test_a_transaction_without_end_is_given_up(self):
        decoder = I2cDecoder()
        frames = decoder.feed_text("S " + "00 " * 200_000)
        self.assertTrue(frames and all(not frame.readable for frame in frames))
        frames += decoder.feed_text("P S 4C A P")
        self.assertEqual(frames[-1].message.NAME, "write")
        self.assertEqual(sum(len(frame.data) for frame in frames), 200_001)

    def test_marks_are_written_as_they_are_read(self):
        text = "S 4C A 04 A Sr 4D A 12 N P"
        self.assertEqual(show_marks(read_marks(text)), text)
        self.assertEqual(clocks(read_marks(text)), 39)
        for wrong in ("A", "S A", "4C A A", "4", "X"):
            with self.subTest(wrong), self.assertRaises(WrongError):
                read_marks(wrong)


class Explain(unittest.TestCase):
    def test_conditions_address_and_bytes_are_told_in_their_order(self):
        (frame,) = decode("S F4 A AB A 07 A Sr F5 A 12 N P")
        told = CODEC.explain(frame, Side.HOST)
        names = [field.name for field in told]
        self.assertEqual(
            names,
            ["start", "ten_bit", "address", "read", "register", "repeated start", "ten_bit", "address",
             "read", "data", "stop"],
        )  # fmt: skip
        covered = sum(count for field in told for _, count in field.spans)
        self.assertEqual(covered, 8 * len(frame.data))
        self.assertIn("not acknowledged", told[-2].meaning)
        address = told[2]
        self.assertEqual((address.value, address.spans), (0x2AB, ((5, 2), (8, 8))))


class PullUps(unittest.TestCase):
    def test_the_limits_follow_from_rise_time_and_sink_current(self):
        fits = pull_up(200e-12, 3.3, 400e3)
        self.assertAlmostEqual(fits.min_ohm, 966.67, 1)
        self.assertAlmostEqual(fits.max_ohm, 1770.3, 0)
        self.assertEqual(fits.problems, ())
        self.assertAlmostEqual(pull_up(100e-12, 5, 100e3).max_ohm, 11802.2, 0)
        self.assertAlmostEqual(pull_up(100e-12, 5, 1e6).min_ohm, 230)
        self.assertTrue(pull_up(400e-12, 5, 400e3).problems)

    def test_what_can_not_be_is_refused(self):
        for numbers in ((0, 3.3, 1e5), (1e-12, 0.4, 1e5), (1e-12, 3.3, 0), (1e-12, 3.3, 2e6), (1e-12, 3.3, 1e5, 0)):
            with self.subTest(numbers), self.assertRaises(WrongError):
                pull_up(*numbers)


class Registry(unittest.TestCase):
    def test_it_is_found_by_its_name(self):
        self.assertIs(codec("i2c"), CODEC)


if __name__ == "__main__":
    unittest.main()
