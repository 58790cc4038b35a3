"""Benches to try things on: the demo, run in fast time; and a small bench file to spoil."""

import asyncio

import tomlkit

from cavet import clock
from cavet.bench import Carrier, RunningBench, Standings
from cavet.benchfile import check_text, load_bench
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
    """The demo bench."""
    return load_bench(demo_path()).setup


def gatehouse_text(tcp_port=None):
    """The demo's file with one board of it alone; on TCP where a port is given."""
    document = tomlkit.parse(demo_path().read_text())
    for section in ("boards", "links", "hosts"):
        for name in list(document[section]):
            if name != "gatehouse":
                del document[section][name]
    for name, point in list(document["points"].items()):
        if point["board"] != "gatehouse":
            del document["points"][name]
    if tcp_port is not None:
        document["links"]["gatehouse"] = {"kind": "tcp", "board": "gatehouse", "port": tcp_port}
    for quantity in ("water", "battery"):
        del document["rig"][quantity]
    for name, defect in list(document["defects"].items()):
        if defect["board"] != "gatehouse":
            del document["defects"][name]
    rate = document["rig"]["chamber"]["rate"]
    document["rig"]["chamber"]["rate"] = "\n".join(line for line in rate.splitlines() if "pumphouse" not in line)
    return tomlkit.dumps(document)


def gatehouse():
    """The gatehouse alone."""
    return check_text(gatehouse_text(), "gatehouse.bench.toml")


def in_fast_time(story, setup=None):
    """Run `story(bench, standings)` on a bench in memory, ready to be asked; give what it gives."""

    async def run():
        bench = RunningBench(setup or gatehouse(), carrier=Carrier.MEMORY)
        await bench.start()
        standings = Standings(bench)
        await asyncio.sleep(2.0)
        try:
            return await story(bench, standings)
        finally:
            await bench.stop()

    return clock.run(run(), fast=True)
