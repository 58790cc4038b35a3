"""The library where other loops, threads and benches are about."""

import asyncio
import gc
import subprocess
import sys
import textwrap
import threading
import unittest

import cavet
import cavet.aio
from cavet.testing import BenchCase
from tests.patience import PATIENCE


async def dim(seed: str) -> list:
    """Work a bench of its own; give what its lamp was told, and when, since the bench was ready."""
    async with cavet.aio.open("demo", seed=seed) as bench:
        began = bench.t
        await bench["beacon"].set(10)
        await bench.wait(0.5)
        return [
            (event.kind, event.value, round(event.t - began, 6))
            for event in bench.record.events
            if event.subject == "beacon" and event.t >= began
        ]


def interrupted(script: str) -> str:
    """Run a script that is interrupted, as by ctrl+c, half a second after its `interrupt_soon()`; give what it says."""
    begin = """
        import asyncio, os, signal, threading
        import cavet

        signal.signal(signal.SIGINT, signal.default_int_handler)  # it is ignored in what a shell runs beside itself

        def interrupt_soon():
            threading.Timer(0.5, os.kill, [os.getpid(), signal.SIGINT]).start()
    """
    call = [sys.executable, "-c", textwrap.dedent(begin) + textwrap.dedent(script)]
    done = subprocess.run(call, capture_output=True, text=True, timeout=PATIENCE)
    return done.stdout + done.stderr


class BenchesInOneLoop(unittest.TestCase):
    def test_one_after_the_other_and_side_by_side(self):
        async def both():
            first = await dim("a")
            return [first, await dim("a"), *await asyncio.gather(dim("a"), dim("a"))]

        runs = cavet.aio.run(both())
        self.assertEqual([runs[0]] * 4, runs)
        self.assertIn("confirmed", [kind for kind, *_ in runs[0]])

    def test_two_who_ask_for_the_same_at_once_both_wait_until_it_is_so(self):
        wishes = {
            "beacon": 50, "pump_a_speed": 40, "lamp": True, "post_1": True, "yard_1": True, "relay_101": True,
            "panel": "Hi", "supply_1_voltage": 5,
        }  # fmt: skip

        async def story():
            async with cavet.aio.open("demo", seed="a") as bench:
                found = {}

                async def ask(name):
                    trail = await bench[name].set(wishes[name])
                    confirmed = [e for e in bench.record.events if e.kind == "confirmed" and e.subject == name]
                    found.setdefault(name, []).append((trail.ended in ("confirmed", "left out"), len(confirmed) > 0))

                for name in wishes:
                    await asyncio.gather(ask(name), ask(name), ask(name))
                return found

        self.assertEqual({name: [(True, True)] * 3 for name in wishes}, cavet.aio.run(story()))

    def test_two_who_ask_for_the_same_both_hear_that_it_was_not_confirmed(self):
        async def story():
            async with (
                cavet.aio.open("demo", seed="a") as bench,
                bench.defect("towpath_mute"),
                bench.defect("no_panel"),
            ):
                wishes = {"lamp": True, "panel": "Hi"}
                asked = [bench[name].set(value) for name, value in wishes.items() for _ in range(2)]
                return await asyncio.gather(*asked, return_exceptions=True)

        told = cavet.aio.run(story())
        self.assertEqual(["Unconfirmed"] * 2 + ["Refused"] * 2, [type(each).__name__ for each in told], told)

    def test_what_runs_in_a_loop_that_has_run_for_days_ends(self):
        async def go(days):
            await asyncio.sleep(days * 86400)
            async with cavet.aio.open("demo", seed="a") as bench:
                ran = await bench.run("demo", "blink_while_driving")
                await bench["upper_paddle"].set(10, over=0.7)
                return ran.result, bench["upper_paddle"].got

        for days in (0, 10):
            with self.subTest(days):
                self.assertEqual(("done", 10.0), cavet.aio.run(go(days)))

    def test_a_bench_that_is_not_entered_or_left_says_so(self):
        async def work(bench, expected):
            for attempt in (
                lambda: bench.wait(1), lambda: bench.rest(), lambda: bench.send("gatehouse", "report-firmware"),
                lambda: bench.walk(), lambda: bench.run("fill.routine"), lambda: bench.wait_until(lambda: True),
            ):  # fmt: skip
                with self.assertRaisesRegex(cavet.WrongError, expected):
                    await attempt()
            with self.assertRaisesRegex(cavet.WrongError, expected):
                bench.frames("gatehouse")

        async def go():
            bench = cavet.aio.open("demo")
            await work(bench, "not entered")
            with self.assertRaisesRegex(cavet.WrongError, "not entered"):
                bench["beacon"]
            async with bench:
                beacon, button = bench["beacon"], bench.part("gatehouse.stop_button")
                await beacon.set(20)
            await work(bench, "was left")
            for attempt in (lambda: beacon.set(30), beacon.read, button.press):
                with self.assertRaisesRegex(cavet.WrongError, "was left"):
                    await attempt()
            self.assertEqual(20, beacon.got)
            with self.assertRaisesRegex(cavet.WrongError, "entered before"):
                async with bench:
                    pass

        cavet.aio.run(go())

    def test_a_condition_may_be_one_that_is_awaited(self):
        async def go():
            async with cavet.aio.open("demo") as bench:
                bench.rig["chamber"] = "1.45 m"
                await bench.wait_until(lambda: is_high(bench), at_most=1.0)
                with self.assertRaises(cavet.TooLate):
                    await bench.wait_until(lambda: is_low(bench), at_most=0.2)

        async def is_high(bench):
            return await bench["level"].read() > 1400

        async def is_low(bench):
            return not await is_high(bench)

        cavet.aio.run(go())


class ConditionsThatAsk(unittest.TestCase):
    def test_they_read_points_afresh_and_set_them(self):
        for real in (False, True):
            with self.subTest(real=real), cavet.open("demo", real=real) as bench:
                bench.wait_until(lambda: bench["level"].read() > 1000, at_most=PATIENCE)
                bench.wait_until(lambda: bench["beacon"].set(30).ended == "confirmed", at_most=PATIENCE)
                self.assertEqual(30, bench["beacon"].got)
                with self.assertRaises(cavet.TooLate):
                    bench.wait_until(lambda: bench["level"].read() > 9000, at_most=0.1)
                with self.assertRaises(ZeroDivisionError):
                    bench.wait_until(lambda: bench["level"].read() / 0, at_most=0.1)


class WhereALoopRunsAlready(unittest.TestCase):
    def test_a_bench_can_be_worked_in_a_coroutine(self):
        async def notebook():
            with cavet.open("demo", seed="a") as bench:
                bench["beacon"].set(30)
                bench.wait_until(lambda: bench.part("gatehouse.beacon").state > 29, at_most=1.0)
                with self.assertRaises(cavet.TooLate):
                    bench.wait_until(lambda: False, at_most=0.1)
                return bench.t, bench["beacon"].got, len(bench.record)

        with cavet.open("demo", seed="a") as bench:
            bench["beacon"].set(30)
            bench.wait_until(lambda: bench.part("gatehouse.beacon").state > 29, at_most=1.0)
            with self.assertRaises(cavet.TooLate):
                bench.wait_until(lambda: False, at_most=0.1)
            self.assertEqual(asyncio.run(notebook()), (bench.t, 30.0, len(bench.record)))

    def test_one_that_nobody_holds_any_more_is_ended_there_too(self):
        def there():
            return sorted(thread.name for thread in threading.enumerate())

        async def notebook():
            before = there()
            bench = cavet.open("demo", real=True)
            self.assertGreater(len(there()), len(before))
            del bench
            gc.collect()
            self.assertEqual(before, there())

        asyncio.run(notebook())

    def test_who_is_interrupted_waits_no_longer(self):
        told = interrupted("""
            async def notebook():
                with cavet.open("demo") as bench:
                    interrupt_soon()
                    try:
                        bench.wait(1e9)
                    except KeyboardInterrupt:
                        print(bench["beacon"].set(30).ended)

            asyncio.new_event_loop().run_until_complete(notebook())
        """)
        self.assertEqual("confirmed\n", told)


class Threads(unittest.TestCase):
    def test_several_may_work_one_bench(self):
        with cavet.open("demo") as bench:
            wishes = {"beacon": 10, "walkway": 20, "horn": True, "alarm_lamp": True, "upper_paddle": 30, "gate": 0}
            threads = [
                threading.Thread(target=lambda name=name, value=value: [bench[name].set(value) for _ in range(20)])
                for name, value in wishes.items()
            ]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join(PATIENCE)
            self.assertEqual(wishes, {name: bench[name].got for name in wishes})

    def test_a_ramp_that_is_interrupted_goes_no_farther(self):
        told = interrupted("""
            with cavet.open("demo", real=True) as bench:
                paddle = bench["upper_paddle"]
                paddle.set(20)
                interrupt_soon()
                try:
                    paddle.set(80, over=60.0)
                except KeyboardInterrupt:
                    bench.wait(0.1)
                    asked = paddle.asked
                    bench.wait(0.3)
                    print(20 < asked < 80, asked == paddle.asked)
        """)
        self.assertEqual("True True\n", told)


class ACaseWithCoroutines(BenchCase, unittest.IsolatedAsyncioTestCase):
    async def test_it_asks_as_others_do(self):
        self.assertConfirmed("beacon", "50 %")
        self.assertMoved("gatehouse.beacon", to=50)


class OnRealEndpointsWithCoroutines(BenchCase, unittest.IsolatedAsyncioTestCase):
    real = True

    async def test_programs_are_run_too(self):
        self.assertEqual(3, self.program(["python", "-c", "raise SystemExit(3)"], within=PATIENCE).code)


if __name__ == "__main__":
    unittest.main()
