"""Frames of the user's own: layout, checks, streams, and every mistake of a plan file."""

import itertools
import random
import struct
import tempfile
import unittest
from pathlib import Path

from cavet.benchfile import load_plan
from cavet.protocols import FieldError, Side, as_fields, read_message, set_right
from cavet.wording import WrongError


def plan_of(text, head="format = 1\n"):
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "own.plan.toml"
        path.write_text(head + text)
        return load_plan(path)


def frame_of(text):
    plan = plan_of(f"[frames.f]\n{text}")
    return plan.codec("f")


def encode(chosen, **given):
    return chosen.encode(read_message(chosen.form, given))


def decode(chosen, data):
    decoder = chosen.decoder(Side.HOST)
    return [*decoder.feed(data), *decoder.finish()]


REPORT = """size = 4
fields = [
  { name = "head", at = "0.4", bits = 4, const = 0xA },
  { name = "mode", at = "0.2", bits = 2, values = { rest = 0, fill = 1, drain = 2 } },
  { name = "speed", at = 1, bits = 8, scale = 0.5, unit = "%", max = 100 },
  { name = "tilt", at = 2, bits = 8, type = "int" },
  { name = "sum", at = 3, bits = 8, check = "sum8" },
]"""
PACKET = """start = "02"
end = "03"
escape = { byte = 0x10, xor = 0x20 }
fields = [
  { name = "kind", bits = 8, values = { set = 1, told = 2 } },
  { name = "length", bits = 8, length_of = "payload" },
  { name = "payload", type = "bytes" },
  { name = "crc", bits = 16, check = "crc", polynomial = 0x1021, initial = 0xFFFF },
]"""
ORDER = """text = "lamp={lamp} level={level} gate={gate}"
end = "0D 0A"
fields = [ { name = "lamp", min = 0, max = 7 }, { name = "level", max = 100 },
  { name = "gate", values = { open = 1, shut = 0 } } ]"""
TAGGED = """start = "02"
end = "03"
escape = { byte = 0x10 }
fields = [
  { name = "kind", bits = 8, values = { set = 1, ramp = 2, name = 3, list = 4, ping = 9 } },
  { name = "length", bits = 8, length_of = ["level", "low", "high", "title"] },
  { name = "level", bits = 8, max = 100, unit = "%", when = { kind = ["set", "ramp"] } },
  { name = "low", bits = 4, when = { kind = "ramp" } },
  { name = "high", bits = 4, when = { kind = 2 } },
  { name = "title", type = "text", when = { kind = "name" } },
  { name = "n", bits = 8, count_of = "items", when = { kind = "list" } },
  { name = "items", bits = 16, when = { kind = "list" } },
  { name = "sum", bits = 8, check = "xor" },
]"""
CHAIN = """fields = [
  { name = "tag", bits = 4, max = 3 },
  { name = "spare", bits = 4 },
  { name = "a", bits = 16, when = { tag = [1, 3] } },
  { name = "b", bits = 8, count = 2, when = { tag = 2 } },
  { name = "c", bits = 8, when = { a = 7 } },
]"""

LAYOUTS = [
    # fields, values, bytes
    ('fields = [{ name = "a", bits = 8 }]', {"a": "0xC8"}, "C8"),
    ('fields = [{ name = "a", bits = 3 }, { name = "b", bits = 13 }]', {"a": "5", "b": "0x1ABC"}, "BA BC"),
    (
        'bit_order = "lsb"\nfields = [{ name = "a", bits = 3 }, { name = "b", bits = 13 }]',
        {"a": "5", "b": "0x1ABC"},
        "E5 D5",
    ),
    ('fields = [{ name = "a", bits = 16 }]', {"a": "0x1234"}, "12 34"),
    ('byte_order = "little"\nfields = [{ name = "a", bits = 16 }]', {"a": "0x1234"}, "34 12"),
    ('fields = [{ name = "a", bits = 16, byte_order = "little" }]', {"a": "0x1234"}, "34 12"),
    ('bit_order = "lsb"\nfields = [{ name = "a", bits = 16 }]', {"a": "0x1234"}, "12 34"),
    (
        'fields = [{ name = "a", bits = 12 }, { name = "b", bits = 12, type = "int" }]',
        {"a": "1", "b": "-2"},
        "00 1F FE",
    ),
    (
        'fields = [{ name = "a", at = 1, bits = 16 }, { name = "b", at = "0.7", bits = 1 }]',
        {"a": "1", "b": "1"},
        "80 00 01",
    ),
    ('fields = [{ name = "a", bits = 32, type = "float" }]', {"a": "1.5"}, "3F C0 00 00"),
    ('size = 4\nfields = [{ name = "a", bits = 4 }]', {"a": "9"}, "90 00 00 00"),
    ('fields = [{ name = "a", bytes = 4, type = "text" }]', {"a": "ab"}, "61 62 00 00"),
    ('fields = [{ name = "a", bits = 4, count = 3 }]', {"a": "1,2,3"}, "12 30"),
    (
        'fields = [{ name = "n", bits = 8, count_of = "a" }, { name = "a", bits = 16 }, { name = "z", bits = 8 }]',
        {"a": "1,2", "z": "9"},
        "02 00 01 00 02 09",
    ),
    (
        'fields = [{ name = "n", bits = 8, length_of = "a", offset = 2 }, { name = "a", type = "text" }]',
        {"a": "hello"},
        "03 68 65 6C 6C 6F",
    ),
    (
        'end = "@\\n"\nfields = [{ name = "a", type = "bytes" }, { name = "x", bits = 8, check = "xor" }]',
        {"a": "010205"},
        "01 02 05 06 0A",
    ),
    ('fields = [{ name = "t", bits = 8, scale = 0.5, offset = -40, unit = "°C" }]', {"t": "21.5 °C"}, "7B"),
    (TAGGED, {"kind": "set", "level": "50 %"}, "02 01 01 32 32 03"),
    (TAGGED, {"kind": "ramp", "level": "1", "low": "1", "high": "15"}, "02 10 22 10 22 01 1F 1E 03"),
    (TAGGED, {"kind": "name", "title": "Hello"}, "02 10 23 05 48 65 6C 6C 6F 44 03"),
    (TAGGED, {"kind": "list", "items": "1,5"}, "02 04 00 10 22 00 01 00 05 10 22 03"),
    (TAGGED, {"kind": "list", "items": ""}, "02 04 00 00 04 03"),
    (TAGGED, {"kind": "ping"}, "02 09 00 09 03"),
    (CHAIN, {"tag": "0", "spare": "0"}, "00"),
    (CHAIN, {"tag": "1", "spare": "0", "a": "5"}, "10 00 05"),
    (CHAIN, {"tag": "3", "spare": "1", "a": "7", "c": "9"}, "31 00 07 09"),
    (CHAIN, {"tag": "2", "spare": "0", "b": "1,2"}, "20 01 02"),
    ("size = 4\n" + CHAIN, {"tag": "1", "spare": "0", "a": "5"}, "10 00 05 00"),
    (
        'end = "0A"\nfields = [{ name = "k", bits = 8 }, { name = "t", type = "text", when = { k = 1 } },'
        '{ name = "d", type = "bytes", when = { k = [2, 3] } }]',
        {"k": "2", "d": "0102"},
        "02 01 02 0A",
    ),
]

MISTAKES = [
    # the frame, a part of the one line that tells it
    ('fields = [{ name = "a", bits = 8, colour = 1 }]', 'f.fields.a.colour: found "this key"'),
    ('fields = [{ name = "a", bit = 8 }]', 'did you mean "bits"?'),
    ('feilds = []\nfields = [{ name = "a", bits = 8 }]', 'did you mean "fields"?'),
    ('fields = [{ name = "a", bits = 8 }, { name = "a", bits = 8 }]', "expected each name once"),
    ('fields = [{ name = "a", at = 0, bits = 8 }, { name = "b", at = "0.7", bits = 1 }]', "a has this one"),
    ('fields = [{ name = "a", at = "0.6", bits = 4 }]', "it stays in its byte"),
    ('fields = [{ name = "a", at = 0, bits = 12 }]', "it stays in its byte"),
    ('size = 1\nfields = [{ name = "a", at = 1, bits = 8 }]', "size is 1"),
    ('size = 1\nfields = [{ name = "a", bits = 9 }]', "size is 1"),
    ('fields = [{ name = "a", bits = 4, const = 16 }]', "found 16, expected 0 to 15"),
    ('fields = [{ name = "a", bits = 4, values = { x = 16 } }]', "found 16, expected 0 to 15"),
    ('fields = [{ name = "a", bits = 4, values = { x = 1, y = 1 } }]', "x is 1"),
    ('fields = [{ name = "a", bits = 8, check = "sum9" }]', 'did you mean "sum8"?'),
    ('fields = [{ name = "a", bits = 16, check = "sum8" }]', "expected 8 for sum8"),
    ('fields = [{ name = "a", bits = 8, check = "crc" }]', "the polynomial of the crc"),
    ('fields = [{ name = "a", bits = 8, check = "crc", polynomial = 0 }]', 'found "0x0", expected 1 to 0xFF'),
    ('fields = [{ name = "a", bits = 8, check = "crc", polynomial = 0x107 }]', "without the top bit"),
    ('fields = [{ name = "a", bits = 8, check = "crc", polynomial = 7, initial = 256 }]', "a.initial"),
    ('fields = [{ name = "a", bits = 8, polynomial = 7 }]', 'check = "crc"'),
    (
        'fields = [{ name = "a", bits = 8, reflect = true }]',
        'a.reflect: found "true", expected none: it goes with check',
    ),
    ('fields = [{ name = "a", bits = 8, check = "sum8", initial = 7 }]', 'it goes with check = "crc"'),
    ('fields = [{ name = "a", type = "text", bytes = 4, scale = 2 }]', 'goes with type = "uint", "int" or "float"'),
    ('fields = [{ name = "a", type = "bytes", bytes = 4, min = 3 }]', 'goes with type = "uint", "int" or "float"'),
    ('fields = [{ name = "a", bits = 8, length_of = "payloda" }, { name = "payload", type = "bytes" }]', "payload"),
    ('fields = [{ name = "a", bits = 8, count_of = "b" }]', "a.count_of"),
    ('fields = [{ name = "b", type = "bytes" }, { name = "a", bits = 8, length_of = "b" }]', "behind this one"),
    ('text = "x={y}"\nend = "0A"\nfields = [{ name = "x" }]', "{y}"),
    ('text = "x"\nend = "0A"\nfields = [{ name = "x" }]', "a place for it there"),
    ('fields = [{ name = "a" }]', "how many bits it has"),
    ('fields = [{ name = "a", bits = 65 }]', "at most 64"),
    ('fields = [{ name = "a", bits = 24, type = "float" }]', "16, 32 or 64"),
    ('fields = [{ name = "a", type = "bytes" }]', "`length_of` it"),
    ('end = "0A"\nfields = [{ name = "a", type = "bytes" }, { name = "b", type = "bytes" }]', "a is one already"),
    ('fields = [{ name = "a", bits = 4 }, { name = "b", bytes = 2, type = "text" }]', "begins a byte"),
    ('fields = [{ name = "a", at = 0.4, bits = 4 }]', '"BYTE.BIT" in quotes'),
    ('fields = [{ name = "a", at = 0, bits = 8 }, { name = "b", bits = 8 }]', "in all fields of a frame, or in none"),
    ('fields = [{ name = "a", bits = 8, scale = 0 }]', "another number than 0"),
    ('fields = [{ name = "a", bits = 8, min = 2, max = 1 }]', "no more than max"),
    ('fields = [{ name = "a", bits = 8, max = "1 V" }]', "a.max"),
    ('escape = { byte = 1 }\nfields = [{ name = "a", bits = 8 }]', "a `start` or an `end`"),
    ('start = "0"\nfields = [{ name = "a", bits = 8 }]', "f.start"),
    ('fields = [{ name = "a", bits = 99999999999 }]', "a.bits"),
    ('size = 0\nfields = [{ name = "a", bits = 8 }]', "f.size"),
    ("fields = []", "at least one field"),
    ("fields = [1]", "a table"),
    ("fields = 1", "tables in brackets"),
    ('fields = [{ name = "é", bits = 8 }]', "letters, digits and _"),
]
TAG = '{ name = "k", bits = 8, values = { set = 1, told = 2 } }'
WRONG_CHOICES = [
    # the fields, a part of the one line that tells it
    ('{ name = "a", bits = 8, when = { k = 1 } }', "there is none"),
    (TAG + ', { name = "a", bits = 8, when = { kk = 1 } }', 'did you mean "k"?'),
    (TAG + ', { name = "a", bits = 8, when = { k = "sett" } }', 'did you mean "set"?'),
    (TAG + ', { name = "a", bits = 8, when = { k = 3 } }', "expected set (1) or told (2)"),
    (TAG + ', { name = "a", bits = 8, when = { k = [] } }', "at least one value"),
    (TAG + ', { name = "a", bits = 8, when = {} }', "one field, with its value"),
    (TAG + ', { name = "a", bits = 8, when = 1 }', "a.when"),
    (TAG + ', { name = "a", bits = 8, when = { k = [[1]] } }', "expected set (1) or told (2)"),
    ('{ name = "k", bits = 2 }, { name = "a", bits = 8, when = { k = 1 } }', "begins a byte"),
    ('{ name = "k", bits = 8 }, { name = "a", bits = 8, when = { k = 256 } }', "found 256, expected 0 to 255"),
    ('{ name = "k", bits = 8 }, { name = "a", bits = 8, when = { k = "x" } }', "a whole number"),
    (TAG + ', { name = "a", bits = 4, when = { k = 1 } }, { name = "b", bits = 4 }', "begins a byte"),
    ('{ name = "k", bits = 32, type = "float" }, { name = "a", bits = 8, when = { k = 1 } }', "one whole number"),
    ('{ name = "k", bits = 8, count = 2 }, { name = "a", bits = 8, when = { k = 1 } }', "one whole number"),
    (
        '{ name = "n", bits = 8, length_of = "p" }, { name = "p", type = "bytes" }, { name = "k", bits = 8 },'
        '{ name = "a", bits = 8, when = { k = 1 } }',
        "a place before p",
    ),
    (
        '{ name = "k", at = 0, bits = 8 }, { name = "a", at = 1, bits = 8, when = { k = 1 } }',
        "none beside `when`",
    ),
    ('{ name = "n", bits = 8, length_of = ["p", "p"] }, { name = "p", type = "bytes" }', "and once"),
    ('{ name = "n", bits = 8, length_of = ["p", "q"] }, { name = "p", type = "bytes" }', "a field: p"),
    (
        '{ name = "n", bits = 8, length_of = ["p", "q"] }, { name = "p", type = "bytes" },'
        '{ name = "q", type = "text" }',
        "one field at a time",
    ),
    ('{ name = "n", bits = 8, length_of = 5 }, { name = "p", bits = 8 }', "a name, or several in brackets"),
    (
        '{ name = "n", bits = 8, length_of = "p", count_of = "p" }, { name = "p", bits = 8 }',
        "either `length_of` or `count_of`",
    ),
]


class Layouts(unittest.TestCase):
    def test_fields_lie_where_the_plan_has_them(self):
        for text, given, wire in LAYOUTS:
            with self.subTest(text):
                chosen = frame_of(text)
                self.assertEqual(encode(chosen, **given).hex(" ").upper(), wire)
                (frame,) = decode(chosen, bytes.fromhex(wire))
                self.assertEqual((frame.readable, frame.problems), (True, ()))
                self.assertEqual(chosen.encode(frame.message), bytes.fromhex(wire))

    def test_values_are_scaled_and_named(self):
        chosen = frame_of(REPORT)
        self.assertEqual(encode(chosen, mode="fill", speed="50 %", tilt="-3"), bytes.fromhex("A4 64 FD 05"))
        (frame,) = decode(chosen, bytes.fromhex("A8 C9 80 F1"))
        self.assertEqual(
            as_fields(frame.message), {"head": 10, "mode": "drain", "speed": 100.5, "tilt": -128, "sum": 0xF1}
        )
        self.assertEqual(frame.problems, ("speed: found 100.5, expected 0 to 100 %",))

    def test_large_numbers_are_told_with_all_their_digits(self):
        chosen = frame_of('fields = [{ name = "n", bits = 32, max = 1000000 }]')
        with self.assertRaisesRegex(FieldError, 'found "?1000001"?, expected 0 to 1000000'):
            encode(chosen, n="1000001")
        (frame,) = decode(chosen, bytes.fromhex("000F4241"))
        self.assertEqual(("n: found 1000001, expected 0 to 1000000",), frame.problems)

    def test_what_a_field_can_not_hold_is_refused(self):
        chosen = frame_of(REPORT)
        good = {"mode": "fill", "speed": "50", "tilt": "0"}
        for name, text, part in (
            ("mode", "fil", 'did you mean "fill"?'),
            ("mode", "3", "rest (0), fill (1) or drain (2)"),
            ("speed", "101", "0 to 100 %"),
            ("speed", "1 V", "0 to 100 %"),
            ("tilt", "128", "-128 to 127"),
            ("tlit", "1", 'did you mean "tilt"?'),
        ):
            with self.subTest(name, text=text), self.assertRaises(FieldError) as caught:
                encode(chosen, **{**good, name: text})
            self.assertIn(part, str(caught.exception))

    def test_a_wrong_check_constant_or_spare_bit_is_told_and_the_frame_taken_apart(self):
        chosen = frame_of('start = "55"\nsize = 3\nfields = [{ name = "c", at = 0, bits = 4, const = 5 },'
                          '{ name = "s", at = 2, bits = 8, check = "sum8" }]')  # fmt: skip
        (frame,) = decode(chosen, bytes.fromhex("55 16 02 17"))
        self.assertEqual(
            frame.problems,
            (
                "c: found 0x6, expected 0x5",
                "s: found 0x17, expected 0x18",
                "bits without a field: found 0x10 in byte 0, expected 0",
                "bits without a field: found 0x02 in byte 1, expected 0",
            ),
        )

    def test_a_check_can_be_sent_wrong_on_purpose(self):
        self.assertEqual(encode(frame_of(REPORT), mode="rest", speed="0", tilt="0", sum="0")[-1], 0)

    def test_bits_are_changed_behind_escapes_and_checks_follow(self):
        chosen, chance = frame_of(PACKET), random.Random(7)
        special = (0x02, 0x03, 0x10, 0x22, 0x30, 0xFF)
        for _ in range(300):
            payload = bytes(chance.choice(special) for _ in range(chance.randint(1, 4)))
            data = encode(chosen, kind="set", payload=payload.hex())
            (frame,) = decode(chosen, data)
            told = {field.name: field for field in chosen.explain(frame, Side.HOST)}
            place = chance.randrange(len(payload))
            spans = told["payload"].spans
            bits = [bit for begin, count in spans for bit in range(begin, begin + count)][8 * place : 8 * place + 8]
            byte = tuple((bit, 1) for bit in bits)
            self.assertEqual(payload[place], chosen.bits_of(data, byte))
            other = chance.choice(special)
            changed = set_right(chosen, chosen.with_bits(data, byte, other), Side.HOST, chosen.with_bits)
            (again,) = decode(chosen, changed)
            wanted = payload[:place] + bytes((other,)) + payload[place + 1 :]
            self.assertEqual((wanted, ()), (again.message.payload, again.problems))
            self.assertEqual(encode(chosen, kind="set", payload=wanted.hex()), changed)
        open_ended = frame_of('start = "02"\nescape = { byte = 0x10 }\nfields = [{ name = "a", bits = 8 }]')
        for broken in (b"\x02", b"\x02\x10", b"\x10\x10\x10", bytes(range(1, 40))):
            for codec in (chosen, open_ended):
                self.assertEqual(broken[0], codec.bits_of(broken, ((0, 8),)))
        self.assertEqual(b"\x05", chosen.with_bits(data, ((0, 8),), 5)[:1], "a delimiter is changed as it stands")

    def test_explanations_show_the_bits_of_each_field(self):
        chosen = frame_of(PACKET)
        wire = encode(chosen, kind="set", payload="0203")
        (frame,) = decode(chosen, wire)
        told = {field.name: field for field in chosen.explain(frame, Side.HOST)}
        self.assertEqual(list(told), ["start", "kind", "escape", "length", "payload", "crc", "end"])
        self.assertEqual(told["payload"].spans, ((40, 8), (56, 8)))  # behind its escapes
        told = chosen_fields(REPORT, "A4 64 FD 05")
        self.assertEqual(told["head"].spans, ((0, 4),))
        self.assertEqual(told["mode"].spans, ((4, 2),))


def chosen_fields(text, data):
    chosen = frame_of(text)
    (frame,) = decode(chosen, bytes.fromhex(data))
    return {field.name: field for field in chosen.explain(frame, Side.HOST)}


class Choices(unittest.TestCase):
    """Fields that are there only when an earlier one has a value of theirs."""

    def test_what_is_not_there_is_not_told(self):
        (frame,) = decode(frame_of(TAGGED), bytes.fromhex("02 09 00 09 03"))
        self.assertEqual(as_fields(frame.message), {"kind": "ping", "length": 0, "sum": 9})
        (frame,) = decode(frame_of(TAGGED), bytes.fromhex("02 04 00 00 04 03"))
        self.assertEqual(as_fields(frame.message), {"kind": "list", "length": 0, "n": 0, "items": [], "sum": 4})

    def test_a_field_is_given_when_it_is_there_and_only_then(self):
        for text, given, part in (
            (TAGGED, {"kind": "ping", "level": "3"}, "f.level: found 3, expected nothing unless kind is set or ramp"),
            (TAGGED, {"kind": "set"}, 'f.level: found "nothing", expected a number 0 to 100 %, as kind is set'),
            (CHAIN, {"tag": "2", "spare": "0", "b": "1,2", "c": "1"}, "nothing unless a is 7"),
        ):
            with self.subTest(given), self.assertRaises(FieldError) as caught:
                encode(frame_of(text), **given)
            self.assertIn(part, str(caught.exception))

    def test_values_for_all_fields_make_a_message_of_those_that_are_there(self):
        chosen = frame_of(TAGGED)
        every = {"kind": "ping", "level": 5, "low": 1, "high": 2, "title": "x", "items": (1,)}
        self.assertEqual(chosen.encode(chosen.message(every)).hex(), "0209000903")
        self.assertEqual(chosen.message(every, "level").kind, "set")
        self.assertEqual(chosen.message({**every, "kind": "ramp"}, "level").kind, "ramp")
        chain = frame_of(CHAIN)
        told = chain.message({"tag": 0, "spare": 0, "a": 1, "b": (0, 0), "c": 9}, "c")
        self.assertEqual(as_fields(told), {"tag": 1, "spare": 0, "a": 7, "c": 9})

    def test_a_tag_that_is_no_named_one_is_told_and_the_rest_taken_apart(self):
        (frame,) = decode(frame_of(TAGGED), bytes.fromhex("02 07 00 07 03"))
        self.assertEqual(frame.problems, ("kind: found 7, expected " + frame.problems[0].partition("expected ")[2],))
        self.assertEqual(as_fields(frame.message), {"kind": 7, "length": 0, "sum": 7})

    def test_a_length_of_several_is_that_of_those_that_are_there(self):
        for wire, problem in (
            ("02 10 22 01 01 1F 1D 03", "length: found 1, expected 2 as what is there"),
            ("02 10 23 09 41 42 09 03", "length: found 9, expected 2 as what is there"),
        ):
            (frame,) = decode(frame_of(TAGGED), bytes.fromhex(wire))
            self.assertEqual(frame.problems, (problem,))

    def test_a_length_counts_what_is_beside_the_field_that_differs(self):
        chosen = frame_of(
            'fields = [{ name = "n", bits = 8, length_of = ["a", "t", "z"] }, { name = "a", bits = 16 },'
            '{ name = "t", type = "text" }, { name = "z", bits = 8 }]'
        )
        wire = encode(chosen, a="1", t="xyz", z="2")
        self.assertEqual(wire.hex(" "), "06 00 01 78 79 7a 02")
        first, second = decode(chosen, wire * 2)
        self.assertEqual((first.message.t, first.problems, second.message), ("xyz", (), first.message))

    def test_any_values_come_back_from_a_stream_cut_anywhere(self):
        chance = random.Random("choices")
        for text, make in ((TAGGED, tagged), (CHAIN, chained)):
            chosen = frame_of(text)
            messages = [chosen.form(**make(chance)) for _ in range(300)]
            wire = b"".join(chosen.encode(message) for message in messages)
            decoder = chosen.decoder(Side.HOST)
            frames = []
            while wire:
                size = chance.randint(1, 9)
                frames += decoder.feed(wire[:size])
                wire = wire[size:]
            frames += decoder.finish()
            self.assertEqual([frame.problems for frame in frames], [()] * len(messages))
            given = [chosen.encode(frame.message) for frame in frames]
            self.assertEqual(given, [chosen.encode(message) for message in messages])

    def test_what_is_sometimes_there_must_have_room(self):
        fields = (
            f'fields = [{TAG}, {{ name = "a", bits = 24, when = {{ k = 1 }} }},'
            '{ name = "b", bits = 8, when = { k = 1 } }, { name = "c", bits = 32, when = { k = 2 } }]'
        )
        plan_of(f"[frames.f]\nsize = 5\n{fields}")
        with self.assertRaises(ExceptionGroup) as caught:
            plan_of(f"[frames.f]\nsize = 4\n{fields}")
        self.assertIn("f.size: found 4, expected 5 and more", str(caught.exception.exceptions[0]))

    def test_mistakes_are_found_before_anything_runs(self):
        for fields, part in WRONG_CHOICES:
            with self.subTest(fields):
                with self.assertRaises(ExceptionGroup) as caught:
                    plan_of(f"[frames.f]\nfields = [{fields}]")
                lines = [str(error) for error in caught.exception.exceptions]
                self.assertTrue(any(part in line for line in lines), lines)

    def test_the_explanation_has_what_is_there(self):
        told = chosen_fields(TAGGED, "02 10 22 10 22 01 1F 1E 03")
        self.assertEqual(list(told), ["start", "escape", "kind", "length", "level", "low", "high", "sum", "end"])
        self.assertEqual(told["high"].spans, ((52, 4),))


def tagged(chance):
    """Values of a frame `TAGGED`, of any of its kinds."""
    kind = chance.choice(("set", "ramp", "name", "list", "ping"))
    own = {
        "set": {"level": chance.randint(0, 100)},
        "ramp": {"level": chance.randint(0, 100), "low": chance.randint(0, 15), "high": chance.randint(0, 15)},
        "name": {"title": "".join(chance.choices("ab\x02\x03\x10é", k=chance.randint(0, 9))) + "."},
        "list": {"items": tuple(chance.randrange(1 << 16) for _ in range(chance.randint(0, 5)))},
        "ping": {},
    }
    return {"kind": kind, **own[kind]}


def chained(chance):
    """Values of a frame `CHAIN`, with any tag."""
    tag = chance.randint(0, 3)
    values = {"tag": tag, "spare": chance.randint(0, 15)}
    if tag in (1, 3):
        values["a"] = chance.randint(5, 8)
        values |= {"c": chance.randint(0, 255)} if values["a"] == 7 else {}
    return values | ({"b": (1, chance.randint(0, 255))} if tag == 2 else {})


class Streams(unittest.TestCase):
    def test_frames_are_found_however_the_stream_is_cut(self):
        for text, data in (
            (REPORT, "00 01 A4 64 FD 05 FF A4 C9 FD 6A A4"),
            (PACKET, "55 66 02 01 04 10 22 10 23 10 30 41 2D 18 03 02 01 02 02 01 01 FF 11 22 03 02 01"),
            (ORDER, (b"lamp=3 level=80 gate=open\r\nwhat?\r\nlamp=9 level=1 gate=ajar\r\nlamp").hex()),
            ('start = "AA 55"\nfields = [{ name = "n", bits = 8, length_of = "p" }, { name = "p", type = "bytes" }]',
             "AA AA 55 02 01 02 AA 55 00 55 AA 55 09 01"),
            ('fields = [{ name = "h", bits = 16, const = 0x0102 }, { name = "n", bits = 8, count_of = "p" },'
             '{ name = "p", bits = 8 }]', "01 01 02 02 05 06 01 02 F0 01 02 00"),
            (TAGGED, "05 02 10 22 10 22 01 1F 1E 03 02 09 02 10 23 10 22 41 42 07 03 02 07 00 07 03 02 04"),
            (CHAIN, "10 00 05 31 00 07 09 20 01 02 00 F0 10"),
        ):  # fmt: skip
            chosen, wire = frame_of(text), bytes.fromhex(data)
            whole = decode(chosen, wire)
            self.assertEqual(b"".join(frame.data for frame in whole), wire)
            self.assertEqual(
                [frame.offset for frame in whole], [0, *itertools.accumulate(len(f.data) for f in whole)][:-1]
            )
            for first, second in itertools.combinations(range(len(wire) + 1), 2):
                decoder = chosen.decoder(Side.HOST)
                pieces = [wire[:first], wire[first:second], wire[second:]]
                frames = [frame for piece in pieces for frame in decoder.feed(piece)]
                self.assertEqual([*frames, *decoder.finish()], whole, (text, first, second))

    def test_a_start_inside_a_frame_begins_anew(self):
        frames = decode(frame_of(PACKET), bytes.fromhex("02 01 02 01 01 FF 2E 7C 03"))
        self.assertEqual([frame.data.hex() for frame in frames], ["0201", "020101ff2e7c03"])

    def test_a_length_that_is_not_what_is_there_is_told(self):
        (frame,) = decode(frame_of(PACKET), bytes.fromhex("02 01 05 FF 2E 7C 03"))
        self.assertEqual(frame.message.payload, b"\xff")
        self.assertIn("length: found 5, expected 1 as what is there", frame.problems)

    def test_a_line_that_does_not_fit_is_unreadable_to_its_end(self):
        frames = decode(frame_of(ORDER), b"lamp=x level=1 gate=open\r\nlamp=1 level=101 gate=0\r\n")
        self.assertEqual([frame.readable for frame in frames], [False, True])
        self.assertEqual(frames[1].message.gate, "shut")
        self.assertEqual(frames[1].problems, ("level: found 101, expected 0 to 100",))

    def test_the_short_way_gives_what_the_long_way_gives(self):
        chance = random.Random("short")
        for text in (
            REPORT,
            'fields = [{ name = "a", bits = 3 }, { name = "b", bits = 13, type = "int" }]',
            'bit_order = "lsb"\nsize = 4\n'
            'fields = [{ name = "a", bits = 5, max = 20 }, { name = "b", bits = 14, scale = 0.1 }]',
            'fields = [{ name = "a", bytes = 2, type = "bytes" }, { name = "n", bits = 8, const = 3 },'
            '{ name = "c", bits = 8, check = "crc", polynomial = 7 }]',
            'fields = [{ name = "a", bits = 24, scale = 0.5, min = 10, byte_order = "little" }]',
        ):
            chosen = frame_of(text)
            good = []
            for _ in range(200):
                body = bytes(chance.randrange(256) for _ in range(chosen.decoder(Side.HOST)._layout.least))
                (frame, *_) = decode(chosen, body)
                good += [body, chosen.encode(frame.message) if frame.readable and not frame.problems else b""]
            stream = b"".join(good)
            short = decode(chosen, stream)
            long = chosen.decoder(Side.HOST)
            long._short = None
            self.assertEqual([*long.feed(stream), *long.finish()], short)

    def test_hostile_bytes_are_taken_in_bounds_and_come_out_again(self):
        chance = random.Random("plans")
        for text in (REPORT, PACKET, ORDER, TAGGED, CHAIN):
            chosen = frame_of(text)
            wire = bytes(chance.choice((2, 3, 0x10, 0xA4, 10, 13, chance.randrange(256))) for _ in range(20_000))
            decoder = chosen.decoder(Side.HOST)
            frames = [frame for at in range(0, len(wire), 97) for frame in decoder.feed(wire[at : at + 97])]
            frames += decoder.finish()
            self.assertEqual(b"".join(frame.data for frame in frames), wire)

    def test_it_agrees_with_code_written_by_hand(self):
        chosen = frame_of(
            'fields = [{ name = "a", bits = 16 }, { name = "b", bits = 32, type = "int", byte_order = "little" }]'
        )
        chance = random.Random("struct")
        for _ in range(200):
            a, b = chance.randrange(1 << 16), chance.randrange(-(1 << 31), 1 << 31)
            wire = struct.pack(">H", a) + struct.pack("<i", b)
            self.assertEqual(encode(chosen, a=str(a), b=str(b)), wire)
            (frame,) = decode(chosen, wire)
            self.assertEqual((frame.message.a, frame.message.b), (a, b))


class Files(unittest.TestCase):
    def test_every_mistake_is_told_with_file_frame_field_and_what_would_be_right(self):
        for text, part in MISTAKES:
            with self.subTest(text):
                with self.assertRaises(ExceptionGroup) as caught:
                    plan_of(f"[frames.f]\n{text}")
                lines = [str(error) for error in caught.exception.exceptions]
                self.assertTrue(any(part in line for line in lines), lines)
                self.assertTrue(all(line.startswith("own.plan.toml") and " frames.f" in line for line in lines), lines)

    def test_all_mistakes_are_told_at_once(self):
        with self.assertRaises(ExceptionGroup) as caught:
            plan_of('[frames.a]\nfields = [{ name = "x", bits = 0 }]\n[frames.b]\nfields = [{ name = "y" }]')
        self.assertEqual(len(caught.exception.exceptions), 2)

    def test_a_newer_format_and_what_is_no_toml_is_refused(self):
        for head, part in (("format = 2\n", "needs a newer Cavet"), ("format = \n", "TOML 1.0")):
            with self.subTest(head), self.assertRaises(WrongError) as caught:
                plan_of("", head)
            self.assertIn(part, str(caught.exception))
        with self.assertRaises(WrongError) as caught:
            plan_of('[frames.report]\nfields = [{ name = "x", bits = 8 }]').codec("repor")
        self.assertEqual(caught.exception.nearest, "report")


if __name__ == "__main__":
    unittest.main()
