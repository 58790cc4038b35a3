"""A program that was stopped for a while, or a machine that slept: what could not be heard meanwhile is not late."""

import asyncio
import time
import unittest
from types import SimpleNamespace

from cavet import clock
from cavet.bench import HostLink, RunningBench, Standings, ask_and_follow, until_ready
from cavet.benchfile import PROTOCOLS, load_bench
from cavet.demo import demo_path
from cavet.hosts import SessionState
from cavet.record import Kind, Record, Tell

AWAY = 60.0


class Clock:
    """A bench clock that stands where it is put."""

    def __init__(self):
        self.time = self.away = 0.0

    def now(self):
        return self.time

    def away_since(self, begin):
        return self.away

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

    def ask(self, name, value, now, **how):
        self.asked_behind = len(self.away)  # what is asked now is not late by a time that was before
        return 0

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

    def test_nothing_is_told_broken_since_nobody_was_there(self):
        async def story():
            bench = RunningBench(load_bench(demo_path()).setup)
            await bench.start()
            try:
                point, standings = bench.setup.point("gatehouse.beacon"), Standings(bench)
                await until_ready(bench.link_of(point))
                asked = bench.ask(point, 40, by="test")
                await asyncio.sleep(0)
                time.sleep(0.6)  # as if the program had been stopped
                standings.follow()
                stopped = standings.diagnose(standings.trails.all[asked])
                made, ended = await ask_and_follow(bench, standings, point, 60, "test")
                return stopped.broken, made.stopped, ended.broken
            finally:
                await bench.stop()

        self.assertEqual((None, None, None), clock.run(story()))

    def test_a_session_is_told_for_how_long_nobody_was_there(self):
        async def story():
            now, session = Clock(), Waiting(0.5)
            setup = SimpleNamespace(board="b", name="b", protocol="firmata", byte_seconds=0.0)
            link = HostLink(setup, setup, session, None, None, now, Record(now.now))
            link.turn()
            now.time = 0.3
            link.turn()
            self.assertEqual(session.away, [])
            asks = lambda: link.ask("p", 1.0, "test")  # noqa: E731
            for turn in (link.turn, lambda: link.received(b"", 0, 0.0), asks):
                now.time, now.away, session.due, session.away = 3.0, 2.4, 9.0, []
                turn()
                self.assertEqual(session.away[0], 2.4)
            self.assertEqual(session.asked_behind, 1)

        asyncio.run(story())


if __name__ == "__main__":
    unittest.main()
