"""Which points lead to which parts, over every board of the demo, and where belief and truth part."""

import unittest

from cavet.benchfile import load_bench
from cavet.boards import PinMode
from cavet.demo import demo_path
from cavet.wiring import Wiring, wirings

FILE = load_bench(demo_path())
SETUP = FILE.setup
TO_NO_PART = {"target_level", "flow", "water", "chamber_level", "battery", "signal"}
"""Values that a board keeps, or measures of the rig: no part hangs there."""


class Wires(unittest.TestCase):
    def test_each_point_of_the_demo_leads_to_its_own_part(self):
        seen = set()
        for wiring in wirings(SETUP).values():
            for point in wiring.points:
                with self.subTest(point.name):
                    seen.add(point.name)
                    wanted = () if point.name in TO_NO_PART else (point.part or point.name.removesuffix("_blinks"),)
                    self.assertEqual(wiring.reached(point), wanted)
                    if wanted and not point.name.endswith("_blinks"):
                        self.assertTrue(all(wire.leads for wire in wiring.wires_of(point)))
        self.assertEqual(seen, set(SETUP.points))

    def test_swapped_wires_lead_to_the_other_part(self):
        setup = FILE.changed_all([(("defects", "crossed_paddles", "on"), True)]).setup
        wiring = Wiring(setup, "gatehouse")
        for name, reached in (("upper_paddle", "lower_paddle"), ("lower_paddle", "upper_paddle")):
            self.assertEqual(wiring.reached(setup.points[name]), (reached,))
            self.assertFalse(any(wire.leads for wire in wiring.wires_of(setup.points[name])))

    def test_a_point_at_an_empty_pin_leads_nowhere_and_the_pin_is_free_no_more(self):
        free = Wiring(SETUP, "gatehouse").free_pins(PinMode.OUTPUT)
        self.assertTrue(free)
        setup = FILE.changed_all([(("points", "horn", "pin"), free[0])]).setup
        wiring = Wiring(setup, "gatehouse")
        self.assertEqual(wiring.reached(setup.points["horn"]), ())
        self.assertNotIn(free[0], wiring.free_pins(PinMode.OUTPUT))

    def test_an_address_where_nobody_is_reaches_no_device(self):
        wiring = Wiring(SETUP, "gatehouse")
        point = SETUP.points["mast_1"]
        self.assertEqual(wiring.device_at(point), "mast")
        setup = FILE.changed_all([(("hosts", "gatehouse", "devices", point.device, "address"), 0x27)]).setup
        wrong = Wiring(setup, "gatehouse")
        self.assertIsNone(wrong.device_at(setup.points["mast_1"]))
        self.assertEqual(wrong.reached(setup.points["mast_1"]), ())

    def test_a_real_board_has_no_places_that_are_known(self):
        self.assertEqual(Wiring(SETUP, "nobody").places, [])
        self.assertEqual(Wiring(SETUP, "nobody").free_pins(PinMode.OUTPUT), [])
