"""Campaigns: many seeds, defects and faults; what fails is made small, and fails again by itself."""

import contextlib
import io
import json
import re
import resource
import subprocess
import sys
import unittest
from concurrent.futures import BrokenExecutor, Future
from xml.etree import ElementTree

from cavet.benchfile import load_bench
from cavet.checks import (
    Came,
    Case,
    Done,
    Fault,
    Processes,
    Smaller,
    Wanted,
    carry_out,
    draw,
    orders_of,
    routine_of,
    run_all,
)
from cavet.commands.check import Report
from cavet.wording import WrongError
from tests.checks.huts import Folder, hut
from tests.patience import PATIENCE

BLINK = '[checks.blink]\nroutine = "hut.routine#blink"\n'
ASKS = '[checks.asks]\nroutine = "hut.routine#asks"\n'
"""What waits for answers fails where one is lost; what is set is asked for again."""
LONG = BLINK + 'tunes = { pause = "1 s" }\n'


def cavet(*words, folder=None):
    """Call the command."""
    call = [sys.executable, "-m", "cavet", *words]
    return subprocess.run(call, capture_output=True, text=True, timeout=PATIENCE, cwd=folder)


class Told(unittest.TestCase):
    def test_what_the_smallest_run_says_is_told_where_it_is_something_else(self):
        case = Case(check="c", seed="s")
        for why, count in (("the line was cut", 0), ("it was late", 1)):
            came = Came(case=case, held=False, t=1.0, why="the line was cut")
            done = Done(came=came, small=Came(case=case, held=False, t=1.0, why=why))
            said = io.StringIO()
            with contextlib.redirect_stdout(said):
                for json_lines in (False, True):
                    Report([], "s", json_lines=json_lines, many=1).take(done)
            with self.subTest(why):
                words, line = said.getvalue().rsplit("\n", 2)[:2]
                self.assertEqual(count, words.count("and says: it was late"))
                self.assertEqual(why, json.loads(line)["small"]["why"])


class Small(unittest.TestCase):
    def small(self, fails, defects=(), faults=()):
        case = Case(check="c", seed="s", defects=defects, faults=faults)
        tried = []

        def does(each):
            tried.append(each)
            return fails(each)

        return Smaller(does).of(case), tried

    def test_what_has_no_part_in_it_is_left_out(self):
        faults = tuple(Fault(float(n), f"step {n}") for n in range(8))
        found, tried = self.small(lambda case: any(f.step == "step 5" for f in case.faults), ("a", "b"), faults)
        self.assertEqual(((), ["step 5"]), (found.defects, [fault.step for fault in found.faults]))
        self.assertEqual(len(tried), len(set(tried)))
        both = {"step 1", "step 6"}
        found, _ = self.small(
            lambda case: "a" in case.defects and both <= {f.step for f in case.faults}, ("a", "b"), faults
        )
        self.assertEqual((("a",), both), (found.defects, {fault.step for fault in found.faults}))

    def test_what_is_left_comes_as_early_as_it_can(self):
        found, _ = self.small(lambda case: bool(case.faults) and case.faults[0].t >= 2, faults=(Fault(30.0, "x"),))
        self.assertAlmostEqual(2.0, found.faults[0].t, delta=0.02)

    def test_what_fails_by_itself_needs_nothing(self):
        found, tried = self.small(lambda case: True, ("a",), (Fault(1.0, "x"),))
        self.assertEqual(((), (), 1), (found.defects, found.faults, len(tried)))


class Drawn(Folder, unittest.TestCase):
    def test_faults_are_the_seeds_and_steps_of_the_language(self):
        setup = self.setup(LONG)
        drawn = draw(setup, ["hut"], "a", 40, 10.0)
        self.assertEqual(drawn, draw(setup, ["hut"], "a", 40, 10.0))
        self.assertNotEqual(drawn, draw(setup, ["hut"], "b", 40, 10.0))
        self.assertEqual({"break", "fault", "reset", "press"}, {fault.step.split()[0] for fault in drawn})
        self.assertTrue(all(0 <= fault.t <= 10 for fault in drawn))
        carry_out(setup, Case(check="blink", seed="a", faults=drawn))  # each of them is a step that can be read

    def test_late_faults_come_to_the_millisecond(self):
        told = routine_of([Fault(12345.678, "reset hut"), Fault(1234567.891, "reset hut")], ())
        self.assertEqual(["12345.678", "1222222.213"], re.findall(r"wait (\S+) s", told))
        self.assertEqual("12345.678 s: reset hut", str(Fault(12345.678, "reset hut")))


class Losing:
    """Workers that are lost at one order."""

    count = 2
    is_stopped = False

    def __init__(self, at):
        self.at = at
        self.renewed = 0
        self.done = []

    def submit(self, order):
        future = Future()
        if order == self.at:
            future.set_exception(BrokenExecutor())
        else:
            self.done.append(order.case)
            future.set_result(order)
        return future

    def renew(self):
        self.renewed += 1


class Runs(Folder, unittest.TestCase):
    def orders(self, checks, **wanted):
        path = hut(self.folder, checks)
        setup = load_bench(path).setup
        return orders_of(path, setup, list(setup.checks.values()), Wanted(**wanted))

    def test_one_after_the_other_or_over_processes_it_is_the_same(self):
        orders = self.orders(LONG, seeds=6, faults=2)
        workers = Processes(2)
        self.addCleanup(workers.close)
        self.assertEqual(list(run_all(orders)), list(run_all(orders, workers)))

    def test_what_lost_workers_had_in_hand_is_done_again(self):
        orders = self.orders(LONG, seeds=12, faults=1)
        workers = Processes(2)
        self.addCleanup(workers.close)
        found = []
        for done in run_all(orders, workers):
            found.append(done)
            if len(found) in (2, 5):
                for process in list(workers._pool._processes.values()):
                    process.kill()
        self.assertEqual(list(run_all(orders)), found)

    def test_a_run_that_loses_every_worker_is_told(self):
        orders = self.orders(LONG, seeds=3)
        workers = Losing(orders[1])
        found = []
        with self.assertRaisesRegex(WrongError, "workers lost, one after the other, at blink with --seed hut-2"):
            found.extend(run_all(orders, workers))
        self.assertEqual((orders[0].case, 4), (workers.done[0], workers.renewed + 1))

    def test_workers_that_are_stopped_end_it(self):
        workers = Processes(1)
        self.addCleanup(workers.close)
        workers.stop()
        self.assertEqual([], list(run_all(self.orders(LONG, seeds=3), workers)))

    def test_sets_of_defects_have_runs_of_their_own(self):
        orders = self.orders('[checks.walk]\nwalk = true\nseeds = 2\ndefects = [[], ["dead"], ["dead", "slow"]]\n')
        found = [(order.case.seed, order.case.defects) for order in orders]
        sets = [(), (), ("dead",), ("dead",), ("dead", "slow"), ("dead", "slow")]
        self.assertEqual(list(zip(["hut-1", "hut-2"] * 3, sets, strict=True)), found)
        done = list(run_all(orders))
        self.assertEqual([True, True, False, False, False, False], [each.came.held for each in done])
        self.assertEqual({("dead",)}, {each.small.case.defects for each in done[2:]})

    def test_a_failing_run_is_a_routine_that_fails_by_itself(self):
        path = hut(self.folder, ASKS)
        fails = [done for done in run_all(self.orders(ASKS, seeds=10, faults=3)) if not done.came.held]
        self.assertTrue(fails)
        for number, done in enumerate(fails):
            self.assertLessEqual(len(done.small.case.faults), len(done.came.case.faults))
            file = self.folder / f"f{number}.routine"
            file.write_text(done.routine, "utf-8")
            words = ["run", str(path), str(file), "--seed", done.small.case.seed]
            ran = subprocess.run(
                [sys.executable, "-m", "cavet", *words], capture_output=True, text=True, timeout=PATIENCE
            )
            self.assertEqual(1, ran.returncode, (done.routine, ran.stdout, ran.stderr))


class TheCommand(Folder, unittest.TestCase):
    def call(self, *words, checks=""):
        path = hut(self.folder, checks)
        return cavet("check", str(path), *words, folder=self.folder)

    def test_lines_codes_records_and_xml(self):
        done = self.call("--json", "--defects", ",dead", "--records", ".", "--junit", "o.xml")
        lines = [json.loads(line) for line in done.stdout.splitlines()]
        self.assertEqual((1, ""), (done.returncode, done.stderr))
        walked = [line for line in lines if line["event"] == "walked"]
        self.assertEqual(6, len(walked))
        self.assertEqual(
            {"event": "walked", "check": "walk", "seed": "hut", "defects": [], "output": "lamp", "names": "hut.lamp",
             "moved": ["hut.lamp"], "held": True, "why": ""}, walked[0],
        )  # fmt: skip
        good, bad = [line for line in lines if line["event"] == "run"]
        self.assertEqual((True, [], None), (good["held"], good["defects"], good["record"]))
        self.assertEqual((False, ["dead"], "walk-dead-hut.record"), (bad["held"], bad["defects"], bad["record"]))
        self.assertEqual({"event": "checked", "checks": 1, "runs": 2, "failed": 1, "failed_checks": 1}, lines[-1])
        self.assertTrue((self.folder / "walk-dead-hut.record").is_file())
        root = ElementTree.parse(self.folder / "o.xml").getroot()
        (suite,) = root
        self.assertEqual(("walk", "2", "1"), (suite.get("name"), suite.get("tests"), suite.get("failures")))
        self.assertIn("its line stays low", suite[1][0].get("message"))
        self.assertIn("stopped before driven", suite[1][0].text)

    def test_where_the_results_can_not_go_is_told_before_anything_is_run(self):
        for place in ("no/such/o.xml", ".", ""):
            done = self.call("--junit", place)
            self.assertEqual((2, "", 1), (done.returncode, done.stdout, done.stderr.count("\n")), place)

    def test_a_full_disk_for_records_is_told_and_the_rest_goes_on(self):
        path = hut(self.folder, '[checks.walk]\nwalk = true\ndefects = [["dead"], ["crossed"], []]\n')

        def small_files():
            resource.setrlimit(resource.RLIMIT_FSIZE, (30_000, 30_000))

        call = [sys.executable, "-m", "cavet", "check", str(path), "--json", "--records", str(self.folder)]
        done = subprocess.run(call, capture_output=True, text=True, timeout=PATIENCE, preexec_fn=small_files)
        runs = [json.loads(line) for line in done.stdout.splitlines() if '"run"' in line]
        self.assertEqual((1, "", [None] * 3), (done.returncode, done.stderr, [run["record"] for run in runs]))
        self.assertEqual([True, True, False], ["record" in run["why"] for run in runs])
        self.assertEqual([], list(self.folder.glob("*.record*")))

    def test_whatever_runs_them_the_lines_are_the_same(self):
        words = ("--json", "--seeds", "5", "--faults", "2", "--seed", "x")
        one, two = self.call(*words, checks=LONG), self.call(*words, "--jobs", "3", checks=LONG)
        self.assertEqual((one.returncode, one.stdout), (two.returncode, two.stdout))
        self.assertEqual(6, len(one.stdout.splitlines()))

    def test_bad_words_are_one_line(self):
        for words in (
            ["wolk"],
            ["--defects", "deaf"],
            ["--records", "nowhere"],
            ["--junit", "no/o.xml"],
            ["--seeds", "0"],
        ):
            done = self.call(*words)
            self.assertEqual((2, 1), (done.returncode, done.stderr.count("\n")), (words, done.stderr))
