"""`cavet new`: a bench for each kind that works as it stands, is well, and explains every key; one from a board."""

import tempfile
import unittest
from pathlib import Path

import cavet
from cavet.bench import RunningBench
from cavet.benchfile import START_KINDS, check_text, load_bench, start_text
from cavet.demo import demo_path
from cavet.finding import bench_at, bench_from
from cavet.remarks import remarks_on
from tests.commands.run import cavet_here

OUTPUTS = {
    "firmata": ("lantern", 60), "modbus": ("pump_speed", 40), "scpi": ("supply_voltage", 5), "mqtt": ("light", True),
    "usb": ("post_2", True), "i2c": ("yard_1", True), "plan": ("sign_2", True),
}  # fmt: skip


class New(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_each_kind_works_at_once_and_has_no_remarks(self):
        for kind in START_KINDS:
            with self.subTest(kind):
                path = self.folder / f"{kind}.bench.toml"
                self.assertEqual(cavet_here("new", str(path), f"--{kind}").code, 0)
                self.assertEqual(remarks_on(load_bench(path).setup), [])
                name, value = OUTPUTS[kind]
                with cavet.open(path) as bench:
                    self.assertEqual(bench[name].set(value).ended, "confirmed")
                    if kind in ("modbus", "scpi"):
                        continue  # a speed and a voltage move nothing alone
                    bench.wait(10)
                    board, part = bench._running.setup.parts_meant[name]
                    moved = bench._running.world.part(f"{board}.{part}")
                    self.assertGreater(abs(moved.fraction(bench.t)), 0, "it has not stayed so")

    def test_several_kinds_make_one_bench_and_none_makes_firmata(self):
        path = self.folder / "all.bench.toml"
        self.assertEqual(cavet_here("new", str(path), *(f"--{kind}" for kind in START_KINDS)).code, 0)
        self.assertEqual(len(load_bench(path).setup.boards), len(START_KINDS))
        path = self.folder / "one.bench.toml"
        cavet_here("new", str(path))
        self.assertEqual([board.firmware for board in load_bench(path).setup.boards.values()], ["firmata"])

    def test_keys_are_explained_where_they_first_stand(self):
        for kind in START_KINDS:
            lines = start_text("x", "x", [kind]).splitlines()
            keys = [line for line in lines if " = " in line]
            explained = [line for line in keys if " # " in line]
            self.assertGreater(len(explained), 10, kind)

    def test_an_old_file_is_refused_and_left_as_it_is(self):
        path = self.folder / "old.bench.toml"
        path.write_text("mine")
        for words in ((str(path),), (str(self.folder / "no" / "x.bench.toml"),)):
            ran = cavet_here("new", *words)
            self.assertEqual((ran.code, ran.err.count("\n")), (2, 1))
        self.assertEqual(path.read_text(), "mine")
        self.assertEqual(cavet_here("new", str(self.folder / "x"), "--from", "127.0.0.1:1").code, 3)
        self.assertEqual(cavet_here("new", str(self.folder / "x"), "--scpi", "--from", "127.0.0.1:1").code, 2)
        self.assertFalse((self.folder / "x").exists())

    def test_what_a_board_calls_itself_can_spoil_no_file(self):
        for name in ('a"]\n[x', "", "9 nines", "\x1b[31mred", "ü" * 90):
            with self.subTest(name):
                known = {"address": "127.0.0.1:5", "protocol": "scpi", "idn": f"x,{name},1,2", "version": None}
                setup = check_text(bench_from(known, name), "x.bench.toml")
                self.assertEqual(len(setup.points), 1)


class From(unittest.IsolatedAsyncioTestCase):
    async def test_a_board_that_is_there_becomes_a_bench(self):
        bench = RunningBench(load_bench(demo_path()).setup, hosts=False)
        await bench.start()
        self.addAsyncCleanup(bench.stop)
        at = {endpoint.link: endpoint.address for endpoint in bench.endpoints}
        for link, points in (
            ("gatehouse", 2), ("pumphouse", 0), ("switchrack", 1), ("signalpost", 0), ("towpath", 2),
        ):  # fmt: skip
            with self.subTest(link):
                text = await bench_at(at[link], "Found")
                setup = check_text(text, "x.bench.toml")
                self.assertGreaterEqual(len(setup.points), points, text)
                (made,) = setup.links.values()
                self.assertIn(at[link], (made.address, made.broker))
                if link == "gatehouse":
                    (board,) = setup.boards.values()
                    self.assertEqual(sorted(board.profile.pins), list(range(20)))
                    self.assertEqual(board.profile.pins[14].channel, 0)
