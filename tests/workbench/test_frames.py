"""What was sent, taken apart on the sheets: for every protocol that the demo speaks, and for programs from outside."""

import asyncio
import unittest

from cavet.record import Kind
from cavet.workbench import Desk
from cavet.workbench.drawing.sheet import laid
from cavet.workbench.screens.sheets import point_sheet, trail_sheet
from cavet.workbench.trail_views import trails_view
from tests.bench.test_buses import in_fast_time

WISHES = {
    "beacon": 20.0, "mast_1": True, "panel": "Lock open", "arrow": "↑", "pump_a": True, "relay_101": True,
    "lamp": True, "post_1": True, "yard_1": True, "banner": "LOCK",
}  # fmt: skip
SEEN = {
    "beacon": ("analog-message", "value"),
    "mast_1": ("i2c-request", "address"),
    "pump_a": ("write-single-coil", "on at pump_a"),
    "relay_101": ("ROUT:CLOS", "closed at relay_101"),
    "lamp": ("publish", "lamp/set"),
    "post_1": ("mask", "sum"),
    "yard_1": ("44", "register", "address"),
    "banner": ("transfer", "data"),
}
"""What stands on a trail's sheet, where that says something that others do not."""


WIDTH = 118


def text_of(sheet):
    return "\n".join("".join(text for text, _ in line) for line in laid(sheet, WIDTH))


class Frames(unittest.TestCase):
    def test_every_trail_of_the_demo_can_be_looked_at(self):
        async def story(bench, standings):
            desk = Desk(bench, lambda act: act())
            for name, value in WISHES.items():
                bench.ask(bench.point(name), value, by="test")
            await asyncio.sleep(3)
            desk.standings.follow()
            sheets = {}
            for trail in list(desk.standings.trails.all.values()):
                sheets[trail.root.subject] = text_of(trail_sheet(desk, trail))
                self.assertTrue(trails_view(desk, desk.points[0], trail.number).current)
            return sheets, [text_of(point_sheet(desk, point)) for point in desk.points]

        sheets, points = in_fast_time(story, boards=None)
        self.assertGreater(len(points), 60)
        for name in WISHES:
            with self.subTest(name):
                self.assertIn("the frame", sheets[name])
                for word in SEEN.get(name, ()):
                    self.assertIn(word, sheets[name])

    def test_what_a_program_from_outside_has_sent(self):
        async def story(bench, standings):
            found = {}
            for board, data in (
                ("signalpost", "FF 01 00 00"),
                ("mast", "01 02"),
            ):
                carried = bench.record.append(Kind.CARRIED, board, "link", board, bytes.fromhex(data))
                standings.follow()
                desk = Desk(bench, lambda act: act())
                desk.standings.follow()
                found[board] = text_of(trail_sheet(desk, desk.standings.trails.all[carried]))
            return found

        found = in_fast_time(story, boards=None)
        self.assertIn("mask", found["signalpost"])
        self.assertIn("carried", found["mast"])


if __name__ == "__main__":
    unittest.main()
