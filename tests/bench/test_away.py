"""A program that was stopped for a while, or a machine that slept: what could not be heard meanwhile is not late."""

import asyncio
import unittest
from types import SimpleNamespace
from unittest import mock

from cavet.bench import HostLink
from cavet.benchfile import PROTOCOLS, load_bench
from cavet.demo import demo_path
from cavet.hosts import SessionState
from cavet.record import Kind, Record, Tell
from tests.boards.worlds import Small

AWAY = 60.0


class Clock:
    """A bench clock that stands where it is put."""

    def __init__(self):
        self.time = 0.0

    def now(self):
        return self.time

    def at(self, seconds):
        return asyncio.get_running_loop().time() + 1000 + seconds


class Waiting:
    """A session that only waits for an answer, until `due`."""

    state = SessionState.READY
    hang_up = ""
    stirred = False

    def __init__(self, due):
        self.due = due
        self.away = []

    def was_away(self, seconds):
        self.away.append(seconds)
        self.due += seconds

    def advance(self, now):
        return self.due

    def take_out(self):
        return None

    def feed(self, data, now, find_cause):
        pass


class Away(unittest.TestCase):
    def test_every_session_of_the_demo_waits_so_much_longer_for_what_it_waits_for(self):
        setup = load_bench(demo_path()).setup
        for host in setup.hosts.values():
            with self.subTest(host.name):
                record = Record(lambda: 0.0)
                link = setup.links[host.link]
                points = [point for point in setup.points.values() if point.board == host.name]
                session = PROTOCOLS[host.protocol].session(host, link, points, Tell(record, link.board))
                session.opened(0.0)
                due = session.advance(0.0)
                session.take_out()
                told = len(record)
                session.was_away(AWAY)
                self.assertGreater(session.advance(due), due)
                ends = (Kind.RESENT, Kind.UNCONFIRMED, Kind.REMARK)
                self.assertIsNone(session.take_out())
                self.assertFalse([event for event in record.since(told) if event.kind in ends])
                self.assertEqual(session.hang_up, "")

    def test_a_world_that_is_called_long_after_it_was_due_tells_its_boards_for_how_long(self):
        made = Small(failsafe=0.5)
        made.open()
        made.say("F4 06 01 F5 06 01")
        made.go(0.2)
        with mock.patch.object(made.firmware, "was_away") as was_away:
            for now in (0.3, 0.45, 9.0, 9.05):
                made.world.advance(now)
        self.assertEqual([round(call.args[0], 6) for call in was_away.call_args_list], [8.55])

    def test_what_is_called_long_after_it_was_due_was_away_since_it_was_looked_at_last(self):
        async def story():
            clock, session = Clock(), Waiting(0.5)
            setup = SimpleNamespace(board="b", name="b", protocol="firmata", byte_seconds=0.0)
            link = HostLink(setup, setup, session, None, None, clock, Record(clock.now))
            link.turn()
            for clock.time, away in (
                (0.3, []),
                (0.55, []),  # a little late is no matter
                (3.0, [2.45]),
                (9.0, [2.45]),  # what is late once more had its time
                (9.1, [2.45]),
            ):
                link.turn()
                self.assertEqual([round(each, 6) for each in session.away], away)
            session.due = 10.0
            link.turn()
            clock.time = 10.05
            link.received(b"", 0, 0.0)
            self.assertEqual(len(session.away), 1)
            session.due = 10.5
            link.turn()
            clock.time = 12.05
            link.received(b"", 0, 0.0)
            self.assertEqual([round(each, 6) for each in session.away], [2.45, 2.0])

        asyncio.run(story())


if __name__ == "__main__":
    unittest.main()
