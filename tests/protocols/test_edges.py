"""Every field of every message with values at and beyond its edges: what can be made can be read, and the rest is told
as a wrong field."""

import random
import unittest

from cavet.protocols import PROTOCOLS, FieldError, Side, codec, fields_of, firmata, modbus, read_message, read_whole
from cavet.wording import WrongError
from tests.protocols.test_ruler import MESSAGES

EDGES = (
    "0", "1", "-1", "2", "15", "16", "127", "128", "255", "256", "65535", "65536", "4294967296", "9223372036854775808",
    "9" * 40, "9" * 5000, "0x10", "0b11", "1_0", "٣", "²", "1.5", "nan", "1e400", "", "@", "@text", "@é", "00 FF", "GG",
    "on", "a,b", "1,0,1", "1:2", "a/b:1", "1:2,3:4/5:6", "/", ",", "a\x00b", "\ud800", ",".join(["1"] * 200),
    "@" + "x" * 5000, "00" * 300, "none", "reason_string:x", "topic_alias:70000",
)  # fmt: skip
USUAL = ("0", "1", "2", "5", "on", "@ab", "00", "0102", "1,2", "a:1", "1/2")
WHOLE = ("firmata", "modbus-tcp", "modbus-ascii", "mqtt", "mqtt5")
"""The protocols whose frames can be told apart without times or marks."""
REFUSED = (
    ("mqtt", Side.HOST, "publish", {"topic": "a", "qos": "1", "packet_id": "70000"}, "expected 1 to 65535"),
    ("mqtt5", Side.HOST, "publish", {"topic": "a", "qos": "2", "packet_id": "-1"}, "expected 1 to 65535"),
    ("firmata", Side.HOST, "steppers-config", {"group": "0", "devices": "00 FF"}, 'config.devices: found "FF"'),
    ("firmata", Side.HOST, "serial-config", {"port": "9", "baud": "9600", "pins": "8001"}, "seven bits"),
    ("firmata", Side.BOARD, "string-data", {"text": "x" * 2047}, 'found "4097 bytes", expected at most 4096'),
    ("firmata", Side.HOST, "stepper-set-speed", {"device": "0", "speed": "1e11"}, "up to 83 886 070 000"),
    ("modbus-tcp", Side.BOARD, "read-file-record", {"values": ",".join(["1"] * 122)}, "at most 245 bytes"),
    ("usb", Side.HOST, "synch-frame", {"endpoint": "٣"}, "expected a number 0 to 65535"),
    ("spi", Side.HOST, "chain", {"words": "1_0"}, "numbers with commas"),
)


def usual(form, unused, rng):
    """Fields that a message can have, found by trying; `None` where a hundred tries found none."""
    for _ in range(100):
        given = {field.name: rng.choice(USUAL) for field in fields_of(form) if field.required}
        try:
            read_message(form, {name: text for name, text in given.items() if name not in unused}, unused)
        except WrongError:
            continue
        return given
    return None


def starts():
    """A protocol, a side, a form and fields that it can have, of every message."""
    rng = random.Random(5)
    for name in sorted(PROTOCOLS):
        chosen = codec(name)
        for side in Side:
            for form in chosen.forms(side).values():
                if (given := usual(form, chosen.unused, rng)) is not None:
                    yield chosen, side, form, given
    for name, side, message, given in MESSAGES:
        yield codec(name), side, codec(name).forms(side)[message], given


class Edges(unittest.TestCase):
    def test_what_can_be_made_is_one_frame_and_all_else_is_told_as_a_wrong_field(self):
        tried = set()
        for chosen, side, form, given in starts():
            for field in set(form.__struct_fields__) - chosen.unused:
                for text in EDGES:
                    with self.subTest(chosen.name, message=form.NAME, field=field, text=text[:40]):
                        try:
                            data = chosen.encode(read_message(form, {**given, field: text}, chosen.unused))
                        except WrongError:
                            continue
                        tried.add((chosen.name, form.NAME))
                        frames = read_whole(chosen, data, side)
                        self.assertEqual(b"".join(frame.data for frame in frames), data)
                        if chosen.name in WHOLE:
                            self.assertEqual(len(frames), 1)
        self.assertGreater(len(tried), 150)

    def test_a_field_beyond_its_edge_is_named_with_what_it_can_be(self):
        for protocol, side, message, given, part in REFUSED:
            with self.subTest(protocol, message=message):
                chosen = codec(protocol)
                with self.assertRaises(FieldError) as caught:
                    chosen.encode(read_message(chosen.forms(side)[message], given, chosen.unused))
                self.assertIn(part, str(caught.exception))

    def test_the_longest_that_fits_is_made(self):
        self.assertEqual(len(firmata.encode(firmata.StringData(text="x" * 2046))), 4095)
        self.assertEqual(len(modbus.ReadFileRecordResponse(values=((1,) * 121,)).values[0]), 121)

    def test_a_decimal_has_all_digits_that_there_is_room_for(self):
        for speed in (0.1, 1.5, 200.0, 2097151.0, 8388607.0, 838860.7, 1 / 3, 4294967000.0, 83886070000.0, -12.345678):
            with self.subTest(speed):
                (frame,) = firmata.decode_from(
                    Side.HOST, firmata.encode(firmata.StepperSetSpeed(device=1, speed=speed))
                )
                self.assertAlmostEqual(frame.message.speed / speed, 1, delta=2e-7)


if __name__ == "__main__":
    unittest.main()
