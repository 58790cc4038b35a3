"""Messages as people write them, and as JSON holds them."""

import unittest

import hypothesis
from hypothesis import strategies as some

from cavet.protocols import (
    FieldError,
    Side,
    as_fields,
    codec,
    describe,
    find_form,
    firmata,
    mqtt,
    read_message,
    read_whole,
    write_message,
)
from cavet.wording import WrongError
from tests.protocols.firmata import cases as of_firmata
from tests.protocols.modbus import cases as of_modbus
from tests.protocols.test_ruler import MESSAGES, made

FIRMATA = codec("firmata")

READ = [
    (firmata.SetPinMode, {"pin": "9", "mode": "servo"}, firmata.SetPinMode(pin=9, mode=4)),
    (firmata.SetPinMode, {"pin": "0x09", "mode": "0x0B"}, firmata.SetPinMode(pin=9, mode=11)),
    (firmata.StringData, {"text": "@hello"}, firmata.StringData(text="hello")),
    (firmata.Sysex, {"command": "1", "data": "01 7F"}, firmata.Sysex(command=1, data=b"\x01\x7f")),
    (firmata.Sysex, {"command": "1", "data": "@ab"}, firmata.Sysex(command=1, data=b"ab")),
    (
        firmata.I2cRequest,
        {"address": "0x26", "mode": "read", "register": "4", "count": "2", "restart": "on"},
        firmata.I2cRequest(address=0x26, mode=1, register=4, count=2, restart=True),
    ),
    (
        firmata.CapabilityResponse,
        {"pins": "0:1,1:1/"},
        firmata.CapabilityResponse(
            pins=((firmata.Ability(mode=0, resolution=1), firmata.Ability(mode=1, resolution=1)), ())
        ),
    ),
]

REFUSED = [
    (firmata.SetPinMode, {"pin": "200", "mode": "1"}, "set-pin-mode.pin: found 200, expected 0 to 127"),
    (firmata.SetPinMode, {"pin": "nine", "mode": "1"}, 'set-pin-mode.pin: found "nine"'),
    (firmata.SetPinMode, {"pin": "9", "mode": "srvo"}, 'did you mean "servo"?'),
    (firmata.SetPinMode, {"pin": "9"}, 'set-pin-mode.mode: found "nothing"'),
    (firmata.SetPinMode, {"pin": "9", "mood": "1"}, 'did you mean "mode"?'),
    (firmata.VersionQuery, {"pin": "9"}, "expected no fields"),
    (firmata.Sysex, {"command": "1", "data": "8"}, "expected hex pairs, or text after @"),
    (firmata.Sysex, {"command": "1", "data": "FF"}, "bytes of seven bits"),
    (firmata.I2cRequest, {"address": "200", "mode": "write"}, "or ten_bit=on"),
    (firmata.I2cRequest, {"address": "20", "mode": "read"}, "i2c-request.count"),
    (firmata.I2cRequest, {"address": "20", "mode": "write", "restart": "maybe"}, "expected on or off"),
]


class Forms(unittest.TestCase):
    def test_fields_are_read_as_the_standard_has_them(self):
        for form, given, message in READ:
            with self.subTest(form.NAME, given=given):
                self.assertEqual(read_message(form, given), message)

    def test_a_wrong_field_is_named_with_what_would_be_right(self):
        for form, given, part in REFUSED:
            with self.subTest(form.NAME, given=given):
                with self.assertRaises(FieldError) as caught:
                    read_message(form, given)
                self.assertIn(part, str(caught.exception))

    def test_a_form_is_chosen_by_side_and_by_the_fields_that_are_given(self):
        self.assertIs(find_form(FIRMATA, "report-firmware", [], False), firmata.FirmwareQuery)
        self.assertIs(find_form(FIRMATA, "report-firmware", ["name"], False), firmata.FirmwareReport)
        self.assertIs(find_form(FIRMATA, "report-firmware", [], True), firmata.FirmwareReport)
        self.assertIs(find_form(FIRMATA, "capability-response", [], False), firmata.CapabilityResponse)

    def test_the_standards_other_names_are_understood(self):
        self.assertIs(find_form(FIRMATA, "report-analog", [], False), firmata.ReportAnalogPin)
        self.assertTrue(set(FIRMATA.also_called.values()) <= {name for side in Side for name in FIRMATA.forms(side)})

    def test_an_unknown_message_is_told_with_the_nearest(self):
        with self.assertRaises(WrongError) as caught:
            find_form(FIRMATA, "set-pin-mod", [], False)
        self.assertEqual(caught.exception.nearest, "set-pin-mode")

    def test_an_unknown_protocol_is_told_with_those_there_are(self):
        with self.assertRaises(WrongError) as caught:
            codec("firmatta")
        self.assertEqual(caught.exception.nearest, "firmata")

    def test_every_message_describes_its_fields(self):
        for side in Side:
            for form in FIRMATA.forms(side).values():
                with self.subTest(form.NAME):
                    self.assertEqual(len(describe(form)), len(form.__struct_fields__))
                    self.assertTrue(form.__doc__)
        self.assertEqual(describe(firmata.SetDigitalPinValue), ["pin: a number 0 to 127", "value: a number 0 to 1"])

    def test_fields_for_json_have_numbers_with_words_beside_them_and_hex(self):
        self.assertEqual(
            as_fields(firmata.SetPinMode(pin=9, mode=4)),
            {"pin": 9, "mode": 4, "mode_name": "servo"},
        )
        self.assertEqual(as_fields(firmata.Sysex(command=1, data=b"\x00\x7f"))["data"], "00 7F")

    def test_a_message_that_exists_can_be_sent(self):
        for make in (
            lambda: firmata.AnalogMessage(pin=16, value=0),
            lambda: firmata.AnalogMessage(pin=0, value=0x4000),
            lambda: firmata.SetPinMode(pin=-1, mode=0),
            lambda: firmata.SamplingInterval(interval=20_000),
        ):
            with self.assertRaises(FieldError):
                make()


SCPI = (
    "*IDN?", "SOUR1:VOLT 5 V", ":SOUR:VOLT 1.50E+3 mV", "DATA #13abc", "DATA 1,#13a;\n", "ROUT:CLOS (@101,105:107)",
    "DISP:TEXT \"a;b,\"\"c\"", "DISP:TEXT 'x'", "OUTP ON", "VAL #HFF,#B101,#Q17", "FUNC (1+2)", "DATA? (@1!2),MAX",
    "ROUT:CLOS (@1!2:3!4,card1(1:3, 7),'main, left')",
)  # fmt: skip
PACKETS = (
    "82 08 00 01 00 03 61 2C 62 01",  # a filter with a comma
    "82 0A 00 01 00 05 61 3A 31 3A 32 02",  # one that looks as if it had its options behind it
    "A2 0A 00 01 00 03 61 2C 62 00 01 63",
    "30 05 00 01 40 40 FF",  # a topic that is an @
    "10 0C 00 04 4D 51 54 54 04 02 00 3C 00 00",
)


class WrittenAgain(unittest.TestCase):
    """What was read is written so that the same is read from it: for saying a frame again."""

    def said_again(self, protocol, side, data):
        chosen = codec(protocol)
        for frame in read_whole(chosen, data, side):
            sent = frame.message.to_send(frame.data)
            form = chosen.forms(side)[sent.NAME]
            given = write_message(form, sent) | ({"transaction": "1"} if protocol == "modbus-tcp" else {})
            yield frame.data, chosen.encode(read_message(form, given, chosen.unused))

    def test_every_message_comes_out_the_same(self):
        cases = [
            (protocol, side, made(protocol, side, name, fields)[1].data) for protocol, side, name, fields in MESSAGES
        ]
        cases += [("firmata", side, bytes.fromhex(data)) for _, side, _, data in of_firmata.CASES]
        for _, side, _, data in of_modbus.UNITS:
            unit = bytes.fromhex(data)
            cases.append(("modbus-tcp", side, bytes((0, 1, 0, 0, 0, len(unit) + 1, 7)) + unit))
        cases += [("scpi", Side.HOST, f"{line}\n".encode()) for line in SCPI]
        cases += [("mqtt", Side.HOST, bytes.fromhex(packet)) for packet in PACKETS]
        for protocol, side, data in cases:
            with self.subTest(protocol, data=data):
                for was, again in self.said_again(protocol, side, data):
                    start = 2 if protocol == "modbus-tcp" else 0
                    self.assertEqual(was[start:], again[start:])

    def test_a_unit_that_followed_another_has_its_whole_path(self):
        again = [
            again for _, again in self.said_again("scpi", Side.HOST, b"SOUR2:VOLT 1;CURR 2;*OPC?;:OUTP ON;STAT?\n")
        ]
        self.assertEqual([b"SOUR2:VOLT 1\n", b"SOUR2:CURR 2\n", b"*OPC?\n", b":OUTP ON\n", b"STAT?\n"], again)

    @hypothesis.given(some.lists(some.tuples(some.text("a/,:1", min_size=1), some.integers(0, 2)), min_size=1))
    def test_filters_of_any_letters(self, wanted):
        filters = tuple(mqtt.Filter(name, options) for name, options in wanted)
        form = codec("mqtt").forms(Side.HOST)["subscribe"]
        self.assertEqual(filters, read_message(form, write_message(form, form(packet_id=1, filters=filters))).filters)


if __name__ == "__main__":
    unittest.main()
