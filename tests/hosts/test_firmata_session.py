"""The session, with a board's answers written by hand, byte for byte."""

import unittest

from hypothesis import given
from hypothesis import strategies as some

from cavet.hosts import FirmataSession, PinPoint, PointKind, SessionSettings, SessionState, state_words
from cavet.record import Kind, Purpose, Record, Tell
from cavet.wording import WrongError

LAMP = PinPoint(
    name="lamp", board="b", kind=PointKind.LEVEL, pin=2, mode="pwm", unit="%", high=100, wire_high=255, confirm=True
)
QUIET_LAMP = PinPoint(
    name="quiet", board="b", kind=PointKind.LEVEL, pin=2, mode="pwm", unit="%", high=100, wire_high=255
)
HORN = PinPoint(name="horn", board="b", kind=PointKind.SWITCH, pin=3, mode="output", confirm=True)
FAR = PinPoint(name="far", board="b", kind=PointKind.LEVEL, pin=5, mode="servo", unit="deg", high=180, wire_high=180)
STOP = PinPoint(name="stop", board="b", kind=PointKind.CONTACT, pin=4, mode="pull-up", active_low=True)
LEVEL = PinPoint(
    name="level", board="b", kind=PointKind.READING, pin=6, mode="analog", unit="mm", high=3000, wire_high=1023
)

ANNOUNCEMENT = "F9 02 07 F0 79 02 07 77 00 F7"
CAPABILITIES = "F0 6C 7F 7F 00 01 01 01 03 08 7F 00 01 01 01 7F 00 01 0B 01 7F 00 01 01 01 7F 02 0A 7F F7"
MAPPING = "F0 6A 7F 7F 7F 7F 7F 7F 00 F7"


class Talk:
    """A session and its record; time is set by hand."""

    def __init__(self, *points, **settings):
        self.time = 0.0
        self.record = Record(lambda: self.time)
        self.session = FirmataSession("b", points, SessionSettings(**settings), Tell(self.record, "b"))

    def hear(self, text):
        """The board says something; give what the session says then, as hex."""
        self.session.feed(bytes.fromhex(text), self.time, lambda end: None)
        return self.say()

    def say(self):
        said = self.session.take_out()
        return said.data.hex(" ").upper() if said else ""

    def go(self, until):
        self.time = until
        self.session.advance(until)
        return self.say()

    def ready(self, states=""):
        """Bring the session to where it can be asked."""
        self.session.opened(self.time)
        self.hear(ANNOUNCEMENT)
        self.hear(CAPABILITIES)
        words = self.hear(MAPPING)
        for pin in self.session._pins():
            words += " " + self.hear(states or f"F0 6E {pin:02X} 00 00 F7")
        if self.session.state is SessionState.LEARNING:  # a pin lacks something, by that: it is asked once more
            words += " " + self.hear(CAPABILITIES) + self.hear(MAPPING)
        return words.strip()

    def told(self, kind):
        return [event for event in self.record.since(0) if event.kind == kind]


class Beginning(unittest.TestCase):
    def test_it_waits_for_the_board_to_boot_before_it_says_anything(self):
        talk = Talk(LAMP)
        talk.session.opened(0.0)
        self.assertEqual((talk.go(1.9), talk.session.state), ("", SessionState.BOOTING))
        self.assertEqual(talk.hear(ANNOUNCEMENT), "F0 6B F7 F0 69 F7 F0 6D 02 F7")
        self.assertEqual(talk.session.state, SessionState.LEARNING)
        self.assertEqual((talk.session.learned.version, talk.session.learned.name), ((2, 7), "w"))

    def test_it_asks_when_no_announcement_comes(self):
        talk = Talk(LAMP)
        talk.session.opened(0.0)
        self.assertEqual(talk.go(2.0), "F9 F0 79 F7")
        self.assertEqual(talk.session.state, SessionState.ASKING)
        self.assertEqual(talk.go(2.5), "F9 F0 79 F7")
        talk.go(3.0)
        talk.go(3.5)
        self.assertEqual(talk.session.state, SessionState.SILENT)
        self.assertIn("nothing answers", state_words(talk.session.state))
        self.assertEqual(talk.go(5.5), "F9 F0 79 F7")
        talk.hear(ANNOUNCEMENT)
        self.assertEqual(talk.session.state, SessionState.LEARNING)

    def test_modes_are_set_and_inputs_reported_once_the_board_is_known(self):
        words = Talk(LAMP, HORN, STOP, LEVEL).ready()
        self.assertEqual(words, "F4 02 03 F4 03 01 F4 04 0B F4 06 02 C0 01 D0 01")

    def test_a_pin_that_is_in_its_mode_already_is_left_as_it_is(self):
        talk = Talk(LAMP)
        self.assertEqual(talk.ready("F0 6E 02 03 7F F7"), "")
        self.assertAlmostEqual(talk.session.readings["lamp"].got, 100 * 127 / 255)

    def test_what_is_missing_is_asked_for_again(self):
        talk = Talk(LAMP)
        talk.session.opened(0.0)
        talk.hear(ANNOUNCEMENT)
        talk.hear(CAPABILITIES)
        self.assertEqual(talk.go(0.6), "F0 69 F7 F0 6D 02 F7")

    def test_who_it_is_may_be_told_unasked_and_as_an_answer(self):
        talk = Talk(LAMP)
        talk.session.opened(0.0)
        talk.go(2.0)
        talk.go(2.5)  # asked twice, since it is slow
        self.assertEqual(talk.hear(ANNOUNCEMENT), "F0 6B F7 F0 69 F7 F0 6D 02 F7")
        self.assertEqual((talk.hear(ANNOUNCEMENT), talk.hear(ANNOUNCEMENT)), ("", ""))
        talk.hear(CAPABILITIES)
        talk.hear(MAPPING)
        talk.hear("F0 6E 02 00 00 F7")
        self.assertEqual(([], SessionState.READY), (talk.told(Kind.REMARK), talk.session.state))
        self.assertEqual(talk.hear(ANNOUNCEMENT), "F0 6B F7 F0 69 F7 F0 6D 02 F7")
        self.assertIn("it says unasked who it is", talk.told(Kind.REMARK)[-1].note)

    def test_what_is_answered_twice_tells_how_it_stood_before_it_was_set_up(self):
        talk = Talk(LAMP)
        talk.session.opened(0.0)
        talk.hear(ANNOUNCEMENT)
        self.assertEqual(talk.go(0.6), "F0 6B F7 F0 69 F7 F0 6D 02 F7")  # again, since it is slow
        talk.hear(CAPABILITIES)
        talk.hear(MAPPING)
        self.assertEqual("F4 02 03", talk.hear("F0 6E 02 00 00 F7"))
        talk.session.ask("lamp", 40.0, 1.0)
        self.assertEqual("E2 66 00 F0 6D 02 F7", talk.say())
        self.assertEqual("", talk.hear(CAPABILITIES + " " + MAPPING + " F0 6E 02 00 00 F7"))
        self.assertEqual(([], SessionState.READY), (talk.told(Kind.REMARK), talk.session.state))
        self.assertEqual("", talk.hear("F0 6E 02 03 66 F7"))
        self.assertEqual(1, len(talk.told(Kind.CONFIRMED)))
        talk.session.ask("lamp", 0.0, 1.2)
        talk.say()
        self.assertEqual("F9 F0 79 F7", talk.hear("F0 6E 02 00 00 F7"))

    def test_it_says_where_host_and_board_begin_differently(self):
        point = PinPoint(
            name="lamp",
            board="b",
            kind=PointKind.LEVEL,
            pin=2,
            mode="pwm",
            unit="%",
            high=100,
            wire_high=255,
            start=20.0,
        )
        talk = Talk(point)
        talk.ready()
        (remark,) = talk.told(Kind.REMARK)
        self.assertIn("starts at 20 % for the host, but the board stands at 0 %", remark.note)

    def test_a_sampling_interval_is_set_where_it_is_wanted(self):
        self.assertIn("F0 7A 32 00 F7", Talk(LEVEL, sampling=0.05).ready())


class Asking(unittest.TestCase):
    def test_a_wish_becomes_bytes_and_a_question_that_reads_it_back(self):
        talk = Talk(LAMP)
        talk.ready()
        asked = talk.session.ask("lamp", 50.0, 1.0, by="by hand")
        self.assertEqual(talk.say(), "E2 00 01 F0 6D 02 F7")
        framed = talk.told(Kind.FRAMED)[-2:]
        self.assertEqual([(event.cause, event.purpose) for event in framed], [(asked, ""), (asked, Purpose.READ_BACK)])
        talk.time = 1.1
        talk.hear("F0 6E 02 03 00 01 F7")
        self.assertEqual(talk.told(Kind.CONFIRMED)[-1].cause, asked)
        self.assertEqual(talk.session.readings["lamp"].got, 50.0)

    def test_what_was_asked_before_the_board_was_ready_is_sent_when_it_is(self):
        talk = Talk(LAMP, HORN)
        talk.session.ask("lamp", 10.0, 0.0)
        second = talk.session.ask("lamp", 100.0, 0.0)
        talk.session.ask("horn", True, 0.0)
        self.assertEqual(talk.say(), "")
        words = talk.ready()
        self.assertTrue(words.endswith("E2 7F 01 F0 6D 02 F7 F5 03 01 F0 6D 03 F7"), words)
        self.assertEqual(len(talk.told(Kind.OVERTAKEN)), 1)
        self.assertEqual(talk.session.readings["lamp"].trail, second)

    def test_a_value_that_has_not_changed_is_not_sent_again(self):
        talk = Talk(LAMP)
        talk.ready()
        talk.session.ask("lamp", 50.0, 1.0)
        talk.say()
        talk.session.ask("lamp", 50.1, 1.1)
        self.assertEqual(talk.say(), "")
        self.assertEqual(len(talk.told(Kind.UNCHANGED)), 1)
        talk.session.ask("lamp", 50.0, 1.2, forced=True)
        self.assertEqual(talk.say(), "E2 00 01 F0 6D 02 F7")

    def test_a_value_outside_the_limits_is_brought_inside_and_noted(self):
        talk = Talk(LAMP)
        talk.ready()
        asked = talk.session.ask("lamp", 130.0, 1.0)
        self.assertEqual(talk.say(), "E2 7F 01 F0 6D 02 F7")
        self.assertEqual(talk.record[asked].value, 100.0)
        self.assertEqual(talk.told(Kind.LIMITED)[-1].note, "asked 130 %, the limit is 100 %")

    def test_a_mode_that_the_pin_lacks_is_refused_before_a_byte_is_sent(self):
        talk = Talk(FAR)
        talk.ready()
        talk.session.ask("far", 90.0, 1.0)
        self.assertEqual(talk.say(), "")
        self.assertIn("pin 5 has no servo on this board; servo is on no pin", talk.told(Kind.REFUSED)[-1].note)

    def test_the_pins_that_would_do_are_named(self):
        wrong = PinPoint(
            name="x", board="b", kind=PointKind.LEVEL, pin=3, mode="pwm", unit="%", high=100, wire_high=255
        )
        talk = Talk(wrong)
        talk.ready()
        self.assertEqual(talk.session.readings["x"].refusal, "pin 3 has no pwm on this board; pwm is on 2")
        missing = PinPoint(name="x", board="b", kind=PointKind.SWITCH, pin=40, mode="output")
        talk = Talk(missing)
        talk.ready()
        self.assertEqual(talk.session.readings["x"].refusal, "there is no pin 40 on this board: it has 0 to 6")

    def test_what_a_line_has_garbled_is_asked_once_more_before_it_is_believed(self):
        garbled = CAPABILITIES.replace(" 03 08", "", 1)  # no pin has pwm by that
        talk = Talk(LAMP)
        talk.session.opened(0.0)
        talk.hear(ANNOUNCEMENT)
        talk.hear(garbled)
        talk.hear("F0 6E 02 00 00 F7")
        self.assertEqual(talk.hear(MAPPING), "F0 6B F7 F0 69 F7")
        talk.hear(CAPABILITIES)
        talk.hear(MAPPING)
        self.assertEqual((talk.session.state, talk.session.readings["lamp"].refusal), (SessionState.READY, ""))

    def test_a_line_that_garbles_it_anew_each_time_is_named(self):
        talk = Talk(LAMP, retries=2)
        talk.session.opened(0.0)
        talk.hear(ANNOUNCEMENT)
        talk.hear("F0 6E 02 00 00 F7")
        for pins in (3, 4, 5):
            talk.hear("F0 6C" + " 7F" * pins + " F7")
            talk.hear(MAPPING)
        self.assertIs(talk.session.state, SessionState.READY)
        self.assertIn("asked again it says something else: the line loses", talk.session.readings["lamp"].refusal)

    def test_a_pin_beyond_fifteen_is_reached_by_the_extended_message(self):
        point = PinPoint(name="x", board="b", kind=PointKind.LEVEL, pin=17, mode="pwm", high=100, wire_high=255)
        talk = Talk(point)
        talk.session.opened(0.0)
        talk.hear(ANNOUNCEMENT)
        talk.hear("F0 6C" + " 7F" * 17 + " 03 08 7F F7")
        talk.hear("F0 6A F7")
        talk.hear("F0 6E 11 03 00 F7")
        talk.session.ask("x", 100.0, 1.0)
        self.assertEqual(talk.say(), "F0 6F 11 7F 01 F7")

    def test_unknown_points_and_inputs_can_not_be_asked(self):
        talk = Talk(LAMP, STOP)
        with self.assertRaises(WrongError) as caught:
            talk.session.ask("lmap", 1.0, 0.0)
        self.assertEqual(caught.exception.nearest, "lamp")
        with self.assertRaises(WrongError):
            talk.session.ask("stop", True, 0.0)

    def test_rest_sends_everything_even_what_stands_there(self):
        talk = Talk(LAMP, HORN)
        talk.ready()
        talk.session.rest(1.0, "everything to rest")
        self.assertEqual(talk.say(), "E2 00 00 F0 6D 02 F7 F5 03 00 F0 6D 03 F7")


class Confirming(unittest.TestCase):
    def asked(self, **settings):
        talk = Talk(LAMP, **settings)
        talk.ready()
        talk.time = 1.0
        asked = talk.session.ask("lamp", 100.0, 1.0)
        talk.say()
        return talk, asked

    def test_what_is_not_answered_is_sent_again_so_often_and_then_given_up(self):
        talk, asked = self.asked(retries=2, reply_within=0.5)
        self.assertEqual(talk.go(1.4), "")
        self.assertEqual(talk.go(1.5), "E2 7F 01 F0 6D 02 F7")
        self.assertEqual(talk.go(2.0), "E2 7F 01 F0 6D 02 F7")
        self.assertEqual(talk.go(2.5), "")
        (given_up,) = talk.told(Kind.UNCONFIRMED)
        self.assertEqual((given_up.cause, len(talk.told(Kind.RESENT))), (asked, 2))
        self.assertIn("no answer to 3 tries", given_up.note)

    def test_what_is_read_back_wrong_is_sent_again(self):
        talk, _ = self.asked(retries=1)
        self.assertEqual(talk.hear("F0 6E 02 03 05 F7"), "E2 7F 01 F0 6D 02 F7")
        self.assertEqual(talk.hear("F0 6E 02 03 05 F7"), "")
        self.assertEqual(talk.told(Kind.UNCONFIRMED)[-1].note, "read back 5 from pin 2, expected 255")

    def test_a_pin_in_another_mode_confirms_nothing_and_the_board_is_set_up_again(self):
        talk, _ = self.asked(retries=1, reply_within=0.5)
        talk.session.ask("lamp", 0.0, 1.1)
        talk.say()
        problem = "pin 2 is in mode input, not pwm"
        self.assertEqual("F9 F0 79 F7", talk.hear("F0 6E 02 00 00 F7"))  # 0, as was asked, but it drives nothing
        self.assertEqual([], talk.told(Kind.CONFIRMED))
        note = f"{problem}: the board has started anew, or something else has set it so"
        self.assertEqual(note, talk.told(Kind.UNCONFIRMED)[-1].note)
        self.assertIn("it is set up again", talk.told(Kind.REMARK)[-1].note)
        talk.hear(ANNOUNCEMENT)
        talk.hear(CAPABILITIES)
        talk.hear(MAPPING)
        self.assertEqual("F4 02 03", talk.hear("F0 6E 02 00 00 F7")[:8])
        talk.session.ask("lamp", 40.0, 1.2)
        talk.say()
        self.assertEqual("", talk.hear("F0 6E 02 00 00 F7"))  # to the question before
        self.assertEqual("F4 02 03 E2 66 00 F0 6D 02 F7", talk.hear("F0 6E 02 00 66 F7"))
        self.assertEqual("F4 02 03", talk.hear("F0 6E 02 00 66 F7"))
        self.assertEqual(SessionState.READY, talk.session.state)  # it stays so: it is not set up for ever
        self.assertEqual(problem, talk.told(Kind.UNCONFIRMED)[-1].note)

    def test_where_bytes_were_lost_ports_are_switched_on_anew_since_a_report_is_said_once(self):
        talk = Talk(STOP)
        talk.ready()
        talk.hear("90 10 00")
        talk.time = 1.0
        self.assertEqual("", talk.hear("90 F9 55"))
        self.assertTrue(talk.told(Kind.LOST))
        talk.time = 1.2
        talk.hear("90 F9 55")
        self.assertEqual(("", "D0 01", ""), (talk.go(1.45), talk.go(1.5), talk.go(3.0)))
        talk.hear("90 F9 55")
        talk.session.lost("pulled out")
        self.assertEqual("", talk.go(4.0))

    def test_a_late_answer_to_the_first_try_confirms_the_second(self):
        talk, asked = self.asked()
        talk.go(1.5)
        talk.hear("F0 6E 02 03 7F 01 F7")
        self.assertEqual(talk.told(Kind.CONFIRMED)[-1].cause, asked)

    def test_how_fast_it_answers_is_told_where_it_is_sure_which_question_that_was_for(self):
        talk, _ = self.asked()
        talk.time = 1.1
        talk.hear("F0 6E 02 03 7F 01 F7")
        self.assertAlmostEqual(0.1, talk.session.round_trip)
        talk, _ = self.asked()
        talk.go(1.5)
        talk.time = 1.8
        talk.hear("F0 6E 02 03 7F 01 F7")  # to the first try, or to the second
        self.assertEqual((1, None), (len(talk.told(Kind.CONFIRMED)), talk.session.round_trip))
        talk.time = 2.3
        talk.hear("F0 6E 02 03 7F 01 F7")
        self.assertAlmostEqual(0.8, talk.session.round_trip)

    def test_late_answers_to_tries_before_do_not_refute_the_next_wish(self):
        talk, _ = self.asked(retries=2, reply_within=0.5)
        talk.go(1.5)
        talk.go(2.0)
        talk.hear("F0 6E 02 03 7F 01 F7")  # to the first of three questions
        self.assertEqual(1, len(talk.told(Kind.CONFIRMED)))
        talk.session.ask("lamp", 0.0, 2.1)
        talk.say()
        for _ in range(2):
            self.assertEqual("", talk.hear("F0 6E 02 03 7F 01 F7"))
        talk.hear("F0 6E 02 03 00 F7")
        self.assertEqual((2, 0), (len(talk.told(Kind.CONFIRMED)), len(talk.told(Kind.UNCONFIRMED))))

    def test_an_answer_to_an_older_wish_for_the_same_confirms_nothing(self):
        talk, _ = self.asked(retries=2, reply_within=0.5)
        talk.session.ask("lamp", 0.0, 1.1)
        talk.session.ask("lamp", 100.0, 1.2)
        talk.say()
        for answer in ("F0 6E 02 03 7F 01 F7", "F0 6E 02 03 00 F7"):
            self.assertEqual("", talk.hear(answer))
            self.assertEqual([], talk.told(Kind.CONFIRMED))
        talk.hear("F0 6E 02 03 7F 01 F7")
        self.assertEqual(1, len(talk.told(Kind.CONFIRMED)))

    def test_behind_what_is_late_the_version_parts_one_question_from_the_next(self):
        talk, _ = self.asked(retries=0, reply_within=0.5)
        talk.go(1.5)  # given up; its answer may still come
        talk.session.ask("lamp", 0.0, 1.6)
        self.assertEqual("E2 00 00 F9 F0 6D 02 F7", talk.say())
        talk.hear("F9 02 07")  # what has not come by now was lost
        talk.hear("F0 6E 02 03 00 F7")
        self.assertEqual((1, []), (len(talk.told(Kind.CONFIRMED)), talk.told(Kind.RESENT)))

    def test_a_newer_wish_overtakes_one_that_was_not_confirmed_yet(self):
        talk, first = self.asked()
        talk.session.ask("lamp", 0.0, 1.1)
        self.assertEqual(talk.told(Kind.OVERTAKEN)[-1].cause, first)

    def test_the_answer_to_a_wish_that_was_overtaken_is_not_taken_for_the_newer_ones(self):
        talk, _ = self.asked()
        talk.session.ask("lamp", 0.0, 1.1)
        talk.say()
        self.assertEqual(talk.hear("F0 6E 02 03 7F 01 F7"), "")  # how it stood before
        newer = talk.told(Kind.ASKED)[-1].number
        self.assertEqual((talk.told(Kind.CONFIRMED), talk.told(Kind.RESENT)), ([], []))
        talk.hear("F0 6E 02 03 00 F7")
        self.assertEqual([event.cause for event in talk.told(Kind.CONFIRMED)], [newer])

    def test_what_does_not_agree_is_passed_over_once_for_each_such_answer(self):
        talk, _ = self.asked()
        talk.session.ask("lamp", 0.0, 1.1)
        talk.say()
        self.assertEqual(talk.hear("F0 6E 02 03 7F 01 F7"), "")
        self.assertEqual(talk.hear("F0 6E 02 03 7F 01 F7"), "E2 00 00 F0 6D 02 F7")

    def test_a_point_that_is_not_read_back_waits_for_nothing(self):
        talk = Talk(QUIET_LAMP)
        talk.ready()
        talk.session.ask("quiet", 100.0, 1.0)
        self.assertEqual(talk.say(), "E2 7F 01")
        talk.go(20.0)
        self.assertEqual(talk.told(Kind.UNCONFIRMED), [])


class LosingTheLink(unittest.TestCase):
    def test_what_waited_is_told_lost_and_all_is_restored_when_it_is_back(self):
        talk = Talk(LAMP, HORN)
        talk.ready()
        talk.session.ask("lamp", 100.0, 1.0)
        talk.say()
        talk.session.lost("the cable came out")
        self.assertIn("the cable came out", talk.told(Kind.UNCONFIRMED)[-1].note)
        talk.session.ask("horn", True, 2.0)
        self.assertEqual((talk.say(), talk.session.state), ("", SessionState.SHUT))
        talk.time = 3.0
        words = talk.ready()
        self.assertIn("F4 02 03", words)
        self.assertIn("E2 7F 01", words)
        self.assertIn("F5 03 01", words)


class Hearing(unittest.TestCase):
    def test_a_port_is_taken_apart_into_its_points(self):
        talk = Talk(STOP, LEVEL)
        talk.ready()
        talk.hear("90 10 00")
        self.assertIs(talk.session.readings["stop"].got, False)
        talk.hear("90 00 00")
        self.assertIs(talk.session.readings["stop"].got, True)
        self.assertEqual([event.value for event in talk.told(Kind.HEARD)], [False, True])

    def test_a_channel_is_scaled_and_told_only_when_it_changes(self):
        talk = Talk(LEVEL)
        talk.ready()
        for words in ("E0 7F 07", "E0 7F 07", "E0 00 00"):
            talk.hear(words)
        self.assertEqual([event.value for event in talk.told(Kind.HEARD)], [3000.0, 0.0])

    def test_a_boards_text_is_made_fit_to_show(self):
        talk = Talk(LAMP)
        talk.ready()
        talk.hear("F0 71 1B 00 5B 00 5D 00 F7")
        self.assertEqual(list(talk.session.texts), ["‹ESC›[]"])

    @given(some.lists(some.binary(max_size=60), max_size=6))
    def test_any_bytes_from_a_board_are_survived(self, pieces):
        talk = Talk(LAMP, HORN, STOP, LEVEL, FAR)
        talk.session.opened(0.0)
        talk.hear(ANNOUNCEMENT)
        for piece in pieces:
            talk.hear(piece.hex(" "))
            talk.go(talk.time + 0.3)
        talk.session.ask("lamp", 50.0, talk.time)

    def test_a_mapping_shorter_than_the_pins_is_survived(self):
        talk = Talk(LEVEL)
        talk.session.opened(0.0)
        talk.hear(ANNOUNCEMENT)
        talk.hear("F0 6E 06 02 00 F7")
        talk.hear(CAPABILITIES)
        talk.hear("F0 6A 7F F7")
        talk.hear(CAPABILITIES)
        talk.hear("F0 6A 7F F7")
        self.assertEqual(talk.session.state, SessionState.READY)
        self.assertIn("no analog channel", talk.session.readings["level"].refusal)


if __name__ == "__main__":
    unittest.main()
