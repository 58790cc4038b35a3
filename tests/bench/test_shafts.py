"""Steppers, encoders, OneWire, serial ports, from the wish to the moved part: the bench of the docs, in fast time."""

import asyncio
import re
import tempfile
import unittest
from pathlib import Path

from cavet.benchfile import load_bench
from cavet.protocols import Side, firmata
from cavet.record import Kind
from tests.bench.test_buses import DOCS, in_fast_time
from tests.benchfile.test_file import errors_of


class Workshop(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        bench, setup = re.findall(r"```toml\n(.*?)```", (DOCS / "shafts-and-lines.md").read_text("utf-8"), re.S)
        cls.text = bench
        (Path(folder.name) / "scale.plan.toml").write_text(setup)
        path = Path(folder.name) / "workshop.bench.toml"
        path.write_text(bench)
        cls.setup = load_bench(path).setup

    def run_story(self, story):
        return in_fast_time(story, boards=["shop"], setup=self.setup)

    def test_a_stepper_goes_where_it_is_wanted_and_an_encoder_tells_it(self):
        async def story(bench, standings):
            bench.ask(bench.point("table"), 90.0, by="test")
            bench.ask(bench.point("sluice"), 50.0, by="test")
            await asyncio.sleep(0.3)
            standings.follow()
            left = standings.standing(bench.point("sluice")).left
            await asyncio.sleep(2)
            standings.follow()
            found = {}
            for name in ("table", "sluice"):
                standing = standings.standing(bench.point(name))
                found[name] = (round(standing.got, 3), standing.trail.furthest, standing.diagnosis.broken)
            return left, found, standings.standing(bench.point("dial")).got

        left, found, dial = self.run_story(story)
        self.assertAlmostEqual(left, 200 / 300 - 0.3, delta=0.05)
        self.assertEqual(found, {"table": (90.0, Kind.CONFIRMED, None), "sluice": (50.0, Kind.CONFIRMED, None)})
        self.assertAlmostEqual(dial, 50, places=3)

    def test_a_command_that_was_lost_has_its_time_when_it_is_sent_again(self):
        async def story(bench, standings):
            bench.faulting.make("lose", "shop", "", "", messages=None, seconds=1.0, by=None)
            asked = bench.ask(bench.point("sluice"), 100.0, by="test")
            await asyncio.sleep(8)
            standings.follow()
            trail = standings.trails.all[asked]
            return standings.diagnose(trail).broken, trail.resends, standings.standing(bench.point("sluice")).got

        self.assertEqual(self.run_story(story), (None, 1, 100.0))

    def test_a_board_that_began_anew_counts_from_elsewhere_and_that_is_told(self):
        async def story(bench, standings):
            found = []
            for value in (90.0, 45.0):
                asked = bench.ask(bench.point("table"), value, by="test")
                await asyncio.sleep(0.2)
                if not found:  # on its way
                    bench.faulting.make("reset", "shop", "", "", messages=None, seconds=None, by=None)
                await asyncio.sleep(8)
                standings.follow()
                found.append(standings.diagnose(standings.trails.all[asked]))
            return found[1]

        diagnosis = self.run_story(story)
        self.assertEqual(diagnosis.broken, Kind.MOVED)
        self.assertRegex(diagnosis.reason, r"table went elsewhere: \d+ steps, asked 45 deg")
        self.assertIn("counts steps from where it began", diagnosis.mend)

    def test_a_newer_wish_takes_over_on_the_way(self):
        async def story(bench, standings):
            bench.ask(bench.point("table"), 360.0, by="test")
            await asyncio.sleep(0.3)
            bench.ask(bench.point("table"), 0.0, by="test")
            await asyncio.sleep(3)
            standings.follow()
            standing = standings.standing(bench.point("table"))
            return standing.got, standing.trail.furthest, bench.record.since(0)

        got, stage, events = self.run_story(story)
        self.assertEqual((round(got, 6), stage), (0.0, Kind.CONFIRMED))
        self.assertTrue(any(event.kind == Kind.OVERTAKEN and event.topic == "point" for event in events))

    def test_one_against_its_stops_shows_that_asked_and_got_differ(self):
        self.setup.boards["shop"].parts["sluice"].stops = (0, 100)
        self.addCleanup(setattr, self.setup.boards["shop"].parts["sluice"], "stops", (0, 400))

        async def story(bench, standings):
            bench.ask(bench.point("sluice"), 50.0, by="test")
            await asyncio.sleep(2)
            standings.follow()
            standing = standings.standing(bench.point("sluice"))
            return standing.agrees, standing.got

        self.assertEqual(self.run_story(story), (False, 25.0))

    def test_a_second_board_answers_over_a_serial_port_in_the_time_of_its_line(self):
        async def story(bench, standings):
            board = bench.world.boards["shop"]
            client = next(iter(board._clients))
            for message in (
                firmata.SerialConfig(port=1, baud=9600),
                firmata.SerialRead(port=1),
                firmata.SerialWrite(port=1, data=b"weigh=all\n"),
            ):
                board.feed(client, firmata.encode(message), 0, bench.clock.now(), lambda end, data: 0)
            began = bench.clock.now()
            bench.board_side.turn()
            await asyncio.sleep(1)
            told = [
                event for event in bench.record.since(0) if event.kind == Kind.TOLD and event.subject == "serial-reply"
            ]
            return told[0].t - began, told[0].value

        took, data = self.run_story(story)
        (frame,) = firmata.decode_from(Side.BOARD, data)
        self.assertEqual(frame.message.data, b"grams=800\n")
        self.assertAlmostEqual(took, 20 * 10 / 9600, places=3)

    def test_what_is_wired_wrong_is_told_at_its_place(self):
        cases = {
            "direction = 3, fastest = 900 }": ("fastest = 900 }", "boards.shop.parts.table.kind"),
            "stops = [0, 400]": ("stops = [400, 0]", "boards.shop.parts.sluice.stops"),
            '"400 * shop.sluice"': ('"400 * shop.slice"', "boards.shop.parts.dial.follows"),
            "port = 1, board": ("port = 4, board", "boards.shop.parts.scale.port"),
            "pulse = 2, direction = 3": ("pulse = 22, direction = 3", "boards.shop.parts.scale.port"),
            'board = "scales" }': ('board = "scale" }', "boards.shop.parts.scale.board"),
            'alarm = "depth > 1000"': ('alarm = "dept > 1000"', "boards.shop.parts.probe.alarm"),
            "channel_0 =": ("channel_9 =", "boards.shop.parts.probe.channels.channel_9"),
            "second = 13\n": ("", "points.dial.second"),
            "coil_2 = 7\ncoil_3 = 8\n": ("coil_2 = 7\n", "points.sluice.direction"),
            "pin = 2\ndirection = 3\n": ("pin = 2\n", "points.table.direction"),
            'mode = "stepper"\npin = 2\n': ('mode = "pwm"\npin = 2\n', "points.table.direction"),
        }
        for old, (new, place) in cases.items():
            with self.subTest(old):
                self.assertEqual(self.text.count(old), 1)
                errors = [error for error in errors_of(self.text.replace(old, new)) if "scale.plan" not in error]
                self.assertIn(place, " ".join(errors))


if __name__ == "__main__":
    unittest.main()
