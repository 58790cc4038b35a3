"""Routines: steps against bare tasks with the same waits, many tracks, checking a long file, jitter in real time."""

import asyncio
import statistics
import time

from cavet import clock
from cavet.bench import BenchThread, Carrier, RunningBench
from cavet.routines import Runner, routine_text
from cavet.workbench import CavetApp, Desk
from cavet.workbench.screens.routines import RoutinesScreen
from tests.routines.running import SETUP, carry_out
from tests.speed_tools import best, flooded, pressed, ratio, shown, tells, told

STEPS, TRACKS, LINES = 10_000, 1000, 10_000
PERIOD, TURNS = 0.01, 200


def run(text):
    return carry_out(routine_text(text, "f", SETUP), "a", None, None, SETUP)


def steps():
    text = f"routine a\n    repeat {STEPS} times\n        wait 1 ms\n"

    async def bare():
        for _ in range(STEPS):
            await asyncio.sleep(0.001)

    ours, bare_seconds = best(lambda: run(text)), best(lambda: clock.run(bare(), fast=True))
    ratio("a routine of 10 000 steps in fast time (against bare tasks)", ours, bare_seconds, 10)


def tracks():
    text = "routine a\n    wait 1 s\n" + "".join(
        f"alongside t{number}\n    every 100 ms\n        let x = 1\n" for number in range(TRACKS)
    )
    began = time.perf_counter()
    ran = run(text)
    seconds = time.perf_counter() - began
    told(f"a routine of {TRACKS} tracks", f"{len(ran.lines) / seconds:.0f} steps a second", "", True)


def checking():
    step = "    set beacon to {0} %\n    wait until level > {0} mm at most 2 s\n"
    step += '    if level > 3 mm\n        say "{{level}}"\n'
    text = "routine a\n" + "".join(step.format(number % 100) for number in range(LINES // 4))
    seconds = best(lambda: routine_text(text, "f", SETUP))
    told(f"checking {LINES} lines", f"{seconds:.2f} s", "1 s", seconds < 1)


def jitter():
    """How far the turns of `every 10 ms` lie off in real time, on the demo's bench in memory."""
    turn = f"        let x = elapsed\n        if x > {PERIOD * TURNS} s\n            leave\n"
    program = routine_text(f"routine a\n    every 10 ms\n{turn}", "f", SETUP)
    lines = []

    async def story():
        bench = RunningBench(SETUP, carrier=Carrier.MEMORY)
        await bench.start()
        try:
            await Runner(bench, program, lines.append).run("a")
        finally:
            await bench.stop()

    clock.run(story(), fast=False)
    began = [line["began"] for line in lines if line["event"] == "step" and line["line"] == 3]
    off = sorted(1000 * abs(at - began[0] - PERIOD * number) for number, at in enumerate(began))
    words = f"{statistics.median(off):.2f} ms off, 95th percentile {off[int(0.95 * len(off))]:.2f}"
    told("every 10 ms in real time, with the demo beside it", words, "", True)


def keys():
    """From a key in the editor to what is said of the text, with a routine running and 10 000 events a second."""
    text = "routine a\n    repeat\n        toggle beacon\n        wait 20 ms\n"

    async def story(thread):
        app = CavetApp(Desk(thread.bench, thread.post))
        async with app.run_test(size=(160, 47)):
            while not thread.bench.host_links["gatehouse"].ready:
                await asyncio.sleep(0.01)
            app.go_to_screen("routines")
            while not isinstance(app.screen, RoutinesScreen):
                await asyncio.sleep(0.01)
            editor = app.screen._editor
            editor.load_text(text)
            editor.move_cursor((1, 10))
            await pressed(app, "f5", lambda: app._desk.work.is_running)
            found = []
            with flooded(thread, tells(thread)):
                await asyncio.sleep(0.5)
                for _ in range(30):
                    found.append(await pressed(app, "x", lambda: "mistakes 1" in shown(app, "lower")))
                    found.append(await pressed(app, "backspace", lambda: "mistakes  none" in shown(app, "lower")))
            return sorted(found)[int(0.95 * len(found))]

    with BenchThread(SETUP, None) as thread:
        seconds = asyncio.run(story(thread))
    words = f"{1e3 * seconds:.0f} ms"
    told("key to what is said of the text, at 10 000 events a second", words, "under 50 ms", seconds < 0.05)


MEASURES = (steps, tracks, checking, jitter, keys)

if __name__ == "__main__":
    for measure in MEASURES:
        measure()
