"""A colour lamp on three pins, and behind one report: asked as people write colours, got as it shines."""

import tempfile
import unittest
from pathlib import Path

import cavet
from cavet.benchfile import check_text
from cavet.colours import NAMES, channels_of, colour_of, name_of, parse_colour
from cavet.wording import WrongError

FRAMES = """\
format = 1
[frames.paint]
start = "@<"
end = "@>"
fields = [ { name = "colour", bits = 24 }, { name = "sum", bits = 8, check = "xor" } ]
escape = { byte = 0x5C, xor = 0x20 }
[frames.state]
start = "@("
end = "@)"
fields = [ { name = "colour", bits = 24 } ]
escape = { byte = 0x5C, xor = 0x20 }
"""
BENCH = """\
format = 1
name = "colours"

[boards.hut]
profile = "wren"
firmware = "firmata"
parts.hut_lamp = { kind = "colour-lamp", red = 3, green = 6, blue = 9 }

[boards.kiln]
profile = "wren"
firmware = "plan"
plan = "hue.plan.toml"
parts.kiln_lamp = { kind = "colour-lamp", red = 3, green = 6, blue = 9 }
takes.paint = { colour = { pins = "3, 6, 9", mode = "pwm" } }
gives.state = { fields = { colour = { pins = "3, 6, 9" } } }

[boards.post]
profile = "wren"
firmware = "usb"
plan = "hue.plan.toml"
parts.post_lamp = { kind = "colour-lamp", red = 2, green = 7, blue = 10 }
takes.paint = { colour = { pins = "2, 7, 10", mode = "pwm" } }
gives.state = { when = "taken", fields = { colour = { pins = "2, 7, 10" } } }
usb = { vendor = 0x1209, product = 0xCA7E }

[links]
hut = { kind = "serial", board = "hut" }
kiln = { kind = "serial", board = "kiln" }
post = { kind = "usb", board = "post" }

[hosts]
hut = { link = "hut", protocol = "firmata" }
kiln = { link = "kiln", protocol = "plan", plan = "hue.plan.toml" }
post = { link = "post", protocol = "plan", plan = "hue.plan.toml" }

[points]
hut_lamp = { board = "hut", kind = "colour", red = 3, green = 6, blue = 9, rest = "navy" }
kiln_lamp = { board = "kiln", kind = "colour", field = "paint.colour", state = "state.colour" }
post_lamp = { board = "post", kind = "colour", field = "paint.colour", state = "state.colour" }

[defects.dead]
kind = "dead-pin"
board = "hut"
pin = 6
on = false
"""
ROUTINE = """\
routine glow
    set hut_lamp to gold
    expect hut_lamp = "#FFD700" within 1 s
    expect hut.hut_lamp = gold within 1 s
    set kiln_lamp to "#1a2"
    expect kiln_lamp = "#11aa22" within 1 s
"""


class Words(unittest.TestCase):
    def test_what_css_has(self):
        self.assertEqual(148, len(NAMES))  # CSS Color Module Level 4, section 6.1
        for text, colour in (
            ("#D8A23C", "#d8a23c"), ("#1af", "#11aaff"), (" Gold ", "#ffd700"), ("rebeccapurple", "#663399"),
            ("aqua", "#00ffff"), ("cyan", "#00ffff"), ("grey", "#808080"), ("lightgoldenrodyellow", "#fafad2"),
        ):  # fmt: skip
            self.assertEqual(colour, parse_colour(text, "x"))
        self.assertEqual("aqua", name_of("#00ffff"))
        self.assertEqual("", name_of("#010203"))
        for name, colour in NAMES.items():
            self.assertEqual(colour, colour_of(*channels_of(colour)), name)

    def test_what_is_none_is_told(self):
        for text in ("brass", "#12", "#12345g", "", "#1234567", "12345a"):
            with self.subTest(text), self.assertRaisesRegex(WrongError, "expected a colour"):
                parse_colour(text, "x")
        with self.assertRaisesRegex(WrongError, 'did you mean "tomato"'):
            parse_colour("tomatoe", "x")


class Lamps(unittest.TestCase):
    def setUp(self):
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.folder = Path(place.name)
        (self.folder / "hue.plan.toml").write_text(FRAMES)
        (self.folder / "glow.routine").write_text(ROUTINE)
        self.path = self.folder / "colours.bench.toml"
        self.path.write_text(BENCH)
        self.bench = cavet.open(self.path, seed="a")
        self.addCleanup(self.bench.close)

    def test_asked_by_any_word_it_shines_so_and_is_confirmed(self):
        for board in ("hut", "kiln", "post"):
            lamp = self.bench.part(f"{board}.{board}_lamp")
            for asked, shown in (("gold", "#ffd700 gold"), ("#10ff7f", "#10ff7f"), ("#000", "off")):
                with self.subTest(board=board, asked=asked):
                    self.bench[f"{board}_lamp"].set(asked)
                    self.bench.wait_until(lambda: lamp.words == shown, at_most=1.0)  # noqa: B023
                    self.assertEqual(lamp.state, self.bench[f"{board}_lamp"].got)
                    self.assertIsNone(self.bench[f"{board}_lamp"].trail.broken_at)

    def test_what_is_no_colour_is_refused_before_anything_is_said(self):
        with self.assertRaisesRegex(WrongError, "expected a colour"):
            self.bench["hut_lamp"].set("brass")
        self.assertIsNone(self.bench["hut_lamp"].asked)

    def test_it_goes_to_its_own_rest(self):
        self.bench["hut_lamp"].set("white")
        self.bench.rest()
        self.assertEqual("#000080", self.bench["hut_lamp"].got)

    def test_a_channel_that_is_dead_is_named(self):
        lamp = self.bench.part("hut.hut_lamp")
        with self.bench.defect("dead"):
            with self.assertRaisesRegex(cavet.Unconfirmed, "pin 6 took it, but its line stays low"):
                self.bench["hut_lamp"].set("gold")
            self.assertEqual("#ff0000", lamp.state)
        self.assertEqual("#ffd700", lamp.state)

    def test_in_a_routine(self):
        self.assertEqual("done", self.bench.run(self.folder / "glow.routine").result)
        bad = ROUTINE.replace("gold", "brass", 1)
        (self.folder / "bad.routine").write_text(bad)
        with self.assertRaises(ExceptionGroup) as caught:
            self.bench.run(self.folder / "bad.routine")
        self.assertIn("a colour, #rrggbb or a name of CSS", str(caught.exception.exceptions[0]))

    def test_the_walk_sees_all_three(self):
        self.assertEqual([], [walked for walked in self.bench.walk() if not walked.held])


class Wrong(unittest.TestCase):
    def test_what_the_file_says_wrong_is_told(self):
        for old, new, words in (
            (', rest = "navy"', ', rest = "brass"', "points.hut_lamp.rest: found \"brass\", expected a colour"),
            (", blue = 9, rest", ", rest", "points.hut_lamp.blue: found \"nothing\", expected the pin of its blue"),
            ("red = 3, green = 6, blue = 9, rest", "red = 3, green = 6, blue = 77, rest", "points.hut_lamp.blue"),
            ('field = "paint.colour", state', 'field = "paint.sum", state', "a whole number of 24 bits: paint.colour"),
            ('state = "state.colour" }\npost', 'state = "state.wide" }\npost', "a whole number of 24 bits"),
            ('state = "state.colour" }\npost', 'state = "state.scaled" }\npost', "a whole number of 24 bits"),
            ('pins = "3, 6, 9", mode', 'pins = "3, 6", mode', "one for each byte of its 24 bits"),
            ('field = "paint.colour", state', 'red = 3, field = "paint.colour", state', "its host speaks plan"),
        ):  # fmt: skip
            with self.subTest(words), tempfile.TemporaryDirectory() as folder:
                fields = '{ name = "colour", bits = 24 } ]'
                more = '{ name = "wide", bits = 32 }, { name = "scaled", bits = 24, scale = 0.5 } ]'
                (Path(folder) / "hue.plan.toml").write_text(FRAMES.replace(fields, f"{fields[:-2]}, {more}"))
                with self.assertRaises(ExceptionGroup) as caught:
                    check_text(BENCH.replace(old, new, 1), "a.bench.toml", Path(folder))
                self.assertIn(words, "; ".join(map(str, caught.exception.exceptions)))
