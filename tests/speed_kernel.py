"""Speed of programs of others on the kernel's devices: a register over I2C, an edge of a line, what is not mapped. Part
of `make speed`."""

import multiprocessing
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from tests.speed_tools import told

BENCH = """
format = 1
[boards.sluice]
profile = "heron"
firmware = "buses"
kernel = { "/dev/gpiochip0" = "gpio", "/dev/i2c-1" = "i2c" }
[boards.sluice.parts]
wire = { kind = "jumper", pin = "L17", to = "L4" }
yard = { kind = "expander", address = 0x22 }
"""
SOURCE = Path(__file__).parent / "kernel" / "programs" / "speed.c"
WIRE_SECONDS = 39 / 100_000
"""A register's number, and a byte read from it: four bytes of nine bits, two starts and a stop, at 100 kHz."""
SIZES = 40, 19
"""What goes over a socket for it, and back."""
COUNT = 1000
TURNS = 5


def measured(words):
    """What the program tells: a median and a 95th percentile, in µs, of each."""
    done = subprocess.run(words, capture_output=True, text=True, check=True)
    return {name: float(median) for name, median, _ in map(str.split, done.stdout.splitlines())}


def echo(connection):
    """The other end of a bare socket: it waits for as long as the wires take."""
    while connection.recv(SIZES[0], socket.MSG_WAITALL):
        time.sleep(WIRE_SECONDS)
        connection.sendall(bytes(SIZES[1]))


def bare():
    """The median of the same over a bare Unix socket, in µs."""
    ours, theirs = socket.socketpair()
    process = multiprocessing.get_context("fork").Process(target=echo, args=(theirs,), daemon=True)
    process.start()
    took = []
    for _ in range(COUNT):
        began = time.perf_counter()
        ours.sendall(bytes(SIZES[0]))
        ours.recv(SIZES[1], socket.MSG_WAITALL)
        took.append(time.perf_counter() - began)
    process.terminate()
    process.join()
    return 1e6 * sorted(took)[COUNT // 2]


def kernel():
    """All of it."""
    with tempfile.TemporaryDirectory() as folder:
        place, program = Path(folder) / "speed.bench.toml", str(Path(folder) / "speed")
        place.write_text(BENCH, "utf-8")
        subprocess.run(["cc", "-O2", "-o", program, SOURCE], check=True)
        shimmed = [sys.executable, "-m", "cavet", "with", str(place), "--", program]
        found, reference = measured(shimmed), bare()
        words = f"{found['register']:.0f} µs, {reference:.0f} over a bare socket, {1e6 * WIRE_SECONDS:.0f} on the wires"
        times = found["register"] / reference
        told("a register read over I2C by a program of others", f"{words}: {times:.2f} ×", "3 ×", times <= 3)
        edge = found["edge"] / 1000
        told("a line set, and its edge seen by the program", f"{edge:.2f} ms, median", "1 ms", edge < 1)
        with_it, without = [], []
        for _ in range(TURNS):
            without.append(measured([program, "bare"])["read"])
            with_it.append(measured([*shimmed, "bare"])["read"])
        more = min(with_it) / min(without) - 1
        words = f"{1000 * min(with_it):.0f} ns, {1000 * min(without):.0f} without: {more:+.1%}"
        told("a page read by a program that has opened no mapped device", words, "1 %", more < 0.01)


MEASURES = (kernel,)
