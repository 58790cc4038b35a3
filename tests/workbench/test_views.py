"""What the screens draw from: as fine as can be seen, and no finer."""

import asyncio
import unittest
from math import nan

from cavet.workbench import Desk, views
from cavet.workbench.drawing.rig import flow_from
from tests.bench.benches import demo, in_fast_time


class Boards(unittest.TestCase):
    def views(self, *, wait, wish=None, board="gatehouse"):
        """The view of a board, and that a while later."""

        async def story(bench, _standings):
            desk = Desk(bench, lambda act: act())
            point = next(point for point in desk.points if point.board == board)
            if wish is not None:
                bench.ask(bench.point(wish[0]), wish[1], by="test")
                await asyncio.sleep(5)
            before, level = views.board_view(desk, point), bench.world.rig.value("chamber")
            await asyncio.sleep(wait)
            return before, views.board_view(desk, point), bench.world.rig.value("chamber") - level

        return in_fast_time(story, demo())

    def test_what_is_too_little_to_be_seen_changes_no_picture(self):
        before, after, moved = self.views(wait=0.02)
        self.assertNotEqual(moved, 0)  # the chamber leaks
        self.assertEqual(before, after)

    def test_what_can_be_seen_changes_it(self):
        before, after, _ = self.views(wait=60)
        self.assertNotEqual(before.basins, after.basins)

    def test_the_least_light_is_not_none(self):
        fine = views.fine
        self.assertEqual([fine(share) for share in (0.0, 1e-6, 0.123456, 1.0)], [0.0, 1e-6, 0.1235, 1.0])


class Water(unittest.TestCase):
    def test_goes_to_where_it_stands_lower(self):
        self.assertEqual([flow_from(*levels) for levels in ((2, 1), (1, 2), (1, 1), (1, nan))], [1, -1, 0, 0])


if __name__ == "__main__":
    unittest.main()
