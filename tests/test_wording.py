"""How errors are worded, and how text from outside is made fit to show."""

import pickle
import unittest

from hypothesis import given
from hypothesis import strategies as some

from cavet.wording import MoreWrongError, UnreachableError, WrongError, counted, hex_pairs, listed, nearest, plain


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
