"""The gatehouse as a whole, in fast time: from a wish to a moved part, and where it stops when something is wrong."""

import asyncio
import unittest

import msgspec

from cavet import clock
from cavet.bench import Carrier, RunningBench, StageState
from cavet.benchfile import check_text
from cavet.hosts import SessionState
from cavet.record import STAGES, Kind
from cavet.wording import WrongError
from tests.bench.benches import SMALL, gatehouse, in_fast_time


def states(diagnosis):
    return [diagnosis.states[stage].value for stage in STAGES]


class FromWishToPart(unittest.TestCase):
    def test_all_seven_stages_are_reached_and_joined_by_their_causes(self):
        async def story(bench, standings):
            asked = bench.ask(bench.point("upper_paddle"), 60.0, by="test")
            await asyncio.sleep(1)
            standings.follow()
            trail = standings.trails.all[asked]
            self.assertEqual(states(standings.diagnose(trail)), ["reached"] * 7)
            times = [trail.reached(stage).t - 2.0 for stage in STAGES]
            self.assertAlmostEqual(times[2], 3 * 10 / 57600, places=4)
            self.assertAlmostEqual(times[5], 0.24, delta=0.01)
            self.assertEqual(trail.reached(Kind.FRAMED).value, bytes.fromhex("E9 69 00"))

        in_fast_time(story)

    def test_asked_and_got_are_apart_while_the_part_is_on_its_way(self):
        async def story(bench, standings):
            point = bench.point("upper_paddle")
            bench.ask(point, 100.0, by="test")
            await asyncio.sleep(0.2)
            standings.follow()
            standing = standings.standing(point)
            self.assertEqual(standing.asked, 100.0)
            self.assertAlmostEqual(standing.got, 50, delta=2)
            self.assertAlmostEqual(standing.left, 0.2, delta=0.01)
            await asyncio.sleep(0.5)
            standings.follow()
            self.assertAlmostEqual(standings.standing(point).got, 100, delta=0.1)  # a pulse is a whole number of µs
            self.assertIsNone(standings.standing(point).left)

        in_fast_time(story)

    def test_the_chamber_fills_in_some_forty_seconds_and_then_the_gate_opens(self):
        async def story(bench, standings):
            bench.place("chamber", 600)
            bench.ask(bench.point("upper_paddle"), 100.0, by="test")
            await asyncio.sleep(38)
            self.assertLess(bench.world.rig.value("chamber"), 2395)
            await asyncio.sleep(5)
            self.assertGreater(bench.world.rig.value("chamber"), 2380)
            bench.ask(bench.point("gate"), 100.0, by="test")
            await asyncio.sleep(6)
            session = bench.host_links["gatehouse"].session
            self.assertIs(session.readings["gate_open"].got, True)
            self.assertIs(session.readings["gate_shut"].got, False)
            self.assertAlmostEqual(session.readings["level"].got, 2400, delta=15)

        in_fast_time(story)

    def test_rest_sends_all_outputs_home(self):
        async def story(bench, standings):
            for name, value in (("beacon", 80.0), ("upper_paddle", 50.0), ("horn", True)):
                bench.ask(bench.point(name), value, by="test")
            await asyncio.sleep(1)
            bench.rest(by="test")
            await asyncio.sleep(1)
            standings.follow()
            for point in bench.setup.points.values():
                if point.kind.is_text:
                    self.assertEqual(standings.standing(point).got, point.rest, point.name)
                elif point.kind.is_output:
                    self.assertAlmostEqual(float(standings.standing(point).got), 0, delta=0.1, msg=point.name)

        in_fast_time(story)

    def test_a_stop_button_pressed_outside_is_heard(self):
        async def story(bench, standings):
            bench.act("gatehouse.stop_button", "press", seconds=0.08)
            await asyncio.sleep(0.05)
            session = bench.host_links["gatehouse"].session
            self.assertIs(session.readings["stop_button"].got, True)
            await asyncio.sleep(0.5)
            self.assertIs(session.readings["stop_button"].got, False)
            heard = [
                event for event in bench.record.since(0) if event.kind == Kind.HEARD and event.subject == "stop_button"
            ]
            causes = []
            event = heard[-1]
            while event.cause is not None:
                event = bench.record[event.cause]
                causes.append(event.kind)
            self.assertEqual(causes, [Kind.TOLD, Kind.LEVEL, Kind.SENSED])

        in_fast_time(story)

    def test_points_are_found_by_short_and_full_names(self):
        async def story(bench, standings):
            self.assertEqual(bench.point("beacon"), bench.point("gatehouse.beacon"))
            for name in ("becon", "hut.beacon"):
                with self.assertRaises(WrongError):
                    bench.point(name)

        in_fast_time(story)


class Repeatable(unittest.TestCase):
    def run_once(self, seed):
        async def story(bench, standings):
            bench.switch_defect("worn_cable", True)
            for value in (20.0, 80.0, 40.0):
                bench.ask(bench.point("beacon"), value, by="test")
                bench.ask(bench.point("lower_paddle"), value, by="test")
                bench.act("gatehouse.stop_button", "press", seconds=0.05)
                await asyncio.sleep(1.3)
            return bench.record.since(0)

        return in_fast_time(story, msgspec.structs.replace(gatehouse(), seed=seed))

    def test_the_same_seed_gives_the_same_record_event_for_event(self):
        self.assertEqual(self.run_once("a"), self.run_once("a"))

    def test_another_seed_gives_another(self):
        self.assertNotEqual(self.run_once("a"), self.run_once("b"))


class Broken(unittest.TestCase):
    def broken(self, defect, name, value, seconds=3.0):
        """Ask with a defect on; give the trail and its diagnosis."""

        async def story(bench, standings):
            if defect:
                bench.switch_defect(defect, True)
            asked = bench.ask(bench.point(name), value, by="test")
            await asyncio.sleep(seconds)
            standings.follow()
            trail = standings.trails.all[asked]
            return trail, standings.diagnose(trail), [found.number for found, _ in standings.broken()]

        return in_fast_time(story)

    def test_a_dead_pin_breaks_at_driven(self):
        trail, diagnosis, broken = self.broken("dead_walkway", "walkway", 50.0)
        self.assertEqual(states(diagnosis)[:5], ["reached"] * 4 + ["broken"])
        self.assertIn("the pin is dead", diagnosis.reason)
        self.assertEqual(broken, [trail.number])

    def test_swapped_wires_break_at_moved_and_name_the_part_that_moved(self):
        _, diagnosis, _ = self.broken("crossed_paddles", "upper_paddle", 50.0)
        self.assertEqual(diagnosis.broken, Kind.MOVED)
        self.assertEqual(diagnosis.reason, "pin 9 was driven, and lower_paddle moved, not upper_paddle")
        self.assertIn("swapped", diagnosis.mend)

    def test_a_gate_that_is_held_breaks_at_moved_with_the_reason(self):
        _, diagnosis, _ = self.broken(None, "gate", 50.0)
        self.assertEqual(diagnosis.broken, Kind.MOVED)
        self.assertIn("abs(upper - chamber) <= 20", diagnosis.reason)

    def test_a_board_that_answers_too_late_breaks_at_confirmed(self):
        _, diagnosis, _ = self.broken("slow_board", "beacon", 50.0, seconds=0.6)
        self.assertEqual(diagnosis.states[Kind.MOVED], StageState.REACHED)
        self.assertEqual(diagnosis.states[Kind.CONFIRMED], StageState.COMING)
        trail, diagnosis, _ = self.broken("slow_board", "beacon", 50.0)
        self.assertEqual(trail.resends, 1)
        self.assertIsNone(diagnosis.broken)

    def test_a_link_that_loses_everything_breaks_at_taken(self):
        setup = gatehouse()
        defects = {"deaf": msgspec.structs.replace(setup.defects["worn_cable"], name="deaf", share=1.0, on=False)}

        async def story(bench, standings):
            bench.switch_defect("deaf", True)
            asked = bench.ask(bench.point("beacon"), 50.0, by="test")
            await asyncio.sleep(3)
            standings.follow()
            return standings.diagnose(standings.trails.all[asked])

        diagnosis = in_fast_time(story, msgspec.structs.replace(setup, defects=defects))
        self.assertEqual(states(diagnosis)[:4], ["reached", "reached", "reached", "broken"])
        self.assertIn("in 3 tries", diagnosis.reason)

    def test_a_link_that_loses_some_bytes_gets_there_in_the_end(self):
        async def story(bench, standings):
            bench.switch_defect("worn_cable", True)
            confirmed = 0
            for number in range(20):
                asked = bench.ask(bench.point("beacon"), 5.0 * (number % 2), by="test")
                await asyncio.sleep(3)
                standings.follow()
                confirmed += standings.trails.all[asked].reached(Kind.CONFIRMED) is not None
            return confirmed, [event for event in bench.record.since(0) if event.kind == Kind.RESENT]

        confirmed, resent = in_fast_time(story)
        self.assertGreaterEqual(confirmed, 18)
        self.assertGreater(len(resent), 0)

    def test_a_point_on_a_pin_without_its_mode_breaks_at_framed_and_names_the_pins_that_would_do(self):
        setup = gatehouse()
        points = {**setup.points, "beacon": msgspec.structs.replace(setup.points["beacon"], pin=5)}

        async def story(bench, standings):
            asked = bench.ask(bench.point("beacon"), 50.0, by="test")
            await asyncio.sleep(1)
            standings.follow()
            return standings.diagnose(standings.trails.all[asked])

        diagnosis = in_fast_time(story, msgspec.structs.replace(setup, points=points))
        self.assertEqual(diagnosis.broken, Kind.FRAMED)
        self.assertIn("pin 5 has no pwm on this board; pwm is on 2, 3, 6, 7, 9 and 10", diagnosis.reason)
        self.assertIn("one of 2 3 6 7 9 10", diagnosis.mend)

    def test_a_wish_that_a_newer_one_overtook_is_not_broken(self):
        async def story(bench, standings):
            first = bench.ask(bench.point("upper_paddle"), 100.0, by="test")
            bench.ask(bench.point("upper_paddle"), 0.0, by="test")
            await asyncio.sleep(2)
            standings.follow()
            return standings.diagnose(standings.trails.all[first]).broken, standings.broken()

        self.assertEqual(in_fast_time(story), (None, []))


class Names(unittest.TestCase):
    """A host may call a board by another name than its own."""

    def setUp(self):
        truth, belief = SMALL[: SMALL.index("[hosts.hut]")], SMALL[SMALL.index("[hosts.hut]") :]
        text = truth + belief.replace("[hosts.hut]", "[hosts.desk]").replace('board = "hut"', 'board = "desk"')
        self.setup = check_text(text, "small.bench.toml")

    def test_it_is_found_by_either(self):
        self.assertEqual(("hut", "hut"), (self.setup.board_of("desk"), self.setup.board_of("hut")))
        self.assertEqual({"lamp"}, {self.setup.point(name).name for name in ("lamp", "desk.lamp", "hut.lamp")})
        points = list(self.setup.points.values())
        self.assertEqual([points, points], [self.setup.points_on(name) for name in ("desk", "hut")])

    def test_its_links_are_meant_by_either(self):
        self.assertEqual(self.setup.links_meant("hut"), self.setup.links_meant("desk"))
        with self.assertRaises(WrongError):
            self.setup.links_meant("elsewhere")

    def test_it_is_started_again_and_its_fault_told_by_either(self):
        async def story(bench, standings):
            for name in ("desk", "hut"):
                before = len(bench.record)
                bench.world.fail(bench.world.boards["hut"], ValueError("broken"))
                self.assertIn("broken", str(bench.fault_of(name)))
                bench.restart(name)
                self.assertIsNone(bench.fault_of(name))
                await asyncio.sleep(3)
                told = [event.value for event in bench.record.since(before) if event.kind is Kind.BOARD]
                self.assertEqual(("reset", "runs", True), (told[0], told[-1], bench.is_ready("desk")))

        in_fast_time(story, self.setup)


class Links(unittest.TestCase):
    def test_a_cut_link_is_noticed_and_taken_up_again_with_all_restored(self):
        async def story(bench, standings):
            bench.ask(bench.point("beacon"), 40.0, by="test")
            await asyncio.sleep(1)
            memory = bench.memory_link("gatehouse")
            memory.cut()
            link = bench.host_links["gatehouse"]
            await asyncio.sleep(0.1)
            notes = [event.note for event in bench.record.since(0) if event.kind == Kind.LOST]
            self.assertIn("memory:gatehouse: the line was cut", notes)
            await asyncio.sleep(1)  # before a lost link is opened again there is a pause
            self.assertIn("nothing is at the other end", link.words)
            bench.ask(bench.point("walkway"), 70.0, by="test")
            await asyncio.sleep(3)
            memory.mend()
            await asyncio.sleep(4)
            self.assertEqual(link.words, "ready")
            standings.follow()
            self.assertAlmostEqual(standings.standing(bench.point("beacon")).got, 40.0, delta=0.3)
            self.assertAlmostEqual(standings.standing(bench.point("walkway")).got, 70.0, delta=0.3)

        in_fast_time(story)

    def test_a_link_can_be_let_go_and_taken_up(self):
        async def story(bench, standings):
            link = bench.host_links["gatehouse"]
            link.let_go()
            await asyncio.sleep(1)
            self.assertIn("free for another program", link.words)
            self.assertFalse(link.ready)
            link.take_up()
            await asyncio.sleep(3)
            self.assertTrue(link.ready)

        in_fast_time(story)

    def test_hosts_may_wait_until_somebody_has_the_time_for_them(self):
        async def story():
            bench = RunningBench(gatehouse(), carrier=Carrier.MEMORY)
            bench.hosts_wait = True
            await bench.start()
            link = bench.host_links["gatehouse"]
            await asyncio.sleep(30)
            waited = link.ready, link.session.state
            bench.begin()
            bench.begin()
            await asyncio.sleep(5)
            began = link.ready
            await bench.stop()
            return waited, began

        self.assertEqual(clock.run(story(), fast=True), ((False, SessionState.SHUT), True))

    def test_a_board_that_is_not_there_is_told_once_and_tried_again(self):
        setup = gatehouse()
        links = {"gatehouse": msgspec.structs.replace(setup.links["gatehouse"], address="/dev/ttyNONE9")}

        async def story(bench, standings):
            await asyncio.sleep(5)
            lost = [event for event in bench.record.since(0) if event.kind == Kind.LOST]
            return bench.host_links["gatehouse"].words, len(lost)

        words, told = in_fast_time(story, msgspec.structs.replace(setup, links=links))
        self.assertEqual((words, told), ("/dev/ttyNONE9: no such device; is it plugged in?", 1))


if __name__ == "__main__":
    unittest.main()
