"""A bench that is changed while it runs: what stays the same keeps its state and its endpoints."""

import asyncio
import socket
import unittest
from pathlib import Path

from cavet.bench import RunningBench
from cavet.benchfile import BenchFile, changes_between, check_text, load_bench
from cavet.demo import demo_path
from cavet.record import Kind
from cavet.wording import UnreachableError
from tests.patience import PATIENCE

TEXT = demo_path().read_text()
READ = bytes.fromhex("0001 0000 0006 07 01 0000 0001")

LINE = '[links.pumphouse_line]\nkind = "serial"\nboard = "pumphouse"\nrate = 19200\nsettings = "8N1"'
NEW = """
[boards.new]
profile = "wren"
firmware = "firmata"
[boards.new.parts]
spot = { kind = "lamp", pin = 3 }
[links.new]
kind = "serial"
board = "new"
[hosts.new]
link = "new"
protocol = "firmata"
[points.spot]
board = "new"
kind = "level"
pin = 3
mode = "pwm"
"""


def as_file(text):
    return BenchFile(Path("x.bench.toml"), text, check_text(text, "x.bench.toml", demo_path().parent))


class Differences(unittest.TestCase):
    def test_what_has_changed_is_found_table_by_table(self):
        before = load_bench(demo_path())
        for old, new, boards, links, hosts in (
            ('beacon = { kind = "lamp", pin = 2 }', 'beacon = { kind = "lamp", pin = 6 }', {"gatehouse"}, set(),
             {"gatehouse"}),
            ("rate = 57600\n", "rate = 9600\n", set(), {"gatehouse"}, {"gatehouse"}),
            ("step = 0.5\n", "step = 0.2\n", set(), set(), {"switchrack"}),
            ("unit = 7\npoll", "unit = 7\npoll", set(), set(), set()),
            ("start = 2400", "start = 2300", set(), set(), set()),
            ('name = "Ottersluice"', 'name = "Other"', set(), set(), set()),
        ):  # fmt: skip
            with self.subTest(new):
                found = changes_between(before, before if old == new else as_file(TEXT.replace(old, new, 1)))
                self.assertEqual((found.boards, found.links, found.hosts), (boards, links, hosts))


class WhileItRuns(unittest.IsolatedAsyncioTestCase):
    async def asyncSetUp(self):
        self.file = load_bench(demo_path())
        self.bench = RunningBench(self.file.setup)
        await self.bench.start()
        self.addAsyncCleanup(self.bench.stop)
        await self.until(lambda: all(link.ready for link in self.bench.host_links.values()))

    async def until(self, holds):
        async with asyncio.timeout(PATIENCE):
            while not holds():
                await asyncio.sleep(0.01)

    async def change(self, *changes):
        text = self.file.text
        for old, new in changes:
            self.assertIn(old, text)
            text = text.replace(old, new, 1)
        after = as_file(text)
        await self.bench.take_over(after.setup, changes_between(self.file, after))
        self.file = after

    def at(self, link):
        return next(each.address for each in self.bench.endpoints if each.link == link)

    def part(self, path):
        return self.bench.world.part(path)

    async def drive(self, name, value):
        self.bench.ask(self.bench.point(name), value, by="test")
        readings = self.bench.host_links[self.bench.point(name).board].session.readings
        await self.until(lambda: readings[name].agreed)

    async def test_other_boards_keep_their_state_and_connections(self):
        await self.drive("pump_a", True)
        reader, writer = await asyncio.open_connection(*self.at("pumphouse").split(":"))
        self.addCleanup(writer.close)
        pump, before = self.part("pumphouse.pump_a"), {each.link: each.address for each in self.bench.endpoints}
        self.bench.place("chamber", 1700.0)
        await self.change(('beacon = { kind = "lamp", pin = 2 }', 'beacon = { kind = "lamp", pin = 6 }'))
        self.assertEqual({each.link: each.address for each in self.bench.endpoints}, before)
        self.assertIs(self.part("pumphouse.pump_a"), pump)
        self.assertTrue(pump.stands_as(self.bench.clock.now()))
        self.assertAlmostEqual(self.bench.world.rig.value("chamber"), 1700, delta=60)
        writer.write(READ)
        answer = await asyncio.wait_for(reader.read(100), PATIENCE)
        self.assertEqual(answer[-1] & 1, 1)

    async def test_nothing_is_told_of_parts_that_stay_as_they_are(self):
        await self.drive("beacon", 50.0)
        beacon = self.part("gatehouse.beacon")
        await self.until(lambda: beacon.state(self.bench.clock.now()) > 49)
        self.bench.board_side.turn()
        since = len(self.bench.record)
        await self.change(("[points.pump_a]", f"{NEW}[points.pump_a]"))
        await self.until(lambda: self.bench.host_links["new"].ready)
        told = self.bench.record.since(since)
        moved = {each.subject for each in told if each.kind is Kind.MOVED and each.board == "gatehouse"}
        self.assertEqual(set(), moved & {"beacon", "walkway", "upper_paddle", "lower_paddle", "horn"})

    async def test_a_changed_board_begins_anew_on_the_link_that_it_had(self):
        await self.drive("walkway", 50.0)
        address = self.at("gatehouse")
        await self.change(
            ('beacon = { kind = "lamp", pin = 2 }', 'beacon = { kind = "lamp", pin = 6 }'),
            ('[points.beacon]\nboard = "gatehouse"\nkind = "level"\npin = 2',
             '[points.beacon]\nboard = "gatehouse"\nkind = "level"\npin = 6'),
        )  # fmt: skip
        self.assertEqual(self.at("gatehouse"), address)
        self.assertEqual(self.part("gatehouse.walkway").state(self.bench.clock.now()), 0)
        await self.until(lambda: self.bench.host_links["gatehouse"].ready)
        await self.drive("beacon", 50.0)
        await self.until(lambda: self.part("gatehouse.beacon").state(self.bench.clock.now()) > 49)

    async def test_points_links_and_boards_come_and_go(self):
        addresses = {each.link: each.address for each in self.bench.endpoints}
        await self.change((LINE, ""))
        self.assertNotIn("pumphouse_line", [each.link for each in self.bench.endpoints])
        self.assertEqual(self.at("pumphouse"), addresses["pumphouse"])
        await self.change(("[points.pump_a]", f"{NEW}[points.pump_a]"))
        await self.until(lambda: self.bench.host_links["new"].ready)
        await self.drive("spot", 40.0)
        self.assertEqual(self.at("towpath"), addresses["towpath"])

    async def test_what_it_can_not_take_over_leaves_it_as_it_was(self):
        before = {each.link for each in self.bench.endpoints}
        with socket.create_server(("127.0.0.1", 0)) as used:
            port = used.getsockname()[1]
            wrong = as_file(self.file.text.replace("[links.pumphouse]\n", f"[links.pumphouse]\nport = {port}\n", 1))
            for _ in range(2):
                with self.assertRaisesRegex(UnreachableError, "(?i)address already in use"):
                    await self.bench.take_over(wrong.setup, changes_between(self.file, wrong))
                self.assertEqual(before, {each.link for each in self.bench.endpoints})
                await self.until(lambda: all(link.ready for link in self.bench.host_links.values()))
        await self.bench.take_over(wrong.setup, changes_between(self.file, wrong))
        self.assertIn(f"127.0.0.1:{port}", {each.address for each in self.bench.endpoints})

    async def test_it_may_be_changed_again_and_again(self):
        lamp = 'beacon = { kind = "lamp", pin = '
        for pin in (6, 2) * 5:
            await self.change((f"{lamp}{8 - pin} }}", f"{lamp}{pin} }}"))
        self.assertEqual(self.part("gatehouse.beacon").wires, {"pin": 2})
        await self.until(lambda: all(link.ready for link in self.bench.host_links.values()))
        self.assertEqual([event for event in self.bench.record.since(0) if event.kind.value == "fault"], [])
