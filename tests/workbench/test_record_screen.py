"""The Record screen: lanes, marks, the way of a command, flags, giving it to others."""

import asyncio
import itertools
import re
import tempfile
import unittest
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

import cavet
from cavet.benchfile import load_bench, with_addresses
from cavet.demo import demo_path
from cavet.lanes import Lanes
from cavet.record import Kind, Reason, Record, Topic
from cavet.wording import WrongError
from cavet.workbench import board_views, rail_views
from cavet.workbench.drawing.rails import RailView, draw_rails, lay_out
from cavet.workbench.drawing.spine import draw_board
from cavet.workbench.record.commands import commands_in
from cavet.workbench.record.looking import Looking
from cavet.workbench.record.moment import moment_at
from cavet.workbench.record.then import Then
from cavet.workbench.record.views import HeadView, head_view, strip_view
from cavet.workbench.roster import Roster
from cavet.workbench.screens.frames import FramesScreen
from cavet.workbench.screens.record import RecordScreen, draw_head
from cavet.workbench.screens.record_sheets import lane_sheet
from tests.bench.benches import demo, in_fast_time
from tests.bench.test_every_output import another, interrupted, outputs, present
from tests.exports.reading import read_vcd
from tests.workbench.test_screens import seated


class AsDriveHadIt(unittest.TestCase):
    """A moment tells of every output what Drive tells of it just then."""

    def differing(self, bench, standings):
        standings.follow()
        record = bench.record
        moment = moment_at(bench, len(record) - 1)
        then = Then(bench, Lanes(bench.setup).read(record.since(0), record.transfers.since(0)))
        roster = Roster(list(bench.setup.points.values()))
        for board in roster.boards:
            roster.fold(board, False)
        rails = then.rails(moment, roster, 0)
        told = {line.name: (line.asked, line.got) for line in rails.lines if isinstance(line, RailView)}
        stand = {point.name: standings.standing(point) for point in outputs(bench)}
        self.assertEqual(set(told), set(stand))
        drive = {
            name: (each.point.show(each.asked), rail_views.rounded(each.point, each.got))
            for name, each in stand.items()
        }
        return {name: (told[name], drive[name]) for name in told if told[name] != drive[name]}

    def test_at_the_beginning_and_after_wishes_and_losses(self):
        async def story(bench, standings):
            await asyncio.sleep(1)
            found = [self.differing(bench, standings)]
            for wish in (another, present):
                for point in outputs(bench):
                    bench.ask(point, wish(bench, point), by="test")
                await asyncio.sleep(15)
                found.append(self.differing(bench, standings))
            await interrupted(bench)
            await asyncio.sleep(10)
            return [*found, self.differing(bench, standings)]

        self.assertEqual([{}, {}, {}, {}], in_fast_time(story, demo()))

    def test_a_real_board_is_drawn_as_its_host_believed_it_to_be(self):
        setup = with_addresses(load_bench(demo_path()).setup, {"gatehouse": "/dev/ttyX"}, "at")
        record = Record(lambda: 1.0)
        record.append(Kind.LINK, "gatehouse", Topic.SESSION, "gatehouse", "ready")
        record.append(Kind.HEARD, "gatehouse", Topic.POINT, "beacon", 40.0)
        record.append(Kind.ASKED, "gatehouse", Topic.POINT, "walkway", 20.0)
        bench = SimpleNamespace(setup=setup, history=record)
        then, point = Then(bench, Lanes(setup).read(record.since(0))), setup.points["beacon"]
        board = then.board(moment_at(bench, len(record) - 1), point)
        told = {part.name: part.tells for part in board.parts}
        self.assertEqual(("read 40 %", "unseen", "unseen"), (told["beacon"], told["walkway"], told["upper_paddle"]))
        self.assertEqual((), board.basins)

    def test_what_a_record_says_never_reaches_the_screen_as_control_codes(self):
        setup, record, evil = load_bench(demo_path()).setup, Record(lambda: 1.0), "\x1b]0;a\x07[bold]\x9b2J"
        for board, part, value in (
            ("gatehouse", "panel", evil), ("gatehouse", "arrow", evil.encode()), ("towpath", "sign", evil),
        ):  # fmt: skip
            record.append(Kind.MOVED, board, Topic.PART, part, value, None, evil)
        record.append(Kind.REFUSED, "gatehouse", Topic.PART, "gate_motor", 0, None, evil, reason=Reason.HELD)
        record.append(Kind.HEARD, "towpath", Topic.POINT, "lamp", evil)
        record.append(Kind.ASKED, "towpath", Topic.POINT, "sign", evil)
        bench = SimpleNamespace(setup=setup, history=record)
        then, moment = Then(bench, Lanes(setup).read(record.since(0))), moment_at(bench, len(record) - 1)
        roster = Roster(list(setup.points.values()))
        for board in roster.boards:
            roster.fold(board, False)
        rails = then.rails(moment, roster, 0)
        drawn = [draw_rails(rails, lay_out(rails, 90, 200), 90, 200)]
        drawn += [draw_board(then.board(moment, setup.points[name]), 90, 60) for name in ("gate", "sign")]
        for canvas in drawn:
            self.assertNotRegex(canvas.text(), "[\x00-\x09\x0b-\x1f\x7f-\x9f]")


class OnTheScreen(unittest.TestCase):
    def stands(self, seat, name, value):
        standing = seat.desk.standing(seat.desk.bench.setup.point(name))
        return standing.asked == value and standing.agrees

    async def there(self, seat, *wishes):
        for name, value in wishes:
            seat.desk.wishes.ask(seat.desk.bench.setup.point(name), value)
        await seat.until(lambda: all(self.stands(seat, *wish) for wish in wishes))
        seat.app.go_to_screen("record")
        await seat.on(RecordScreen)
        return seat.app.screen._looking

    def test_what_was_done_is_seen_with_its_way_and_its_trail(self):
        async def story(seat):
            looking = await self.there(seat, ("beacon", 50.0))
            await seat.sees("asked", "◇ 50 %", "pin 2", "beacon ← 50 %", "what is seen", "the whole run")
            trail = looking.trail()
            self.assertEqual("beacon", trail.point)
            groups = [key[0] for key, _ in looking.way(trail)]
            self.assertEqual(["asked", "link", "pins", "parts"], groups)
            await seat.sees("follows")
            await seat.press("left")
            await seat.sees("stands")
            await seat.press("down")
            await seat.until(lambda: looking.chosen.group == "link")
            await seat.sees("of the wire")

        seated(story)

    def test_marks_tell_what_lies_between_them(self):
        async def story(seat):
            looking = await self.there(seat, ("beacon", 50.0))
            looking.choose_point("beacon")
            await seat.press("N")
            await seat.until(lambda: not looking.follows)
            at = looking.t
            await seat.press("m")
            await seat.sees("A to the cursor", "mark A at")
            for _ in range(10):
                await seat.press("left")
            await seat.press("m")
            await seat.sees("A to B", "as a rate")
            begin, end = looking.stretch
            self.assertAlmostEqual(10 * looking.cell, end - begin, 6)
            self.assertEqual(at, end)
            await seat.press("m")
            await seat.sees("no marks any more", "what is seen")

        seated(story)

    def test_beside_each_lane_stands_how_it_stood_and_what_it_shows_is_explained(self):
        async def story(seat):
            looking = await self.there(seat, ("beacon", 50.0))
            looking.choose_point("beacon")
            await seat.press("left")
            await seat.sees("beacon               50 %", "gatehouse pin 2    50.2 %")
            await seat.press("question_mark")
            await seat.sees("what the host wished", "at the cursor 50 %, at", "next change", "how many were made")
            await seat.press("escape")
            self.choose(looking, next(lane for lane in looking.seen() if lane.group == "pins"))
            await seat.press("question_mark")
            await seat.sees("what the board drove the pin to", "from 0 % to 100 %", "gatehouse pin 2   pins")
            await seat.press("escape")
            lines = [line for lane in looking.seen() for line in self.explained(looking, lane)]
            self.assertFalse([line for line in lines if "None" in line or "False" in line])

        seated(story)

    def choose(self, looking, lane):
        looking.choose(looking.seen().index(lane) - looking.seen().index(looking.chosen))

    def explained(self, looking, lane):
        """What the sheet says of a lane; each that can be seen has one."""
        self.choose(looking, lane)
        sheet = lane_sheet(looking)
        self.assertIn(lane.group, sheet.title)
        return ["".join(text for text, _ in line) for line in sheet.lines]

    def test_lanes_are_hidden_grown_moved_and_shown_again(self):
        async def story(seat):
            looking = await self.there(seat, ("beacon", 50.0), ("walkway", 20.0))
            await seat.sees("asked", "walkway", "pin 3")
            looking.choose_point("walkway")
            await seat.press("shift+up")
            await seat.until(lambda: [lane.name for lane in looking.seen()[:2]] == ["walkway", "beacon"])
            await seat.press("h")
            await seat.until(lambda: [lane.name for lane in looking.seen() if lane.group == "asked"] == ["beacon"])
            count = len(looking.seen())
            await seat.press("H")
            await seat.until(lambda: len(looking.seen()) > count + 1)
            await seat.press("greater_than_sign")
            await seat.until(lambda: set(looking.taller.values()) == {1})
            cell = looking.cell
            await seat.press("plus")
            await seat.until(lambda: looking.cell == cell / 2)
            await seat.press("w")
            await seat.until(lambda: not looking.begin and looking.cells * looking.cell >= looking.lanes.end - 1)

        seated(story)

    def test_a_moment_is_as_it_stood_and_is_stepped_event_by_event(self):
        async def story(seat):
            looking = await self.there(seat, ("beacon", 50.0))
            record = seat.desk.bench.record
            first = next(each for each in record.since(0) if each.kind is Kind.CONFIRMED and each.subject == "beacon")
            await seat.until(lambda: looking.lanes.end > first.t)
            await seat.until(
                lambda: any(each.kind is Kind.MOVED and each.subject == "beacon" for each in record.since(0))
            )
            looking.go_to(first.t)
            await seat.press("enter")
            await seat.sees("as it stood at", "past", "beacon", "50 %", "asked", "confirmed")
            beacon = moment_at(seat.desk.bench, first.number).points["beacon"]
            self.assertEqual((50.0, True), (beacon.asked, beacon.agrees))
            self.assertAlmostEqual(50.0, beacon.got, delta=0.3)
            then, point = Then(seat.desk.bench, looking.lanes), seat.desk.bench.setup.points["beacon"]
            asked = next(each for each in record.since(0) if each.kind is Kind.ASKED and each.subject == "beacon")
            for number, states in ((asked.number, ["reached"] + 6 * ["coming"]), (len(record) - 1, 7 * ["reached"])):
                trail = then.trail(seat.desk, moment_at(seat.desk.bench, number), point)
                self.assertEqual((states, ""), ([stage.state for stage in trail.stages], trail.reason))
            beacon = moment_at(seat.desk.bench, first.number - 1).points["beacon"]
            self.assertEqual((50.0, 0.0, False), (beacon.asked, beacon.got, beacon.agrees))
            await seat.press("left")
            await seat.sees(f"behind event {record.number_at(first.t) - 2}")
            await seat.press("N")
            await seat.until(lambda: record[record.number_at(looking.t) - 1].subject == "beacon")
            await seat.press("v")
            await seat.on(FramesScreen)

        seated(story)

    def test_a_moment_draws_what_drive_drew_then(self):
        async def story(seat):
            wishes = {"beacon": 50.0, "walkway": 20.0, "upper_paddle": 40.0, "horn": True}
            looking = await self.there(seat, *wishes.items())
            bench, desk = seat.desk.bench, seat.desk
            point = bench.setup.points["beacon"]
            paddle = bench.setup.points["upper_paddle"]
            await seat.until(lambda: abs(desk.standing(paddle).got - 40) < 0.3)
            part = bench.world.part("gatehouse.upper_paddle")
            await seat.until(lambda: not part.busy(bench.clock.now()))
            trails = desk.standings.trails.all
            await seat.until(
                lambda: any(
                    each.root.subject == "upper_paddle" and each.reached(Kind.MOVED) for each in trails.values()
                )
            )
            arrived = bench.clock.now()
            await seat.until(lambda: looking.is_read and looking.lanes.end >= arrived)
            moment = moment_at(bench, len(bench.record) - 1)
            then = Then(bench, looking.lanes)
            rails = {line.name: line for line in then.rails(moment, Roster(desk.points), 0).lines}
            for line in rail_views.rails_view(desk, 0).lines:
                if line.name in wishes:
                    was = rails[line.name]
                    self.assertEqual((line.asked, line.got, line.agreed), (was.asked, was.got, was.agreed), line.name)
            drawn, now = then.board(moment, point), board_views.board_view(desk, point)
            was = {part.name: part for part in drawn.parts}
            for part in now.parts:
                if part.name in wishes:
                    self.assertEqual((part.kind, part.pins), (was[part.name].kind, was[part.name].pins))
                    self.assertAlmostEqual(part.fraction, was[part.name].fraction, delta=0.01, msg=part.name)
            modes = {pin.number: pin.mode for pin in drawn.pins}
            for pin in now.pins:
                if pin.kind in ("drives", "pulses") and pin.level:
                    self.assertEqual(pin.mode, modes[pin.number], pin)

        seated(story)

    def test_the_commands_are_a_list_that_goes_there(self):
        async def story(seat):
            looking = await self.there(seat, ("beacon", 50.0), ("walkway", 20.0))
            await seat.press("t")
            await seat.sees("the commands", "beacon ← 50 %", "confirmed after")
            await seat.type("walkway")
            await seat.press("enter")
            await seat.until(lambda: not looking.follows and looking.chosen.name == "walkway")
            self.assertEqual("walkway", looking.trail().point)

        seated(story)

    def test_the_commands_of_a_time_are_told_with_what_became_of_them_behind_it(self):
        async def story(seat):
            await self.there(seat, ("beacon", 50.0), ("walkway", 20.0))
            record = seat.desk.bench.record
            asked = next(each for each in record.since(0) if each.kind is Kind.ASKED and each.subject == "beacon")
            await seat.until(lambda: any(each.kind is Kind.CONFIRMED for each in record.trail(asked.number)))
            commands = await asyncio.to_thread(commands_in, seat.desk, 0.0, asked.t)
            self.assertEqual(0.0, commands.begin)
            (told,) = [each.told for each in commands.found if each.point == "beacon"]
            self.assertIn("confirmed after", told)
            with mock.patch("cavet.workbench.record.commands.MOST_EVENTS", 1):
                late = await asyncio.to_thread(commands_in, seat.desk, 0.0, asked.t)
            self.assertEqual(asked.t, late.begin)
            self.assertEqual(["beacon"], [each.point for each in late.found if each.t == asked.t][:1])

        seated(story)

    def test_what_fails_beside_the_screen_is_told(self):
        async def story(seat):
            await self.there(seat, ("beacon", 50.0))
            with mock.patch("cavet.workbench.screens.record.commands_in", side_effect=KeyError("nothing there")):
                await seat.press("t")
                await seat.sees("KeyError, 'nothing there'")
            with mock.patch(
                "cavet.workbench.screens.record.commands_in", side_effect=WrongError("x", found="a", expected="b")
            ):
                await seat.press("t")
                await seat.sees('x: found "a", expected b')

        seated(story)

    def test_a_flag_is_put_and_found_again(self):
        async def story(seat):
            looking = await self.there(seat)
            await seat.press("g")
            await seat.sees("what does it say?")
            await seat.type("full")
            await seat.press("enter")
            await seat.until(lambda: [flag.words for flag in looking.lanes.flags if flag.words == "full"])
            await seat.press("F")
            await seat.sees("full")
            await seat.until(lambda: not looking.follows)
            await seat.press("e")
            await seat.sees("no error any more")

        seated(story)

    def test_it_is_given_to_another_program(self):
        async def story(seat):
            await self.there(seat, ("beacon", 50.0))
            with tempfile.TemporaryDirectory() as folder, mock.patch("pathlib.Path.cwd", return_value=Path(folder)):
                await seat.press("x")
                await seat.sees("in which format?", "waveforms: pins, parts")
                await seat.press("enter")
                await seat.sees("into which file?")
                for _ in range(40):
                    await seat.press("backspace")
                path = Path(folder) / "a.vcd"
                await seat.type(str(path))
                await seat.press("enter")
                await seat.sees("a.vcd is written")
                found = read_vcd(path.read_text("utf-8"))
                self.assertEqual("50", found["Ottersluice", "gatehouse", "points", "beacon_asked"][1][-1][1])

        seated(story)

    def test_another_record_is_laid_over_with_what_differs(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "monday.record"
            with cavet.open("demo", seed="m") as bench:
                bench["beacon"].set("80 %")
                bench.wait(1.5)
                bench["beacon"].set("50 %")
                bench.record.save(path)

            async def story(seat):
                looking = await self.there(seat, ("beacon", 50.0))
                await seat.press("d")
                await seat.sees("nothing is laid over this record")
                await seat.press("b")
                await seat.sees("which file?")
                await seat.type("nowhere.record")
                await seat.press("enter")
                await seat.sees("no such file")
                for _ in range(20):
                    await seat.press("backspace")
                await seat.type(str(path))
                await seat.press("enter")
                await seat.until(lambda: looking.over is not None)
                await seat.sees("laid over: monday.record, the same up to", "events differ")
                looking.go_to(0.0)
                await seat.press("d")
                await seat.until(lambda: looking.t > 0)
                looking.go_to(0.0)
                await seat.press("l")
                await seat.sees("a flag with the same words, or the command under the cursor, in both")
                looking.choose_point("beacon")
                looking.go_to(looking.end)
                await seat.press("l")
                await seat.sees("is laid by the command to beacon")
                here = looking.trail().root.t
                (lane,) = [lane for lane in looking.seen() if (lane.group, lane.name) == ("asked", "beacon")]
                asked = looking.over.lane(lane)
                self.assertAlmostEqual(here, asked.course.t[-1] + looking.over.shift)
                await seat.press("l")
                await seat.sees("is laid by time")
                await seat.press("b")
                await seat.until(lambda: looking.over is None)

            seated(story)


class LongRuns(unittest.TestCase):
    def test_what_has_left_memory_unread_is_not_drawn_as_if_all_had_stood_still(self):
        async def story(bench, standings):
            record, stood = bench.record, []
            late = [Looking(bench), Looking(bench)]
            late[0].follow()
            for share in (20, 90) * 20:
                bench.ask(bench.setup.points["beacon"], share, by="test")
                await asyncio.sleep(1.0)
                stood.append((bench.clock.now(), bench.world.part("gatehouse.beacon").state(bench.clock.now())))
            while record.first < 4000:
                await asyncio.sleep(1.0)
            late.append(Looking(bench))
            for looking in late:
                looking.follow()
                while not looking.is_read:  # it reads for so long at a time as the machine takes
                    looking.follow()
                (first,) = record.since(record.first, 1)
                self.assertEqual((first.t, []), (looking.since, looking.lanes.flags))
                self.assertRegex(head_view(looking, "").amount, r"s, from .*s on · ")
                (lamp,) = [lane for lane in looking.lanes.all() if (lane.group, lane.name) == ("parts", "beacon")]
                told = [(t, state, lamp.course.at(t)) for t, state in stood]
                self.assertTrue(any(here is None for *_, here in told))
                for t, state, here in told:
                    if here is not None:
                        self.assertAlmostEqual(state, here, delta=0.5, msg=t)
                self.assertAlmostEqual(stood[-1][1], lamp.course.at(bench.clock.now()), delta=0.5)

        with mock.patch.object(Record.__init__, "__defaults__", (3000, 0.0)):
            in_fast_time(story)

    def test_of_a_bench_that_runs_on_and_on_only_so_much_is_kept_and_that_is_right(self):
        async def story(bench, standings):
            looking, other, held = Looking(bench), Looking(bench), []
            for second in range(240):
                if second % 7 == 0:
                    bench.ask(bench.setup.points["beacon"], second % 100, by="test")
                await asyncio.sleep(1.0)
                with mock.patch("cavet.workbench.record.looking.PORTION", 4000):
                    looking.follow()
                other.follow()
                held.append(sum(len(lane.ends) + len(lane.course) for lane in looking.lanes.all()))
            self.assertGreater(looking.since, 60)
            self.assertLess(max(held[120:]), 1.1 * max(held[:120]))
            self.assertEqual([lane.key for lane in other.lanes.all()], [lane.key for lane in looking.lanes.all()])
            for lane, whole in zip(looking.lanes.all(), other.lanes.all(), strict=True):
                for t in range(int(looking.since) + 1, 240):
                    self.assertEqual(whole.course.at(t), lane.course.at(t), (lane.key, t))
                    self.assertAlmostEqual(whole.taken(t, t + 1.0), lane.taken(t, t + 1.0))
            looking.whole()
            self.assertEqual(looking.since, looking.begin)
            strip = strip_view(looking)
            self.assertAlmostEqual(looking.since / looking.end, strip.known / len(strip.cells), delta=0.02)
            self.assertEqual((0.0, 0), (other.since, strip_view(other).known))

        with (
            mock.patch.object(Record.__init__, "__defaults__", (3000, 0.0)),
            mock.patch("cavet.workbench.record.looking.MOST_PORTIONS", 4),
            mock.patch("cavet.workbench.record.looking.READ_SECONDS", 60),
        ):
            in_fast_time(story)

    def test_where_more_comes_than_can_be_read_there_is_something_to_be_seen_all_the_same(self):
        async def story(bench, standings):
            looking, begun, seen = Looking(bench), set(), 0
            for _ in range(600):
                await asyncio.sleep(1.0)
                looking.follow()
                begun.add(looking.since)
                seen += looking.lanes.end > looking.since + 1.0
            self.assertTrue(3 <= len(begun) < 9, begun)
            self.assertGreater(seen, 500)

        with (
            mock.patch.object(Record.__init__, "__defaults__", (20_000, 0.0)),
            mock.patch("cavet.workbench.record.looking.AT_ONCE", 64),
            mock.patch("cavet.workbench.record.looking.time.monotonic", itertools.cycle((0, 0, 1)).__next__),
        ):
            in_fast_time(story)


class Heads(unittest.TestCase):
    def test_no_text_touches_another_and_no_number_is_cut_at_any_size(self):
        where, state, events = "5057.001234 s", "is being read", "1 h 24 min, from 41 min 12 s on · 1770123 events"
        for title in ("this run", "a-record-with-a-long-name.record"):
            for width in range(40, 130):
                drawn = draw_head(HeadView(title, events, where, state, "over b.record"), width, 1).text().rstrip()
                pieces = re.split(r"\s{2,}", drawn.strip())
                with self.subTest(title, width=width):
                    self.assertEqual(state, pieces[-1])
                    self.assertTrue(title.startswith(pieces[0].rstrip("…")))
                    whole = {where, "over b.record", events, events.partition(" · ")[0], "1 h 24 min"}
                    for piece in pieces[1:-1]:
                        self.assertTrue(piece in whole or piece.endswith("…"), drawn)
                        self.assertNotRegex(piece, r"\d…")
                    self.assertIn(where, pieces)


class Where(unittest.TestCase):
    def test_the_cursor_stays_in_sight_and_zooming_keeps_its_place(self):
        bench = mock.Mock()
        bench.setup.links, bench.setup.hosts, bench.setup.points = {}, {}, {}
        bench.record.first = bench.record.transfers.first = 0
        bench.clock.now.return_value = 100.0
        looking = Looking(bench)
        looking.is_read, looking.follows, looking.cells = True, False, 50
        for t in (3.0, 99.0, 50.0, 0.0, 200.0):
            looking.go_to(t)
            self.assertTrue(0 <= looking.t <= 100)
            self.assertTrue(looking.begin <= looking.t <= looking.begin + looking.cells * looking.cell)
            for closer in (1, 1, -1, -3, 2):
                place = (looking.t - looking.begin) / looking.cell
                looking.zoom(closer)
                if looking.begin:
                    self.assertAlmostEqual(place, (looking.t - looking.begin) / looking.cell, 6)
