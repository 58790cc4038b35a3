"""Topic trees, payloads and pauses."""

import unittest

from cavet.messaging import Pauses, PayloadError, PayloadForm, TopicTree, fits, path_problem


class Trees(unittest.TestCase):
    def test_what_is_dropped_is_gone_with_its_branches(self):
        tree = TopicTree()
        self.assertTrue(tree.put("a/+/c", "k", 1))
        self.assertFalse(tree.put("a/+/c", "k", 2))
        self.assertEqual(tree.fitting("a/b/c"), [2])
        self.assertFalse(tree.drop("a/b/c", "k"))
        self.assertTrue(tree.drop("a/+/c", "k"))
        self.assertEqual((tree.fitting("a/b/c"), list(tree.under("#"))), ([], []))

    def test_a_topic_of_very_many_levels_is_looked_for(self):
        deep = "/".join("a" * 30000)
        tree = TopicTree()
        tree.put("#", "all", 1)
        tree.put(deep, "one", 2)
        self.assertEqual(sorted(tree.fitting(deep)), [1, 2])
        self.assertEqual(list(tree.under(deep)), [2])

    def test_what_fitted_before_a_change_is_looked_for_anew(self):
        tree = TopicTree()
        self.assertEqual(tree.fitting("a"), [])
        tree.put("+", "k", 1)
        self.assertEqual(tree.fitting("a"), [1])

    def test_fits(self):
        self.assertTrue(fits("a/#", "a"))
        self.assertFalse(fits("a/+", "a/b/c"))


class Payloads(unittest.TestCase):
    def test_forms_both_ways(self):
        cases = [
            (PayloadForm(kind="words"), True, b"1"),
            (PayloadForm(kind="words", words=("OFF", "ON")), False, b"OFF"),
            (PayloadForm(kind="number"), 12.5, b"12.5"),
            (PayloadForm(kind="number"), 250.0, b"250"),
            (PayloadForm(kind="number", unit="mm"), 1450.0, b"1450 mm"),
            (PayloadForm(kind="text"), "lock\nopen", b"lock\nopen"),
            (PayloadForm(kind="json"), 3.0, b"3"),
            (PayloadForm(kind="json", path="a.b[1]"), True, b'{"a":{"b":[null,true]}}'),
            (PayloadForm(kind="raw", size=2), 258.0, b"\x01\x02"),
        ]
        for form, value, payload in cases:
            with self.subTest(form=form):
                self.assertEqual(form.encode(value), payload)
                self.assertEqual(form.decode(payload), value)

    def test_units_are_turned_into_the_forms_own(self):
        self.assertEqual(PayloadForm(kind="number", unit="mm").decode(b"1.45 m"), 1450)

    def test_what_does_not_fit_is_told(self):
        cases = [
            (PayloadForm(kind="words"), b"2", 'found "2", expected 0 or 1'),
            (PayloadForm(kind="words"), b"\xff", "found FF, expected 0 or 1"),
            (PayloadForm(kind="number"), b"nan", 'found "nan", expected a number'),
            (PayloadForm(kind="number"), b"1_0", 'found "1_0", expected a number'),
            (PayloadForm(kind="number"), "１".encode(), 'found "１", expected a number'),
            (PayloadForm(kind="number"), b"5\x1b[2J", 'found "5‹ESC›[2J", expected a number'),
            (PayloadForm(kind="number", unit="mm"), b"5 V", 'found "5 V", expected a number in mm'),
            (PayloadForm(kind="number"), b"1e999", 'found "1e999", expected a number'),
            (PayloadForm(kind="number"), b"9" * 400, f'found "{"9" * 39}…", expected a number'),
            (PayloadForm(kind="number", unit="mm"), b"1e999 mm", 'found "1e999 mm", expected a number in mm'),
            (PayloadForm(kind="json"), b"[" * 100_000, f'found "{"[" * 39}…", expected JSON'),
            (PayloadForm(kind="json"), b"9" * 400, f'found "{"9" * 39}…" at its top, expected a value'),
            (PayloadForm(kind="json", path="a"), b'{"a":null}', 'found "null" at a, expected a value'),
            (PayloadForm(kind="json", path="a"), b"{", 'found "{", expected JSON'),
            (PayloadForm(kind="json", path="a.b"), b'{"a":1}', 'found no a.b in "{"a":1}"'),
            (PayloadForm(kind="json", path="a[2]"), b'{"a":[1]}', 'found no a[2] in "{"a":[1]}"'),
            (PayloadForm(kind="json"), b"[1]", 'found "[1]" at its top, expected a value'),
            (PayloadForm(kind="raw", size=2), b"\x01", "found 1 bytes, expected 2"),
        ]
        for form, payload, text in cases:
            with self.subTest(payload=payload):
                with self.assertRaises(PayloadError) as raised:
                    form.decode(payload)
                self.assertEqual(str(raised.exception), text)

    def test_a_number_that_raw_bytes_cannot_hold_is_refused(self):
        with self.assertRaises(PayloadError):
            PayloadForm(kind="raw", size=1).encode(256.0)

    def test_paths(self):
        for path in ("", "a", "a.b", "a[0].b", "[3]"):
            self.assertEqual(path_problem(path), "")
        for path in ("a[b]", "a[", "a]b"):
            self.assertIn("expected names with dots", path_problem(path))


class Waiting(unittest.TestCase):
    def test_pauses_grow_to_the_longest_and_begin_anew(self):
        pauses = Pauses("seed", first=0.25, longest=2.0)
        found = [pauses.next() for _ in range(8)]
        for pause, middle in zip(found, (0.25, 0.5, 1, 2, 2, 2, 2, 2), strict=True):
            self.assertLessEqual(abs(pause / middle - 1), 0.2)
        self.assertEqual(len(set(found)), 8)
        pauses.succeeded()
        self.assertLess(pauses.next(), 0.31)


if __name__ == "__main__":
    unittest.main()
