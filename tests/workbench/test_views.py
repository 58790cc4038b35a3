"""What the screens draw from: as fine as can be seen, and no finer."""

import asyncio
import unittest
from functools import partial
from math import nan
from unittest import mock

from cavet.benchfile import check_text
from cavet.workbench import Desk, board_views, rail_views
from cavet.workbench.drawing.rails import HeadView
from cavet.workbench.drawing.rig import flow_from
from cavet.workbench.drawing.spine import draw_board, draw_stack
from cavet.workbench.roster import Roster
from cavet.workbench.top_views import top_view
from tests.bench.benches import demo, in_fast_time
from tests.checks.huts import HUT, SHED

ALONE = SHED.partition("[points.bell]")[0]
SECOND = """
[links.line]
kind = "serial"
board = "shed"
rate = 19200
[hosts.panel]
link = "line"
protocol = "modbus"
unit = 7
[defects.dead]
kind = "dead-pin"
board = "shed"
pin = "L1"
"""
TWO = "format = 1\n" + ALONE.replace('[points.relay]\nboard = "shed"', '[points.relay]\nboard = "panel"') + SECOND


class Failsafes(unittest.TestCase):
    def test_one_that_has_tripped_is_told_until_something_is_driven_again(self):
        async def story(bench, _standings):
            desk, told = Desk(bench, lambda act: act()), []
            for value, seconds in ((True, 0.2), (None, 3), (False, 0.2)):
                if value is not None:
                    bench.ask(bench.point("lamp"), value, by="test")
                await asyncio.sleep(seconds)
                desk.follow()
                await asyncio.sleep(2)
                desk.follow()
                head, lamp = rail_views.rails_view(desk, 0).lines[:2]
                told.append((head.words, lamp.notes[0]))
            return told

        _, tripped, after = in_fast_time(story, check_text(HUT + SHED, "hut.bench.toml"))
        self.assertEqual(tripped, ("its failsafe has put its outputs to rest: its host was silent", "by its failsafe"))
        self.assertEqual(after, ("ready", ""))


class Together(unittest.TestCase):
    """A small bench is seen whole: nothing is folded, and no board waits for the cursor."""

    def seen(self, setup, at, rows):
        async def story(bench, _standings):
            desk = Desk(bench, lambda act: act())
            desk.follow()
            board_at = partial(board_views.board_view, desk)
            return board_views.boards_view(bench.setup, desk.roster, bench.point(at), rows, board_at)

        return in_fast_time(story, setup)

    def test_boards_are_drawn_together_where_there_is_room(self):
        setup = check_text(HUT + SHED, "hut.bench.toml")
        seen = self.seen(setup, "lamp", 40)
        self.assertEqual(2, len(seen))
        self.assertEqual(["lamp"], [view.cursor for view in seen if view.cursor])
        text = draw_stack(seen, 80, 40).text()
        for name in ("lamp", "relay", *(view.line for view in seen)):
            self.assertIn(name, text)
        alone = next(view for view in seen if view.cursor)
        self.assertEqual(draw_board(alone, 80, 8).text(), draw_stack(seen, 80, 8).text())
        self.assertEqual(1, len(self.seen(setup, "lamp", 8)))

    def test_a_board_with_two_hosts_is_drawn_once_as_the_one_under_the_cursor_knows_it(self):
        setup = check_text(TWO, "two.bench.toml")
        for point in setup.points.values():
            view, *others = self.seen(setup, point.name, 40)
            self.assertEqual((point.board, []), (view.name, others))

    def test_nothing_is_folded_where_all_has_room_when_it_is_seen_first(self):
        points = list(check_text(HUT + SHED, "hut.bench.toml").points.values())
        few = len(Roster(points).lines())
        for rows, is_open in ((40, True), (len(points) + 4, True), (len(points) + 3, False)):
            roster = Roster(points)
            roster.open_in(rows, 1)
            self.assertEqual(len(points) + 2 if is_open else few, len(roster.lines()), rows)
        roster = Roster(points)
        first, second = roster.boards
        roster.fold(first, True)
        on = roster.lines()[1]
        at = roster.open_in(40, 1)
        self.assertEqual(on, roster.lines()[at])
        roster.fold(second, True)
        self.assertEqual(1, roster.open_in(40, 1))
        self.assertTrue(roster.is_folded(second), "what is folded by hand stays so")


class Hosts(unittest.TestCase):
    def test_a_board_with_two_of_them_is_one_and_each_has_its_own_commands(self):
        async def story(bench, _standings):
            desk = Desk(bench, lambda act: act())
            for point in bench.setup.points.values():
                bench.ask(point, True, by="test")
            await asyncio.sleep(5)
            desk.standings.follow()
            heads = {line.name: line for line in rail_views.rails_view(desk, 0).lines if isinstance(line, HeadView)}
            return {name: head.broken for name, head in heads.items()}, top_view(desk, "drive", ("drive",)).boards

        broken, boards = in_fast_time(story, check_text(TWO, "two.bench.toml"))
        self.assertEqual(({"shed": 0, "panel": 1}, "board ready"), (broken, boards))


class Boards(unittest.TestCase):
    def views(self, *, wait, wish=None, board="gatehouse"):
        """The view of a board, and that a while later."""

        async def story(bench, _standings):
            desk = Desk(bench, lambda act: act())
            point = next(point for point in desk.points if point.board == board)
            if wish is not None:
                bench.ask(bench.point(wish[0]), wish[1], by="test")
                await asyncio.sleep(5)
            before, level = board_views.board_view(desk, point), bench.world.rig.value("chamber")
            await asyncio.sleep(wait)
            return before, board_views.board_view(desk, point), bench.world.rig.value("chamber") - level

        return in_fast_time(story, demo())

    def test_what_is_too_little_to_be_seen_changes_no_picture(self):
        before, after, moved = self.views(wait=0.02)
        self.assertNotEqual(moved, 0)  # the chamber leaks
        self.assertEqual(before, after)

    def test_what_can_be_seen_changes_it(self):
        before, after, _ = self.views(wait=60)
        self.assertNotEqual(before.basins, after.basins)

    def test_the_least_light_is_not_none(self):
        fine = board_views.fine
        self.assertEqual([fine(share) for share in (0.0, 1e-6, 0.123456, 1.0)], [0.0, 1e-6, 0.1235, 1.0])


class Rounded(unittest.TestCase):
    def test_what_was_got_is_as_fine_as_what_was_asked_where_the_wire_is_and_readings_do_not_waver(self):
        points = demo().points
        for name, value, shown in (
            ("supply_1_limit", 0.1235, "0.1235 A"), ("supply_1_voltage", 12.345, "12.345 V"), ("beacon", 33.33, "33 %"),
            ("supply_1_measured", 4.98765, "4.99 V"), ("windlass", 0.00123, "0"), ("water", 12.345, "12.3 degC"),
        ):  # fmt: skip
            with self.subTest(name):
                self.assertEqual(shown, rail_views.rounded(points[name], value))


class Broken(unittest.TestCase):
    def test_trails_are_looked_for_once_a_frame(self):
        async def story(bench, _standings):
            desk = Desk(bench, lambda act: act())
            bench.switch_defect("dead_walkway", True)
            wish = bench.ask(bench.point("walkway"), 40.0, by="test")
            await asyncio.sleep(5)
            with mock.patch.object(desk.standings, "broken", wraps=desk.standings.broken) as looked:
                for frame in (1, 2):
                    desk.follow()
                    rail_views.rails_view(desk, 0)
                    self.assertEqual(top_view(desk, "drive", ("drive",)).broken, 1)
                    self.assertEqual(looked.call_count, frame)
            self.assertEqual(desk.unseen(), [wish])
            desk.looked_at.add(wish)
            self.assertEqual(desk.unseen(), [])

        in_fast_time(story, demo())


class Water(unittest.TestCase):
    def test_goes_to_where_it_stands_lower(self):
        self.assertEqual([flow_from(*levels) for levels in ((2, 1), (1, 2), (1, 1), (1, nan))], [1, -1, 0, 0])


if __name__ == "__main__":
    unittest.main()
