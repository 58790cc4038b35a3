"""Runs on the workers of a scheduler: the same lines, lost workers made up for, a scheduler that vanishes told."""

import os
import signal
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from cavet.benchfile import load_bench
from cavet.checks import Cluster, Wanted, orders_of, run_all
from cavet.wording import UnreachableError, WrongError
from tests.checks.huts import hut
from tests.checks.test_campaigns import LONG, cavet
from tests.patience import PATIENCE

SERVE = """
import sys, os
from distributed import LocalCluster
if __name__ == "__main__":
    cluster = LocalCluster(
        n_workers=2, threads_per_worker=1, dashboard_address=None, host="127.0.0.1", local_directory=sys.argv[1],
        silence_logs=50,
    )
    print(cluster.scheduler_address, *[worker.process.pid for worker in cluster.workers.values()], flush=True)
    sys.stdin.read()
    os._exit(0)
"""


class Served:
    """A scheduler with two workers, in processes of their own; its input shut ends it."""

    def __init__(self, folder):
        program = folder / "serve.py"
        program.write_text(SERVE, "utf-8")
        self._process = subprocess.Popen(
            [sys.executable, str(program), str(folder)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
            stderr=subprocess.DEVNULL, env={**os.environ, "PYTHONPATH": str(Path(__file__).parents[2])},
            start_new_session=True,
        )  # fmt: skip
        words = self._process.stdout.readline().split()
        self.address, self.workers = words[0].removeprefix("tcp://"), [int(word) for word in words[1:]]

    def kill(self):
        os.killpg(self._process.pid, signal.SIGKILL)

    def close(self):
        self.kill()
        self._process.wait(PATIENCE)
        self._process.stdin.close()
        self._process.stdout.close()


class OnWorkers(unittest.TestCase):
    def setUp(self):
        place = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(place.cleanup)
        self.folder = Path(place.name)
        self.served = Served(self.folder)
        self.addCleanup(self.served.close)

    def orders(self, seeds):
        path = hut(self.folder, LONG)
        setup = load_bench(path).setup
        return orders_of(path, setup, list(setup.checks.values()), Wanted(seeds=seeds, faults=2))

    def test_the_lines_are_the_same_whatever_ran_where(self):
        path = str(hut(self.folder, LONG))
        words = ("check", path, "--seeds", "8", "--faults", "2", "--json")
        here, there = cavet(*words), cavet(*words, "--on", self.served.address)
        self.assertEqual((here.returncode, here.stdout, ""), (there.returncode, there.stdout, there.stderr))
        self.assertEqual(9, len(there.stdout.splitlines()))

    def test_records_are_kept_on_this_machine(self):
        path = str(hut(self.folder, '[checks.walk]\nwalk = true\ndefects = [["dead"], []]\n'))
        words = ("check", path, "--json", "--records", ".")
        here = cavet(*words, folder=self.folder)
        (record,) = self.folder.glob("*.record")
        record.unlink()
        there = cavet(*words, "--on", self.served.address, folder=self.folder)
        self.assertEqual((here.stdout, ""), (there.stdout, there.stderr))
        self.assertTrue(record.is_file())

    def test_what_lost_workers_had_in_hand_is_done_again(self):
        orders = self.orders(16)
        workers = Cluster(self.served.address)
        self.addCleanup(workers.close)
        self.assertEqual(2, workers.count)
        found = []
        for done in run_all(orders, workers):
            found.append(done)
            if len(found) == 3:
                os.kill(self.served.workers[0], signal.SIGKILL)
        self.assertEqual(list(run_all(orders)), found)

    def test_a_scheduler_that_vanishes_is_told(self):
        workers = Cluster(self.served.address)
        self.addCleanup(workers.close)
        with self.assertRaisesRegex(UnreachableError, "the scheduler is gone"):
            for place, _ in enumerate(run_all(self.orders(200), workers)):
                if place == 2:
                    self.served.kill()


class NotThere(unittest.TestCase):
    def test_where_there_is_none_it_is_told_in_one_line(self):
        with self.assertRaisesRegex(UnreachableError, "no scheduler answers"):
            Cluster("127.0.0.1:9")
        with mock.patch.dict(sys.modules, {"distributed": None}):
            with self.assertRaisesRegex(WrongError, "no Dask here"):
                Cluster("127.0.0.1:9")

    def test_a_program_is_not_sent_anywhere(self):
        with tempfile.TemporaryDirectory() as name:
            path = hut(Path(name), '[checks.p]\nprogram = ["python", "-c", "1"]\nexpect = ["lamp rises"]\n')
            done = cavet("check", str(path), "--allow-programs", "--on", "127.0.0.1:9")
            self.assertEqual((2, 1), (done.returncode, done.stderr.count("\n")))
            self.assertIn("on this machine only", done.stderr)
