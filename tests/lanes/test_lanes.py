"""Lanes: what a record says as courses over time, and what can be said of a stretch of them."""

import random
import unittest
import xml.etree.ElementTree as ElementTree
from array import array

import msgspec

from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.drawings.delays import Spread, delays_drawing
from cavet.drawings.lanes import UNKNOWN, LanesView, draw_lanes, lane_view, stood_at, tick_seconds
from cavet.drawings.lanes_drawn import lanes_drawing
from cavet.drawings.trail import draw_trail
from cavet.drawings.vector import to_svg
from cavet.lanes import (
    ASKED,
    CURVE,
    LEVEL,
    LINK,
    PARTS,
    PINS,
    RIG,
    SENSED,
    TRAFFIC,
    WISHES,
    Course,
    Lane,
    Lanes,
    told_between,
)
from cavet.record import Direction, Event, Kind, Seat, Topic, Transfer

SETUP = load_bench(demo_path()).setup


class Story:
    """Events one after the other."""

    def __init__(self):
        self.events = []

    def add(self, t, kind, board, topic, subject, value=None, note="", cause=None):
        self.events.append(Event(len(self.events), t, kind, board, cause, topic, subject, value, note))
        return self

    def lanes(self, transfers=()):
        read = Lanes(SETUP).read(self.events, transfers)
        return {lane.key: lane for lane in read.all()}, read


def part(story, t, kind, value, name="upper_paddle"):
    return story.add(t, kind, "gatehouse", Topic.PART, name, value)


class Courses(unittest.TestCase):
    def test_what_sets_out_goes_there_in_a_line_and_what_does_not_is_there_at_once(self):
        story = Story()
        part(story, 1.0, Kind.MOVED, 15.0)
        part(story, 2.0, Kind.MOVING, 1.0)
        part(story, 3.0, Kind.MOVED, 105.0)
        part(story, 4.0, Kind.MOVING, 2.0)
        part(story, 5.0, Kind.OVERTAKEN, 60.0)
        part(story, 5.0, Kind.MOVING, 1.0)
        part(story, 6.0, Kind.MOVED, 80.0)
        part(story, 8.0, Kind.MOVED, 20.0)
        course = story.lanes()[0][PARTS, "gatehouse", "upper_paddle"].course
        for t, value in ((0.5, None), (1.5, 15), (2.0, 15), (2.5, 60), (3.5, 105), (4.5, 82.5), (5.0, 60), (5.5, 70),
                         (6.0, 80), (7.9, 80), (8.0, 20), (99, 20)):  # fmt: skip
            found = course.at(t)
            self.assertEqual(value, found if found is None else round(found, 6), t)

    def test_the_least_and_the_greatest_are_those_of_every_moment(self):
        chance = random.Random(3)
        for _ in range(200):
            course = Course()
            t = 0.0
            for _ in range(chance.choice([3, 20, 700])):
                t += chance.random() / 10
                (course.step if chance.random() < 0.5 else course.reach)(t, chance.randint(0, 9))
            begin = chance.uniform(0, t)
            end = begin + chance.choice([0.1, 3.0, 60.0]) * chance.random()
            found = course.within(begin, end)
            seen = [course.at(begin + (end - begin) * n / 300) for n in range(301)]
            known = [value for value in seen if value is not None]
            if known:
                self.assertLessEqual(found[0], min(known) + 1e-9)
                self.assertGreaterEqual(found[1], max(known) - 1e-9)
            inside = [v for at, v in zip(course.t, course.value, strict=True) if begin <= at <= end]
            for value in found or ():
                self.assertIn(
                    round(value, 9), [round(v, 9) for v in [*inside, course.at(begin), course.at(end)] if v is not None]
                )

    def test_each_change_is_found_forth_and_back(self):
        course = Course()
        for t in (1.0, 2.0, 3.0):
            course.step(t, t)
        forth, at = [], 0.0
        while (at := course.next(at, 1)) is not None:
            forth.append(at)
        self.assertEqual([1.0, 2.0, 3.0], forth)
        self.assertEqual((2.0, None), (course.next(3.0, -1), course.next(1.0, -1)))


class Forgotten(unittest.TestCase):
    def test_what_comes_after_a_time_is_told_as_before_when_what_was_before_it_is_let_go_of(self):
        for seed in range(20):
            chance = random.Random(seed)
            story, transfers, t = Story(), [], 0.0
            for _ in range(1500):
                t += chance.random() / 10
                value = float(chance.randint(0, 90))
                match chance.randrange(5):
                    case 0:
                        story.add(t, Kind.ASKED, "gatehouse", Topic.POINT, "upper_paddle", value)
                    case 1:
                        part(story, t, Kind.MOVED, value)
                    case 2:
                        story.add(t, Kind.LEVEL, "gatehouse", Topic.PIN, "4", chance.random() < 0.5)
                    case 3:
                        story.add(t, Kind.REFUSED, "gatehouse", Topic.MESSAGE, "x", None, "no such pin")
                    case 4:
                        way = chance.choice(list(Direction))
                        begin = t - chance.random() / 20
                        transfers.append(Transfer(0, "gatehouse", "", Seat.BOARD, way, 0, begin, t, b"a", None, 0))
            (whole, first), (cut, second) = story.lanes(transfers), story.lanes(transfers)
            for since in (*sorted(chance.uniform(0, t / 2) for _ in range(2)), chance.uniform(0.6 * t, t)):
                second.forget(since)
            self.assertEqual([flag for flag in first.flags if flag.t >= since], second.flags)
            for key, lane in whole.items():
                other = cut[key]
                for _ in range(50):
                    begin, end = sorted(chance.uniform(since, t) for _ in range(2))
                    told = [told_between(each, begin, end) for each in (lane, other)]
                    for one, two in zip(*told, strict=True):
                        self.assertEqual(one[::2], two[::2])
                        self.assertAlmostEqual(one[1], two[1], 6, (seed, key, one[0]))
                    self.assertEqual(*(each.course.at(begin) for each in (lane, other)))
                    self.assertEqual(*(each.next(begin, 1) for each in (lane, other)))
                    self.assertEqual(*(each.passed(begin, end) for each in (lane, other)))
                self.assertEqual(lane.words[len(lane.words) - len(other.words) :], other.words)
                self.assertEqual(len(other.words), len(other.numbers))
                self.assertLess(len(other.ends) + len(other.course), len(lane.ends) + len(lane.course))


class FromARecord(unittest.TestCase):
    def test_each_kind_of_thing_has_its_lane_in_the_order_of_a_commands_way(self):
        story = Story()
        story.add(0.5, Kind.DRIVEN, "gatehouse", Topic.PIN, "9", "servo", "mode")
        story.add(1.0, Kind.ASKED, "gatehouse", Topic.POINT, "upper_paddle", 50.0, "by hand")
        story.add(1.0, Kind.FRAMED, "gatehouse", Topic.POINT, "upper_paddle", b"\xe9\x5a\x00", cause=1)
        story.add(1.1, Kind.DRIVEN, "gatehouse", Topic.PIN, "9", 90, "1472 µs")
        part(story, 1.2, Kind.MOVED, 60.0)
        story.add(1.3, Kind.CHANGED, "", Topic.RIG, "chamber", 1200.0)
        story.add(1.9, Kind.CHANGED, "", Topic.RIG, "chamber", 1260.0)
        story.add(1.4, Kind.SENSED, "gatehouse", Topic.PART, "gate_open", True)
        story.add(1.5, Kind.LEVEL, "gatehouse", Topic.PIN, "4", False)
        story.add(1.6, Kind.REFUSED, "gatehouse", Topic.MESSAGE, "x", None, "no such pin")
        carried = Transfer(0, "gatehouse", "", Seat.BOARD, Direction.TO_BOARD, 0, 1.0, 1.001, b"abc", None, 3)
        lanes, read = story.lanes([carried])
        self.assertEqual(
            [(ASKED, "upper_paddle", WISHES), (LINK, "gatehouse", TRAFFIC), (PINS, "4", LEVEL), (PINS, "9", CURVE),
             (PARTS, "upper_paddle", CURVE), (RIG, "chamber", CURVE), (SENSED, "gate_open", LEVEL)],
            [(lane.group, lane.name, lane.kind) for lane in lanes.values()],
        )  # fmt: skip
        self.assertEqual(["50 %"], lanes[ASKED, "gatehouse", "upper_paddle"].words)
        self.assertEqual([1.0], list(lanes[LINK, "gatehouse", "gatehouse"].commands))
        self.assertEqual(1230.0, lanes[RIG, "", "chamber"].course.at(1.6))
        self.assertIsNotNone(lanes[PARTS, "gatehouse", "upper_paddle"].asked)
        self.assertEqual([("no such pin", True)], [(flag.words, flag.is_error) for flag in read.flags])

    def test_a_press_that_the_host_never_heard_of_stands_out(self):
        for heard in (False, True):
            story = Story()
            story.add(0.0, Kind.LEVEL, "gatehouse", Topic.PIN, "4", True)
            story.add(1.0, Kind.LEVEL, "gatehouse", Topic.PIN, "4", False)
            story.add(1.001, Kind.LEVEL, "gatehouse", Topic.PIN, "4", True)
            story.add(1.002, Kind.LEVEL, "gatehouse", Topic.PIN, "4", False)
            if heard:
                story.add(1.01, Kind.HEARD, "gatehouse", Topic.POINT, "stop_button", True)
            story.add(1.012, Kind.LEVEL, "gatehouse", Topic.PIN, "4", True)
            if heard:
                story.add(1.02, Kind.HEARD, "gatehouse", Topic.POINT, "stop_button", False)
            story.add(3.0, Kind.LEVEL, "gatehouse", Topic.PIN, "5", False)
            flags = story.lanes()[1].flags
            told = [] if heard else [(1.0, "stop_button: 12 ms that the host never heard of")]
            self.assertEqual(told, [(flag.t, flag.words) for flag in flags])

    def test_what_lies_between_two_marks(self):
        level = Lane(group=PINS, board="hut", name="9", kind=LEVEL)
        for number in range(20):
            level.course.step(number * 0.05, float(number % 2 == 0))
        told = {name: value for name, value, _ in told_between(level, 0.025, 0.925)}
        self.assertEqual((9, 10.0), (told["rises"], round(told["frequency"], 6)))
        self.assertAlmostEqual(50.0, told["high"], 6)
        curve = Lane(group=PARTS, board="hut", name="x", kind=CURVE, unit="mm")
        curve.course.step(0, 0)
        curve.course.hold(1)
        curve.course.reach(3, 10)
        told = {name: (value, unit) for name, value, unit in told_between(curve, 1, 2)}
        self.assertEqual(((0, "mm"), (5, "mm"), (5, "mm/s")), (told["from"], told["to"], told["slope"]))
        wire = Lane(group=LINK, board="hut", name="x", kind=TRAFFIC, unit="serial",
                    out=array("d", [0.2, 0.6]), back=array("d", [0.3]),
                    ends=array("d", [0.2, 0.3, 0.6]), busy=array("d", [0.1, 0.15, 0.25]))  # fmt: skip
        told = {name: value for name, value, _ in told_between(wire, 0.0, 1.0)}
        self.assertEqual((3, 25.0), (told["pieces"], round(told["of the wire"], 6)))
        wire.unit = "tcp"  # nobody knows how long that takes
        self.assertEqual([("pieces", 3, "")], told_between(wire, 0.0, 1.0))


class Drawn(unittest.TestCase):
    def lanes(self):
        story = Story()
        for number in range(40):
            story.add(number / 4, Kind.ASKED, "gatehouse", Topic.POINT, "upper_paddle", float(number), "by hand")
            part(story, number / 4 + 0.1, Kind.MOVED, float(15 + number))
            story.add(number / 4 + 0.2, Kind.LEVEL, "gatehouse", Topic.PIN, "4", number % 2 == 0)
        carried = [
            Transfer(n, "gatehouse", "", Seat.BOARD, Direction.TO_BOARD, 3 * n, n / 10, n / 10 + 0.01, b"abc", None, 0)
            for n in range(90)
        ]
        return list(story.lanes(carried)[0].values())

    def test_at_any_size_nothing_is_drawn_over_names_and_nothing_raises(self):
        lanes = self.lanes()
        for width, height in ((30, 3), (60, 10), (80, 24), (160, 50)):
            for cell in (0.0001, 0.05, 3.0):
                views = tuple(lane_view(lane, 1.0, cell, max(1, width - 29), 2) for lane in lanes)
                view = LanesView(
                    lanes=views, begin=1.0, cell=cell, chosen=1, cursor=3, marks=((5, "A"),), way=((0, 2), (2, 9))
                )
                canvas = draw_lanes(view, width, height)
                self.assertEqual((width, height), (canvas.width, canvas.height))
                if height > 8:
                    self.assertIn("upper_paddle", canvas.text())

    def test_beside_its_name_a_lane_says_how_it_stood(self):
        by_group = {lane.group: lane for lane in self.lanes()}
        told = {name: [stood_at(by_group[name], t) for t in (0.05, 2.05, 5.0)] for name in ("asked", "parts", "pins")}
        self.assertEqual(["0", "8", "20"], [words.split()[0] for words in told["asked"]])
        self.assertEqual(["22 deg", "34 deg"], told["parts"][1:])
        self.assertEqual(["", "", ""], told["pins"])  # high or low is seen
        for width in (60, 160):
            seen = [
                msgspec.structs.replace(lane_view(lane, 4.0, 0.05, width - 29, 2), stood=stood_at(lane, 5.0))
                for lane in by_group.values()
            ]
            text = draw_lanes(LanesView(lanes=tuple(seen), begin=4.0, cell=0.05), width, 30).text()
            self.assertRegex(text, "upper_paddle +34 deg ")
            self.assertRegex(text, "link|serial")

    def test_degrees_are_drawn_on_one_scale(self):
        self.assertEqual(
            [[round(15 * share / 180)] * 5 for share in (45, 135)], [self.turned(45.0), self.turned(135.0)]
        )

    def turned(self, degrees):
        """The cells of a part that has stood at so many degrees all the time."""
        curve = Lane(group=PARTS, board="hut", name="x", kind=CURVE, unit="deg")
        curve.course.step(0, degrees)
        return [cell for cell in lane_view(curve, 1.0, 0.1, 5, 2).cells if cell != UNKNOWN]

    def test_ticks_are_round(self):
        for least, step in ((0.9e-6, 1e-6), (0.0011, 0.002), (0.3, 0.5), (7, 10), (61, 100)):
            self.assertAlmostEqual(step, tick_seconds(least), 9)

    def test_ticks_that_lie_close_are_told_apart(self):
        made = to_svg(lanes_drawing("close", self.lanes(), 2.115, 2.1155))
        texts = [each.text for each in ElementTree.fromstring(made).iter() if each.text]
        self.assertEqual(["2.115 s", "2.1151 s", "2.1152 s"], [text for text in texts if text.endswith(" s")][:3])

    def test_files_are_such_as_a_reader_of_xml_takes_and_the_same_twice(self):
        made = to_svg(lanes_drawing("<a> & \x1b“b”", self.lanes(), 0.5, 8.0))
        self.assertEqual(made, to_svg(lanes_drawing("<a> & \x1b“b”", self.lanes(), 0.5, 8.0)))
        texts = [each.text for each in ElementTree.fromstring(made).iter() if each.text]
        self.assertIn("upper_paddle", texts)
        spread = Spread(
            board="hut", begin="asked", end="framed", seconds=(0.0, 1e-4, 2.0), median=1e-4, p95=1.8, p99=2.0
        )
        texts = [each.text or "" for each in ElementTree.fromstring(to_svg(delays_drawing("x", [spread]))).iter()]
        self.assertTrue([text for text in texts if "median 100 µs" in text], texts)
        canvas = draw_trail("beacon", "by hand", [("asked", 1.0, "50 %"), ("framed", 1.001, "E9")], "so", 60)
        self.assertIn("+1 ms", canvas.text())
