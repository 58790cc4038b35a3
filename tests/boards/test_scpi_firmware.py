"""The instrument's side of SCPI: headers, data, status, errors, operation complete, several clients."""

import random
import unittest

from cavet.benchfile import check_text
from cavet.boards.firmware.scpi import Pattern
from cavet.protocols.scpi import FaultError
from cavet.wording import WrongError
from tests.boards.devices import Device

NONE = '0,"No error"'


GENERATOR = """
format = 1
[boards.gen]
profile = "rack"
firmware = "scpi"
[boards.gen.commands.level]
header = "LEVel"
does = "set"
unit = "%s"
range = [%s]
"""


class Rack(unittest.TestCase):
    def setUp(self):
        self.device = Device("switchrack")
        self.client = self.device.join("scpi")

    def say(self, text, wait=0.0, client=None):
        return self.device.say(client or self.client, text.encode("latin-1") + b"\n", wait).decode().strip()

    def fault(self, text):
        self.assertEqual(self.say(text), "", text)
        return self.say("SYST:ERR?")

    def part(self, name):
        return self.device.world.part(f"switchrack.{name}")


class Headers(Rack):
    def test_short_long_optional_and_common_headers(self):
        for asked, expected in (
            ("*IDN?", "Cavet,Switchrack,0001,1.0"),
            ("*idn?", "Cavet,Switchrack,0001,1.0"),
            ("SYSTem:VERSion?", "1999.0"),
            (":syst:vers?", "1999.0"),
            ("SYSTEM:ERROR:NEXT?", NONE),
            ("SOUR:VOLT:LEV?", "0.000000E+00"),
            ("SOURCE2:VOLTAGE?", "0.000000E+00"),
            ("OUTP1:STAT?", "0"),
            ("*TST?", "0"),
            ("STAT:OPER:COND?;ENAB?;PTR?;NTR?", "0;0;32767;0"),
        ):
            with self.subTest(asked):
                self.assertEqual(self.say(asked), expected)

    def test_what_is_no_header_is_told_by_number(self):
        for sent, number in (
            ("VOLT 1", -113), ("SOURC:VOLT 1", -113), ("SOUR3:VOLT 1", -114), ("SOUR0:VOLT 1", -114),
            ("SYST:VERS", -113), ("ROUT:OPEN:ALL?", -113), ("*FOO", -113), ("*FOO?", -113), ("MEAS:VOLT (@1)", -113),
            ("SOURCEVOLTAGELEVEL 1", -112), ("OUTP,1", -111),
        ):  # fmt: skip
            with self.subTest(sent):
                self.assertTrue(self.fault(sent).startswith(f"{number},"), sent)

    def test_patterns_are_read_and_wrong_ones_refused(self):
        pattern = Pattern.parse("[SOURce<1-2>]:VOLTage[:LEVel]?")
        self.assertTrue(pattern.only_query)
        self.assertEqual(pattern.match(["VOLT"], [None]), (1,))
        self.assertEqual(pattern.match(["SOURCE", "VOLT", "LEV"], [2, None, None]), (2,))
        self.assertIsNone(pattern.match(["VOLT", "FOO"], [None, None]))
        with self.assertRaises(FaultError):
            pattern.match(["SOUR", "VOLT"], [3, None])
        for text in ("", "sour", "SOUR[:VOLT", "SOUR<1>", "SOUR VOLT"):
            with self.subTest(text), self.assertRaises(WrongError):
                Pattern.parse(text)


class Data(Rack):
    def test_numbers_in_units_words_for_limits_and_other_bases(self):
        for sent, expected in (
            ("12.5", "1.250000E+01"), ("12500 mV", "1.250000E+01"), ("0.0125KV", "1.250000E+01"),
            ("MAX", "2.400000E+01"),
            ("MINimum", "0.000000E+00"), ("DEF", "0.000000E+00"), ("#H10", "1.600000E+01"), ("+.5E1", "5.000000E+00"),
        ):  # fmt: skip
            with self.subTest(sent):
                self.assertEqual(self.say(f"SOUR1:VOLT {sent};VOLT?"), expected)
        self.assertEqual(self.say("SOUR1:VOLT? MAX;VOLT? MIN;VOLT? DEF"), "2.400000E+01;0.000000E+00;0.000000E+00")
        for sent, expected in (("ON", "1"), ("off", "0"), ("1", "1"), ("0", "0"), ("0.5", "1"), ("0.4", "0")):
            self.assertEqual(self.say(f"OUTP2 {sent};OUTP2?"), expected)

    def test_a_unit_of_its_own_takes_all_that_can_be_turned_into_it(self):
        for unit, limits, sent, expected in (
            ("mV", '"0 V", "2 V"', "1.5 V", "1.500000E+03"), ("mV", "0, 2000", "250 MV", "2.500000E+02"),
            ("mV", "0, 2000", "100", "1.000000E+02"), ("HZ", '"1 Hz", "20 kHz"', "0.01 MHZ", "1.000000E+04"),
            ("CEL", "-40, 150", "20 CEL", "2.000000E+01"), ("%", "0, 100", "33 PCT", "3.300000E+01"),
            ("ms", "0, 5000", "0.05 MIN", "3.000000E+03"), ("deg", "-180, 180", "1 RAD", "5.729578E+01"),
            ("WB", "0, 9", "3000 MWB", "3.000000E+00"), ("ms", "0, 5000", "1 H", "-131"), ("mV", "0, 9", "1 A", "-131"),
            ("", "0, 9", "1 V", "-138"), ("mV", "0, 2000", "3 V", "-222"),
        ):  # fmt: skip
            with self.subTest(f"{sent} for {unit}"):
                self.device = Device("gen", check_text(GENERATOR % (unit, limits), "gen.bench.toml"))
                self.client = self.device.join("scpi")
                said = self.fault(f"LEV {sent}") if expected[0] == "-" else self.say(f"LEV {sent};LEV?")
                self.assertEqual(said.split(",")[0], expected)

    def test_what_has_not_to_move_far_is_not_waited_for_longer(self):
        lamp = '[boards.gen.parts]\nlamp = { kind = "lamp", pin = 1 }\n'
        bench = GENERATOR.replace("range", 'pins = "1"\nrange') % ("V", "0, 5") + lamp
        self.device = Device("gen", check_text(bench, "gen.bench.toml"))
        self.client = self.device.join("scpi")
        for level, wait in ((0, 0.001), (5, 0.05), (5, 0.001)):
            self.assertEqual(self.say(f"LEV {level}", wait), "")
            self.assertEqual(self.say("SYST:ERR?", 0.001), NONE, level)

    def test_wrong_data_is_told_by_number_and_changes_nothing(self):
        self.say("SOUR1:VOLT 3")
        for sent, number in (
            ("SOUR1:VOLT", -109), ("SOUR1:VOLT 1,2", -108), ("SOUR1:VOLT 24.1", -222), ("SOUR1:VOLT -1", -222),
            ("SOUR1:VOLT 1 A", -131), ("SOUR1:VOLT FOO", -224), ('SOUR1:VOLT "1"', -158), ("SOUR1:VOLT #11a", -168),
            ("SOUR1:VOLT (@1)", -178), ("SOUR1:VOLT (1)", -178), ("SOUR1:VOLT 1 parsec", -131),
            ("SOUR1:VOLT 1E99999", -123),
            ("OUTP1 FOO", -224), ("OUTP1 1 V", -138), ("OUTP1", -109), ("ROUT:CLOS (@109)", -222),
            ("ROUT:CLOS (@1!1)", -171), ("ROUT:CLOS (@card1(1))", -171), ("SOUR1:VOLT (@1!1)", -178),
            ("ROUT:CLOS (@100:101)", -222), ("ROUT:CLOS 101", -128), ("ROUT:CLOS ALL", -148), ("ROUT:CLOS", -109),
            ("ROUT:OPEN:ALL 1", -108), ("*ESE 256", -222), ("*ESE -1", -222), ("*ESE", -109), ("*ESE ON", -148),
            ("*CLS 1", -108), ("STAT:OPER:ENAB 65536", -222), ("STAT:PRES 1", -108), ("SOUR1:VOLT 1,,2", -102),
            ("MEAS:VOLT?", -109), ("MEAS:VOLT? (@3)", -222), ("*IDN? 1", -108), ("SYST:ERR? 1", -108),
            ("SOUR1:VOLT? 5", -128), ("OUTP1? MAX", -108),
        ):  # fmt: skip
            with self.subTest(sent):
                self.assertTrue(self.fault(sent).startswith(f"{number},"), sent)
        self.assertEqual(self.say("SOUR1:VOLT?;:ROUT:CLOS? (@101:108)"), "3.000000E+00;0,0,0,0,0,0,0,0")
        self.assertEqual(self.say("SYST:ERR?"), NONE)


class Status(Rack):
    def test_power_on_is_the_first_event_and_reading_clears_it(self):
        self.assertEqual(self.say("*ESR?;*ESR?"), "128;0")

    def test_each_class_of_error_has_its_bit_and_the_byte_sums_up(self):
        self.say("*CLS;*ESE 60;*SRE 255")
        self.assertEqual(self.say("*SRE?"), "191")
        for sent, bit in (("FOO", 32), ("SOUR1:VOLT 99", 16), ("*IDN?;*TST?", 4)):
            self.say(sent)
            self.assertEqual(self.say("*STB?"), str(4 + 32 + 64))
            self.assertEqual(self.say("*ESR?"), str(bit))
            self.say("*CLS")
        self.assertEqual(self.say("*STB?"), "0")

    def test_an_answer_that_waits_is_seen_in_the_byte(self):
        self.assertEqual(self.say("*TST?;*STB?"), "0;16")

    def test_the_queue_is_thirty_deep_and_says_when_more_came(self):
        for _ in range(40):
            self.say("FOO")
        self.assertEqual(self.say("SYST:ERR:COUN?"), "30")
        errors = [self.say("SYST:ERR?") for _ in range(31)]
        self.assertEqual(set(errors[:29]), {'-113,"Undefined header"'})
        self.assertEqual(errors[29:], ['-350,"Queue overflow"', NONE])
        self.say("FOO;SOUR1:VOLT 99")
        self.assertEqual(self.say("SYST:ERR:ALL?"), '-113,"Undefined header",-222,"Data out of range"')
        self.assertEqual(self.say("SYST:ERR:ALL?"), NONE)
        self.say("FOO;SOUR1:VOLT 99")
        self.assertEqual(self.say("SYST:ERR:CODE:ALL?;ALL?;NEXT?;:SYST:ERR:COUN?"), "-113,-222;0;0;0")

    def test_settling_is_a_condition_and_the_filters_choose_what_is_an_event(self):
        self.say("STAT:OPER:ENAB 2;PTR 0;NTR 2;EVEN?")
        self.say("ROUT:CLOS (@101)")
        self.assertEqual(self.say("STAT:OPER:COND?;EVEN?"), "2;0")
        self.device.go(self.device.time + 0.01)
        self.assertEqual(self.say("*STB?"), "128")
        self.assertEqual(self.say("STAT:OPER:COND?;EVEN?;EVEN?"), "0;2;0")
        self.say("STAT:PRES")
        self.assertEqual(self.say("STAT:OPER:ENAB?;PTR?;NTR?"), "0;32767;0")
        self.say("STAT:QUES:ENAB #HFFFF")
        self.assertEqual(self.say("STAT:QUES:ENAB?"), "32767")

    def test_a_supply_in_its_limit_is_questionable(self):
        self.say("SOUR1:VOLT 10;CURR 1;:OUTP1 ON")
        self.device.world.act("switchrack.supply_1", "load", value=5)
        self.assertEqual(self.say("STAT:QUES:COND?"), "1")
        self.assertAlmostEqual(float(self.say("MEAS:VOLT? (@1)")), 5.0, delta=0.03)
        self.assertAlmostEqual(float(self.say("MEAS:CURR? (@1)")), 1.0, delta=0.03)
        self.device.world.act("switchrack.supply_1", "unload")
        self.assertEqual(self.say("STAT:QUES:COND?;EVEN?"), "0;1")

    def test_a_supply_that_is_off_says_what_is_set(self):
        told = []
        for text in ("SOUR1:CURR 1", "SOUR1:VOLT 12.345", "OUTP1 ON", "OUTP1 OFF;:SOUR1:VOLT 0"):
            self.say(text)
            told.append(self.part("supply_1").tells(self.device.time))
        self.assertEqual(["off", "off, 12.345 V set", "12.345 V", "off"], told)


class Operation(Rack):
    def test_relays_take_their_time_and_complete_truly_waits(self):
        self.say("ROUT:CLOS (@101:103,107)")
        self.assertEqual(self.say("*OPC?", 0.0075), "")
        self.device.go(self.device.time + 0.001)
        self.assertEqual(self.device.hear(self.client), b"1\n")
        self.assertEqual(self.say("ROUT:CLOS? (@101:108);OPEN? (@101,104)"), "1,1,1,0,0,0,1,0;0,1")
        self.assertTrue(self.part("relay_107").stands_as(self.device.time))
        self.say("ROUT:OPEN (@101)")
        self.assertEqual(self.say("*OPC?", 0.003), "")
        self.device.go(self.device.time + 0.0011)
        self.assertEqual(self.device.hear(self.client), b"1\n")

    def test_the_event_bit_comes_when_all_is_done_and_wait_holds_up_the_message(self):
        self.say("*CLS;:ROUT:CLOS (@101);*OPC")
        self.assertEqual(self.say("*ESR?"), "0")
        self.device.go(self.device.time + 0.01)
        self.assertEqual(self.say("*ESR?"), "1")
        self.assertEqual(self.say("ROUT:OPEN:ALL;*WAI;:STAT:OPER:COND?", 0.003), "")
        self.device.go(self.device.time + 0.002)
        self.assertEqual(self.device.hear(self.client), b"0\n")

    def test_reset_opens_switches_off_and_leaves_the_status(self):
        self.say("SOUR1:VOLT 5;CURR 1;:OUTP1 ON;:ROUT:CLOS (@108);*ESE 7;FOO")
        self.device.go(self.device.time + 0.1)
        self.say("*RST")
        self.assertEqual(self.say("*OPC?", 0.005), "1")
        self.assertEqual(
            self.say("SOUR1:VOLT?;CURR?;:OUTP1?;:ROUT:CLOS? (@108);*ESE?"), "0.000000E+00;0.000000E+00;0;0;7"
        )
        self.assertFalse(self.part("relay_108").stands_as(self.device.time))
        self.assertEqual(self.say("SYST:ERR?"), '-113,"Undefined header"')

    def test_clearing_forgets_what_was_to_be_told_when_done(self):
        self.say("*CLS;:ROUT:CLOS (@101);*OPC;*CLS", 0.01)
        self.assertEqual(self.say("*ESR?"), "0")

    def test_supplies_give_their_level_while_on(self):
        self.say("SOUR2:VOLT 12.5;CURR 0.5")
        self.assertAlmostEqual(float(self.say("MEAS:VOLT? (@2)")), 0.0, delta=0.03)
        self.say("OUTP2 ON")
        first, second = map(float, self.say("MEAS:SCAL:VOLT:DC? (@1,2)").split(","))
        self.assertAlmostEqual(first, 0.0, delta=0.03)
        self.assertAlmostEqual(second, 12.5, delta=0.03)


class Exchange(Rack):
    def test_compound_messages_keep_their_path_and_answer_in_one(self):
        self.assertEqual(
            self.say("SOUR2:VOLT 1;CURR 2;VOLT?;CURR?;*TST?;CURR?"), "1.000000E+00;2.000000E+00;0;2.000000E+00"
        )

    def test_a_query_behind_an_answer_of_no_known_end_is_an_error(self):
        self.assertEqual(self.say("*IDN?;*TST?"), "Cavet,Switchrack,0001,1.0")
        self.assertEqual(self.say("SYST:ERR?"), '-440,"Query UNTERMINATED after indefinite response"')

    def test_a_message_before_the_answer_was_read_interrupts_it(self):
        self.device.unread = 10
        self.assertEqual(self.say("*TST?"), "")
        self.assertEqual(self.say("SYST:VERS?"), "")
        self.device.unread = 0
        self.device.go(self.device.time + 0.01)
        self.assertEqual(self.device.hear(self.client), b"1999.0\n")
        self.assertEqual(self.say("SYST:ERR?"), '-410,"Query INTERRUPTED"')

    def test_more_answers_than_the_queue_holds_are_a_deadlock(self):
        self.assertEqual(self.say(":SYST:VERS?;" * 12000), "")
        self.assertEqual(self.say("SYST:ERR?"), '-430,"Query DEADLOCKED"')

    def test_clients_have_buffers_of_their_own_and_share_the_instrument(self):
        other = self.device.join("scpi", 10 / 9600)
        self.device.say(self.client, b"SOUR1:VO")
        self.assertEqual(self.say("SOUR1:VOLT 7;FOO", client=other), "")
        self.assertEqual(self.say("LT?"), "7.000000E+00")
        self.assertEqual(self.say("SYST:ERR?"), '-113,"Undefined header"')
        self.say("ROUT:CLOS (@101)", client=other)
        self.assertEqual(self.say("*OPC?", client=other), "")
        self.assertEqual(self.say("*TST?"), "0")
        self.device.go(self.device.time + 0.01)
        self.assertEqual(self.device.hear(other), b"1\n")

    def test_a_client_that_leaves_while_it_waits_leaves_nothing_behind(self):
        other = self.device.join("scpi")
        self.say("ROUT:CLOS (@101);*OPC?", client=other)
        self.device.board.closed(other, self.device.time)
        self.device.go(self.device.time + 0.02)
        self.assertEqual(self.say("*TST?"), "0")

    def test_any_bytes_leave_an_instrument_that_answers(self):
        noise = random.Random("scpi")
        pieces = [
            b"ROUT:CLOS",
            b"SOUR1:VOLT ",
            b"(@101:",
            b"*IDN?",
            b";",
            b":",
            b"\n",
            b'"',
            b"#18",
            b"#0",
            b"MAX",
            b"99E9",
            b"\x00\xff",
        ]
        for _ in range(3000):
            self.device.say(self.client, noise.choice(pieces) if noise.random() < 0.8 else noise.randbytes(9), 0.0001)
        self.device.say(self.client, b'"\n\n', 1.0)
        self.device.say(self.client, b"*CLS\n", 1.0)
        self.assertEqual(self.say("SYST:ERR?"), NONE)
