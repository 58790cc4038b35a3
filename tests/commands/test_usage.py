"""A wrong call is one line, as any other mistake: where, what was found, what was expected."""

import unittest

from cavet.commands import COMMANDS
from tests.commands.run import cavet_here

TAKE_ALL = ("encode", "reckon")
"""What begins with a dash can be a word of theirs."""


class Usage(unittest.TestCase):
    def told(self, *words):
        ran = cavet_here(*words)
        self.assertEqual((2, "", 1), (ran.code, ran.out, ran.err.count("\n")), ran)
        return ran.err.rstrip("\n")

    def test_an_option_that_no_command_has(self):
        for name in COMMANDS:
            with self.subTest(name):
                told = self.told(name, "--nonsense", "x")
                if name in TAKE_ALL:
                    self.assertRegex(told, "(--nonsense: )?found .*, expected ")
                else:
                    self.assertIn('found "--nonsense", expected one of its options', told)
                    self.assertIn(f"cavet {name} -h lists them", told)

    def test_an_option_that_means_something_beside_another_one_only(self):
        told = self.told("decode", "modbus-tcp", "00", "--address", "3")
        self.assertIn('found "--address", expected it with --bench only', told)

    def test_what_is_missing_or_too_much_is_told_with_how_it_is_called(self):
        for words, told in (
            ("drive", 'found "no BENCH", expected cavet drive [OPTIONS] BENCH POINT=VALUE | POINT? ...'),
            ("drive demo", 'found "no POINT=VALUE | POINT?", expected cavet drive [OPTIONS] BENCH'),
            ("compare a", 'found "no B", expected cavet compare [OPTIONS] A B'),
            ("export a", 'found "no --as", expected cavet export [OPTIONS] RECORD --as FORMAT'),
            ("open a b", 'found "b", expected no more than cavet open [OPTIONS] BENCH'),
        ):
            with self.subTest(words):
                self.assertIn(f"cavet {words.split()[0]}: {told}", self.told(*words.split()))
        self.assertEqual('cavet: found "--board alone", expected a value behind it', self.told("serve", "x", "--board"))

    def test_values_of_options(self):
        for words, told in (
            ("check demo --seeds x", 'cavet check --seeds: found "x", expected a whole number, 1 to 1000000'),
            ("check demo --seeds 0", 'cavet check --seeds: found "0", expected a whole number, 1 to 1000000'),
            ("trails x --slowest -1", 'cavet trails --slowest: found "-1", expected a whole number, 1 or more'),
            ("show demo --as x", 'cavet show --as: found "x", expected markdown, csv, python or c'),
            ("completion x", 'cavet completion SHELL: found "x", expected bash, zsh or fish'),
            ("serve demo --jason", 'one of its options: cavet serve -h lists them; did you mean "--json"?'),
        ):
            with self.subTest(words):
                self.assertTrue(self.told(*words.split()).endswith(told), self.told(*words.split()))


if __name__ == "__main__":
    unittest.main()
