"""Points: scale, limits, reversed senses, and how their values are written."""

import unittest

import msgspec
from hypothesis import given
from hypothesis import strategies as some

from cavet.hosts import DevicePoint, FieldPoint, HeaderPoint, PinPoint, PointKind, RegisterPoint, TopicPoint
from cavet.messaging import PayloadForm
from cavet.protocols.modbus import ValueForm
from cavet.wording import WrongError


def level(**more):
    fields = {"unit": "%", "low": 0, "high": 100, "wire_low": 15, "wire_high": 165, "mode": "servo", **more}
    return PinPoint(name="paddle", board="gatehouse", kind=PointKind.LEVEL, pin=9, **fields)


SWITCH = PinPoint(name="horn", board="gatehouse", kind=PointKind.SWITCH, pin=11, mode="output")
BUTTON = PinPoint(
    name="stop", board="gatehouse", kind=PointKind.CONTACT, pin=4, mode="pull-up", active_low=True,
    words=("released", "pressed"),
)  # fmt: skip
BRIDGE = PinPoint(
    name="gate", board="gatehouse", kind=PointKind.BRIDGE, pin=7, ahead=12, astern=13, mode="pwm", unit="%",
    low=-100, high=100, wire_high=255,
)  # fmt: skip

ON_THE_WIRE = [
    (level(), 0, 15),
    (level(), 100, 165),
    (level(), 60, 105),
    (level(), 42.3, 78),
    (level(low=100, high=0), 100, 15),
    (level(low=100, high=0), 25, 128),
    (level(wire_low=165, wire_high=15), 0, 165),
    (level(unit="mm", low=-10, high=10, wire_low=0, wire_high=1000), 0, 500),
    (BRIDGE, 100, 255),
    (BRIDGE, -100, 255),
    (BRIDGE, 20, 51),
    (SWITCH, True, 1),
    (BUTTON, True, 0),
]


def words(kind, **more):
    return kind(name="t", board="b", kind=PointKind.TEXT, **more)


REGISTERS = words(RegisterPoint, table="holding-registers", address=0, form=ValueForm(kind="text", length=2))
PANEL = {"device": "panel", "width": 4, "height": 2}
DOTS = DevicePoint(name="t", board="b", kind=PointKind.PIXELS, device="matrix", width=8, height=8)
FITTED = [
    (REGISTERS, "abcde", "abcd"),
    (REGISTERS, "ä€", "ä?"),
    (REGISTERS, "a\0", "a"),
    (words(HeaderPoint, set="DISP {}"), 'a\nä"', 'a ?"'),
    (words(FieldPoint, room=5), "aäöü", "aäö"),
    (words(FieldPoint, room=4), "aäöü", "aä"),
    (words(FieldPoint), "aäöü", "aäöü"),
    (words(DevicePoint, **PANEL), "abcdef\\ng\nh", "abcd\ng"),
    (words(DevicePoint, **PANEL, runs=True), "abcdef\ng\nh", "abcdef\ng"),
    (words(DevicePoint, **PANEL), "→~\\ä", "→???"),
    (DOTS, "日", "?"),
    (DOTS, "abcdef", "ab"),
    (msgspec.structs.replace(DOTS, runs=True), "abcdef", "abcdef"),
    (DOTS, "dots 1,1", "dots 1,1"),
    (DOTS, "@fi", "@fi"),
    (words(TopicPoint), "ä€日", "ä€日"),
]
"""Texts, and what of each can be carried and shown."""


class Scale(unittest.TestCase):
    def test_values_stand_on_the_wire_as_the_scale_says(self):
        for point, value, raw in ON_THE_WIRE:
            with self.subTest(point.name, value=value):
                self.assertEqual(point.to_wire(value), raw)

    @given(some.integers(15, 165), some.booleans())
    def test_every_number_on_the_wire_comes_back_as_itself(self, raw, reversed_):
        point = level(low=100, high=0) if reversed_ else level()
        self.assertEqual(point.to_wire(point.from_wire(raw)), raw)

    def test_what_lies_outside_is_brought_inside(self):
        self.assertEqual((level().limited(130), level().limited(-1)), (100, 0))
        self.assertEqual(level(low=100, high=0).limited(130), 100)
        self.assertIs(SWITCH.limited(1.0), True)

    def test_a_text_is_brought_to_what_can_be_carried_and_shown(self):
        for point, text, fits in FITTED:
            with self.subTest(text, point=type(point).__name__):
                self.assertEqual(point.limited(text), fits)
                self.assertEqual(point.limited(fits), fits)

    def test_half_a_character_is_no_text(self):
        with self.assertRaisesRegex(WrongError, r'b\.t: found "‹U\+DCFF›", expected text'):
            FITTED[0][0].limited("\udcff")

    def test_a_text_is_as_it_was_typed_but_for_the_quotes_around_it(self):
        for typed, meant in (
            (' "  in " ', "  in "),
            ("  in ", "  in "),
            ('"to end', "to end"),
            ('say "hi"', 'say "hi"'),
        ):
            self.assertEqual(FITTED[0][0].parse(typed), meant)

    def test_a_bridge_needs_three_pins_and_their_modes(self):
        self.assertEqual(BRIDGE.modes(), {7: "pwm", 12: "output", 13: "output"})
        self.assertEqual(BRIDGE.from_wire(-51), -20)

    def test_what_a_bridges_wire_tells_apart_is_not_the_same(self):
        self.assertAlmostEqual(100 / 255, BRIDGE.resolution)
        wanted, beside = BRIDGE.from_wire(51), BRIDGE.from_wire(52)
        self.assertFalse(BRIDGE.same(wanted, beside))
        self.assertTrue(BRIDGE.same(wanted, 20.1))  # which is 51 on the wire, too

    def test_the_finest_step_follows_from_the_scale(self):
        self.assertAlmostEqual(level().resolution, 100 / 150)

    def test_values_are_written_in_any_unit_that_fits(self):
        for text, value in (("60", 60), ("60 %", 60), ("0.6", 0.6)):
            self.assertEqual(level().parse(text), value)
        self.assertEqual(level(unit="mm", low=0, high=3000).parse("1.2 m"), 1200)
        self.assertEqual(
            [BUTTON.parse(text) for text in ("pressed", "released", "on", "0")], [True, False, True, False]
        )
        with self.assertRaises(WrongError) as caught:
            level().parse("5 V")
        self.assertIn("gatehouse.paddle", str(caught.exception))

    def test_its_own_words_are_understood_in_capitals_and_small_letters(self):
        door = msgspec.structs.replace(BUTTON, words=("Zu", "ganz Auf"))
        said = ("ganz Auf", " GANZ AUF ", "Zu", "zu", "on", "0")
        self.assertEqual([door.parse(text) for text in said], [True, True, False, False, True, False])
        with self.assertRaises(WrongError) as caught:
            door.parse("halb auf")
        self.assertIn('found "halb auf", expected Zu or ganz Auf; did you mean "ganz Auf"?', str(caught.exception))

    def test_values_are_shown_with_their_unit_or_word(self):
        self.assertEqual(level().show(60.0), "60 %")
        supply = level(unit="A", low=0, high=2, wire_low=0, wire_high=5000)
        self.assertEqual((supply.show(0.123), supply.show(0.12)), ("0.123 A", "0.12 A"))
        self.assertEqual(BUTTON.show(True), "pressed")
        self.assertEqual(SWITCH.show(None), "—")

    @given(some.floats(1e-6, 1e6), some.floats(0, 1), some.floats(1.001, 3), some.integers(2, 65535))
    def test_what_the_wire_can_tell_apart_looks_different(self, high, share, steps, counts):
        point = level(unit="V", low=0, high=high, wire_low=0, wire_high=counts)
        one = share * high
        other = one + steps * point.resolution
        self.assertNotEqual(point.show(one), point.show(other))

    def test_counts_come_as_they_are(self):
        for kind in (PointKind.READING, PointKind.LEVEL):
            for most in (93, 1000, 65535):
                point = PinPoint(name="e", board="b", kind=kind, pin=1, mode="encoder", high=most, wire_high=most)
                self.assertEqual([], [count for count in range(2000) if point.from_wire(count) != count])

    def test_what_has_to_be_sent_is_told_by_the_wire(self):
        volts = HeaderPoint(name="v", board="b", kind=PointKind.LEVEL, set="V {}", high=24.0, wire_high=24.0)
        clock = HeaderPoint(name="c", board="b", kind=PointKind.LEVEL, set="F {}", high=1e10, wire_high=1e10)
        raw = TopicPoint(
            name="r", board="b", kind=PointKind.LEVEL, high=100.0, wire_high=255, form=PayloadForm(kind="raw")
        )
        for point, stands, value, there in (
            (volts, 5.0, 5.003, False), (volts, 0.0, 3e-6, False), (volts, 0.3, 0.1 + 0.2, True),
            (clock, 1e9, 1e9 + 1, False), (clock, 1234567890.12, 1234567890.13, False),
            (raw, 128 / 2.55, 127 / 2.55, False), (raw, 128 / 2.55, 50.1, True),
        ):  # fmt: skip
            self.assertEqual(there, point.is_at(stands, value), (point.name, stands, value))
        self.assertTrue(raw.same(50.0, 127 / 2.55), "a board may cut what the host rounds")
        self.assertFalse(raw.same(128 / 2.55, 127 / 2.55), "but not come to the next number")
        self.assertEqual("0.000003", volts.show(3e-6))

    def test_a_scale_that_is_none_is_refused(self):
        for point, key in (
            (level(low=5, high=5), "range"),
            (level(wire_low=7, wire_high=7), "wire"),
            (level(rest=120), "rest"),
            (level(start=-1), "start"),
        ):
            with self.subTest(key):
                with self.assertRaises(WrongError) as caught:
                    point.check()
                self.assertEqual(caught.exception.place, f"points.paddle.{key}")


if __name__ == "__main__":
    unittest.main()
