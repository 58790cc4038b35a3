"""Files that are meant to do harm: each is told in a few short lines, soon, whatever is in it."""

import os
import tempfile
import unittest
from pathlib import Path

from cavet.benchfile import check_text, load_bench
from cavet.wording import MoreWrongError, WrongError
from tests.bench.benches import SMALL

LONGEST = 1500
DEEP = "tables or lists in one another"
LARGE = "an integer of more than 64 bits"


def many(count, lines):
    return SMALL + "".join(lines.format(number) for number in range(count))


def told(text):
    """What is said of a text, line by line."""
    try:
        check_text(text, "a.bench.toml")
    except ExceptionGroup as group:
        return [str(error) for error in group.exceptions], group.exceptions
    except WrongError as error:
        return [str(error)], [error]
    raise AssertionError("nothing was wrong")


class OneLine(unittest.TestCase):
    def test_each_is_told_in_one_line_with_its_place(self):
        for name, text, said in (
            ("lists", f"{SMALL}\nx = {'[' * 490}{']' * 490}", f'found "{DEEP}", expected 16 levels'),
            ("more lists", f"{SMALL}\nx = {'[' * 5000}{']' * 5000}", f'found "{DEEP}"'),
            ("tables", f"{SMALL}\nx = {'{a=' * 400}1{'}' * 400}", f'found "{DEEP}"'),
            ("digits", f"{SMALL}\nx = {'9' * 5000}", f'a.bench.toml:38: found "{LARGE}"'),
            ("bits", SMALL.replace("pin = 3 ", f"pin = {1 << 63} "), f'parts.lamp.pin: found "{LARGE}"'),
            ("dots", f"{SMALL}\n{'.'.join('a' * 20_000)} = 1", "a.bench.toml:38: found"),
            ("head", f"{SMALL}\n[{'.'.join('a' * 20_000)}]\n", "expected keys of at most 32 parts"),
            ("quoted", f"""{SMALL}\n[{'."a"' * 20_000}]\n""".replace("[.", "["), "expected keys of at most 32 parts"),
            ("values", f"{SMALL}\nx = [{'1,' * 400_000}]", 'found "more values", expected at most 100000'),
            ("a list", SMALL.replace("range = [0, 3000]", f"range = [{'1,' * 90_000}]", 1), 'found "a list of 90000"'),
            ("comments", SMALL + "\nzzz = 1\n" + "# x\n" * 200_000, "a.bench.toml:38 points.level.zzz: found"),
            ("a key", f"{SMALL}\n{'k' * 900_000} = 1", f"points.level.{'k' * 79}…: found"),
            ("a format", SMALL.replace("format = 1", f"format = {(1 << 63) - 1}"), "this file needs a newer Cavet"),
        ):
            lines, _ = told(text)
            with self.subTest(name):
                self.assertEqual(len(lines), 1)
                self.assertIn(said, lines[0])
                self.assertLess(len(lines[0]), LONGEST)
                self.assertNotIn("\n", lines[0])

    def test_a_text_may_hold_what_a_key_may_not(self):
        dotted = ".".join("a" * 200)
        check_text(f"# {dotted} = 1\n" + SMALL.replace('"small"', f"'{dotted}'"), "a.bench.toml")
        check_text(SMALL.replace('name = "small"', f'name = "s"  # "{dotted}'), "a.bench.toml")
        check_text(SMALL.replace('"small"', '"' + "s." * 20 + "s" * 100_000 + '"'), "a.bench.toml")

    def test_a_file_without_end_is_not_read_to_its_end(self):
        with tempfile.TemporaryDirectory() as folder:
            sparse = Path(folder) / "a.bench.toml"
            with sparse.open("wb") as file:
                os.truncate(file.fileno(), 20 << 30)
            for path in (sparse, Path("/dev/zero")):
                with self.assertRaisesRegex(WrongError, "a longer file.*a bench file of at most 1048576 bytes"):
                    load_bench(path)
            with self.assertRaisesRegex(WrongError, "Is a directory"):
                load_bench(Path(folder))


class ManyMistakes(unittest.TestCase):
    def test_the_first_fifty_and_how_many_more(self):
        for lines, places in (
            ("\nkey_{} = 1", "points.level.key_"),
            ('\n[points.p{}]\nboard = "hutt"\nkind = "levl"\npin = 3', "points.p"),
            ('\n[points.p{}]\nboard = "hutt"\nkind = "level"\npin = 3', "points.p"),
            ('\n[boards.b{}]\nprofile = "wern"', "boards.b"),
            ('\n[rig.q{}]\nunit = "mn"', "rig.q"),
            ('\n[links.q{}]\nkind = "seriel"\nboard = "hot"', "links.q"),
        ):
            said, errors = told(many(4000, lines))
            with self.subTest(lines):
                self.assertEqual(len(said), 51)
                self.assertIsInstance(errors[-1], MoreWrongError)
                self.assertGreaterEqual(errors[-1].count, 3950)
                self.assertRegex(said[-1], r"^a.bench.toml: \d+ more mistakes, not told$")
                self.assertTrue(all(places in line for line in said[:50]))
                self.assertLess(max(map(len, said)), LONGEST)

    def test_exactly_fifty_are_all_told(self):
        said, _ = told(many(50, "\nkey_{} = 1"))
        self.assertEqual(len(said), 50)
        self.assertNotIn("more mistakes", said[-1])


if __name__ == "__main__":
    unittest.main()
