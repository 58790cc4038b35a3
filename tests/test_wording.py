"""How errors are worded, and how text from outside is made fit to show."""

import pickle
import unittest

from hypothesis import given
from hypothesis import strategies as some

from cavet.wording import (
    MoreWrongError,
    UnreachableError,
    WrongError,
    counted,
    digits,
    from_to,
    hex_pairs,
    listed,
    nearest,
    one_of,
    plain,
)


class Wording(unittest.TestCase):
    def test_an_error_tells_place_found_expected_and_the_nearest_word(self):
        error = WrongError("x.toml:41 gatehouse.level.pin", found="A7", expected="0 to 19 or A0 to A5", nearest="A5")
        self.assertEqual(
            str(error),
            'x.toml:41 gatehouse.level.pin: found "A7", expected 0 to 19 or A0 to A5; did you mean "A5"?',
        )

    def test_an_unreachable_link_tells_where_and_why(self):
        self.assertEqual(str(UnreachableError("/dev/x", "no such device")), "/dev/x: no such device")

    def test_the_nearest_word_is_found_whatever_its_case(self):
        self.assertEqual(nearest("Becon", ["beacon", "horn"]), "beacon")
        self.assertIsNone(nearest("xyz", ["beacon", "horn"]))

    def test_errors_come_whole_out_of_another_process(self):
        for error in (
            WrongError("a", found="b", expected="c", nearest="d"), MoreWrongError("a", 3), UnreachableError("a", "b"),
        ):  # fmt: skip
            again = pickle.loads(pickle.dumps(error))
            self.assertEqual((type(error), str(error)), (type(again), str(again)))

    def test_counted(self):
        self.assertEqual(["1 byte", "2 bytes"], [counted(1, "byte"), counted(2, "byte")])

    def test_words_are_joined_as_in_a_sentence(self):
        self.assertEqual(listed([]), "")
        self.assertEqual(listed(["a"]), "a")
        self.assertEqual(listed(["a", "b", "c"], "and"), "a, b and c")
        self.assertEqual(one_of("ab"), "one of a or b")
        self.assertEqual(one_of(()), "nothing: there is none")
        self.assertEqual(one_of(range(30)).count(","), 28)
        self.assertRegex(one_of(range(78)), "^one of 0, 1, .*, 15 or 62 others$")

    def test_numbers_have_all_the_digits_that_tell(self):
        for number, most, text in (
            (0, 12, "0"), (-0.0, 12, "0"), (1000001, 12, "1000001"), (4e6, 12, "4000000"), (1 << 64, 12, str(1 << 64)),
            (0.1 + 0.2, 12, "0.3"), (-2.5, 12, "-2.5"), (1e16, 12, "1e+16"), (float("inf"), 12, "inf"),
            (123456.789, 4, "123457"), (0.0012345678, 4, "0.001235"), (1234567.0, 4, "1234567"),
        ):  # fmt: skip
            self.assertEqual(text, digits(number, most))
        self.assertEqual("0 to 4294967295", from_to(0.0, 4294967295.0))

    @given(some.floats(-1e300, 1e300), some.integers(1, 15))
    def test_no_digit_before_the_point_is_lost(self, number, most):
        shown = float(digits(number, most))
        self.assertLessEqual(
            abs(shown - number), max(0.5 if abs(number) < 1e15 else 0.0, abs(number) * 10.0 ** (1 - most))
        )

    def test_control_and_format_characters_become_visible(self):
        self.assertEqual(plain("a\x1b[31mb\x07\x7f"), "a‹ESC›[31mb‹BEL›‹DEL›")
        self.assertEqual(plain("\x9b31m"), "‹U+009B›31m")
        self.assertEqual(plain("a\u202eb\u200bc"), "a‹U+202E›b‹U+200B›c")
        self.assertEqual(plain("[bold]x[/bold] é 水"), "[bold]x[/bold] é 水")

    def test_a_long_text_is_cut_visibly(self):
        self.assertEqual(plain("abcdefgh", 5), "abcd…")

    @given(some.text())
    def test_nothing_that_could_steer_a_terminal_is_left(self, text):
        shown = plain(text)
        self.assertFalse(any(ord(c) < 0x20 or 0x7F <= ord(c) < 0xA0 for c in shown))

    @given(some.binary(max_size=40))
    def test_hex_pairs_can_be_read_back(self, data):
        self.assertEqual(bytes.fromhex(hex_pairs(data)), data)


if __name__ == "__main__":
    unittest.main()
