"""Changing the text of a bench file: what was wanted is there, and everything else is as it was."""

import random
import tomllib
import unittest

from cavet.benchfile import START_KINDS, BenchFile, check_text, edited, load_bench, start_text
from cavet.demo import demo_path

DEMO = load_bench(demo_path())


def bare(text):
    return [line for line in text.splitlines() if line.strip()]


class Editing(unittest.TestCase):
    def edited(self, *changes, file=DEMO):
        return file.changed_all(changes).text

    def test_one_line_changes_and_no_other(self):
        for keys, value, line in (
            (("points", "beacon", "pin"), 6, "pin = 6"),
            (("points", "beacon", "rest"), "5 %", 'rest = "5 %"'),
            (
                ("boards", "gatehouse", "parts", "spare"),
                {"kind": "lamp", "pin": 6},
                'spare = { kind = "lamp", pin = 6 }',
            ),
            (("boards", "gatehouse", "parts", "horn", "pin"), 6, 'horn = { kind = "horn", pin = 6 }'),
            (("boards", "gatehouse", "bus", "rate"), "10 kHz", 'rate = "10 kHz"'),
            (("boards", "gatehouse", "reflexes", "r"), {"pin": 4, "target": 6}, "r = { pin = 4, target = 6 }"),
            (("name",), "Other", 'name = "Other"'),
            (("profiles", "x"), {"pins": "0-3"}, 'pins = "0-3"'),
        ):
            with self.subTest(keys):
                text = edited(DEMO.text, [(keys, value)])
                old, new = bare(DEMO.text), bare(text)
                self.assertEqual([each for each in new if each not in old and not each.startswith("[")], [line])
                self.assertLessEqual(len([each for each in old if each not in new]), 1)
                self.assertEqual(text.count("#"), DEMO.text.count("#"))
                self.assertNotRegex(text, r"[^\n]\n\[|\n\n\n\n")

    def test_what_is_taken_away_takes_no_comment_of_its_neighbours(self):
        text = self.edited((("points", "beacon"), None), (("boards", "gatehouse", "parts", "beacon"), None))
        self.assertNotIn("beacon", tomllib.loads(text)["points"])
        self.assertEqual(text.count("#"), DEMO.text.count("#"))

    def test_any_changes_say_what_the_same_changes_of_the_data_say(self):
        chance = random.Random("editing")
        for kind in START_KINDS:
            text = start_text("x", "x", [kind])
            file = BenchFile(DEMO.path, text, check_text(text, "x"))
            for _ in range(20):
                point = chance.choice(list(file.setup.points))
                value = chance.choice(["a", 'with "quotes"', "ünï", "two\nlines", "#", "]"])
                changes = [
                    (("points", point, "note_" + str(chance.randrange(3))), value),
                    (("boards", next(iter(file.setup.boards), "x"), "parts", "new"), {"kind": value}),
                ]
                after = tomllib.loads(edited(file.text, changes))
                self.assertEqual(after["points"][point][changes[0][0][-1]], value)
                self.assertEqual(after["boards"][changes[1][0][1]]["parts"]["new"], {"kind": value})

    def test_lines_that_only_look_like_headers_and_windows_line_ends_are_no_hindrance(self):
        text = 'format = 1\nname = """\n[points.x]\n"""\n\n[rig.a]\nrange = [\n  0,\n  1,\n]\n\n[rig.b] # [rig.c]\n'
        text += "start = 2.0\n"
        for ends in ("\n", "\r\n"):
            with self.subTest(ends):
                whole = text.replace("\n", ends)
                file = BenchFile(DEMO.path, whole, check_text(whole, "x"))
                after = self.edited((("rig", "b", "start"), 3.0), (("rig", "c"), {"start": 1.0}), file=file)
                data = tomllib.loads(after)
                self.assertEqual((data["rig"]["b"], data["rig"]["c"]), ({"start": 3.0}, {"start": 1.0}))
                self.assertEqual(data["rig"]["a"], {"range": [0, 1]})
                self.assertIn("# [rig.c]", after)
