"""Quantities: what a person may write, what is printed, what is refused."""

import unittest

from hypothesis import given
from hypothesis import strategies as some

from cavet import units
from cavet.wording import WrongError

READ = [
    ("250 ms", "s", 0.25),
    ("1.5 s", "s", 1.5),
    ("1.5", "s", 1.5),
    ("60 %", "%", 60.0),
    ("60%", "", 0.6),
    ("0.6", "%", 0.6),
    ("12.5 V", "V", 12.5),
    ("12500 mV", "V", 12.5),
    ("90 deg", "deg", 90.0),
    ("90°", "deg", 90.0),
    ("0.5 turn", "deg", 180.0),
    ("1450 mm", "mm", 1450.0),
    ("1.45 m", "mm", 1450.0),
    ("2 380 mm", "mm", 2380.0),
    ("2 kHz", "Hz", 2000.0),
    ("200pF", "pF", 200.0),
    ("200pF", "F", 200e-12),
    ("10 kΩ", "Ohm", 10_000.0),
    ("−0.5", "", -0.5),
    ("-.5", "", -0.5),
    ("+3", "mm", 3.0),
    ("1e3", "mm", 1000.0),
    ("20 mA", "A", 0.02),
    ("2 min", "s", 120.0),
]

REFUSED = [
    ("", "s", "a number in s"),
    ("fast", "s", "a number in s"),
    ("1,5 V", "V", "a point before its decimals"),
    ("5 mm", "V", "a number in V, mV"),
    ("5 Vs", "V", 'did you mean "V"?'),
    ("5 5 V", "V", "a number in V"),
    (".", "V", "a number in V"),
    ("1e999", "V", "not so large"),
    ("5 s", "", "without a unit"),
    ("nan", "V", "a number in V"),
]

SHOWN = [
    (1212, "mm", "1 212 mm"),
    (1234567, "", "1 234 567"),
    (60, "%", "60 %"),
    (-0.02, "", "−0.02"),
    (-1e-13, "", "0"),
    (-0.001, "", "−0.001"),
    (0.003, "V", "0.003 V"),
    (0.0126, "A", "0.013 A"),
    (0.05, "A", "0.05 A"),
    (12.34, "V", "12.3 V"),
    (3.14159, "V", "3.14 V"),
    (105, "°", "105°"),
]

DURATIONS = [
    (0.0, "0 µs"),
    (64e-6, "64 µs"),
    (1.14e-3, "1.1 ms"),
    (0.0271, "27 ms"),
    (0.27, "270 ms"),
    (0.9999, "1 s"),
    (2.4, "2.4 s"),
    (192, "3 min 12 s"),
    (4000, "1 h 6 min"),
]


class Reading(unittest.TestCase):
    def test_a_quantity_is_read_in_the_unit_that_is_wanted(self):
        for text, unit, value in READ:
            with self.subTest(text, unit=unit):
                self.assertEqual(units.parse(text, unit), value)

    def test_what_is_no_such_quantity_is_refused_with_what_would_do(self):
        for text, unit, part in REFUSED:
            with self.subTest(text, unit=unit):
                with self.assertRaises(WrongError) as caught:
                    units.parse(text, unit, "somewhere")
                self.assertIn(part, str(caught.exception))
                self.assertTrue(str(caught.exception).startswith("somewhere: found"))

    def test_a_whole_number_is_read_in_the_ways_that_it_is_written_and_no_other(self):
        for text, number in (
            ("600", 600),
            ("007", 7),
            (" 5 ", 5),
            ("-5", -5),
            ("0x0258", 600),
            ("0b101", 5),
            ("-0X1f", -31),
        ):
            self.assertEqual(units.whole_number(text), number)
        for text in ("", " ", "1_0", "٣", "²", "1.0", "1e3", "0x", "0b2", "0o7", "5 5", "--5", "−5", "9" * 5000):
            with self.subTest(text[:20]), self.assertRaises(ValueError):
                units.whole_number(text)

    def test_a_switch_is_on_or_off(self):
        for text, value in (("on", True), ("off", False), ("ON", True), ("1", True), ("0", False), (" off ", False)):
            self.assertIs(units.parse_switch(text), value)
        with self.assertRaises(WrongError) as caught:
            units.parse_switch("onn", "horn")
        self.assertEqual(str(caught.exception), 'horn: found "onn", expected on or off; did you mean "on"?')

    @given(some.text(max_size=30), some.sampled_from(["", "s", "%", "mm", "nonsense"]))
    def test_any_text_is_read_or_refused(self, text, unit):
        try:
            self.assertIsInstance(units.parse(text, unit), float)
        except WrongError as error:
            self.assertNotIn("\n", str(error))


class Printing(unittest.TestCase):
    def test_numbers_have_thin_thousands_and_a_true_minus(self):
        for value, unit, text in SHOWN:
            with self.subTest(text):
                self.assertEqual(units.show(value, unit), text)

    def test_what_a_step_tells_apart_is_printed_and_nothing_finer(self):
        for value, step, text in ((0.002, 0.39, "0 V"), (5.003, 0.001, "5.003 V"), (1214.3, 0.5, "1 214.3 V")):
            with self.subTest(text):
                self.assertEqual(units.show(value, "V", step=step), text)

    def test_what_stands_still_has_its_places_and_a_small_one_is_not_0(self):
        steady = [units.show_steady(value, "V", 2) for value in (2.5, 0.0, 0.004, 12.345)]
        self.assertEqual(steady, ["2.50 V", "0.00 V", "0.0040 V", "12.35 V"])
        self.assertEqual([units.show_share(share) for share in (0, 0.004, 0.0051, 1)], ["0 %", "0.4 %", "1 %", "100 %"])

    def test_a_duration_is_in_the_unit_that_suits_it(self):
        for seconds, text in DURATIONS:
            with self.subTest(text):
                self.assertEqual(units.show_duration(seconds), text)

    def test_the_clock_counts_hours_minutes_seconds_and_tenths(self):
        self.assertEqual(units.show_clock(192.44), "00:03:12.4")
        self.assertEqual(units.show_clock(3600 * 27 + 0.05), "27:00:00.0")

    @given(some.floats(-1e6, 1e6), some.sampled_from(["mm", "V", "%", "s"]))
    def test_what_is_printed_can_be_read_again(self, value, unit):
        printed = units.show(value, unit, 6)
        self.assertAlmostEqual(units.parse(printed, unit), value, places=5)


if __name__ == "__main__":
    unittest.main()
