"""What fails, fails alone: a part, a firmware or a session that raises is stopped, is told, and can begin anew."""

import asyncio
import logging
import unittest
from unittest import mock

from cavet.boards import BoardState
from cavet.record import Kind, Topic
from cavet.wording import UnreachableError, WrongError
from tests.bench.benches import demo, in_fast_time

BAD = ZeroDivisionError("division by zero")


def raising(*arguments, **more):
    raise BAD


class Faults(unittest.TestCase):
    """Each story spoils something of the gatehouse; the pump house has to go on."""

    def tell(self, spoil):
        """Run the demo, spoil it, use both boards; give the bench, the faults told, and what was logged."""

        async def story(bench, standings):
            await asyncio.sleep(2)
            bench.ask(bench.point("beacon"), 40.0, by="test")
            await asyncio.sleep(1)
            self.spoiled = spoil(bench)
            with self.assertLogs("cavet", logging.ERROR) as self.log, self.spoiled:
                for value in (60.0, 20.0):
                    try:
                        bench.ask(bench.point("upper_paddle"), value, by="test")
                    except UnreachableError as error:
                        self.refused = str(error)
                    await asyncio.sleep(4)
                standings.follow()
                self.why = [broken.reason for trail, broken in standings.broken() if trail.root.board == "gatehouse"]
                asked = bench.ask(bench.point("pump_a"), True, by="test")
                await asyncio.sleep(2)
                standings.follow()
                self.assertEqual(standings.trails.all[asked].reached(Kind.CONFIRMED).value, True)
            self.resting = [pin.value for pin in bench.world.boards["gatehouse"].circuit.pins.values()]
            self.states = {name: board.state for name, board in bench.world.boards.items()}
            self.faults = [event for event in bench.record.since(0) if event.kind is Kind.FAULT]
            self.said = str(bench.fault_of("gatehouse"))
            bench.restart("gatehouse")
            await asyncio.sleep(4)
            asked = bench.ask(bench.point("upper_paddle"), 35.0, by="test")
            await asyncio.sleep(9)
            standings.follow()
            self.assertEqual(bench.fault_of("gatehouse"), None)
            self.assertAlmostEqual(standings.trails.all[asked].reached(Kind.CONFIRMED).value, 35.0, delta=0.5)
            return bench

        return in_fast_time(story, demo())

    def assert_stopped(self, topic, subject):
        (fault,) = self.faults
        self.assertEqual((fault.board, fault.topic, fault.subject), ("gatehouse", topic, subject))
        self.assertRegex(fault.note, r"^ZeroDivisionError, division by zero, in cavet/\S+\.py line \d+$")
        self.assertEqual(self.said, fault.note)
        for why in self.why:
            self.assertEqual(why, f"gatehouse was stopped by a fault of Cavet's own: {fault.note}")
        self.assertIn("Traceback", self.log.output[0])
        if topic is not Topic.SESSION:
            self.assertIs(self.states["gatehouse"], BoardState.FAILED)
            self.assertEqual(set(self.resting), {0})
        self.assertIs(self.states["pumphouse"], BoardState.RUNNING)

    def part(self, bench, name="upper_paddle"):
        return bench.world.boards["gatehouse"].circuit.parts[name]

    def test_a_part_that_can_not_go_on(self):
        self.tell(lambda bench: mock.patch.object(self.part(bench), "advance", raising))
        self.assert_stopped(Topic.PART, "upper_paddle")

    def test_a_part_that_can_not_follow_its_pin(self):
        self.tell(lambda bench: mock.patch.object(self.part(bench), "follow", raising))
        self.assert_stopped(Topic.BOARD, "gatehouse")

    def test_a_part_that_can_not_say_where_it_stands(self):
        self.tell(lambda bench: mock.patch.object(self.part(bench), "fraction", raising))
        self.assertIn(len(self.faults), (1, 2))
        self.assertIn((Topic.PART, "upper_paddle"), [(fault.topic, fault.subject) for fault in self.faults])

    def test_a_firmware_that_can_not_hear(self):
        self.tell(lambda bench: mock.patch.object(bench.world.boards["gatehouse"].firmware, "feed", raising))
        self.assert_stopped(Topic.BOARD, "gatehouse")

    def test_a_firmware_that_can_not_speak(self):
        self.tell(lambda bench: mock.patch.object(bench.world.boards["gatehouse"].firmware, "take_out", raising))
        self.assert_stopped(Topic.BOARD, "gatehouse")

    def test_a_session_that_can_not_hear(self):
        self.tell(lambda bench: mock.patch.object(bench.host_links["gatehouse"].session, "feed", raising))
        self.assert_stopped(Topic.SESSION, "gatehouse")
        self.assertIn("gatehouse: stopped by a fault, ZeroDivisionError", self.refused)

    def test_a_session_that_can_not_ask(self):
        self.tell(lambda bench: mock.patch.object(bench.host_links["gatehouse"].session, "advance", raising))
        self.assert_stopped(Topic.SESSION, "gatehouse")


class Ends(unittest.TestCase):
    def test_a_bench_of_which_everything_has_failed_is_stopped_in_order(self):
        async def story(bench, standings):
            await asyncio.sleep(1)
            patches = []
            for board in bench.world.boards.values():
                patches += [mock.patch.object(board.firmware, name, raising) for name in ("stop", "advance", "left")]
            for link in bench.host_links.values():
                patches += [mock.patch.object(link.session, name, raising) for name in ("farewell", "lost")]
            for patch in patches:
                patch.start()
                self.addCleanup(patch.stop)
            with self.assertLogs("cavet", logging.ERROR):
                await bench.stop()

        in_fast_time(story, demo())

    def test_what_a_hand_does_to_a_part_that_fails_is_an_error_that_is_told(self):
        async def story(bench, standings):
            await asyncio.sleep(1)
            button = bench.world.boards["gatehouse"].circuit.parts["stop_button"]
            with self.assertLogs("cavet", logging.ERROR), mock.patch.object(button, "act", raising):
                with self.assertRaisesRegex(WrongError, "a fault, ZeroDivisionError"):
                    bench.act("gatehouse.stop_button", "press")
            with self.assertRaisesRegex(WrongError, 'board: found "gatehose", expected one of .*gatehouse'):
                bench.restart("gatehose")

        in_fast_time(story, demo())

    def test_what_a_callback_or_a_task_raises_is_told(self):
        async def story(bench, standings):
            with self.assertLogs("cavet", logging.ERROR):
                asyncio.get_running_loop().call_soon(raising)
                await asyncio.sleep(0.1)
            (fault,) = [event for event in bench.record.since(0) if event.kind is Kind.FAULT]
            self.assertEqual((fault.topic, fault.value), (Topic.LINK, "ZeroDivisionError"))

        in_fast_time(story, demo())


if __name__ == "__main__":
    unittest.main()
