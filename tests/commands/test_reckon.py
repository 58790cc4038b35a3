"""`cavet reckon`: the sums of the trade."""

import json
import unittest

from cavet.reckoning import next_e24, reckon_line
from cavet.wording import WrongError
from tests.commands.run import cavet_here


class Sums(unittest.TestCase):
    def test_each_comes_out_right(self):
        for words, expected in (
            ("pull-up capacitance=200pF supply=3.3V rate=400kHz", {"min_ohm": 966.67, "max_ohm": 1770.33}),
            ("address base=0x20 straps=110", {"address": 0x26, "write": "4C", "read": "4D"}),
            ("check data=@123456789 kind=modbus", {"check": 0x4B37, "hex": "0x4B37"}),
            ("check data=0102 kind=crc bits=8 polynomial=7", {"check": 27}),
            ("wire-time link=serial bytes=12 rate=57600", {"wire_us": 2083.333333}),
            ("wire-time link=i2c bytes=3 rate=100kHz", {"wire_us": 290}),
            ("number value=0x0258 bits=16", {"decimal": 600, "hex": "0x0258", "binary": "0b0000001001011000"}),
            ("number value=0xFFF0 bits=16 signed", {"decimal": -16, "signed": -16}),
            ("number value=0x3FC00000", {"float": 1.5, "text": "?À‹NUL›‹NUL›"}),
            ("number value=-5", {"decimal": -5, "hex": "0xFB"}),
            ("words value=1450.0 type=float32 order=high-first", {"words": [0x44B5, 0x4000]}),
            ("words value=1450 type=float32 order=low-first", {"words": [0x4000, 0x44B5]}),
            ("words value=1450 type=float32 byte_order=low-first", {"words": [0xB544, 0x0040]}),
            ("words words=44B5,4000 type=float32", {"value": 1450.0}),
            ("words words=4000,44B5 order=low-first", {"value": 1450.0, "type": "float32"}),
            ("words words=0102", {"value": 258, "orders": {"bytes high-first": "258", "bytes low-first": "513"}}),
            ("words value=1 type=uint32", {
                "orders": {
                    "high-first, bytes high-first": "0000 0001", "high-first, bytes low-first": "0000 0100",
                    "low-first, bytes high-first": "0001 0000", "low-first, bytes low-first": "0100 0000",
                },
            }),
            ("words value=9223372036854775807 type=int64", {"words": [0x7FFF, 0xFFFF, 0xFFFF, 0xFFFF]}),
            ("words value=9007199254740993 type=uint64", {"words": [0x20, 0, 0, 1], "value": (1 << 53) + 1}),
            ("words words=FFFF,FFFE type=int32", {"value": -2}),
            ("scale value=60% from=0..100 to=0..255", {"to": 153, "back": 60.0, "error": 0.0}),
            ("scale value=33% from=0..100 to=0..255", {"to": 84, "back": 32.941176471, "error": -0.058823529}),
            ("scale value=30 from=0..100 to=255..0", {"to": 178}),
            ("pulse angle=105deg range=0..180deg pulse=544us..2400us rate=50Hz bits=14",
             {"us": 1626.667, "duty": 8.1333, "counts": 1333}),
            ("mask set=3,5 clear=0 width=8 value=0xFF", {"and": 0xFE, "or": 0x28, "xor": 1, "value": 0xFE}),
            ("mask set=3", {"and": 0xFF, "or": 8, "value": None}),
            ("baud wanted=9600 clock=16MHz", {"divisor": 104, "error_percent": 0.16, "ok": True}),
            ("baud wanted=115200 clock=16MHz samples=8", {"divisor": 17, "error_percent": 2.124, "ok": True}),
            ("lamp supply=5V drop=2.1V current=15mA",
             {"ohm": 193.333, "next_ohm": 200, "current": 0.0145, "power": 0.04205}),
        ):  # fmt: skip
            with self.subTest(words):
                ran = cavet_here("reckon", *words.split())
                answer = json.loads(ran.out)
                self.assertEqual((ran.code, {key: answer[key] for key in expected}), (0, expected))
                self.assertEqual(answer["problems"], [])

    def test_what_does_not_hold_is_told_and_is_code_1(self):
        for words, part in (
            ("pull-up capacitance=400pF supply=5V rate=400kHz", "no resistor fits"),
            ("number value=70000 bits=16", "needs 17 bits"),
            ("number value=40000 bits=16 signed", "beyond 32767"),
            ("words value=70000 type=uint16", "65535"),
            ("words words=7FC0,0000 type=float32", "no number"),
            ("scale value=160 from=0..100 to=0..255", "expected 0 to 100"),
            ("pulse angle=200deg", "expected 0 deg to 180 deg"),
            ("pulse angle=90deg rate=1kHz", "do not fit"),
            ("mask set=3 clear=3", "bit 3"),
            ("baud wanted=115200 clock=16MHz", "expected at most 2.6 %"),
            ("lamp supply=1V drop=2.1V current=15mA", "not more than"),
        ):
            with self.subTest(words):
                ran = cavet_here("reckon", *words.split())
                (problem, *_) = json.loads(ran.out)["problems"]
                self.assertEqual(ran.code, 1)
                self.assertIn(part, problem)

    def test_wrong_calls_are_one_line_and_code_2(self):
        for words, part in (
            (
                "lamp supply=3.3V drop=2.1V current=1e-320A",
                'lamp.current: found "1e-320A", expected 0, or 1e-24 to 1e+24',
            ),
            ("scale value=1e308 from=0..100 to=0..255", "scale.value"),
            ("scale value=1 from=-1e308..1e308 to=0..255", "scale.from"),
            ("pulse angle=1 range=0..1e300deg", "pulse.range"),
            ("baud wanted=1e-320 clock=16MHz", "baud.wanted"),
            ("wire-time link=i2c bytes=1 rate=5e-324Hz", "wire-time.rate"),
            ("pull-up capacitance=2F supply=1.7e308V rate=100kHz", "pull-up.supply"),
            ("pul-up", 'did you mean "pull-up"?'),
            ("pull-up capacitance=1pF supply=3V", "pull-up.rate"),
            ("check kind=sum8 data=0", "hex pairs"),
            ("address base=0x21 straps=1", "are 0"),
            ("number value=x", "a whole number"),
            ("number valu=1", 'did you mean "value"?'),
            ("number value=1 signd", "NAME=VALUE"),
            ("number value=1 value=2", "it twice"),
            ("words type=float32", "value=… or words=…"),
            ("words type=float33 value=1", 'did you mean "float32"?'),
            ("words type=float32 words=44B5", "expected 2"),
            ("words words=44B5,4000,0", "expected 2"),
            ("words type=uint16 value=1.5", "a whole number"),
            ("scale value=1 from=0 to=0..255", "two ends"),
            ("scale value=1 from=5..5 to=0..255", "two different ends"),
            ("mask", "set=3,5"),
            ("mask set=8", "0 to 7"),
            ("baud wanted=0 clock=16MHz", "more than 0"),
            ("lamp supply=5V drop=2V current=0A", "more than 0"),
            ("supply", "the bench"),
        ):
            with self.subTest(words):
                ran = cavet_here("reckon", *words.split())
                self.assertEqual((ran.code, ran.out, ran.err.count("\n")), (2, "", 1), ran)
                self.assertIn(part, ran.err)

    def test_what_a_bench_draws_from_which_supply(self):
        ran = cavet_here("reckon", "supply", "demo")
        boards = {board["board"]: board for board in json.loads(ran.out)["boards"]}
        gatehouse = boards["gatehouse"]
        self.assertEqual(ran.code, 0)
        self.assertAlmostEqual(gatehouse["current"], sum(gatehouse["parts"].values()))
        self.assertIn("gate_motor", gatehouse["own_supply"])
        self.assertIn("beacon", gatehouse["parts"])


class Lines(unittest.TestCase):
    def test_values_may_have_spaces_and_what_is_known_need_not_be_said(self):
        self.assertEqual(reckon_line("check data=07 06 00 00 02 58 kind=modbus").values["hex"], "0x3689")
        self.assertEqual(reckon_line("scale value=60 % from=0..100 to=0..255").values["to"], 153)
        self.assertEqual(reckon_line("number bits=16 signed", {"value": "0xFFF0"}).values["decimal"], -16)
        self.assertIn("with a sign −16".replace("−", "-"), reckon_line("number value=0xFFF0").way)
        with self.assertRaises(WrongError):
            reckon_line("")

    def test_every_sum_says_its_way(self):
        for line in ("mask set=1 value=4", "baud wanted=9600 clock=8MHz", "lamp supply=5V drop=2V current=10mA"):
            self.assertTrue(reckon_line(line).way, line)

    def test_the_next_preferred_value(self):
        for ohm, expected in ((193.3, 200), (200, 200), (9.2, 10), (0.5, 0.51), (91.5, 100), (1e6, 1e6), (4.7, 4.7)):
            self.assertAlmostEqual(next_e24(ohm), expected)


if __name__ == "__main__":
    unittest.main()
