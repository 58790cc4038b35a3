"""Bridges that pause before they turn, boards that run their line at another rate, and pins with two parts."""

import tempfile
import unittest
from pathlib import Path

import cavet
from cavet.benchfile import check_text
from cavet.hosts import Reversing, Wish
from cavet.record import Kind
from cavet.wording import UnreachableError
from tests.remarks.test_rules import MODBUS, PINS, changed


class OnABench(unittest.TestCase):
    def opened(self, text):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / "x.bench.toml"
        path.write_text(text)
        bench = cavet.open(path)
        self.addCleanup(bench.close)
        return bench

    def driven(self, bench, pin):
        return [(event.t, event.value) for event in bench.record.events
                if event.kind is Kind.DRIVEN and event.subject == str(pin) and event.note != "mode"]  # fmt: skip

    def test_a_bridge_stands_for_its_pause_before_it_turns(self):
        bench = self.opened(PINS)
        bench["drive"].set(100)
        begun = bench.t
        bench["drive"].set(-100)
        power = [each for each in self.driven(bench, 6) if each[0] >= begun - 1e-9]
        astern = next(t for t, value in self.driven(bench, 8) if value)
        self.assertEqual([value for _, value in power], [0, 255])
        self.assertGreaterEqual(astern - power[0][0], 0.19)
        self.assertEqual(bench["drive"].trail.broken_at, None)

    def test_the_same_direction_and_a_stop_need_no_pause(self):
        bench = self.opened(PINS)
        for value in (100, 50, 0, 20):
            begun = bench.t
            bench["drive"].set(value)
            self.assertLess(bench.t - begun, 0.1)

    def test_a_newer_wish_in_the_pause_takes_the_place_of_the_one_that_waits(self):
        point = check_text(PINS, "x").points["drive"]
        reversing = Reversing()
        self.assertFalse(reversing.holds(Wish(point, 100.0, 1), point, 0.0))
        waits = Wish(point, -100.0, 2)
        self.assertTrue(reversing.holds(waits, point, 1.0))
        self.assertEqual((reversing.due, reversing.overdue(1.1)), (1.2, []))
        self.assertIs(reversing.overtaken("drive"), waits)
        self.assertFalse(reversing.holds(Wish(point, 60.0, 3), point, 1.1))
        self.assertTrue(reversing.holds(waits, point, 2.0))
        self.assertEqual(reversing.overdue(2.2), [waits])
        self.assertFalse(reversing.holds(waits, point, 2.2))
        self.assertEqual(reversing.forget(), [])

    def test_two_parts_at_one_pin_both_move(self):
        bench = self.opened(changed(PINS, [("glow = {", 'twin = { kind = "lamp", pin = 3 }\nglow = {')]))
        bench["glow"].set("60 %")
        bench.wait(0.1)
        self.assertAlmostEqual(bench.part("hut.twin").state, 60, delta=0.3)

    def test_a_board_at_another_rate_understands_nothing_and_its_own_link_does(self):
        bench = self.opened(changed(MODBUS, [("unit = 7\nfailsafe", "unit = 7\nbaud = 9600\nfailsafe")]))
        with self.assertRaisesRegex(UnreachableError, "another rate at the other end"):
            bench["lamp"].set(True)
        bench = self.opened(changed(MODBUS, [("unit = 7\nfailsafe", "unit = 7\nbaud = 19200\nfailsafe")]))
        bench["lamp"].set(True)
