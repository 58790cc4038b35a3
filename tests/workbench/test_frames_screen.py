"""The Frames screen: the tape, the ruler under change, saying, the slate; and the rooms below it."""

import asyncio
import unittest
from unittest import mock

from msgspec import structs

from cavet.bench import Meanings, Tape, spoken
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.drawings.canvas import ASKED, GOT, HEATHER, QUIET
from cavet.drawings.ruler import RulerView
from cavet.protocols import Field, FieldError, Side, codec, read_whole
from cavet.record import Direction, Kind, Reason, Record, Seat, Step, Topic, Trail
from cavet.wording import WrongError
from cavet.workbench.drawing.tape import Bar, TapeView, draw_tape
from cavet.workbench.drawing.under import UnderView, bit_under, draw_under
from cavet.workbench.frames.editing import Editing
from cavet.workbench.frames.reading import Reading
from cavet.workbench.frames.searching import matching
from cavet.workbench.frames.sentence import SENTENCES, Sentence
from cavet.workbench.frames.slate import Slate
from cavet.workbench.frames.ways import fields_of, ways_of
from cavet.workbench.screens.frames import FramesScreen
from tests.bench.test_tape import demo_tape
from tests.workbench.test_screens import seated
from tests.workbench.test_views import TWO

SETUP = load_bench(demo_path()).setup
WRITE = bytes.fromhex("07 06 00 00 02 58 89 36")


def tongue(link):
    return spoken(SETUP, SETUP.links[link])


def editing(data=WRITE, protocol="modbus-rtu", link="pumphouse_line"):
    (frame,) = read_whole(codec(protocol), data, Side.HOST)
    return Editing(tongue(link), frame, Side.HOST)


class OnTheTape(unittest.TestCase):
    def test_of_several_questions_at_once_the_one_is_told_whose_answer_is_chosen(self):
        asked = [
            Bar(first=20 + n / 10, last=21, above=True, text=f"read {n}", answer=22, paired=n == 2) for n in range(4)
        ]
        told = [Bar(first=22 + n / 10, last=23, above=False, text=f"answer {n}", chosen=n == 2) for n in range(4)]
        view = TapeView(
            begin=0.0, cell=0.001, title="hut tcp", subtitle="modbus-tcp", bars=(*asked, *told), rows=(),
            following=True, now=1.0,
        )  # fmt: skip
        lines = draw_tape(view, 100, 6).text().split("\n")
        self.assertEqual((lines[1].split()[-2:], lines[5].split()), (["read", "2"], ["◆", "answer", "2"]))


class OnTheRuler(unittest.TestCase):
    def test_a_value_is_changed_and_the_check_follows(self):
        frame = editing()
        self.assertEqual(frame.field.name, "value")
        frame.set("725")
        self.assertEqual((frame.shown, frame.frame.problems), ("07 06 00 00 02 D5 49 53", ()))
        self.assertTrue(frame.is_changed)
        self.assertLess({46, 47}, frame.changed_bits | {46, 47})
        self.assertTrue(frame.undo())
        self.assertEqual(frame.frame.data, WRITE)
        self.assertFalse(frame.undo())

    def test_lengths_and_checks_stay_wrong_on_purpose_until_they_are_wanted_right(self):
        frame = editing()
        frame.leave_wrong()
        frame.nudge(1)
        self.assertIn("expected", frame.frame.problems[0])
        frame.leave_wrong()
        self.assertEqual(frame.frame.problems, ())

    def test_bits_are_flipped_one_by_one(self):
        frame = editing()
        frame.into_bits()
        self.assertEqual(frame.bit, 32)
        frame.move(15)
        self.assertEqual((frame.bit, frame.field.name), (47, "value"))
        frame.flip()
        self.assertEqual(frame.frame.message.value, 601)
        frame.move(9)
        self.assertEqual(frame.field.name, "crc")

    def test_what_a_field_can_not_hold_is_told_and_nothing_is_lost(self):
        frame = editing()
        for text in ("70000", "much", "-1"):
            with self.subTest(text), self.assertRaises((WrongError, FieldError)):
                frame.set(text)
        self.assertEqual(frame.frame.data, WRITE)

    def test_a_frame_that_is_none_any_more_is_told_and_can_be_taken_back(self):
        frame = editing(bytes.fromhex("F0 6D 09 F7"), "firmata", "gatehouse")
        frame.leave_wrong()
        frame.cursor = 0
        frame.into_bits()
        frame.flip()
        self.assertIn("no longer one frame", frame.frame.problems[0])
        frame.undo()
        self.assertEqual(frame.frame.problems, ())

    def test_each_field_alone_is_changed_whatever_stands_in_the_others(self):
        """A byte of a bus's payload is one field on the ruler, and no field of the message; what is spoken in words has
        no numbers in its bits."""
        of_spi = "22 00 22 00"
        for protocol, link, wire, name, text, expected in (
            ("i2c", "mast", "44 02 01 07", "data", "34", "44 02 22 07"),
            ("i2c", "mast", "44 02 01 07", "read", "on", "45 02 01 07"),
            ("spi", "mast", of_spi, "data", "0x41", "41 00 22 00"),
            ("firmata", "gatehouse", "F0 76 26 08 00 00 0F 00 F7", "address", "39", "F0 76 27 08 00 00 0F 00 F7"),
            ("mqtt", "towpath", "32 07 00 01 61 00 05 68 69", "qos", "2", "34 07 00 01 61 00 05 68 69"),
            ("mqtt", "towpath", "82 06 00 01 00 01 61 01", "filter", "b", "82 06 00 01 00 01 62 01"),
            ("scpi", "switchrack", b"ROUT:CLOS (@101)\n".hex(), "value", "(@102,104)", b"ROUT:CLOS (@102,104)\n".hex()),
            ("scpi", "switchrack", b"SOUR1:VOLT 9.95 V\n".hex(), "value", 1, b"SOUR1:VOLT 9.96 V\n".hex()),
            ("scpi", "switchrack", b"*ESE 9\n".hex(), "value", 1, b"*ESE 10\n".hex()),
            ("scpi", "switchrack", b"VOLT (@1:x)\n".hex(), "header", "CURR", b"CURR (@1:x)\n".hex()),
        ):
            with self.subTest(protocol, field=name, text=text):
                frame = editing(bytes.fromhex(wire), protocol, link)
                frame.cursor = next(place for place, field in enumerate(frame.fields) if field.name == name)
                if isinstance(text, int):
                    frame.nudge(text)
                else:
                    frame.set(text)
                self.assertEqual(bytes.fromhex(expected).hex(" "), frame.frame.data.hex(" "))
                self.assertTrue(frame.undo())
                self.assertEqual(bytes.fromhex(wire), frame.frame.data)
        frame = editing(bytes.fromhex("82 06 00 01 00 01 61 01"), "mqtt", "towpath")
        frame.cursor = next(place for place, field in enumerate(frame.fields) if field.name == "filter")
        with self.assertRaisesRegex(WrongError, 'filter: found "3 bytes", expected as many as there are, 1'):
            frame.set("a/b")

    def test_what_is_written_out_is_stepped_where_it_is_a_number_and_else_left_alone(self):
        for value, stepped in (
            ("#HF9", "#HF9"), ("ON", "ON"), ("-1", "0"), ("LOCK-1", "LOCK-2"), ("1.50E+3", "1.51E+3"), ("9", "10"),
        ):  # fmt: skip
            frame = editing(f"VAL {value}\n".encode(), "scpi", "switchrack")
            frame.cursor = next(place for place, field in enumerate(frame.fields) if field.name == "value")
            frame.nudge(1)
            self.assertEqual(f"VAL {stepped}\n".encode(), frame.frame.data)
            self.assertEqual(value != stepped, frame.undo(), "nothing is to be taken back where nothing was changed")

    def test_texts_of_another_length_are_laid_down_anew(self):
        wire = codec("mqtt").encode(
            spoken(SETUP, SETUP.links["towpath"]).made("publish", {"topic": "a", "payload": "@1"})
        )
        frame = editing(wire, "mqtt", "towpath")
        frame.cursor = next(place for place, field in enumerate(frame.fields) if field.name == "topic")
        frame.set("a/longer/topic")
        self.assertEqual((frame.frame.message.topic, frame.frame.problems), ("a/longer/topic", ()))


class Sentences(unittest.TestCase):
    def sentence(self, link="pumphouse", board="pumphouse"):
        return Sentence(tongue(link), Meanings(SETUP, board), board)

    def test_every_message_of_every_link_is_a_sentence_with_all_its_fields(self):
        for link, setup in SETUP.links.items():
            made = self.sentence(link, setup.board)
            for number, name in enumerate(made.messages):
                made.chosen = number
                with self.subTest(link, message=name):
                    fields = [field for _, field in made.pieces if field]
                    self.assertEqual(sorted(fields), sorted(blank.field for blank in made.blanks))
                    self.assertTrue(made.pieces[0][0])

    def test_the_sentences_are_of_messages_that_there_are_and_name_their_fields(self):
        forms = {name: form for link in SETUP.links for name, form in tongue(link).forms(Side.HOST).items()}
        for name, template in SENTENCES.items():
            fields = [piece.partition("}")[0] for piece in template.split("{")[1:]]
            with self.subTest(name):
                self.assertLessEqual(set(fields), set(forms[name].__struct_fields__))

    def test_blanks_know_what_the_bench_knows(self):
        made = self.sentence()
        made.begin_with("write-single-register", {"address": "0", "value": "600"})
        blanks = {blank.field: blank for blank in made.blanks}
        self.assertEqual(blanks["unit"].text, "7")
        self.assertEqual(made.means()["value"], "60 % at pump_a_speed")
        self.assertEqual(made.frame().data[-5:], bytes.fromhex("06 00 00 02 58"))

    def test_points_are_named_and_values_have_units(self):
        made = self.sentence()
        made.begin_with("write-single-register", {})
        made.cursor = 1
        self.assertIn("pump_a_speed", made.names())
        made.put("pump_b_speed")
        made.settle()
        made.move(1)
        made.put("60 %")
        made.settle()
        self.assertEqual(made.given(), {"address": "1", "value": "600"})
        firmata = self.sentence("gatehouse", "gatehouse")
        firmata.begin_with("pin-state-query", {})
        firmata.put("beacon")
        firmata.settle()
        self.assertEqual(firmata.given(), {"pin": "2"})

    def test_what_is_wrong_is_told_at_its_blank(self):
        made = self.sentence()
        made.begin_with("write-single-register", {"address": "0"})
        self.assertEqual(made.unfilled, ["value"])
        made.texts["value"] = "70000"
        field, told = made.wrong()
        self.assertEqual((field, made.frame()), ("value", None))
        self.assertIn("0 to 65535", told)

    def test_words_switches_and_numbers_are_turned(self):
        made = self.sentence("gatehouse", "gatehouse")
        made.begin_with("set-pin-mode", {"pin": "9"})
        made.cursor = 1
        made.turn(1)
        self.assertEqual(made.blank.text, "input")
        made.cursor = 0
        made.turn(1)
        self.assertEqual(made.blank.text, "10")

    def test_a_frame_goes_into_the_blanks_and_comes_out_the_same(self):
        for link, name, fields in (
            ("pumphouse", "write-multiple-registers", {"address": "3", "values": "1,2"}),
            ("gatehouse", "i2c-request", {"address": "32", "mode": "write", "data": "0102"}),
            ("towpath", "publish", {"topic": "a", "payload": "@x", "qos": "1", "packet_id": "7"}),
            ("switchrack", "command", {"header": "OUTP1", "values": "ON"}),
        ):
            speech = tongue(link)
            message = speech.made(name, fields)
            (frame,) = read_whole(speech.codec_of(name), speech.encode(message), Side.HOST)
            again = fields_of(speech, frame)
            with self.subTest(name):
                self.assertEqual(speech.encode(speech.made(*again)), frame.data)

    def test_the_ways_to_say_it_wrong_fit_the_message(self):
        rtu = Sentence(tongue("pumphouse_line"), None)
        rtu.begin_with("read-coils", {"address": "0", "quantity": "6"})
        told = [way.told for way in ways_of(rtu)]
        self.assertEqual(told[0], "with a wrong check")
        self.assertIn("to unit 8" if rtu.tongue.host else "twice", told)
        firmata = self.sentence("gatehouse", "gatehouse")
        firmata.begin_with("pin-state-query", {"pin": "9"})
        self.assertNotIn("with a wrong check", [way.told for way in ways_of(firmata)])
        control = self.sentence("signalpost", "signalpost")
        control.begin_with("get-status", {"recipient": "device"})
        self.assertEqual(["bit 32 flipped", "bytes of your own"], [way.told for way in ways_of(control)])


class Searches(unittest.TestCase):
    def test_what_is_meant(self):
        (frame,) = read_whole(codec("modbus-rtu"), WRITE, Side.HOST)
        placed = type("P", (), {"name": frame.message.NAME, "problem": False})()
        for wanted, holds in (
            ("value > 500", True), ("value>600", False), ("value = 0x258", True), ("address != 0", False),
            ("0x02 58", True), ("0x0259", False), ("single", True), ("coil", False), ("problem", False),
            ("nosuch = 3", False), ("value <= 600.0", True),
        ):  # fmt: skip
            with self.subTest(wanted):
                self.assertEqual(matching(wanted)(placed, frame), holds)
        for wrong in ("", "0x2", "value > much"):
            with self.subTest(wrong), self.assertRaises(WrongError):
                matching(wrong)

    def test_each_field_of_the_ruler_is_found_by_its_number_its_word_its_text(self):
        for protocol, link, wire, wanted, others in (
            ("modbus-rtu", "pumphouse_line", WRITE.hex(), ("function = 6", "unit = 7", "crc != 0", "address < 1"),
             ("function = 5", "unit > 7", "to_send = 1", "__class__ != 1")),
            ("modbus-tcp", "pumphouse", "00 01 00 00 00 06 07 05 00 02 FF 00",
             ("value = on", "value = 1", "length = 6"), ("value = off", "value = 0")),
            ("firmata", "gatehouse", "F4 09 04", ("mode = servo", "mode = 4", "mode != pwm"),
             ("mode = pwm", "mode != servo")),
            ("scpi", "switchrack", b"SOUR1:VOLT 5 V\n".hex(), ("value = 5", "value > 4.5", "header = SOUR1:VOLT"),
             ("value > 5",)),
            ("scpi", "switchrack", b"ROUT:CLOS (@101,103)\n".hex(), ("value = 103",), ("value = 102",)),
            ("mqtt", "towpath", "32 07 00 01 61 00 05 68 69", ("qos = 1", "topic = a", "topic_length = 1"),
             ("qos = 2",)),
            ("i2c", "mast", "44 02 01 07", ("data = 7", "address = 0x22", "register = 2"), ("data = 3",)),
        ):  # fmt: skip
            speech = tongue(link)
            (frame,) = read_whole(codec(protocol), bytes.fromhex(wire), Side.HOST)
            placed = type("P", (), {"name": frame.message.NAME, "problem": False, "side": Side.HOST})()
            for text, holds in [*((each, True) for each in wanted), *((each, False) for each in others)]:
                with self.subTest(protocol, text=text):
                    self.assertEqual(holds, matching(text, speech)(placed, frame))

    def test_a_value_that_no_message_calls_so_is_found_on_the_tape(self):
        tape, record, _ = demo_tape(1.0)
        reading = Reading(tape, record)
        reading.choose("switchrack")
        reading.go_to(tape.links["switchrack"].first, 60)
        self.assertEqual("", reading.search("value = 101", 1, 60))
        self.assertIn(b"(@101)", reading.frame.data)


class Following(unittest.TestCase):
    def test_the_newest_exchange_is_in_sight_however_long_ago_it_was(self):
        tape, record, _ = demo_tape(1.0)
        for link, on in ((link, on) for link, on in tape.links.items() if on.kept):
            for later, cells in ((0.0, 60), (0.02, 60), (3.0, 60), (3.0, 150)):
                reading = Reading(tape, record)
                reading.choose(link)
                with self.subTest(link, later=later, cells=cells):
                    reading.follow(on.placed(len(on) - 1).end + later, cells)
                    placed, end = reading.placed, reading.begin + cells * reading.cell
                    self.assertEqual(reading.number, len(on) - 1)
                    self.assertLessEqual(reading.begin, placed.begin)
                    self.assertLess(placed.begin, end)
                    asked = on.placed(placed.partner) if placed.partner >= 0 else placed
                    if placed.begin - asked.begin < 0.04:
                        self.assertLessEqual(reading.begin, asked.begin)

    def test_the_links_beside_the_chosen_one_are_those_around_it(self):
        tape, record, _ = demo_tape(1.0)
        names = list(tape.links)
        reading = Reading(tape, record)
        for at, name in enumerate(names):
            reading.choose(name)
            self.assertEqual(names[:at] + names[at + 1 :], reading.beside())
            for room in range(len(names) + 2):
                beside = reading.beside(room)
                self.assertEqual(min(room, len(names) - 1), len(beside))
                self.assertEqual([other for other in names if other in beside], beside)
                if room >= 2 and 0 < at < len(names) - 1:
                    self.assertLessEqual({names[at - 1], names[at + 1]}, set(beside))

    def test_a_frame_that_has_not_come_yet_is_gone_to_when_it_has(self):
        report, order = bytes.fromhex("E0 00 00"), bytes.fromhex("E2 48 01")
        for later, moves, number in ((0.02, 0, 2), (0.02, -1, 0), (9.0, 0, 1)):
            record = Record(now=lambda: 0.0)
            offsets = dict.fromkeys(Direction, 0)

            def carry(t, data, direction, record=record, offsets=offsets):
                record.carry("gatehouse", "", Seat.BOARD, direction, offsets[direction], t, t + 0.0005, data)
                offsets[direction] += len(data)

            carry(0.9, report, Direction.TO_HOST)
            carry(0.99, report, Direction.TO_HOST)
            reading = Reading(Tape(load_bench(demo_path()).setup, record), record)
            reading.choose("gatehouse")
            reading.follow(1.0, 60)
            reading.find(order, 1.0, 60)
            self.assertEqual(1, reading.number)
            if moves:
                reading.move(moves, 60)
            carry(1.0 + later, order, Direction.TO_BOARD)
            reading.follow(1.0 + later, 60)
            with self.subTest(later=later, moves=moves):
                self.assertEqual(number, reading.number)


class Slates(unittest.TestCase):
    def test_it_knows_the_frame_and_the_field_under_the_cursor(self):
        frame, slate = editing(), Slate()
        slate.reckon("scale from=0..1000 to=0..255", frame.frame.data, frame.field)
        self.assertIn("153", slate.lines[0].found)
        crc = next(field for field in frame.fields if field.name == "crc")
        slate.reckon("check kind=modbus", frame.frame.data, crc)
        self.assertIn("89 36 on the wire", slate.lines[0].found)
        slate.reckon("0x0258")
        self.assertIn("600", slate.lines[0].found)
        written_out = editing(b"*ESE 32\n", "scpi", "switchrack")
        slate.reckon("number", written_out.frame.data, written_out.field)
        self.assertIn("0x20", slate.lines[0].found)
        slate.reckon("chek kind=modbus")
        self.assertTrue(slate.lines[0].is_bad)

    def test_the_last_twenty_lines_stay(self):
        slate = Slate()
        for number in range(30):
            slate.reckon(str(number))
        self.assertEqual((len(slate.lines), slate.lines[0].asked), (20, "29"))


class Mouse(unittest.TestCase):
    def test_what_is_pressed_on_the_ruler_is_the_bit_that_stands_there(self):
        for data, width, height in ((WRITE, 106, 20), (WRITE, 44, 30), (bytes(range(60)), 80, 18)):
            fields = (Field(name="all", spans=((0, 8 * len(data)),), raw=data, value=data),)
            view = UnderView(name="x", abouts=("y",), place="z", ruler=RulerView(data=data, fields=fields, cursor=0))
            rows = draw_under(view, width, height).text().split("\n")
            found = 0
            for y, row in enumerate(rows):
                if set(row.strip()) <= {"0", "1", " "} and row.strip() and y >= 2:
                    for x, character in enumerate(row):
                        if character != " ":
                            bit = bit_under(view, width, height, x, y)
                            self.assertEqual(character, str(data[bit // 8] >> 7 - bit % 8 & 1))
                            found += 1
            self.assertGreaterEqual(found, 64)
            self.assertIsNone(bit_under(view, width, height, 0, 0))


class Room(unittest.TestCase):
    def test_what_became_of_a_frame_is_said_with_shorter_strokes_where_it_is_tight(self):
        fate = (("fate  ", QUIET), ("◇ carried", ASKED), (" ── 24 µs ── ", HEATHER), ("◆ taken", GOT))
        view = UnderView(
            name="x", abouts=("y",), place="z", ruler=RulerView(data=WRITE, fields=(), cursor=None), fate=fate
        )
        whole = sum(len(words) for words, _ in fate) + 2
        for width, said in (
            (whole, "fate  ◇ carried ── 24 µs ── ◆ taken"), (whole - 1, "fate  ◇ carried ─ 24 µs ◆ taken"),
        ):  # fmt: skip
            self.assertIn(said, draw_under(view, width, 20).text())

    def test_what_became_of_a_frame_lies_over_nothing(self):
        fate = (("answers read-coils", QUIET),)
        frame = editing().frame
        ruler = RulerView(data=WRITE, fields=tuple(editing().fields), cursor=None)
        view = UnderView(name=frame.message.NAME, abouts=("y",), place="z", ruler=ruler, fate=fate)
        for width in (40, 58, 80):
            for height in range(5, 20):
                rows = draw_under(view, width, height).text().split("\n")
                (row,) = [number for number, row in enumerate(rows) if "answers" in row]
                self.assertEqual(" answers read-coils", rows[row].rstrip(), (width, height))

    def test_what_is_left_out_of_a_ruler_is_said(self):
        view = UnderView(
            name="x", abouts=("y",), place="z", fate=(("f", QUIET),),
            ruler=RulerView(data=WRITE, fields=tuple(editing().fields), cursor=None),
        )  # fmt: skip
        whole = draw_under(view, 58, 40).text()
        self.assertNotIn(" …", whole)
        self.assertIn(" …", draw_under(view, 58, 8).text())


class Screen(unittest.TestCase):
    def test_what_was_driven_is_found_on_the_wire_and_back(self):
        async def story(seat):
            await seat.press("right")
            await seat.until(lambda: seat.asked("beacon"))
            await seat.until(lambda: seat.desk.standings.trails.all)
            await seat.press("w")
            await seat.on(FramesScreen)
            await seat.sees("analog-message 2", "the host to gatehouse", "what became of it", "% at")
            await seat.press("g")
            await seat.sees("drive", "beacon ←")

        seated(story)

    def test_of_a_board_with_two_links_it_is_that_of_the_points_host(self):
        async def story(seat):
            await seat.press("f", *"relay", "enter", "space")
            await seat.until(lambda: any(each.point == "relay" for each in seat.desk.standings.trails.all.values()))
            await seat.press("w")
            await seat.on(FramesScreen)
            await seat.sees("shed serial", "write-single-coil 1 on", "what became of it")
            self.assertEqual("line", seat.app.screen.reading.link)

        seated(story, text=TWO)

    def test_a_frame_that_is_not_on_the_wire_yet_comes_under_the_cursor_once_it_is(self):
        async def story(seat):
            await seat.press("f", *"relay", "enter", "space")
            await seat.until(lambda: any(Kind.FRAMED in each.steps for each in trails(seat)))
            (trail,) = (each for each in trails(seat) if each.point == "relay")
            await seat.press("ctrl+g", "3")
            await seat.on(FramesScreen)
            await seat.press("down")
            await seat.sees("read-coils 0 1")
            screen = seat.app.screen
            self.assertEqual("shed", screen.reading.link)
            root = structs.replace(trail.root, t=seat.desk.now, number=1 << 30)  # one of its own, wished for just now
            early = Trail(root, trail.part, {Kind.ASKED: Step([root])})
            screen.show_trail(early)
            self.assertEqual(("line", True), (screen.reading.link, screen.reading.following))
            early.steps = trail.steps
            await seat.sees("write-single-coil 1 on", "what became of it")
            self.assertFalse(screen.reading.following)
            early.steps = {Kind.ASKED: Step([root])}
            early.stopped = structs.replace(root, kind=Kind.LOST, reason=Reason.LINK_LOST, topic=Topic.LINK)
            screen.show_trail(early)
            await seat.sees("nothing of this trail was on the wire")
            later = Trail(
                structs.replace(root, t=seat.desk.now, number=2 << 30), trail.part, {Kind.ASKED: Step([root])}
            )
            screen.say("")
            screen.show_trail(later)
            self.assertEqual("", screen._message)
            later.stopped = early.stopped
            await seat.sees("nothing of this trail was on the wire")

        def trails(seat):
            return seat.desk.standings.trails.all.values()

        seated(story, text=TWO)

    def test_what_is_still_to_be_read_stands_beside_the_title_at_any_size(self):
        for width, words in ((40, "1234567 to go"), (60, "is being read, 1234567 to go"), (120, "to go")):
            view = TapeView(
                begin=1851.6, cell=0.002, title="switchrack serial", subtitle="scpi", bars=(), rows=(), following=True,
                now=5.0, left=1_234_567,
            )  # fmt: skip
            first = draw_tape(view, width, 5).text().split("\n")[0]
            with self.subTest(width):
                self.assertRegex(first, rf"^ switchrack( serial|…) .*\s{words}$")

    def test_it_says_how_much_is_still_to_be_read_and_reads_on_without_a_rest(self):
        async def story(seat):
            await seat.until(lambda: len(seat.desk.bench.record.transfers.since(0)) > 50)
            with mock.patch("cavet.workbench.frames.reading.READ_SECONDS", 0.0):
                with mock.patch("cavet.workbench.frames.reading.AT_ONCE", 1):
                    await seat.press("ctrl+g", "3")
                    await seat.on(FramesScreen)
                    await seat.sees("is being read", "to go")
                    self.assertIn(seat.app.screen.reading.left, seat.app.screen.done_here())
                await seat.sees("follows")

        seated(story)

    def test_the_ruler_changes_a_frame_and_says_it(self):
        async def story(seat):
            await seat.press("right")
            await seat.until(lambda: seat.asked("beacon"))
            await seat.until(lambda: seat.desk.standings.trails.all)
            await seat.press("w")
            await seat.on(FramesScreen)
            await seat.sees("analog-message 2")
            await seat.press("tab")
            await seat.type("200")
            await seat.press("enter")
            await seat.sees("changed", "78.4 %")
            await seat.press("s")
            await seat.sees("◆ said")
            board = seat.desk.bench.world.boards["gatehouse"]
            await seat.until(lambda: abs(board.circuit.parts["beacon"].fraction(seat.desk.now) - 200 / 255) < 0.01)

        events, _ = seated(story)
        said = [event for event in events if event.kind == Kind.ASKED and event.note == "by hand" and event.value]
        self.assertIn(bytes.fromhex("E2 48 01"), [event.value for event in said if isinstance(event.value, bytes)])

    def test_a_message_is_filled_said_and_answered(self):
        async def story(seat):
            await seat.press("f4")
            await seat.on(FramesScreen)
            screen = seat.app.screen
            await seat.press("s")
            place = screen._sentence.messages.index("pin-state-query")
            await seat.press(*["down"] * place)
            await seat.sees("Ask how pin")
            await seat.press("enter", "9")
            await seat.sees("F0 6D 09 F7", "as it will be said")
            await seat.press("enter", "enter")
            await seat.sees("pin-state-query 9", "◆ 9 ")
            await seat.press("b")
            await seat.sees("cut short")
            await seat.press("enter")
            await seat.sees("silence", "as the standard has it")

        seated(story)

    def test_typing_takes_all_keys_and_the_slate_reckons(self):
        async def story(seat):
            await seat.press("f4")
            await seat.on(FramesScreen)
            await seat.press("slash")
            await seat.type("number")
            await seat.press("space")
            await seat.type("value=600")
            await seat.sees("number value=600▏")
            await seat.press("enter")
            await seat.sees("0x0258")
            await seat.press("f")
            await seat.type("nosuch")
            await seat.press("enter")
            await seat.sees("no frame")

        seated(story)

    def test_screens_are_changed_by_keys_that_work_everywhere(self):
        async def story(seat):
            await seat.press("f4")
            await seat.on(FramesScreen)
            await seat.press("f3")
            await seat.sees("drive")
            await seat.press("ctrl+g")
            await seat.sees("to which screen?")
            await seat.press("3")
            await seat.on(FramesScreen)

        seated(story)

    def test_it_serves_at_every_size_and_draws_nothing_outside(self):
        for size in ((160, 47), (100, 30), (80, 24), (60, 16), (40, 12)):

            async def story(seat):
                await seat.press("f4")
                await seat.on(FramesScreen)
                await seat.sees("gatehouse")
                for key in ("tab", "escape", "s", "enter", "escape", "escape", "w", "plus", "minus", "question_mark"):
                    await seat.press(key)
                await asyncio.sleep(0)
                self.assertEqual(seat.app.screen_stack[0]._faults, set())

            with self.subTest(size):
                seated(story, size=size)
