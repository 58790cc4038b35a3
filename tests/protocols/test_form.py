"""Messages as people write them, and as JSON holds them."""

import unittest

from cavet.protocols import FieldError, Side, as_fields, codec, describe, find_form, firmata, read_message
from cavet.wording import WrongError

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


if __name__ == "__main__":
    unittest.main()
