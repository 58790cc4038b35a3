"""The SCPI codec: what may be written, how it is read, and the standard's number for what is wrong."""

import unittest
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as some

from cavet.protocols import FieldError, Side, read_message, scpi
from cavet.protocols.scpi import CODEC, Command, Datum, Query, Response, ScpiDecoder

HOST, BOARD = Side.HOST, Side.BOARD


def decoded(data, side=HOST, cuts=()):
    """Read a whole stream, cut at some places."""
    decoder = ScpiDecoder(side)
    places = [0, *sorted(min(cut, len(data)) for cut in cuts), len(data)]
    frames = []
    for begin, end in pairwise(places):
        frames += decoder.feed(data[begin:end])
    return frames + decoder.finish()


def values(text, side=HOST):
    """What stands behind a header (or in a response), and what is wrong with it."""
    data = text if isinstance(text, bytes) else text.encode("latin-1")
    (frame,) = decoded((b"A " if side is HOST else b"") + data + b"\n", side)
    return [(datum.type, datum.value, datum.unit) for datum in frame.message.values], frame.problems


WRITTEN = [
    (Command(header="SOUR2:VOLT", values=("12.5 V",)), b"SOUR2:VOLT 12.5 V\n"),
    (Command(header="*RST"), b"*RST\n"),
    (Query(header="*ESE"), b"*ESE?\n"),
    (Query(header="MEAS:VOLT:DC", channels="101:104,107"), b"MEAS:VOLT:DC? (@101:104,107)\n"),
    (Command(header=":DISP:TEXT", text='say "hi"; now'), b':DISP:TEXT "say ""hi""; now"\n'),
    (Command(header="DATA", block=b"\x00\x0a;" * 4), b"DATA #212" + b"\x00\x0a;" * 4 + b"\n"),
    (Command(header="DATA", block=b""), b"DATA #10\n"),
    (Command(header="A", values=("1", '"x,;y"', "(1,2)"), text="t"), b'A 1,"x,;y",(1,2),"t"\n'),
    (Response(values=("1", "+2.5E+0")), b"1,+2.5E+0\n"),
    (Response(text="No error"), b'"No error"\n'),
]

REFUSED = [
    lambda: Command(header="VOLT?"),
    lambda: Command(header=""),
    lambda: Command(header="VO LT"),
    lambda: Command(header="**RST"),
    lambda: Command(header="VOLT", values=("12 QQ",)),
    lambda: Command(header="VOLT", values=("1;2",)),
    lambda: Command(header="VOLT", values=("1\n2",)),
    lambda: Command(header="VOLT", values=("#HXY",)),
    lambda: Command(header="VOLT", text="a\nb"),
    lambda: Command(header="VOLT", channels="1:x"),
    lambda: Command(header="VOLT", values=('"open',)),
]

READ = [
    ("12.5", [("number", 12.5, None)]),
    ("-.5e3", [("number", -500.0, None)]),
    ("1.", [("number", 1.0, None)]),
    ("1 E 3", [("number", 1000.0, None)]),
    ("12500 mV", [("number", 12.5, "V")]),
    ("12500mv", [("number", 12.5, "V")]),
    ("2 MHZ", [("number", 2e6, "HZ")]),
    ("2 MOHM", [("number", 2e6, "OHM")]),
    ("2 MAHZ", [("number", 2e6, "HZ")]),
    ("3 MA", [("number", 0.003, "A")]),
    ("5 UA", [("number", 5e-6, "A")]),
    ("10 KOHM", [("number", 10_000.0, "OHM")]),
    ("1.5 EXHZ", [("number", 1.5e18, "HZ")]),
    ("250 MS", [("number", 0.25, "S")]),
    ("30 DEG", [("number", 30.0, "DEG")]),
    ("#HFf", [("number", 255, None)]),
    ("#q17", [("number", 15, None)]),
    ("#B101", [("number", 5, None)]),
    ("MIN", [("keyword", "MIN", None)]),
    ("def", [("keyword", "DEF", None)]),
    ("ON,OFF", [("keyword", "ON", None), ("keyword", "OFF", None)]),
    ('"a""b"', [("string", 'a"b', None)]),
    ("'it''s'", [("string", "it's", None)]),
    ('"don\'t"', [("string", "don't", None)]),
    ('""', [("string", "", None)]),
    (b"#15he\nlo", [("block", "68 65 0A 6C 6F", None)]),
    (b"#0hello, all", [("block", "68 65 6C 6C 6F 2C 20 61 6C 6C", None)]),
    (b"#10", [("block", "", None)]),
    ("(@101:104,107)", [("channels", [101, 102, 103, 104, 107], None)]),
    ("(@3:1, 9)", [("channels", [3, 2, 1, 9], None)]),
    ("(@1!2)", [("expression", "(@1!2)", None)]),
    ("(@1!1:2!4,9)", [("expression", "(@1!1:2!4,9)", None)]),
    ("(@card1(1:3, 7),'main, left')", [("expression", "(@card1(1:3, 7),'main, left')", None)]),
    ("(1+2,3)", [("expression", "(1+2,3)", None)]),
    (" 1 ,\t2 ", [("number", 1.0, None), ("number", 2.0, None)]),
    (b"\x00\x01 5\r", [("number", 5.0, None)]),
]

WRONG = [
    ("VOLT 1,,2\n", -102),
    ("VOLT 1,\n", -102),
    (";VOLT\n", -102),
    ("VO$T 1\n", -101),
    ("5VOLT\n", -101),
    ("VOLT @\n", -101),
    (":\n", -110),
    ("*\n", -110),
    ("VOLT,5\n", -111),
    ('VOLT"x"\n', -111),
    ("ABCDEFGHIJKLM 1\n", -112),
    ("VOLT #HG\n", -121),
    ("VOLT 1.2.3\n", -121),
    ("VOLT 1E99999\n", -123),
    ("VOLT " + "1" * 256 + "\n", -124),
    ("VOLT 1 QV\n", -131),
    ("VOLT 1 ABCDEFGHIJKLM\n", -134),
    ("VOLT MI-N\n", -141),
    ("VOLT ABCDEFGHIJKLM\n", -144),
    ('VOLT "open\n', -151),
    ('VOLT "open""\n', -151),
    ("VOLT 'open", -151),
    ('VOLT "a"b\n', -103),
    ("VOLT MIN MAX\n", -103),
    ("VOLT #3\n", -161),
    ("VOLT #15ab", -161),
    ("VOLT #1xab\n", -161),
    ("VOLT (@1:x)\n", -171),
    ("VOLT (@1!)\n", -171),
    ("VOLT (@card(1)\n", -171),
    ("VOLT (@)\n", -171),
    ("VOLT (@1\n", -171),
    ("VOLT (@1:99999999)\n", -171),
]


class Writing(unittest.TestCase):
    def test_messages_are_laid_down_in_their_order_and_ended_by_a_line_feed(self):
        for message, wire in WRITTEN:
            with self.subTest(wire):
                self.assertEqual(CODEC.encode(message), wire)

    def test_what_could_not_be_read_is_refused(self):
        for place, make in enumerate(REFUSED):
            with self.subTest(place), self.assertRaises(FieldError):
                make()

    def test_commas_inside_quotes_and_brackets_do_not_separate(self):
        message = read_message(Command, {"header": "A", "values": '1,"x,y",(@1,2),MIN'})
        self.assertEqual(message.values, ("1", '"x,y"', "(@1,2)", "MIN"))

    def test_what_is_written_is_read_without_a_problem(self):
        for message, wire in WRITTEN:
            side = BOARD if type(message) is Response else HOST
            with self.subTest(wire):
                (frame,) = decoded(wire, side)
                self.assertEqual((frame.message.NAME, frame.problems, frame.data), (message.NAME, (), wire))


class Reading(unittest.TestCase):
    def test_every_kind_of_data(self):
        for text, expected in READ:
            with self.subTest(text):
                self.assertEqual(values(text), (expected, ()))

    def test_what_is_wrong_bears_the_standards_number(self):
        for text, number in WRONG:
            with self.subTest(text[:40]):
                problems = [problem for frame in decoded(text.encode()) for problem in frame.problems]
                self.assertTrue(any(problem.startswith(f"{number} ") for problem in problems), problems)

    def test_a_response_is_taken_as_the_device_says_it(self):
        self.assertEqual(
            values("Cavet,Switchrack,0001,1.0", BOARD)[0],
            [("keyword", "Cavet", None), ("keyword", "Switchrack", None), ("number", 1.0, None), ("number", 1.0, None)],
        )
        self.assertEqual(values('-113,"Undefined header"', BOARD)[0][1], ("string", "Undefined header", None))

    def paths(self, text):
        return [frame.message.nodes for frame in decoded(text.encode())]

    def test_the_header_path_goes_on_within_a_message_and_ends_with_it(self):
        self.assertEqual(
            self.paths("SOUR:VOLT 1;CURR 2;*OPC;PROT:STAT ON;DEL 1;:OUTP ON;STAT?\nVOLT 1\n"),
            [
                ("SOUR", "VOLT"),
                ("SOUR", "CURR"),
                ("*OPC",),
                ("SOUR", "PROT", "STAT"),
                ("SOUR", "PROT", "DEL"),
                ("OUTP",),
                ("STAT",),
                ("VOLT",),
            ],
        )

    def test_suffixes_are_told_apart_from_their_nodes(self):
        (frame,) = decoded(b"rout12:chan:mod3?\n")
        message = frame.message
        self.assertEqual((message.NAME, message.header), ("query", "rout12:chan:mod3"))
        self.assertEqual((message.nodes, message.suffixes), (("ROUT", "CHAN", "MOD"), (12, None, 3)))

    def test_units_end_at_semicolons_and_line_feeds_but_not_inside_strings_and_blocks(self):
        stream = b'A "x;y";B #13;\n;;C\r\nD'
        self.assertEqual([frame.data for frame in decoded(stream)], [b'A "x;y";', b"B #13;\n;;", b"C\r\n", b"D"])

    def test_a_line_feed_ends_a_message_inside_a_string(self):
        frames = decoded(b'A "x\nB 1\n')
        self.assertEqual([frame.message.header for frame in frames], ["A", "B"])

    def test_a_line_that_never_ends_is_unreadable_and_the_next_is_read(self):
        frames = decoded(b"A " + b"1" * (3 << 20) + b"\nB 1\n")
        self.assertEqual([frame.readable for frame in frames], [False] * (len(frames) - 1) + [True])
        self.assertEqual(frames[-1].message.header, "B")

    def test_a_block_that_lies_about_its_length_does_not_hold_up_the_stream(self):
        frames = decoded(b"A #9999999999x\nB 1\n")
        self.assertEqual(frames[-1].message.header, "B")
        self.assertTrue(frames[0].problems)


PIECES = [
    b"SOUR:VOLT ",
    b"12 mV",
    b";",
    b"\n",
    b'"',
    b"'",
    b"#",
    b"#15",
    b"#0",
    b"(@1:3)",
    b",",
    b"*IDN?",
    b":",
    b"\r",
    b"x" * 13,
]


class AnyBytes(unittest.TestCase):
    @given(
        some.lists(some.one_of(some.sampled_from(PIECES), some.binary(max_size=4)), max_size=14),
        some.sampled_from(Side),
        some.lists(some.integers(0, 90), max_size=5),
    )
    def test_any_bytes_cut_anywhere_give_the_same_frames_and_lose_none(self, pieces, side, cuts):
        stream = b"".join(pieces)
        whole = decoded(stream, side)
        self.assertEqual(decoded(stream, side, cuts), whole)
        self.assertEqual(b"".join(frame.data for frame in whole), stream)

    @given(some.text(some.characters(max_codepoint=126, exclude_characters="\n"), max_size=40))
    def test_any_text_round_trips(self, text):
        (frame,) = decoded(CODEC.encode(Command(header="A", text=text)))
        self.assertEqual(frame.message.values, (Datum("string", text),))

    @given(some.binary(max_size=200))
    def test_any_block_round_trips(self, block):
        (frame,) = decoded(CODEC.encode(Response(block=block)), BOARD)
        self.assertEqual(frame.message.values, (Datum("block", block.hex(" ").upper()),))


class Explained(unittest.TestCase):
    def test_header_values_and_end_are_told_with_their_places(self):
        (frame,) = decoded(b"VOLT 12 mV,MIN\n")
        fields = [(field.name, field.raw, field.value) for field in CODEC.explain(frame, HOST)]
        self.assertEqual(
            fields,
            [
                ("header", b"VOLT", "VOLT"),
                ("separator", None, None),
                ("value", b"12 mV", 0.012),
                ("separator", None, None),
                ("value", b"MIN", "MIN"),
                ("end", 10, None),
            ],
        )
        self.assertEqual(scpi.channels("1:2"), [1, 2])


if __name__ == "__main__":
    unittest.main()
