"""Speed of campaigns: bench seconds a second, runs a second, over processes, over the workers of a scheduler. Part of
`make speed`."""

import contextlib
import tempfile
import time
from pathlib import Path

from cavet.benchfile import load_bench
from cavet.checks import Cluster, Processes, Wanted, orders_of, run_all
from cavet.demo import demo_path
from tests.checks.test_cluster import Served
from tests.speed_tools import told

CHECK, SEEDS = "locking", 24
MACHINES, CORES = 100, 4
"""So many are reckoned with, from what was measured on two cores of one."""


def campaign(seeds):
    """The demo's locking from so many seeds, a fault in each, none of which is a hand at the stop button."""
    path = demo_path()
    setup = load_bench(path).setup
    orders = orders_of(path, setup, [setup.checks[CHECK]], Wanted(seeds=4 * seeds, faults=1))
    return [order for order in orders if not any("press" in fault.step for fault in order.case.faults)][:seeds]


def timed(orders, workers=None):
    """How long they take, and how many bench seconds they are; the workers have done one each before."""
    if workers is not None:
        list(run_all(orders[: workers.count], workers))
    began = time.perf_counter()
    bench = sum(done.came.t for done in run_all(orders, workers))
    return time.perf_counter() - began, bench


def checks():
    """All of it."""
    orders = campaign(SEEDS)
    alone, bench = timed(orders)
    words = f"{bench / alone:.0f} bench seconds a second a core, {SEEDS / alone:.2f} runs a second"
    told(f"a campaign of {SEEDS} lockings, six boards", words, "at least 60", bench / alone >= 60)
    with contextlib.closing(Processes(2)) as workers:
        two, _ = timed(orders, workers)
    share = alone / two / 2
    told(
        "the same over 2 processes",
        f"{SEEDS / two:.2f} runs a second, {share:.0%} of twice as many",
        "80 %",
        share >= 0.8,
    )
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        served = Served(Path(folder))
        with contextlib.closing(served), contextlib.closing(Cluster(served.address)) as workers:
            spread, _ = timed(orders, workers)
    share = alone / spread / 2
    words = f"{SEEDS / spread:.2f} runs a second, {share:.0%} of twice as many"
    told("the same over a scheduler with 2 workers", words, "70 %", share >= 0.7)
    many = share * MACHINES * CORES * SEEDS / alone
    words = f"{many:.0f} runs a second, {10_000 / many:.0f} s for 10 000: reckoned from these two workers, not measured"
    told(f"on {MACHINES} machines of {CORES} cores", words, "", True)


MEASURES = (checks,)
