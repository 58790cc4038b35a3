"""Hands at the inputs of simulated boards, while the bench is slow to do what they ask for."""

import unittest
from concurrent.futures import Future

from cavet.bench import BenchThread
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.workbench import Desk


class Late:
    """Keeps what is asked of the bench until it is let go."""

    def __init__(self):
        self._kept = []

    def __call__(self, act):
        self._kept.append(act)
        return Future()

    def let_go(self, post):
        for act in self._kept:
            post(act).result(timeout=30)


class Nudges(unittest.TestCase):
    def test_a_step_counts_from_where_the_one_before_has_put_it(self):
        with BenchThread(load_bench(demo_path()).setup, None) as thread:
            late = Late()
            desk = Desk(thread.bench, late)
            for name in ("windlass", "level"):
                for _ in range(3):
                    desk.wishes.nudge(thread.bench.setup.points[name], 1)
            lever = thread.bench.world.part("gatehouse.windlass")
            level = thread.bench.world.rig.value("chamber")
            late.let_go(thread.post)
            self.assertAlmostEqual(0.3, lever.fraction(thread.bench.clock.now()))
            self.assertGreater(thread.bench.world.rig.value("chamber"), level + 100)


if __name__ == "__main__":
    unittest.main()
