"""Sums in words: what they give, and what they can't be used for."""

import math
import unittest

from cavet.expressions import MAX_CHARACTERS, Expression
from cavet.wording import WrongError

SLOTS = {"a": 0, "b": 1, "gatehouse.paddle": 2}

GIVEN = [
    ("a + b * 2", (1, 2, 0), 5),
    ("-a", (3, 0, 0), -3),
    ("a / b", (1, 4, 0), 0.25),
    ("root(a)", (9, 0, 0), 3),
    ("root(a)", (-9, 0, 0), -3),
    ("abs(a - b) <= 20", (100, 110, 0), True),
    ("abs(a - b) <= 20", (100, 130, 0), False),
    ("2 * gatehouse.paddle", (0, 0, 0.5), 1.0),
    ("min(a, b) + max(a, b)", (3, 4, 0), 7),
    ("a > 1 and not b > 1", (2, 0, 0), True),
    ("1 < a < 3", (2, 0, 0), True),
    ("a\n  + b", (1, 2, 0), 3),
    ("a / b", (-1, 0, 0), -1e15),
    ("a / (b - b)", (0, 3, 0), 0),
    ("a / 2 / 4", (16, 0, 0), 2),
    (" * ".join(["1e15"] * 40), (0, 0, 0), math.inf),
    ("round(a)", (2.6, 0, 0), 3),
    ("round(a, b)", (2.649, 1, 0), 2.6),
    ("round(a, -1)", (26, 0, 0), 30),
    ("round(a, b)", (2.6, 1e300, 0), 2.6),
]

REFUSED = [
    "a ** 2",
    "a.b()",
    "__import__('os')",
    "[1, 2]",
    "a if b else 1",
    "'text'",
    "1 +",
    "open(a)",
    "abs(a, key=b)",
    "lambda: 1",
    "a[0]",
    "True",
    "a / 0",
    "min()",
    "max(a)",
    "abs(a, b)",
    "root()",
    "round(a, 1, 2)",
    "1e16 * a",
    "9" * 400,
    "(" * 200 + "a" + ")" * 200 + "+" * 50,
    "-" * 100 + "a",
    "a" + "+a" * MAX_CHARACTERS,
]


class Sums(unittest.TestCase):
    def test_a_sum_is_what_its_text_says(self):
        for text, row, value in GIVEN:
            with self.subTest(text):
                self.assertEqual(Expression(text).bind(SLOTS)(row), value)

    def test_a_sum_names_what_it_reads_once_each_in_order(self):
        self.assertEqual(Expression("b + gatehouse.paddle * b").names, ("b", "gatehouse.paddle"))

    def test_anything_but_a_small_sum_is_refused(self):
        for text in REFUSED:
            with self.subTest(text[:40]):
                with self.assertRaises(WrongError) as caught:
                    Expression(text, "rig.x.rate")
                self.assertTrue(str(caught.exception).startswith("rig.x.rate: found"))

    def test_a_function_that_is_not_there_is_told_with_the_nearest(self):
        with self.assertRaises(WrongError) as caught:
            Expression("mix(a, b)")
        self.assertEqual(caught.exception.nearest, "min")

    def test_a_name_that_is_not_there_is_told_when_it_is_bound(self):
        with self.assertRaises(WrongError) as caught:
            Expression("a + gatehouse.padle", "here").bind(SLOTS)
        self.assertEqual(caught.exception.nearest, "gatehouse.paddle")


if __name__ == "__main__":
    unittest.main()
