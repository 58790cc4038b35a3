"""Benches to try things on: the demo, run in fast time; and a small bench file to spoil."""

import asyncio

from cavet import clock
from cavet.bench import Carrier, RunningBench, Standings, load_bench
from cavet.demo import demo_path

SMALL = """\
format = 1
name = "small"

[boards.hut]
profile = "wren"
firmware = "firmata"

[boards.hut.parts]
lamp = { kind = "lamp", pin = 3 }   # by the door
gauge = { kind = "gauge", pin = "A0", of = "level", range = ["0 mm", "3 m"] }

[rig.level]
unit = "mm"
start = "1.2 m"
range = [0, 3000]

[links.hut]
kind = "serial"
board = "hut"

[hosts.hut]
link = "hut"
protocol = "firmata"

[points.lamp]
board = "hut"
kind = "level"
pin = 3
mode = "pwm"

[points.level]
board = "hut"
kind = "reading"
pin = "A0"
unit = "mm"
range = [0, 3000]
"""


def demo():
    """The plan of the demo bench."""
    return load_bench(demo_path()).plan


def in_fast_time(story, plan=None):
    """Run `story(bench, standings)` on a bench in memory, ready to be asked; give what it gives."""

    async def run():
        bench = RunningBench(plan or demo(), carrier=Carrier.MEMORY)
        await bench.start()
        standings = Standings(bench)
        await asyncio.sleep(2.0)
        try:
            return await story(bench, standings)
        finally:
            await bench.stop()

    return clock.run(run(), fast=True)
