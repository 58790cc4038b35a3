"""The board's side of Firmata, spoken to in bytes."""

import unittest

from hypothesis import given
from hypothesis import strategies as some

from cavet.boards import DeadPin, Late, Swapped
from cavet.boards.parts import Button, Gauge, Horn, Lamp, Servo
from cavet.protocols import Side, firmata
from cavet.record import Kind
from tests.boards.worlds import Small, quantity, wired


def small(**more):
    """A board with a lamp, a servo, a button, a horn and a gauge, its link open."""
    parts = [
        wired(Lamp, "lamp", pin=2),
        wired(Servo, "paddle", pin=3),
        wired(Button, "button", pin=4),
        wired(Horn, "horn", pin=6),
        wired(Gauge, "gauge", pin=8, of="level", range=(0, 1000)),
    ]
    made = Small(parts, [quantity("level", start=500)], **more)
    made.open()
    return made


def text_of(answer):
    """The string messages in an answer."""
    frames = firmata.decode_from(Side.BOARD, bytes.fromhex(answer))
    return [frame.message.text for frame in frames if isinstance(frame.message, firmata.StringData)]


class Booting(unittest.TestCase):
    def test_it_announces_itself_once_it_has_booted(self):
        made = Small([], boot=1.2)
        made.board.opened(made.client, 0.0)
        made.go(1.19)
        self.assertEqual(made.hear(), "")
        made.go(1.2)
        self.assertEqual(made.hear(), "F9 02 07 F0 79 02 07 73 00 6D 00 61 00 6C 00 6C 00 F7")

    def test_what_is_said_to_it_while_it_boots_is_lost(self):
        made = Small([wired(Horn, "horn", pin=6)], boot=1.2)
        made.board.opened(made.client, 0.0)
        made.say("F4 06 01 F5 06 01")
        made.go(3.0)
        self.assertEqual(made.circuit.pins[6].value, 0)
        self.assertIn("6 bytes not heard", made.events(Kind.LOST)[0].note)

    def test_opening_the_link_again_resets_it(self):
        made = small()
        made.say("F4 06 01 F5 06 01")
        made.go(1.0)
        self.assertTrue(made.circuit.parts["horn"].stands_as(1.0))
        made.board.closed(made.client, 1.0)
        made.open()
        made.go(2.0)
        self.assertFalse(made.circuit.parts["horn"].stands_as(2.0))
        self.assertEqual(made.say("F0 6D 06 F7"), "F0 6E 06 00 00 F7")


class Queries(unittest.TestCase):
    def test_version_firmware_and_mapping(self):
        made = small()
        self.assertEqual(made.say("F9"), "F9 02 07")
        self.assertEqual(made.say("F0 79 F7"), "F0 79 02 07 73 00 6D 00 61 00 6C 00 6C 00 F7")
        self.assertEqual(made.say("F0 69 F7"), "F0 6A 7F 7F 7F 7F 7F 7F 7F 7F 00 01 7F 7F F7")

    def test_capabilities_pin_by_pin(self):
        everything = "00 01 01 01 03 08 04 0E 0B 01 7F"
        digital = "00 01 01 01 7F"
        analog = "00 01 01 01 02 0A 7F"
        expected = (
            f"F0 6C 7F 7F {' '.join([everything] * 4)} {digital} {digital} {analog} {analog} 06 01 7F 06 01 7F F7"
        )
        self.assertEqual(small().say("F0 6B F7"), expected)

    def test_pin_states_tell_what_was_written_and_whether_the_pull_up_is_on(self):
        made = small()
        for words, answer in (
            ("F0 6D 04 F7", "F0 6E 04 00 00 F7"),
            ("F4 04 0B F0 6D 04 F7", "F0 6E 04 0B 01 F7"),
            ("F4 04 00 F0 6D 04 F7", "F0 6E 04 00 00 F7"),
            ("F4 02 03 E2 7F 01 F0 6D 02 F7", "F0 6E 02 03 7F 01 F7"),
            ("F4 03 04 E3 5C 00 F0 6D 03 F7", "F0 6E 03 04 5C F7"),
            ("E3 5C 0B F0 6D 03 F7", "F0 6E 03 04 5C 0B F7"),
            ("F4 06 01 F5 06 01 F0 6D 06 F7", "F0 6E 06 01 01 F7"),
            ("F4 06 01 F0 6D 06 F7", "F0 6E 06 01 00 F7"),
        ):
            with self.subTest(words):
                self.assertEqual(made.say(words), answer)


class Writing(unittest.TestCase):
    def test_a_servo_takes_degrees_below_544_and_pulses_above(self):
        made = small()
        made.say("F4 03 04")
        for words, pulse in (
            ("E3 00 00", 544),
            ("E3 5A 00", 1472),
            ("E3 34 01", 2400),
            ("E3 1F 04", 2400),
            ("E3 5C 0B", 1500),
        ):
            made.say(words)
            self.assertEqual(made.circuit.pins[3].pulse_us, pulse, words)

    def test_a_configured_servo_uses_its_own_pulses(self):
        made = small()
        made.say("F0 70 03 68 07 50 0F F7 E3 5A 00")
        self.assertEqual(made.circuit.pins[3].pulse_us, 1500)
        made.say("E3 00 1F")
        self.assertEqual(made.circuit.pins[3].pulse_us, 2000)

    def test_a_port_changes_only_its_outputs_that_differ(self):
        made = small()
        made.say("F4 06 01 F4 07 01 90 40 00")
        self.assertEqual([made.circuit.pins[pin].value for pin in (6, 7)], [1, 0])
        before = len(made.events(Kind.DRIVEN))
        made.say("90 40 01")
        self.assertEqual([event.subject for event in made.events(Kind.DRIVEN)[before:]], ["7"])
        made.say("90 40 01")
        self.assertIn("no output of this port changes", made.events(Kind.DRIVEN)[-1].note)

    def test_the_extended_message_reaches_what_the_short_one_does(self):
        made = small()
        made.say("F4 02 03 F0 6F 02 7F 00 F7")
        self.assertEqual(made.circuit.pins[2].value, 127)

    def test_every_consequence_carries_its_cause_back_to_the_bytes(self):
        made = small()
        made.say("F4 02 03 E2 7F 00")
        made.go(1.0)
        chain = [made.events(Kind.MOVED)[-1]]
        while chain[-1].cause is not None:
            chain.append(made.record[chain[-1].cause])
        self.assertEqual([event.kind for event in chain], ["moved", "driven", "taken", "carried"])
        self.assertEqual(chain[-1].value, bytes.fromhex("E2 7F 00"))


class Refusing(unittest.TestCase):
    REFUSALS = [
        ("F4 06 03", "pin 6 has no pwm: pwm is on 2, 3, 4 and 5"),
        ("F4 00 01", "pin 0 is kept for the link"),
        ("F4 50 01", "there is no pin 80"),
        ("F4 02 0F", "this board knows no mode 15"),
        ("E2 10 00", "pin 2 is in mode input: an analog value needs mode pwm or servo"),
        ("EF 10 00", "pin 15 does not exist"),
        ("F5 02 01", "pin 2 is in mode input: this needs mode output"),
        ("C7 01", "there is no analog channel 7"),
        ("F0 6D 50 F7", "there is no pin 80"),
        ("F0 70 03 00 10 00 08 F7", "make no range"),
        ("F0 01 02 F7", "does not know system exclusive command 01"),
        ("F0 76 26 00 00 00 F7", "the bus is not begun"),
    ]

    def test_a_refusal_is_a_text_that_says_what_would_do(self):
        for words, part in self.REFUSALS:
            with self.subTest(words):
                made = small()
                (text,) = text_of(made.say(words))
                self.assertIn(part, text)
                self.assertEqual(made.events(Kind.REFUSED)[-1].note, text)

    def test_bytes_that_make_no_message_are_told_and_the_next_one_works(self):
        made = small()
        self.assertEqual(made.say("05 06 F0 6D 90 F9"), "F9 02 07")
        self.assertEqual(next(event.note for event in made.events(Kind.REFUSED)), "outside any message")


class Reporting(unittest.TestCase):
    def test_a_port_is_told_at_once_and_then_at_each_change(self):
        made = small()
        self.assertEqual(made.say("F4 04 0B D0 01"), "90 10 00")
        made.world.act("board.button", "press")
        made.go(0.1)
        self.assertEqual(made.hear(), "90 00 00")
        made.say("D0 00")
        made.world.act("board.button", "release")
        made.go(0.2)
        self.assertEqual(made.hear(), "")

    def test_an_analog_channel_is_told_at_every_interval(self):
        made = small()
        made.say("F4 08 02 C0 01")
        made.go(1.0)
        frames = firmata.decode_from(Side.BOARD, bytes.fromhex(made.hear()))
        self.assertEqual(len(frames), 52)
        self.assertTrue(all(abs(frame.message.value - 512) <= 2 for frame in frames))

    def test_the_interval_can_be_set(self):
        made = small()
        made.say("F4 08 02 F0 7A 64 00 F7 C0 01")
        made.go(1.05)
        self.assertEqual(len(firmata.decode_from(Side.BOARD, bytes.fromhex(made.hear()))), 10)

    def test_a_channel_is_told_although_its_pin_is_still_the_input_it_was_at_the_start(self):
        self.assertTrue(small().say("C0 01").startswith("E0"))

    def test_a_channel_whose_pin_is_an_output_is_silent(self):
        made = small()
        made.say("F4 08 01 C0 01")
        made.go(1.0)
        self.assertEqual(made.hear(), "")

    def test_a_reset_ends_reports_and_modes(self):
        made = small()
        made.say("F4 08 02 C0 01 F4 04 0B D0 01 F4 06 01 F5 06 01")
        made.say("FF")
        made.hear()
        made.go(2.0)
        self.assertEqual(made.hear(), "")
        self.assertFalse(made.circuit.parts["horn"].stands_as(2.0))


class Mishaps(unittest.TestCase):
    def test_a_silent_host_sends_the_outputs_to_rest_where_a_failsafe_is_set(self):
        made = small(failsafe=2.0)
        made.say("F4 06 01 F5 06 01 F4 02 03 E2 7F 00")
        made.go(1.9)
        self.assertEqual(made.circuit.pins[6].value, 1)
        made.say("F9")
        made.go(3.8)
        self.assertEqual(made.circuit.pins[6].value, 1)
        made.go(4.0)
        self.assertEqual((made.circuit.pins[6].value, made.circuit.pins[2].value), (0, 0))
        made.go(5.0)
        self.assertFalse(made.circuit.parts["horn"].stands_as(5.0))

    def test_while_nobody_was_there_no_host_was_silent(self):
        """A program that is stopped and goes on, a machine that slept: the host could say nothing either, and has a
        little time to go on."""
        for until, still, over in ((0.5, 10.4, 10.6), (1.99, 9.15, 9.25)):
            made = small(failsafe=2.0)
            made.say("F4 06 01 F5 06 01")
            made.go(until)
            made.time = 9.0
            made.world.was_away(9.0, 9.0 - until)
            for now, value in ((still, 1), (over, 0)):
                made.go(now)
                self.assertEqual(made.circuit.pins[6].value, value, (until, now))

    def test_a_dead_pin_takes_the_value_and_stays_low(self):
        made = small(defects=[DeadPin(name="d", board="board", pin=2)])
        made.say("F4 02 03 E2 7F 00")
        made.go(1.0)
        self.assertEqual(made.circuit.parts["lamp"].fraction(1.0), 0)
        self.assertIn("its line stays low", made.events(Kind.LOST)[-1].note)
        self.assertEqual(made.say("F0 6D 02 F7"), "F0 6E 02 03 7F F7")
        made.world.switch_defect("d", False)
        made.go(2.0)
        self.assertAlmostEqual(made.circuit.parts["lamp"].fraction(2.0), 127 / 255)

    def test_swapped_wires_move_the_other_part(self):
        made = small(defects=[Swapped(name="d", board="board", pins=(2, 6))])
        made.say("F4 06 01 F5 06 01")
        made.go(1.0)
        self.assertEqual(made.circuit.parts["lamp"].fraction(1.0), 1.0)
        self.assertFalse(made.circuit.parts["horn"].stands_as(1.0))

    def test_a_late_board_is_ready_to_speak_later(self):
        made = small(defects=[Late(name="d", board="board", delay=0.8)])
        made.board.feed(made.client, b"\xf9", 0, 0.0, lambda end, data: 0)
        (outgoing,) = made.board.take_out()
        self.assertEqual(outgoing.at, 0.8)
        told = [Late(name="d", board="board", delay=delay).tells for delay in (0.8, 0.0004)]
        self.assertEqual(told, ["the board answers 800 ms late", "the board answers 400 µs late"])

    @given(some.binary(max_size=200))
    def test_any_bytes_leave_a_board_that_answers(self, data):
        made = small()
        made.say(data.hex(" "))
        made.go(made.time + 0.1)
        made.hear()
        made.say("F7 F7 F7")
        self.assertTrue(made.say("F9").endswith("F9 02 07"))


if __name__ == "__main__":
    unittest.main()
