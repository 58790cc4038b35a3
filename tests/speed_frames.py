"""Figures of the frames: the tape with a million frames kept, searches through them, rulers."""

import asyncio
import random
import time

from cavet.bench import BenchThread, Tape
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.drawings.console import painted
from cavet.drawings.explained import draw_explained
from cavet.protocols import Side, as_fields, codec, read_whole, ruler
from cavet.record import Direction, Record, Seat
from cavet.workbench import CavetApp, Desk
from cavet.workbench.drawing.tape import draw_tape
from cavet.workbench.frames import views
from cavet.workbench.frames.reading import Reading
from tests.speed_tools import best, flooded, pressed, shown, told

FRAMES = 1_000_000
A_TRANSFER = 4
CELLS = 134


class Bench:
    """What the views look at."""

    def __init__(self, setup):
        self.setup, self.host_links = setup, {}


class Looking:
    """A desk at which one only looks."""

    def __init__(self, setup):
        self.bench, self.now = Bench(setup), 0.0


def filled():
    """A tape of a million frames, at 10 000 a second."""
    setup = load_bench(demo_path()).setup
    record = Record(now=lambda: 0.0)
    tape = Tape(setup, record)
    chance = random.Random("frames")
    offset, spent = 0, 0.0
    for number in range(FRAMES // A_TRANSFER):
        data = b"".join(bytes((0xE0 | chance.randrange(16), chance.randrange(128), chance.randrange(100)))
                        for _ in range(A_TRANSFER))  # fmt: skip
        t = number * A_TRANSFER / 10_000
        record.carry("gatehouse", "", Seat.BOARD, Direction.TO_HOST, offset, t, t + A_TRANSFER / 10_000, data)
        offset += len(data)
        if number % 2000 == 0:
            begin = time.perf_counter()
            tape.follow()
            spent += time.perf_counter() - begin
    tape.follow()
    told("tape, reading on", f"{1e6 * spent / FRAMES:.1f} µs a frame", "under 20 µs", spent / FRAMES < 20e-6)
    return setup, record, tape


def frames():
    setup, record, tape = filled()
    reading, desk = Reading(tape, record), Looking(setup)
    reading.following, reading.number = False, FRAMES // 2
    worst = 0.0
    for cell in (0.0001, 0.001, 0.01, 0.5):
        reading.cell, reading.begin = cell, 40.0
        worst = max(worst, best(lambda: draw_tape(views.tape_view(desk, reading, CELLS), 160, 14)))
    told("tape, drawn with a million frames kept", f"{1e3 * worst:.1f} ms", "under 8 ms", worst < 0.008)
    slowest = 0.0
    for wanted in ("nosuch-message", "value = 16383", "0xEF 7F 63 EF 7F 63 EF 7F 63", "problem"):
        reading.number = 0
        begin = time.perf_counter()
        reading.search(wanted, 1, CELLS)
        slowest = max(slowest, time.perf_counter() - begin)
    told("search through a million frames, slowest", f"{slowest:.2f} s", "under 1 s", slowest < 1)
    rulers()


def rulers():
    chosen = codec("modbus-rtu")
    stream = bytes.fromhex("07 06 00 00 02 58 89 36") * 1000

    def decode():
        return [as_fields(frame.message) for frame in read_whole(chosen, stream, Side.HOST)]

    def explain():
        return [painted(draw_explained(frame, ruler(chosen, frame, Side.HOST), Side.HOST, 80), None)
                for frame in read_whole(chosen, stream, Side.HOST)]  # fmt: skip

    own = best(explain)
    told(
        "ruler of a frame",
        f"{1e3 * own / 1000:.2f} ms; {own / best(decode):.0f} × its fields alone",
        "under 2 ms",
        own < 2,
    )


def keys():
    """From a key to its frame on the ruler, while 10 000 frames a second pass."""
    file = load_bench(demo_path())

    async def run(thread):
        app = CavetApp(Desk(thread.bench, thread.post))
        async with app.run_test(size=(160, 47)):
            while not thread.bench.host_links["pumphouse"].ready:
                await asyncio.sleep(0.01)
            await pressed(app, "f4", lambda: app.screen.query("#under"))
            await pressed(app, "down", lambda: "pumphouse" in shown(app, "tape"))
            found = []
            with flooded(thread, carries(thread)):
                await asyncio.sleep(1.0)
                for _ in range(60):
                    before = shown(app, "under").partition("\n")[0]
                    found.append(
                        await pressed(app, "left", lambda was=before: shown(app, "under").partition("\n")[0] != was)
                    )
            return sorted(found)[int(0.95 * len(found))]

    with BenchThread(file.setup, None) as thread:
        seconds = asyncio.run(run(thread))
    told(
        "key to ruler at 10 000 frames a second, 95th percentile",
        f"{1e3 * seconds:.0f} ms",
        "under 50 ms",
        seconds < 0.05,
    )


def carries(thread):
    """What carries a frame, which is a transfer."""
    record, data = thread.bench.record, bytes.fromhex("00 01 00 00 00 06 07 06 00 00 02 58")

    def carry(number):
        t = number / 10_000
        record.carry("pumphouse", "flood", Seat.BOARD, Direction.TO_BOARD, 12 * number, t, t, data)

    return carry


MEASURES = (frames, keys)
