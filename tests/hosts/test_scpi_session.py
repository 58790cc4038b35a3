"""The host's side of SCPI: learning, one question at a time, the error queue, time-outs."""

import unittest

from cavet.hosts import HeaderPoint, PointKind, ScpiSession, SessionSettings, SessionState
from cavet.record import Record

VOLTS = HeaderPoint(
    name="volts", board="b", kind=PointKind.LEVEL, set="SOUR1:VOLT {}", query="SOUR1:VOLT?", unit="V", high=24.0,
    wire_high=24.0, confirm=True,
)  # fmt: skip
OUTPUT = HeaderPoint(name="output", board="b", kind=PointKind.SWITCH, set="OUTP {}", query="OUTP?", confirm=True)
RELAY = HeaderPoint(
    name="relay", board="b", kind=PointKind.SWITCH, turn_on="ROUT:CLOS (@101)", turn_off="ROUT:OPEN (@101)",
    query="ROUT:CLOS? (@101)", confirm=True,
)  # fmt: skip
METER = HeaderPoint(
    name="meter", board="b", kind=PointKind.READING, query="MEAS:VOLT?", unit="V", high=24, wire_high=24
)


CLOCK = HeaderPoint(name="clock", board="b", kind=PointKind.LEVEL, set="FREQ {}", unit="Hz", high=1e11, wire_high=1e11)


class Talk:
    def __init__(self, *points, **settings):
        self.time = 0.0
        self.record = Record(lambda: self.time)

        def tell(kind, topic, subject, *more, **fields):
            return self.record.append(kind, "b", topic, subject, *more, **fields)

        patience = SessionSettings(**{"reply_within": 0.1, "retries": 1, "poll": 1.0, **settings})
        self.session = ScpiSession("b", points, patience, tell)
        self.answers = {
            "*IDN?": "Hut,Rack,1,2",
            "SYST:ERR?": '0,"No error"',
            "SOUR1:VOLT?": "0.000000E+00",
            "OUTP?": "0",
        }
        self.answers |= {"ROUT:CLOS? (@101)": "0", "MEAS:VOLT?": "4.99"}
        self.errors = []
        self.takes = True
        """Whether it does what it is told."""
        self.session.opened(0.0)

    def said(self):
        said = self.session.take_out()
        return said.data.decode().splitlines() if said else []

    def hear(self, text):
        self.session.feed(text.encode() + b"\n", self.time, lambda end: None)

    def serve(self):
        """Answer until nothing is said any more, past the pauses for late answers; give what was said."""
        everything = []
        while said := self.said() or self.said_soon():
            everything += said
            for line in said:
                if line == "SYST:ERR?" and self.errors:
                    self.hear(self.errors.pop(0))
                elif line.endswith("?") or "? " in line:
                    self.hear(self.answers[line])
                elif line.startswith("SOUR1:VOLT ") and self.takes:
                    self.answers["SOUR1:VOLT?"] = line.split()[1]
                elif line.startswith("ROUT:"):
                    self.answers["ROUT:CLOS? (@101)"] = str(int("CLOS" in line))
        return everything

    def said_soon(self):
        due = self.session.advance(self.time)
        if due <= self.time + 0.1201:
            self.go(due)
        return self.said()

    def go(self, until):
        self.time = until
        return self.session.advance(until)

    def kinds(self):
        return [event.kind for event in self.record.since(0) if event.topic == "point"]


class Sessions(unittest.TestCase):
    def test_a_small_difference_is_asked_for_and_what_a_board_has_rounded_is_not_asked_for_again(self):
        talk = self.ready(VOLTS)
        for wish, is_sent, got in ((5.0, True, 5.0), (5.003, True, 5.001), (5.003, False, 5.001), (5.0, True, 5.0)):
            talk.session.ask("volts", wish, talk.time)
            said = talk.said()
            self.assertEqual(is_sent, any(line.startswith("SOUR1:VOLT ") for line in said), (wish, said))
            if is_sent:
                talk.answers["SOUR1:VOLT?"] = str(got)
                talk.takes = False
                talk.hear(talk.answers["SYST:ERR?"])
                talk.serve()
            self.assertEqual(got, talk.session.readings["volts"].got)

    def test_a_large_number_is_asked_for_with_all_its_digits(self):
        for value, text in (
            (12345678901.0, "12345678901"),
            (0.1 + 0.2, "0.3"),
            (1234567.25, "1234567.25"),
            (1234567890.125, "1234567890.125"),
        ):
            self.assertEqual(f"FREQ {text}", CLOCK.command(value))

    def ready(self, *points, **settings):
        talk = Talk(*(points or (VOLTS, OUTPUT, RELAY, METER)), **settings)
        talk.serve()
        self.assertIs(talk.session.state, SessionState.READY)
        return talk

    def test_it_asks_who_is_there_and_how_everything_stands(self):
        talk = Talk(VOLTS, METER)
        self.assertEqual(talk.serve(), ["*IDN?", "SYST:ERR?", "SOUR1:VOLT?", "MEAS:VOLT?"])
        self.assertEqual((talk.session.name, talk.session.readings["meter"].got), ("Hut,Rack,1,2", 4.99))
        talk.go(1.0)
        self.assertEqual(talk.serve(), ["SOUR1:VOLT?", "MEAS:VOLT?"])

    def test_outputs_are_asked_for_in_turn_and_what_others_did_is_heard(self):
        talk = self.ready()
        talk.answers["OUTP?"] = "1"
        asked = []
        for second in (1, 2, 3):
            talk.go(second)
            asked += talk.serve()
        self.assertEqual(asked.count("MEAS:VOLT?"), 3)
        self.assertEqual(sorted(set(asked)), ["MEAS:VOLT?", "OUTP?", "ROUT:CLOS? (@101)", "SOUR1:VOLT?"])
        self.assertEqual(len(asked), 6)
        self.assertIs(talk.session.readings["output"].got, True)

    def test_a_command_is_followed_by_the_error_queue_and_its_query(self):
        talk = self.ready()
        talk.session.ask("volts", 12.5, 0.0)
        self.assertEqual(talk.serve(), ["SOUR1:VOLT 12.5", "SYST:ERR?", "SOUR1:VOLT?"])
        self.assertEqual(talk.kinds()[-1], "confirmed")
        talk.session.ask("relay", True, 0.0)
        self.assertEqual(talk.serve(), ["ROUT:CLOS (@101)", "SYST:ERR?", "ROUT:CLOS? (@101)"])
        self.assertEqual(talk.kinds()[-1], "confirmed")
        talk.session.ask("relay", True, 0.0)
        self.assertEqual((talk.said(), talk.kinds()[-1]), ([], "unchanged"))

    def test_an_error_refuses_the_command_in_words_and_the_queue_is_emptied(self):
        talk = self.ready()
        talk.errors, talk.takes = ['-222,"Data out of range"', '-113,"Undefined header"'], False
        talk.session.ask("volts", 12.5, 0.0)
        self.assertEqual(talk.serve(), ["SOUR1:VOLT 12.5", "SYST:ERR?", "SYST:ERR?", "SYST:ERR?", "SOUR1:VOLT?"])
        refused = [event for event in talk.record.since(0) if event.kind == "refused"]
        self.assertIn("-222 Data out of range: it is known, but can't be done", refused[-1].note)

    def test_errors_from_before_are_not_taken_for_its_own(self):
        talk = Talk(VOLTS)
        talk.errors = ['-113,"Undefined header"'] * 2
        self.assertEqual(talk.serve().count("SYST:ERR?"), 3)
        talk.session.ask("volts", 3.0, 0.0)
        talk.serve()
        self.assertEqual(talk.kinds()[-1], "confirmed")

    def test_an_error_that_came_meanwhile_is_not_taken_for_its_own_where_it_was_done(self):
        talk = self.ready()
        talk.errors = ['-113,"Undefined header"']  # of a question that the line had garbled, or of another program
        talk.session.ask("volts", 12.5, 0.0)
        talk.serve()
        self.assertEqual(talk.kinds()[-1], "confirmed")
        note = [event.note for event in talk.record.since(0) if event.kind == "remark"][-1]
        self.assertIn("stood in its error queue from before volts: -113 Undefined header", note)

    def test_where_the_answer_about_errors_is_none_what_is_read_back_decides(self):
        for takes, kind in ((True, "confirmed"), (False, "unconfirmed")):
            for answer in ('0"No error"', '²,"No error"', f'{5000 * "9"},"No error"'):
                talk = self.ready()
                talk.errors, talk.takes = [answer], takes
                talk.session.ask("volts", 12.5, 0.0)
                talk.serve()
                self.assertEqual(talk.kinds()[-1], kind)

    def test_a_value_that_is_read_back_and_is_none_is_asked_for_again(self):
        talk = self.ready()
        talk.session.ask("volts", 12.5, 0.0)
        self.assertEqual(talk.said(), ["SOUR1:VOLT 12.5", "SYST:ERR?"])
        talk.hear('0,"No error"')
        self.assertEqual(talk.said(), ["SOUR1:VOLT?"])
        talk.hear("1.250000+01")
        self.assertEqual(talk.said(), ["SOUR1:VOLT?"])
        talk.hear("1.250000E+01")
        self.assertEqual(talk.kinds()[-1], "confirmed")

    def test_a_command_that_could_not_be_read_is_sent_again_where_such_a_one_was_taken_before(self):
        talk = self.ready()
        talk.session.ask("volts", 3.0, 0.0)
        talk.serve()
        talk.session.ask("volts", 12.5, 0.0)
        self.assertEqual(talk.said(), ["SOUR1:VOLT 12.5", "SYST:ERR?"])
        for answer, then in (('-113,"Undefined header"', "SYST:ERR?"), ('0,"No error"', "SOUR1:VOLT?")):
            talk.hear(answer)
            self.assertEqual(talk.said(), [then])
        talk.hear("3.0")
        self.assertEqual(talk.serve()[:2], ["SOUR1:VOLT 12.5", "SYST:ERR?"])
        self.assertEqual((talk.kinds().count("resent"), talk.kinds()[-1]), (1, "confirmed"))

    def test_one_that_was_never_taken_is_refused_at_once(self):
        talk = self.ready()
        talk.errors, talk.takes = ['-113,"Undefined header"'], False
        talk.session.ask("volts", 12.5, 0.0)
        self.assertEqual(talk.serve().count("SOUR1:VOLT 12.5"), 1)
        self.assertEqual((talk.kinds().count("resent"), talk.kinds()[-1]), (0, "refused"))

    def test_one_answer_that_is_none_takes_no_point_away_and_a_second_one_does(self):
        talk = self.ready()
        talk.answers["MEAS:VOLT?"] = "4.990000+00"
        refusals = []
        for second in (1, 2, 3):
            talk.go(second)
            talk.serve()
            refusals.append(talk.session.readings["meter"].refusal)
            talk.answers["MEAS:VOLT?"] = "4.990000+00" if second == 1 else "4.99"
        self.assertEqual([bool(refusal) for refusal in refusals], [False, True, False])

    def test_only_one_question_is_under_way(self):
        talk = self.ready()
        talk.session.ask("volts", 1.0, 0.0)
        talk.session.ask("relay", True, 0.0)
        self.assertEqual(talk.said(), ["SOUR1:VOLT 1", "SYST:ERR?"])
        talk.answers["SOUR1:VOLT?"] = "1"
        talk.session.ask("volts", 2.0, 0.0)
        talk.session.ask("volts", 3.0, 0.0)
        self.assertEqual(talk.said(), [])
        talk.hear('0,"No error"')
        said = talk.serve()
        self.assertNotIn("SOUR1:VOLT 2", said)
        self.assertIn("SOUR1:VOLT 3", said)
        self.assertIn("overtaken", talk.kinds())
        self.assertEqual(talk.answers["SOUR1:VOLT?"], "3")

    def test_a_query_that_is_not_known_is_told_at_its_point(self):
        talk = Talk(METER, VOLTS)
        for line in talk.said():
            talk.hear(talk.answers[line])
        self.assertEqual(talk.said(), ["SYST:ERR?"])
        talk.hear('0,"No error"')
        self.assertEqual(talk.said(), ["MEAS:VOLT?"])
        for tenth in range(1, 6):
            talk.go(tenth / 10 + 0.01)
            if "SYST:ERR?" in (said := talk.said()):
                talk.hear('-113,"Undefined header"')
                break
            self.assertIn(said, ([], ["MEAS:VOLT?"]))
        talk.answers["SOUR1:VOLT?"] = "1.5"
        talk.serve()
        self.assertIs(talk.session.state, SessionState.READY)
        self.assertIn("no answer to MEAS:VOLT?", talk.session.readings["meter"].refusal)
        self.assertEqual(talk.session.readings["volts"].got, 1.5)

    def test_an_instrument_that_never_answers_is_silent_and_asked_now_and_then(self):
        talk = Talk(VOLTS)
        asked = []
        for tenth in range(60):
            asked += talk.said()
            talk.go(tenth / 10)
        self.assertIs(talk.session.state, SessionState.SILENT)
        self.assertEqual(set(asked), {"*IDN?"})
        talk.serve()
        self.assertIs(talk.session.state, SessionState.READY)

    def test_one_that_hangs_is_noticed_and_learned_anew_with_what_was_wished_meanwhile(self):
        talk = self.ready(VOLTS, METER)
        for tenth in range(10, 20):
            talk.said()
            talk.go(tenth / 10)
        self.assertIs(talk.session.state, SessionState.SILENT)
        talk.session.ask("volts", 7.0, 2.0)
        self.assertNotIn("SOUR1:VOLT 7", talk.said())
        talk.go(30.0)
        self.assertIn("SOUR1:VOLT 7", talk.serve())
        self.assertIs(talk.session.state, SessionState.READY)
        self.assertEqual(talk.session.readings["meter"].refusal, "")
        self.assertEqual(talk.kinds()[-1], "confirmed")

    def test_what_is_said_by_hand_waits_until_late_answers_can_t_come_any_more(self):
        talk = self.ready(VOLTS)
        self.assertTrue(talk.session.is_idle(talk.time))
        talk.go(1.0)
        self.assertEqual(talk.said(), ["SOUR1:VOLT?"])
        talk.go(1.1)  # it is asked again: one answer too many may come
        self.assertEqual(talk.said(), ["SOUR1:VOLT?"])
        self.assertFalse(talk.session.is_idle(1.1))
        talk.hear("0.0")
        self.assertEqual([talk.session.is_idle(at) for at in (1.1, 1.21, 1.22)], [False, False, True])

    def test_a_wish_that_waits_behind_an_unanswered_question_is_not_lost(self):
        talk = self.ready(VOLTS, OUTPUT)
        talk.go(1.0)
        talk.said()
        talk.session.ask("volts", 7.0, 1.0)
        for tenth in range(10, 20):
            talk.go(tenth / 10)
            talk.said()
        self.assertIs(talk.session.state, SessionState.SILENT)
        talk.go(30.0)
        self.assertIn("SOUR1:VOLT 7", talk.serve())
        self.assertEqual(talk.kinds()[-1], "confirmed")

    def test_what_the_standard_says_instead_of_a_number_is_no_number(self):
        talk = self.ready(METER)
        for number, text in enumerate(("9.91E37", "9.9E37", "-9.9E+37", "NAN", "INF"), 1):
            with self.subTest(text):
                talk.answers["MEAS:VOLT?"] = text
                talk.go(2.0 * number)
                talk.serve()
                self.assertEqual(
                    (talk.session.readings["meter"].got, talk.session.readings["meter"].refusal), (None, "")
                )
                talk.answers["MEAS:VOLT?"] = "3.5"
                talk.go(2.0 * number + 1)
                talk.serve()
                self.assertEqual(talk.session.readings["meter"].got, 3.5)

    def test_an_answer_without_an_end_is_told_and_not_kept(self):
        talk = self.ready(METER)
        talk.session.feed(b"1;" * 2500, 0.0, lambda end: None)
        lost = [event.note for event in talk.record.since(0) if event.kind == "lost"]
        self.assertEqual(lost, ["1000 parts of an answer without an end, expected a line feed"] * 2)

    def test_a_late_answer_is_not_taken_for_another(self):
        talk = self.ready(METER, VOLTS)
        talk.go(1.0)
        self.assertEqual(talk.said(), ["MEAS:VOLT?"])
        talk.go(1.11)
        self.assertEqual(talk.said(), ["MEAS:VOLT?"])
        talk.time = 1.15
        talk.hear("4.5")  # to the first
        self.assertEqual(talk.said(), [])
        self.assertAlmostEqual(talk.go(1.2), 1.27)
        talk.time = 1.26
        talk.hear("4.6")  # to the second, as late as the first: none is owed any more
        self.assertEqual(talk.said(), ["SOUR1:VOLT?"])
        talk.hear("0.0")
        readings = talk.session.readings
        self.assertEqual((readings["meter"].got, readings["volts"].got), (4.5, 0.0))
        remarks = [event.note for event in talk.record.since(0) if event.kind == "remark"]
        self.assertEqual(remarks, ["an answer that nothing waits for"])

    def test_nonsense_is_no_value(self):
        talk = Talk(OUTPUT, METER)
        talk.answers |= {"OUTP?": "perhaps", "MEAS:VOLT?": "\x1b[2Jlots"}
        talk.serve()
        self.assertIn("answers perhaps to OUTP?", talk.session.readings["output"].refusal)
        self.assertIn("‹ESC›[2Jlots", talk.session.readings["meter"].refusal)
        talk.hear("12,nobody asked")
        self.assertIs(talk.session.state, SessionState.READY)

    def test_rest_sends_everything_also_what_stands_there(self):
        talk = self.ready()
        talk.session.rest(0.0, "test")
        said = talk.serve()
        self.assertLessEqual({"SOUR1:VOLT 0", "OUTP OFF", "ROUT:OPEN (@101)"}, set(said))
