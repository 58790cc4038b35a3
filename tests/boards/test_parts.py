"""Parts: what each does in time, on a board whose pins are driven by hand."""

import math
import unittest

from cavet.boards import PinMode
from cavet.boards.parts import Button, Gauge, Horn, Lamp, Lever, LimitSwitch, Motor, Servo
from cavet.expressions import Expression
from cavet.record import Kind
from cavet.wording import WrongError
from tests.boards.worlds import Small, quantity, wired


class Quantities(unittest.TestCase):
    def test_one_is_told_as_finely_as_a_thousandth_of_what_it_can_be(self):
        for high, value, told in ((3000, 1214.31, "1 214 m"), (3, 1.21431, "1.214 m"), (0.2, 0.01234, "0.0123 m")):
            self.assertEqual(quantity("level", unit="m", low=0, high=high).show(value), told)
        self.assertEqual(quantity("level", unit="m").show(0.0031), "0.0031 m")


class Lamps(unittest.TestCase):
    def setUp(self):
        self.small = Small([wired(Lamp, "lamp", pin=2, current=0.02)])
        self.lamp = self.small.circuit.parts["lamp"]
        self.small.circuit.set_mode(2, PinMode.PWM, 0.0, None)

    def test_it_fades_to_its_duty_and_tells_when_it_is_there(self):
        self.small.circuit.write_duty(2, 255, 0.0, None)
        self.assertAlmostEqual(self.lamp.fraction(0.02), 0.5)
        self.small.go(1.0)
        self.assertEqual(self.small.told(Kind.MOVED)[-1], (Kind.MOVED, "lamp", 100.0))
        self.assertAlmostEqual(self.small.events(Kind.MOVED)[-1].t, 0.04)
        self.assertEqual((self.lamp.stands_as(1.0), self.lamp.tells(1.0)), (255, "100 %"))

    def test_the_least_glow_is_not_told_as_none(self):
        self.small.circuit.write_duty(2, 1, 0.0, None)
        self.small.go(1.0)
        self.assertEqual(self.lamp.tells(1.0), "0.39 %")

    def test_it_draws_current_as_it_glows(self):
        self.small.circuit.write_duty(2, 51, 0.0, None)
        self.small.go(1.0)
        self.assertAlmostEqual(self.small.circuit.current(1.0), 0.004)

    def test_a_new_duty_on_the_way_overtakes_the_old_one(self):
        self.small.circuit.write_duty(2, 255, 0.0, None)
        self.small.go(0.01)
        self.small.circuit.write_duty(2, 0, 0.01, None)
        self.small.go(1.0)
        self.assertEqual([event.value for event in self.small.events(Kind.OVERTAKEN, Kind.MOVED)], [25.0, 0.0])


class Servos(unittest.TestCase):
    def setUp(self):
        self.small = Small([wired(Servo, "paddle", pin=3, range=(15, 165))])
        self.servo = self.small.circuit.parts["paddle"]
        self.small.circuit.set_mode(3, PinMode.SERVO, 0.0, None)

    def pulse(self, microseconds):
        self.small.circuit.write_pulse(3, microseconds, microseconds, self.small.time, None)

    def test_it_slews_sixty_degrees_in_a_hundred_and_sixty_milliseconds(self):
        self.pulse(544 + round(1856 * 75 / 180))
        self.assertAlmostEqual(self.servo.angle(0.08), 45, delta=0.1)
        self.assertAlmostEqual(self.servo.angle(0.16), 75, delta=0.1)
        self.small.go(1.0)
        moved = self.small.events(Kind.MOVED)[-1]
        self.assertAlmostEqual(moved.value, 75, delta=0.1)
        self.assertAlmostEqual(moved.t, 0.16, delta=0.001)

    def test_it_tells_where_it_goes_and_how_long_that_will_take(self):
        self.pulse(544 + round(1856 * 75 / 180))
        moving = self.small.events(Kind.MOVING)[-1]
        self.assertAlmostEqual(moving.value, 0.16, delta=0.001)
        self.assertEqual(moving.note, "from 15° to 75°")

    def test_it_stops_at_its_stops(self):
        self.pulse(2400)
        self.small.go(2.0)
        self.assertEqual((self.servo.angle(2.0), self.servo.fraction(2.0)), (165, 1.0))

    def test_a_pulse_outside_its_range_is_refused(self):
        for width in (100, 543, 2401, 9000):
            with self.subTest(width):
                self.pulse(width)
                self.assertIn("544 to 2400", self.small.events(Kind.REFUSED)[-1].note)
        self.assertEqual(self.servo.angle(9.0), 15)

    def test_it_is_busy_and_draws_until_it_is_there(self):
        small = Small([wired(Servo, "paddle", pin=3, supply="board")])
        servo = small.circuit.parts["paddle"]
        small.circuit.set_mode(3, PinMode.SERVO, 0.0, None)
        small.circuit.write_pulse(3, 2400, 2400, 0.0, None)
        self.assertEqual([(True, 0.7), (False, 0.0)], [(servo.busy(t), small.circuit.current(t)) for t in (0.4, 0.5)])

    def test_it_turns_back_from_where_it_is(self):
        self.pulse(2400)
        self.small.go(0.2)
        there = self.servo.angle(0.2)
        self.pulse(544)
        self.assertAlmostEqual(self.servo.angle(0.2), there)
        self.small.go(0.3)
        self.assertAlmostEqual(self.servo.angle(0.3), there - 37.5, delta=0.01)
        self.small.go(2.0)
        self.assertEqual(self.servo.angle(2.0), 15)

    def test_it_holds_its_angle_without_pulses(self):
        self.pulse(1472)
        self.small.go(2.0)
        self.small.circuit.set_mode(3, PinMode.OUTPUT, 2.0, None)
        self.small.go(3.0)
        self.assertAlmostEqual(self.servo.angle(3.0), 90, delta=0.1)


class Motors(unittest.TestCase):
    def setUp(self):
        gate = quantity("gate", low=0, high=100, start=50, rate="20 * board.motor", free="held < 1")
        wires = {"enable": 2, "ahead": 4, "astern": 5}
        self.small = Small([wired(Motor, "motor", **wires, moves="gate", stall_current=2.0)], [gate, quantity("held")])
        self.motor = self.small.circuit.parts["motor"]
        self.small.circuit.set_mode(2, PinMode.PWM, 0.0, None)
        for pin in (4, 5):
            self.small.circuit.set_mode(pin, PinMode.OUTPUT, 0.0, None)

    def drive(self, power, ahead, astern):
        now = self.small.time
        self.small.circuit.write_level(4, ahead, now, None)
        self.small.circuit.write_level(5, astern, now, None)
        self.small.circuit.write_duty(2, power, now, None)

    def test_it_runs_up_with_inertia_and_moves_what_hangs_on_it(self):
        self.drive(255, True, False)
        self.assertAlmostEqual(self.motor.fraction(0.12), 1 - 1 / math.e, delta=0.001)
        self.assertTrue(self.motor.busy(0.12))
        self.small.go(1.0)
        self.assertFalse(self.motor.busy(1.0))
        self.assertEqual(self.motor.fraction(1.0), 1.0)
        self.assertAlmostEqual(self.small.rig.value("gate"), 50 + 20 * (1 - 0.12), delta=0.2)
        self.assertEqual(self.motor.tells(1.0), "ahead 100 %")

    def test_the_other_line_turns_it_the_other_way(self):
        self.drive(128, False, True)
        self.small.go(1.0)
        self.assertAlmostEqual(self.motor.fraction(1.0), -128 / 255)
        self.assertLess(self.small.rig.value("gate"), 50)

    def test_both_lines_brake_and_none_lets_it_coast(self):
        for lines, share in (((True, True), math.exp(-0.1 / 0.03)), ((False, False), math.exp(-0.1 / 0.5))):
            with self.subTest(lines):
                self.setUp()
                self.drive(255, True, False)
                self.small.go(1.0)
                self.small.circuit.write_level(5, lines[1], 1.0, None)
                self.small.circuit.write_level(4, lines[0], 1.0, None)
                self.assertAlmostEqual(self.motor.fraction(1.1), share, delta=0.02)

    def test_it_stalls_at_the_end_of_the_way_and_its_current_rises(self):
        self.drive(255, True, False)
        self.small.go(1.0)
        running = self.motor.draws(1.0)
        self.small.go(5.0)
        self.assertTrue(self.motor.stalled)
        self.assertEqual(self.small.rig.value("gate"), 100)
        self.assertGreater(self.motor.draws(5.0), 5 * running)
        self.assertIn("at its end", self.small.events(Kind.SENSED)[-1].note)

    def test_what_is_held_stalls_it_at_once_and_breaks_the_command(self):
        self.small.rig.set("held", 1)
        self.drive(255, True, False)
        self.small.go(0.5)
        refused = self.small.events(Kind.REFUSED)[-1]
        self.assertIn("it needs held < 1", refused.note)
        self.assertEqual(self.small.rig.value("gate"), 50)

    def test_what_it_draws_is_told_however_little_it_is(self):
        self.small.rig.set("held", 1)
        for duty, told in ((255, "2.0 A"), (1, "8 mA")):
            self.drive(duty, True, False)
            self.small.go(0.5 if duty == 255 else 1.0)
            self.assertEqual(self.motor.tells(1.0), f"stalled, {told}")

    def test_it_goes_on_when_it_is_set_free(self):
        self.small.rig.set("held", 1)
        self.drive(255, True, False)
        self.small.go(0.5)
        self.small.rig.set("held", 0)
        self.small.go(2.0)
        self.assertFalse(self.motor.stalled)
        self.assertGreater(self.small.rig.value("gate"), 70)
        self.assertEqual(self.small.told(Kind.MOVED)[-1], (Kind.MOVED, "motor", 100.0))


class Inputs(unittest.TestCase):
    def test_a_button_is_low_while_pressed_and_bounces_for_a_while(self):
        small = Small([wired(Button, "button", pin=4, bounce=0.006)])
        small.circuit.set_mode(4, PinMode.PULL_UP, 0.0, None)
        small.go(1.0)
        self.assertTrue(small.circuit.pins[4].level)
        small.world.act("board.button", "press", seconds=0.08)
        small.go(1.02)
        self.assertFalse(small.circuit.pins[4].level)
        small.go(2.0)
        self.assertTrue(small.circuit.pins[4].level)
        changes = [event for event in small.events(Kind.LEVEL) if event.t >= 1.0]
        self.assertGreater(len(changes), 2)
        self.assertTrue(all(event.t < 1.006 or 1.08 <= event.t < 1.086 for event in changes))
        self.assertEqual(small.record[changes[0].cause].note, "pressed")

    def test_without_a_bounce_it_changes_once(self):
        small = Small([wired(Button, "button", pin=4)])
        small.circuit.set_mode(4, PinMode.PULL_UP, 0.0, None)
        small.go(1.0)
        small.world.act("board.button", "press")
        small.go(2.0)
        small.world.act("board.button", "release")
        small.go(3.0)
        self.assertEqual([event.value for event in small.events(Kind.LEVEL)], [True, False, True])

    def test_a_limit_switch_follows_the_rig(self):
        small = Small(
            [wired(LimitSwitch, "shut", pin=6, closes=Expression("gate <= 10"))],
            [quantity("gate", start=20, low=0, high=100, rate="-10")],
        )
        small.go(0.5)
        self.assertFalse(small.circuit.pins[6].level)
        small.go(2.0)
        self.assertTrue(small.circuit.pins[6].level)
        (event,) = small.events(Kind.SENSED)
        self.assertAlmostEqual(event.t, 1.0, delta=0.03)

    def test_a_limit_switch_sleeps_while_the_rig_can_be_reckoned_ahead(self):
        tank = quantity("tank", start=690, low=0, high=3000, rate="root(1000 - tank) / 4")
        sump = quantity("sump", start=0, low=0, high=100, rate="50", free="tank >= 700")
        small = Small(
            [
                wired(LimitSwitch, "full", pin=6, closes=Expression("tank >= 700")),
                wired(LimitSwitch, "wet", pin=7, closes=Expression("sump > 20")),
            ],
            [tank, sump],
        )
        wakes, due = 0, small.world.advance(0.0)
        while due <= 5.0:
            small.time, wakes = due, wakes + 1
            due = small.world.advance(small.time)
        full, wet = small.events(Kind.SENSED)
        self.assertAlmostEqual(full.t, 2.31, delta=0.03)  # the tank's own equation, solved
        self.assertAlmostEqual(wet.t - full.t, 0.4, delta=0.04)
        self.assertLess(wakes, 40)

    def test_what_is_touched_or_put_elsewhere_wakes_it(self):
        lamp = wired(Lamp, "lamp", pin=2)
        small = Small(
            [lamp, wired(LimitSwitch, "warm", pin=6, closes=Expression("heat >= 5"))],
            [quantity("heat", start=0, low=0, high=100, rate="0.001 + 20 * board.lamp")],
        )
        small.go(3.0)
        small.circuit.set_mode(2, PinMode.OUTPUT, 3.0, None)
        small.circuit.write_level(2, True, 3.0, None)
        small.go(4.0)
        (warm,) = small.events(Kind.SENSED)
        self.assertAlmostEqual(warm.t, 3.27, delta=0.03)
        small.world.place("heat", 1.0)
        small.circuit.write_level(2, False, 4.0, None)
        small.go(4.1)
        self.assertEqual([event.value for event in small.events(Kind.SENSED)], [True, False])

    def test_a_gauge_reads_its_quantity_with_one_count_of_noise(self):
        small = Small([wired(Gauge, "gauge", pin=8, of="level", range=(0, 3000))], [quantity("level", start=1500)])
        small.circuit.set_mode(8, PinMode.ANALOG, 0.0, None)
        counts = {small.circuit.read_counts(8, 0.0) for _ in range(200)}
        self.assertTrue(counts <= {510, 511, 512, 513}, counts)
        self.assertGreater(len(counts), 1)

    def test_a_gauge_ends_at_its_rails(self):
        small = Small([wired(Gauge, "gauge", pin=8, of="level", range=(0, 3000))], [quantity("level", start=9000)])
        self.assertIn(small.circuit.read_counts(8, 0.0), (1022, 1023))
        small.rig.set("level", -5)
        self.assertIn(small.circuit.read_counts(8, 0.0), (0, 1))

    def test_a_lever_is_set_and_springs_back(self):
        small = Small([wired(Lever, "lever", pin=9)])
        small.world.act("board.lever", "set", value=1.0, seconds=2.0)
        small.go(1.0)
        self.assertIn(small.circuit.read_counts(9, 1.0), (1022, 1023))
        small.go(3.0)
        self.assertIn(small.circuit.read_counts(9, 3.0), range(510, 514))

    def test_what_can_not_be_done_to_a_part_is_told_with_what_can(self):
        small = Small([wired(Lever, "lever", pin=9), wired(Horn, "horn", pin=6), wired(Button, "b", pin=4)])
        for path, do, part in (
            ("board.lever", "press", "one of set or release"),
            ("board.lever", "set", "where to set it"),
            ("board.horn", "press", "it can't be worked by hand"),
            ("board.b", "pres", 'did you mean "press"?'),
            ("board.bell", "press", "board.horn"),
        ):
            with self.subTest(path, do=do):
                with self.assertRaises(WrongError) as caught:
                    small.world.act(path, do)
                self.assertIn(part, str(caught.exception))


class Rigs(unittest.TestCase):
    def test_water_runs_through_an_open_paddle_as_the_root_of_the_head(self):
        rate = "2.12 * board.paddle * root(upper - chamber)"
        small = Small(
            [wired(Servo, "paddle", pin=3, range=(15, 165))],
            [quantity("upper", start=2400), quantity("chamber", start=600, rate=rate)],
        )
        small.circuit.set_mode(3, PinMode.SERVO, 0.0, None)
        small.circuit.write_pulse(3, 2400, 180, 0.0, None)
        small.go(20.0)
        self.assertAlmostEqual(small.rig.value("chamber"), 2400 - (math.sqrt(1800) - 1.06 * 19.8) ** 2, delta=10)
        small.go(42.0)
        self.assertAlmostEqual(small.rig.value("chamber"), 2400, delta=3)

    def test_a_quantity_stays_within_its_limits(self):
        small = Small([], [quantity("level", start=50, low=0, high=100, rate="30")])
        small.go(10.0)
        self.assertEqual(small.rig.value("level"), 100)
        small.world.place("level", 500)
        self.assertEqual(small.rig.value("level"), 100)
        with self.assertRaises(WrongError) as caught:
            small.world.place("levle", 5)
        self.assertEqual(caught.exception.nearest, "level")

    def test_the_same_steps_give_the_same_water_however_it_is_looked_at(self):
        def run(looks):
            small = Small([], [quantity("a", start=100, rate="-0.1 * a")])
            for look in looks:
                small.go(look)
            return small.rig.value("a")

        self.assertAlmostEqual(run([10.0]), 100 * math.exp(-1), delta=0.2)
        self.assertAlmostEqual(run([10.0]), run([0.5 * step for step in range(1, 21)]), delta=0.01)


if __name__ == "__main__":
    unittest.main()
