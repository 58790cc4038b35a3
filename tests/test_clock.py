"""The two speeds of the clock."""

import asyncio
import contextlib
import os
import random
import resource
import socket
import tempfile
import time
import unittest

from cavet import clock


async def told_times(waits):
    """Sleep in several tasks at once; give who woke when."""
    loop = asyncio.get_running_loop()
    begin = loop.time()
    told = []

    async def sleeper(name, seconds):
        await asyncio.sleep(seconds)
        told.append((name, round(loop.time() - begin, 6)))

    await asyncio.gather(*(sleeper(name, seconds) for name, seconds in waits))
    return told


class BenchTime(unittest.TestCase):
    def test_what_is_called_at_a_bench_time_is_not_called_before_it(self):
        chance = random.Random("times")
        for _ in range(20_000):
            begin, seconds = (
                chance.uniform(0, 10 ** chance.uniform(-3, 6)),
                chance.uniform(0, 10 ** chance.uniform(-6, 5)),
            )
            bench = clock.BenchClock(lambda begin=begin: begin)
            self.assertGreaterEqual(bench.of(bench.at(seconds)), seconds)
            self.assertAlmostEqual(begin + seconds, bench.at(seconds), delta=1e-9 * (begin + seconds))


class FastTime(unittest.TestCase):
    def test_an_hour_of_waiting_costs_no_time(self):
        before = time.perf_counter()
        told = clock.run(told_times([("hour", 3600), ("minute", 60), ("at once", 0)]), fast=True)
        self.assertEqual(told, [("at once", 0), ("minute", 60), ("hour", 3600)])
        self.assertLess(time.perf_counter() - before, 5)

    def test_the_clock_begins_at_zero_and_stands_while_things_happen(self):
        async def look():
            loop = asyncio.get_running_loop()
            first = loop.time()
            sum(range(100_000))
            return first, loop.time()

        self.assertEqual(clock.run(look(), fast=True), (0.0, 0.0))

    def test_waiting_for_what_can_never_come_is_an_error_not_a_hang(self):
        async def wait():
            await asyncio.Event().wait()

        with self.assertRaises(clock.NothingDueError):
            clock.run(wait(), fast=True)

    def test_timeouts_work_in_it(self):
        async def give_up():
            try:
                async with asyncio.timeout(30):
                    await asyncio.sleep(1000)
            except TimeoutError:
                return asyncio.get_running_loop().time()

        self.assertAlmostEqual(clock.run(give_up(), fast=True), 30)


class TimersOfFastTime(unittest.TestCase):
    def test_time_stands_still_as_soon_as_the_work_is_done(self):
        with asyncio.Runner(loop_factory=clock.FastLoop) as runner:
            loop = runner.get_loop()

            def again(left):
                if left:
                    loop.call_later(1.0, again, left - 1)

            async def work():
                loop.call_later(0, again, 9)

            runner.run(work())
            self.assertEqual(0.0, loop.time())
            runner.run(asyncio.sleep(0.5))
            self.assertEqual(0.5, loop.time())

    """It keeps them itself."""

    def test_what_is_cancelled_is_not_called_and_ties_are_called_in_their_order(self):
        async def story():
            loop, told = asyncio.get_running_loop(), []
            for name in "abc":
                loop.call_at(1.0, told.append, name)
            loop.call_later(0.5, told.append, "first")
            gone = loop.call_at(0.7, told.append, "never")
            gone.cancel()
            await asyncio.sleep(1.0)
            return told, gone.cancelled(), gone.when()

        self.assertEqual(clock.run(story(), fast=True), (["first", "a", "b", "c"], True, 0.7))

    def test_what_raises_is_told_and_the_others_go_on(self):
        async def story():
            loop, told = asyncio.get_running_loop(), []
            loop.set_exception_handler(lambda loop, context: told.append(context["exception"]))
            loop.call_at(1.0, int, "no number")
            loop.call_at(1.0, told.append, "next")
            await asyncio.sleep(2.0)
            return [type(each).__name__ for each in told]

        self.assertEqual(clock.run(story(), fast=True), ["ValueError", "str"])

    def test_a_task_that_never_waits_long_keeps_no_timer_from_its_turn(self):
        async def story():
            loop, told = asyncio.get_running_loop(), []
            loop.call_at(0.0, told.append, loop.time())
            for _ in range(1000):
                if told:
                    break
                await asyncio.sleep(0)
            return told

        self.assertEqual(clock.run(story(), fast=True), [0.0])

    def test_files_are_looked_at_however_many_timers_there_are(self):
        async def story():
            loop = asyncio.get_running_loop()
            reader, writer = socket.socketpair()
            heard = asyncio.Event()
            loop.add_reader(reader, heard.set)

            def tick():
                if not heard.is_set():
                    loop.call_later(0.001, tick)

            tick()
            writer.send(b"x")
            await heard.wait()
            loop.remove_reader(reader)
            reader.close()
            writer.close()
            return loop.time()

        self.assertLess(clock.run(story(), fast=True), 100)


class Regularly(unittest.TestCase):
    def test_it_is_called_at_regular_times_until_it_is_ended_also_by_itself(self):
        async def main():
            loop, told = asyncio.get_running_loop(), []

            def act():
                told.append(loop.time())
                if len(told) == 3:
                    regular.end()

            regular = clock.Regular(0.25, act)
            clock.Regular(0.1, lambda: told.append("ended")).end()
            await asyncio.sleep(5)
            return told

        self.assertEqual(clock.run(main(), fast=True), [0.25, 0.5, 0.75])

    def test_one_looks_at_once_and_again_until_there_is_something(self):
        async def main():
            loop, looks = asyncio.get_running_loop(), []

            def look(at):
                looks.append(round(loop.time(), 3))
                return loop.time() >= at or None

            self.assertIs(await clock.until(lambda: look(0.0), 0.005), True)
            self.assertIs(await clock.until(lambda: look(0.012), 0.005), True)
            self.assertIs(await clock.until(lambda: False, 0.005), False)  # that is something, too
            return looks

        self.assertEqual(clock.run(main(), fast=True), [0.0, 0.0, 0.005, 0.01, 0.015])

    def test_who_is_told_to_give_up_in_the_moment_of_a_look_is_not_looked_for(self):
        async def main():
            loop, told = asyncio.get_running_loop(), []
            loop.set_exception_handler(lambda loop, context: told.append(context["message"]))
            loop.call_at(0.01, lambda: waits.cancel())  # just before the look
            waits = asyncio.create_task(clock.until(lambda: loop.time() >= 0.01 or None, 0.01))
            with self.assertRaises(asyncio.CancelledError):
                await waits
            await asyncio.sleep(1)
            return told

        self.assertEqual(clock.run(main(), fast=True), [])

    def test_what_a_look_raises_is_raised_where_it_is_waited_for_and_who_gives_up_looks_no_more(self):
        async def main():
            looks = []

            def look():
                looks.append(None)
                if len(looks) == 3:
                    raise KeyError("the third")

            with self.assertRaises(KeyError):
                await clock.until(look, 0.01)
            with self.assertRaises(TimeoutError):
                await asyncio.wait_for(clock.until(look, 0.01), 0.035)
            await asyncio.sleep(1)
            return len(looks)

        self.assertEqual(clock.run(main(), fast=True), 3 + 4)


class RealTime(unittest.TestCase):
    def test_it_never_wakes_too_early_and_keeps_the_order(self):
        told = clock.run(told_times([("later", 0.02), ("sooner", 0.005)]))
        self.assertEqual([name for name, _ in told], ["sooner", "later"])
        self.assertGreaterEqual(told[0][1], 0.005)
        self.assertGreaterEqual(told[1][1], 0.02)

    def test_it_waits_in_a_program_that_has_a_thousand_files_open(self):
        if resource.getrlimit(resource.RLIMIT_NOFILE)[0] < 1500:
            self.skipTest("no more than a thousand files can be open here")
        with tempfile.TemporaryFile() as file, contextlib.ExitStack() as files:
            for _ in range(1100):
                files.callback(os.close, os.dup(file.fileno()))
            told = clock.run(told_times([("later", 0.02), ("sooner", 0.005)]))
        self.assertEqual([name for name, _ in told], ["sooner", "later"])

    def test_while_it_was_stopped_nobody_was_there(self):
        async def story():
            bench = clock.BenchClock.of_loop(asyncio.get_running_loop())
            began = bench.now()
            await asyncio.sleep(0.02)
            time.sleep(0.3)  # as if the whole program had been stopped
            during = bench.away_since(began)
            await asyncio.sleep(0.02)
            return bench.now() - began, during, bench.away_since(began), bench.away_since(bench.now())

        past, during, after, since_now = clock.run(story())
        self.assertGreater(during, 0.29)
        self.assertGreaterEqual(after, during)
        self.assertLess(after, past)
        self.assertEqual(since_now, 0)

    def test_what_has_too_much_to_do_all_the_time_is_there(self):
        async def story():
            bench = clock.BenchClock.of_loop(asyncio.get_running_loop())
            for _ in range(16):
                time.sleep(0.12)
                await asyncio.sleep(0)
            return bench.now(), bench.away_since(0)

        past, away = clock.run(story())
        self.assertLess(away, 0.75 * past)

    def test_in_fast_time_somebody_is_always_there(self):
        async def story():
            bench = clock.BenchClock.of_loop(asyncio.get_running_loop())
            await asyncio.sleep(100)
            return bench.away_since(0), bench.spent_since(0)

        self.assertEqual(clock.run(story(), fast=True), (0, 100))

    def test_bench_time_counts_from_the_start(self):
        async def look():
            bench = clock.BenchClock.of_loop(asyncio.get_running_loop())
            first = bench.now()
            await asyncio.sleep(5)
            return first, bench.now(), bench.at(7) - asyncio.get_running_loop().time()

        self.assertEqual(clock.run(look(), fast=True), (0, 5, 2))


if __name__ == "__main__":
    unittest.main()
