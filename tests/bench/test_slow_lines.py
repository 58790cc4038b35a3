"""Lines that are slow: the time that they need for bytes is not the time that a board takes to answer."""

import asyncio
import re
import unittest

from cavet.bench import Carrier, PastTrails, RunningBench, ask_and_follow, say, until_ready
from cavet.benchfile import check_text, start_text
from cavet.clock import run
from cavet.demo import demo_path
from cavet.hosts import FirmataSession, ModbusSession, PointKind, RegisterPoint, SessionSettings, SessionState
from cavet.record import Kind, Record, Tell
from tests.bench.benches import in_fast_time

RATES = (110, 300, 1200)
CHARACTER = 1 / 30
"""How long a byte takes at 300 baud, in s."""
ENDS = (Kind.CONFIRMED, Kind.UNCONFIRMED, Kind.REFUSED, Kind.RESENT, Kind.LOST)
SERIAL = 'kind = "serial"\nboard = "{board}"\nrate = {rate}\n\n'


def slow(kind, rate):
    """A bench with one board on a line of this rate."""
    text = start_text("slow.bench.toml", "Slow", [kind])
    head, link, rest = re.fullmatch(r"(.*\[links\.\w+\][^\n]*\n)(.*?\n\n)(.*)", text, re.DOTALL).groups()
    board = re.search(r'board = "(\w+)"', link)[1]
    return check_text(head + SERIAL.format(board=board, rate=rate) + rest, "slow.bench.toml")


def demo_at(rate):
    text = demo_path().read_text("utf-8").replace("rate = 57600", f"rate = {rate}", 1)
    return check_text(text, str(demo_path()))


def ends_of(setup, wishes):
    """What becomes of these wishes, and whether any was said again."""

    async def story():
        bench = RunningBench(setup, carrier=Carrier.MEMORY)
        await bench.start()
        try:
            for name, value in wishes.items():
                point = bench.point(name)
                await until_ready(bench.link_of(point))
                bench.ask(point, point.parse(value), by="test")
            await asyncio.sleep(30)
            return [event.kind for event in bench.record.since(0) if event.kind in ENDS]
        finally:
            await bench.stop()

    return run(story(), fast=True)


class SlowLines(unittest.TestCase):
    def test_what_is_asked_is_confirmed_at_the_first_try(self):
        for kind, wishes in (
            ("firmata", {"lantern": "50 %"}),
            ("modbus", {"shed_lamp": "on", "pump_speed": "40 %"}),
            ("scpi", {"supply": "on", "supply_voltage": "5 V"}),
            ("plan", {"sign_1": "on"}),
        ):
            for rate in RATES:
                with self.subTest(kind, rate=rate):
                    self.assertEqual([Kind.CONFIRMED] * len(wishes), ends_of(slow(kind, rate), wishes))

    def test_an_answer_to_what_is_said_by_hand_is_waited_for_until_it_has_come(self):
        async def story():
            bench = RunningBench(slow("modbus", 110), carrier=Carrier.MEMORY)
            await bench.start()
            try:
                said = await say(bench, "shed", "report-server-id", {}, None, "test")
                return [(heard.frame.message.NAME, heard.delay) for heard in said.heard]
            finally:
                await bench.stop()

        ((name, delay),) = run(story(), fast=True)
        self.assertEqual("report-server-id", name)
        self.assertGreater(delay, 1.0)  # eleven bytes of ten bits

    def test_bytes_that_answer_nothing_make_nobody_wait_for_ever(self):
        tell, settings = Tell(Record(lambda: 0.0), "hut"), SessionSettings()
        point = RegisterPoint(board="hut", name="lamp", kind=PointKind.SWITCH, table="coils", address=0)
        for session, seconds in (
            (FirmataSession("hut", (), settings, tell), 10.0),
            (ModbusSession("hut", (point,), settings, tell, framing="modbus-rtu", character=CHARACTER), 60.0),
        ):
            session.byte_seconds = CHARACTER
            session.opened(0.0)
            now = due = 0.0
            while now < seconds:
                now += CHARACTER
                session.comes(1)
                session.feed(b"\x41", now, lambda frame: None)
                if now >= due:
                    due = session.advance(now)
                    session.take_out()
            self.assertIs(SessionState.SILENT, session.state)

    def test_a_line_that_reports_fill_is_told_as_what_it_is(self):
        async def story(bench, standings):
            point = bench.point("mast_1")
            await until_ready(bench.link_of(point))
            trail, diagnosis = await ask_and_follow(bench, standings, point, True, "test")
            past = PastTrails(bench.setup).read(bench.record.since(0))
            return diagnosis, next(past.diagnose(each) for each in past.all if each.number == trail.number)

        for diagnosis in in_fast_time(story, demo_at(1200)):
            self.assertIs(Kind.FRAMED, diagnosis.broken)
            self.assertIn("the line is full: what the board reports needs 263 % of it", diagnosis.mend)
        live, _ = in_fast_time(story, demo_at(9600))
        self.assertIsNone(live.broken)

    def test_nothing_is_broken_while_the_line_still_carries_it(self):
        async def story(bench, standings):
            point = bench.point("lantern")
            await until_ready(bench.link_of(point))
            asked = bench.ask(point, 50.0, by="test")
            found = set()
            for _ in range(40):
                await asyncio.sleep(0.1)
                standings.follow()
                found.add(standings.diagnose(standings.trails.all[asked]).broken)
                past = PastTrails(bench.setup).read(bench.record.since(0))
                found.add(next(past.diagnose(each) for each in past.all if each.number == asked).broken)
            return found

        self.assertEqual({None}, in_fast_time(story, slow("firmata", 110)))


if __name__ == "__main__":
    unittest.main()
