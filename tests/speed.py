"""Figures of speed, each as a ratio against a bare reference measured in the same run: `make speed`.

They are told, not asserted: a machine that is busy must not fail a test.
"""

import asyncio
import os
import pty
import statistics
import subprocess
import sys
import threading
import time
import tty

from textual import events
from textual.app import App
from textual.widgets import Static

from cavet import clock
from cavet.bench import BenchThread, Carrier, RunningBench
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.protocols import Side, firmata
from cavet.record import Kind, Record
from cavet.workbench import CavetApp, Desk
from cavet.workbench.widgets.picture import Picture
from tests import (
    speed_buses,
    speed_checks,
    speed_devices,
    speed_frames,
    speed_growth,
    speed_kernel,
    speed_messages,
    speed_records,
    speed_routines,
    speed_start,
)
from tests.speed_tools import best, flooded, ratio, tells, told

# the codec


def codec():
    count = 20_000
    values = [(number % 16, number * 37 % 16384) for number in range(count)]
    stream = b"".join(bytes((0xE0 | pin, value & 0x7F, value >> 7)) for pin, value in values)

    def bare_encode():
        return [bytes((0xE0 | pin, value & 0x7F, value >> 7)) for pin, value in values]

    def our_encode():
        return [firmata.encode(firmata.AnalogMessage(pin=pin, value=value)) for pin, value in values]

    def bare_decode():
        out = []
        for at in range(0, len(stream), 3):
            head, low, high = stream[at : at + 3]
            if head & 0xF0 == 0xE0 and low < 0x80 and high < 0x80:
                out.append((head & 15, low | high << 7, at))
        return out

    def our_decode():
        return firmata.FirmataDecoder(Side.HOST).feed(stream)

    assert our_encode() == bare_encode()
    assert [(f.message.pin, f.message.value, f.offset) for f in our_decode()] == bare_decode()
    ratio("Firmata, encoding (against bytes of the same values)", best(our_encode), best(bare_encode), 6)
    ratio("Firmata, decoding (against shifts and masks)", best(our_decode), best(bare_decode), 6)


# the record


def record():
    count = 200_000

    def bare():
        rows = []
        append = rows.append
        now = time.monotonic
        for number in range(count):
            append((number, now(), "told", "gatehouse", None, "message", "analog-message", number, ""))

    def ours():
        append = Record(time.monotonic).append
        for number in range(count):
            append(Kind.TOLD, "gatehouse", "message", "analog-message", number)

    ratio("record, append (against a list's of a tuple)", best(ours), best(bare), 8)


# a round trip over a pseudo-terminal

ROUNDS = 200
QUERY, ANSWER = bytes.fromhex("F0 6D 09 F7"), bytes.fromhex("F0 6E 09 00 00 F7")
WIRE_SECONDS = (len(QUERY) + len(ANSWER)) * 10 / 57600


def echo_seconds():
    """A bare echo of the same sizes on a pseudo-terminal, between two threads."""
    master, slave = pty.openpty()
    tty.setraw(slave)

    def echo():
        for _ in range(ROUNDS):
            got = b""
            while len(got) < len(QUERY):
                got += os.read(master, 64)
            os.write(master, ANSWER)

    thread = threading.Thread(target=echo)
    thread.start()
    seconds = timed_rounds(slave)
    thread.join()
    os.close(master)
    os.close(slave)
    return seconds


def timed_rounds(descriptor):
    """The median time of a question and its answer."""
    found = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        os.write(descriptor, QUERY)
        got = b""
        while len(got) < len(ANSWER):
            got += os.read(descriptor, 64)
        found.append(time.perf_counter() - began)
    return statistics.median(found)


def board_seconds():
    """The same against the served gatehouse, in a process of its own."""
    words = [sys.executable, "-m", "cavet", "serve", "demo"]
    with subprocess.Popen(words, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, text=True) as process:
        path = next(word for word in process.stdout.readline().split() if word.startswith("/dev/"))
        descriptor = os.open(path, os.O_RDWR | os.O_NOCTTY)
        heard = b""
        while not heard.endswith(b"\xf7"):
            heard += os.read(descriptor, 64)
        seconds = timed_rounds(descriptor)
        os.close(descriptor)
        process.terminate()
    return seconds


def round_trip():
    bare = echo_seconds() + WIRE_SECONDS
    ours = board_seconds()
    ratio(f"pin state over a pseudo-terminal, {ours * 1e3:.2f} ms (echo and wire)", ours, bare, 2)


# fast time


def fast_time():
    async def run():
        bench = RunningBench(load_bench(demo_path()).setup, carrier=Carrier.MEMORY, boards=["gatehouse"])
        await bench.start()
        await asyncio.sleep(2)
        began = time.perf_counter()
        await asyncio.sleep(60)
        seconds = time.perf_counter() - began
        await bench.stop()
        return 60 / seconds

    speed = max(clock.run(run(), fast=True) for _ in range(3))
    told("gatehouse in fast time, default reporting", f"{speed:.0f} bench s / s", "600", speed >= 600)


# starting


def process_seconds(*words):
    return best(lambda: subprocess.run([sys.executable, *words], check=True, capture_output=True), 9)


def start():
    ratio(
        "cavet --version (against python -c pass)",
        process_seconds("-m", "cavet", "--version"),
        process_seconds("-c", "pass"),
        4,
    )


class Empty(App):
    def compose(self):
        yield Static("x")


async def shown(app, ready, began):
    async with app.run_test(size=(160, 47)):
        while not ready(app):
            await asyncio.sleep(0.001)
        return time.perf_counter() - began


def empty_seconds():
    return asyncio.run(
        shown(Empty(), lambda app: any(w.size.width for w in app.screen.query(Static)), time.perf_counter())
    )


def workbench_seconds():
    began = time.perf_counter()
    file = load_bench(demo_path())
    with BenchThread(file.setup, None) as thread:
        return asyncio.run(shown(CavetApp(Desk(thread.bench, thread.post)), drawn, began))


def drawn(app):
    return "wren" in "".join(p._canvas.text() for p in app.screen.query(Picture)).replace(" ", "")


def screen():
    bare = min(empty_seconds() for _ in range(5))
    ours = min(workbench_seconds() for _ in range(5))
    ratio(f"first full screen, {ours * 1e3:.0f} ms (against an empty application)", ours, bare, 2)


# keys under load


def keys():
    file = load_bench(demo_path())

    async def run(thread):
        app = CavetApp(Desk(thread.bench, thread.post))
        async with app.run_test(size=(160, 47)):
            while not thread.bench.host_links["gatehouse"].ready:
                await asyncio.sleep(0.01)
            with flooded(thread, tells(thread)):
                found = [await key_seconds(app, number) for number in range(60)]
            return sorted(found)[int(0.95 * len(found))]

    with BenchThread(file.setup, None) as thread:
        seconds = asyncio.run(run(thread))
    told(
        "key to screen at 10 000 events a second, 95th percentile",
        f"{seconds * 1e3:.0f} ms",
        "under 50 ms",
        seconds < 0.05,
    )


async def key_seconds(app, number):
    """From a key press to the row of the point being shown with the new value."""
    rails = app.screen.query_one("#rails")
    reading = app._desk.bench.host_links["gatehouse"].session.readings["beacon"]
    before = reading.asked
    key = events.Key("right" if number % 40 < 20 else "left", None)
    key.set_sender(app)
    began = time.perf_counter()
    app._driver.send_message(key)
    while reading.asked == before or f" {reading.asked:.0f} %" not in rails._canvas.text():
        await asyncio.sleep(0.001)
    return time.perf_counter() - began


def main():
    print("figures of this machine, in this run; `!` marks what misses its aim\n")
    for measure in (
        codec,
        record,
        round_trip,
        fast_time,
        *speed_devices.MEASURES,
        *speed_messages.MEASURES,
        *speed_buses.MEASURES,
        start,
        screen,
        keys,
        *speed_frames.MEASURES,
        *speed_growth.MEASURES,
        *speed_routines.MEASURES,
        *speed_records.MEASURES,
        *speed_checks.MEASURES,
        *speed_kernel.MEASURES,
        *speed_start.MEASURES,
    ):
        measure()


if __name__ == "__main__":
    main()
