"""An answer that comes down a line is waited for while it comes, and not for ever."""

import asyncio
import time
import unittest
from math import inf

from cavet import clock
from cavet.links import Coming


async def waited(byte_seconds, most, until, comes=(), seconds=1.0):
    """How long it waits for what never comes, in s, while so many bytes come every half second."""
    bench = clock.BenchClock.of_loop(asyncio.get_running_loop())
    coming = Coming(bench, byte_seconds, most, until)

    async def come():
        for size in comes:
            await asyncio.sleep(0.5)
            coming.comes(size)

    task = asyncio.create_task(come())
    await coming.wait(lambda: False, asyncio.Event(), seconds)
    took = bench.now()
    await task
    return round(took, 6)


class Waiting(unittest.TestCase):
    def test_it_is_put_off_by_the_time_of_the_bytes_up_to_so_many(self):
        for byte_seconds, most, until, took in (
            (0.01, 100, inf, 2.0), (0.01, 60, inf, 1.6), (0.01, 100, 1.5, 1.5), (0.0, 100, inf, 1.0),
        ):  # fmt: skip
            with self.subTest((byte_seconds, most, until)):
                self.assertEqual(took, clock.run(waited(byte_seconds, most, until, (40, 40, 40)), fast=True))

    def test_what_has_come_is_not_waited_for(self):
        async def story():
            bench, stirred, came = clock.BenchClock.of_loop(asyncio.get_running_loop()), asyncio.Event(), []
            asyncio.get_running_loop().call_later(0.3, lambda: (came.append(1), stirred.set()))
            await Coming(bench, 0.0, 10).wait(lambda: bool(came), stirred, 5.0)
            return bench.now()

        self.assertEqual(0.3, clock.run(story(), fast=True))

    def test_what_comes_when_it_is_over_is_no_matter(self):
        self.assertEqual(0.2, clock.run(waited(0.01, 100, inf, (40,), seconds=0.2), fast=True))

    def test_while_nobody_is_here_no_time_goes_by(self):
        async def story():
            asyncio.get_running_loop().call_later(0.05, time.sleep, 0.5)  # as if the program had been stopped
            return await waited(0.0, 100, inf, seconds=0.2)

        self.assertGreaterEqual(clock.run(story()), 0.65)


if __name__ == "__main__":
    unittest.main()
