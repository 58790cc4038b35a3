"""Hands at the inputs of simulated boards, while the bench is slow to do what they ask for."""

import unittest
from concurrent.futures import Future

import msgspec

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

    def test_a_lever_stands_where_its_point_is_to_be(self):
        for low, high, wire_low, wire_high, value, stands in (
            (-1, 1, 0, 1023, 0.5, 0.5), (0, 100, 0, 1023, 75, 0.5), (0, 100, 1023, 0, 75, -0.5),
            (2, 10, 0, 1023, 12, 1.0), (2, 10, 0, 1023, 2, -1.0),
        ):  # fmt: skip
            with self.subTest(low=low, high=high), BenchThread(load_bench(demo_path()).setup, None) as thread:
                late = Late()
                desk = Desk(thread.bench, late)
                point = msgspec.structs.replace(
                    thread.bench.setup.points["windlass"], low=low, high=high, wire_low=wire_low, wire_high=wire_high
                )
                desk.hands.set(point, value)
                late.let_go(thread.post)
                lever = thread.bench.world.part("gatehouse.windlass")
                self.assertAlmostEqual(stands, lever.fraction(thread.bench.clock.now()))


if __name__ == "__main__":
    unittest.main()
