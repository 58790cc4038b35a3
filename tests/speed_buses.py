"""Speed of the simulated bus, of a panel over Firmata, and of a format of the user's own."""

import asyncio
import struct

from cavet import clock
from cavet.bench import Carrier, RunningBench
from cavet.benchfile import load_bench, read_plan_text
from cavet.boards.buses import Expander
from cavet.demo import demo_path
from cavet.protocols import Side
from cavet.record import Kind
from tests.boards.test_bus import Bench, shipped
from tests.boards.worlds import wired
from tests.speed_tools import best, ratio

ROUNDS = 2000
FRAMES = 5000


def transactions():
    """Registers read on the simulated bus, against a device that is a list and nothing more."""
    bench = Bench(wired(Expander, "mast", register_map=shipped("expander16"), address=0x26))
    bus = bench.bus

    def ours():
        for _ in range(ROUNDS):
            bus.write_read(0x26, b"\x0e", 1, 0.0, None)

    registers = [0] * 15

    def bare():
        for _ in range(ROUNDS):
            wire = bytes((0x4C, 0x0E, 0x4D))
            bytes((*wire, registers[wire[1]]))

    seconds = best(ours)
    ratio(f"I2C, a register read on the bus, {ROUNDS / seconds:.0f} a second", seconds, best(bare), 60)


def redraws():
    """Full redraws of the gatehouse's panel, against the time that their bytes take on the wire."""

    async def run():
        setup = load_bench(demo_path()).setup
        bench = RunningBench(setup, carrier=Carrier.MEMORY, boards=["gatehouse"])
        await bench.start()
        while not bench.host_links["gatehouse"].ready:
            await asyncio.sleep(0.05)
        await asyncio.sleep(1)
        point, first, began = bench.point("panel"), len(bench.record.since(0)), bench.clock.now()
        for number in range(20):
            text = "ABCDEFGHIJKLMNOP\n0123456789abcdef" if number % 2 else "ponmlkjihgfedcba\nQRSTUVWXYZ!?<>-+"
            done = len([e for e in bench.record.since(0) if e.kind == Kind.CONFIRMED])
            bench.ask(point, text, by="speed")
            while len([e for e in bench.record.since(0) if e.kind == Kind.CONFIRMED]) == done:
                await asyncio.sleep(0.001)
        seconds = bench.clock.now() - began
        framed = [e for e in bench.record.since(0)[first:] if e.kind == Kind.FRAMED and e.subject == "panel"]
        size = sum(len(event.value) for event in framed)
        await bench.stop()
        return seconds, size * setup.links["gatehouse"].byte_seconds

    ours, wire = clock.run(run(), fast=True)
    ratio(f"panel over Firmata, {20 / ours:.1f} full redraws a bench second (against the wire)", ours, wire, 1.5)


def plans():
    """A report packed into bits, decoded from its plan, against code written by hand for it."""
    text = """format = 1
[frames.report]
size = 4
fields = [
  { name = "head", at = "0.4", bits = 4, const = 0xA },
  { name = "mode", at = "0.2", bits = 2, values = { rest = 0, fill = 1, drain = 2 } },
  { name = "speed", at = 1, bits = 8, scale = 0.5, unit = "%", max = 100 },
  { name = "tilt", at = 2, bits = 8, type = "int" },
  { name = "sum", at = 3, bits = 8, check = "sum8" },
]
"""
    chosen = read_plan_text(text, "speed").codec("report")
    stream = bytes.fromhex("A4 64 FD 05") * FRAMES
    words = {0: "rest", 1: "fill", 2: "drain"}
    layout = struct.Struct(">BBbB")

    def bare():
        found = []
        for at in range(0, len(stream), 4):
            first, speed, tilt, check = layout.unpack_from(stream, at)
            good = first >> 4 == 0xA and sum(stream[at : at + 3]) & 0xFF == check and speed <= 200
            found.append({"mode": words[first >> 2 & 3], "speed": speed * 0.5, "tilt": tilt, "good": good})
        return found

    ratio("a format of the user's own, decoding", best(lambda: chosen.decoder(Side.HOST).feed(stream)), best(bare), 5)


MEASURES = (transactions, redraws, plans)
