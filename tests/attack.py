"""An attack on everything that can be reached: `make attack`. It takes minutes, and is no part of `make test`.

Each round prints one line: what was done, what became of it, whether it held. `python -m tests.attack NAME…` takes some
of the rounds, `--scale 0.1` a tenth of each.
"""

import argparse
import asyncio
import contextlib
import fcntl
import os
import pty
import random
import resource
import select
import signal
import socket
import struct
import subprocess
import sys
import tempfile
import termios
import threading
import time
from pathlib import Path

import serial

from cavet.bench import BenchThread
from cavet.record import Direction, Kind, RecordFile, Seat, Topic
from tests.bench.benches import demo, in_fast_time
from tests.boards.devices import tcp
from tests.commands.real_broker import RealBroker, broker_path
from tests.commands.test_hostile import GOOD_TCP, GOOD_TCP_ANSWER, REQUESTS, SCPI_PIECES, mutated, resident
from tests.commands.test_hostile_clients import CONNECTS, PACKETS
from tests.commands.test_serve import Served
from tests.commands.topics import TopicClient
from tests.patience import PATIENCE

FIRMATA = tuple(
    bytes.fromhex(frame)
    for frame in (
        "F9", "F0 79 F7", "F0 6B F7", "F0 6D 09 F7", "F4 09 04", "E9 5C 00", "D0 01", "C0 01", "91 7F 7F", "F5 03 01",
        "F0 7A 13 00 F7", "F0 69 F7", "F0 76 3C 00 01 F7", "F0 78 00 00 F7", "F0 71 41 00 F7", "F0 62 02 01 F7",
    )
)  # fmt: skip
GROWTH = 500_000_000
"""The record keeps a million events, as many transfers and their indexes in memory, which is some 100 MB of short
messages, and the tape a million frames; no more than that may be added."""
MOST_LOST_SECONDS = 0.25
MOST_DELAY_SECONDS = 0.1
"""A flood at one board may delay another's answers by no more than that, in the median."""


class Target:
    """The demo, served, and what is known to be right of it."""

    def __init__(self, *more):
        self.served = Served(*more)
        self.pid = self.served.process.pid
        self.before = resident(self.pid)
        self.files = self.open_files()

    def open_files(self):
        return len(list(Path(f"/proc/{self.pid}/fd").iterdir()))

    def connect(self, board, kind="tcp"):
        host, _, port = self.served.address(board, kind).removeprefix("usbip:").rpartition(":")
        return socket.create_connection((host, int(port)), timeout=PATIENCE)

    def good(self):
        """Ask each board something right; give the words for what was not answered."""
        asks = {"pumphouse": self.ask_modbus, "switchrack": self.ask_scpi, "gatehouse": self.ask_firmata}
        wrong = []
        for name, ask in {**asks, "towpath": self.ask_broker}.items():
            try:
                if not ask():
                    wrong.append(name)
            except OSError as error:
                wrong.append(f"{name} ({error})")
        return wrong

    def ask_modbus(self):
        with self.connect("pumphouse") as link:
            link.sendall(tcp("08 0001 0000") + GOOD_TCP)
            heard = b""
            while not heard.endswith(GOOD_TCP_ANSWER):
                heard += (data := link.recv(4096))
                if not data:
                    return False
            return True

    def ask_scpi(self):
        with self.connect("switchrack") as link:
            link.sendall(b"\n*CLS\nSYST:VERS?\n")
            return link.recv(4096).endswith(b"1999.0\n")

    def ask_firmata(self):
        with serial.Serial(self.served.endpoint["address"], 57600, timeout=PATIENCE) as port:
            port.read_until(b"\xf7")
            port.write(bytes.fromhex("F0 6D 0B F7"))
            return b"\xf0\x6e\x0b" in port.read_until(b"\xf7") or b"\xf0\x6e\x0b" in port.read_until(b"\xf7")

    def ask_broker(self):
        client = TopicClient(self.served.address("towpath", "mqtt"), 4)
        client.subscribe("ottersluice/towpath/lamp/state")
        client.wait_for("publish")
        client.close()
        return True

    def end(self):
        """End it; give what was wrong with it at the end."""
        if self.served.process.poll() is not None:
            return [f"it ended with {self.served.process.returncode}"]
        wrong = self.good()
        grown = resident(self.pid) - self.before
        if grown > GROWTH:
            wrong.append(f"{grown / 1e6:.0f} MB more memory")
        deadline = time.monotonic() + 10
        while self.open_files() > self.files + 2 and time.monotonic() < deadline:
            time.sleep(0.05)
        if self.open_files() > self.files + 2:
            wrong.append(f"{self.open_files() - self.files} more open files")
        self.served.process.send_signal(signal.SIGTERM)
        code = self.served.process.wait(PATIENCE)
        said = self.served.process.stderr.read()
        for stream in (self.served.process.stdin, self.served.process.stdout, self.served.process.stderr):
            stream.close()
        if code or said:
            wrong.append(f"exit code {code}, on standard error {said[-300:]!r}")
        return wrong


def report(name, done, wrong):
    print(f"{'held' if not wrong else 'FAILED':6}  {name:12}  {done}{f': {wrong}' if wrong else ''}", flush=True)
    return not wrong


# rounds


def inputs(scale):
    """Mutated and random bytes at each endpoint, over as many connections as are shut."""
    noise, count = random.Random("attack"), int(50_000 * scale)
    versions = list(CONNECTS)
    makers = {
        "pumphouse": ("tcp", lambda: mutated(noise, tcp(noise.choice(REQUESTS), noise.getrandbits(16)))),
        "switchrack": ("tcp", lambda: b"".join(noise.choices(SCPI_PIECES, k=noise.randint(1, 8))) + b"\n"),
        "towpath": ("mqtt", lambda: mutated(noise, mqtt_bytes(noise, noise.choice(versions)))),
        "signalpost": ("usb", lambda: mutated(noise, bytes.fromhex("01 11 80 05 00 00 00 00"))),
    }
    target, wrong = Target(), []
    for board, (kind, make) in makers.items():
        sent = 0
        while sent < count:
            try:
                with target.connect(board, kind) as link:
                    link.setblocking(False)
                    for _ in range(200):
                        sent += 1
                        send(link, make())
            except OSError:
                continue
        wrong += [f"{name}, after inputs at {board}" for name in target.good()]
    with serial.Serial(target.served.endpoint["address"], 57600, timeout=0, write_timeout=PATIENCE) as port:
        for _ in range(count // 20):
            port.write(mutated(noise, noise.choice(FIRMATA))[:40])
            port.read(4096)
    return report("inputs", f"{4 * count + count // 20} inputs at five endpoints", wrong + target.end())


def mqtt_bytes(noise, version):
    """A client's first packet, and perhaps some more."""
    packets = [CONNECTS[version], *noise.choices(PACKETS[version], k=noise.randint(0, 2))]
    return b"".join(version.encode(packet) for packet in packets)


def send(link, data):
    """Send what can be sent at once, and hear what is there."""
    if select.select([], [link], [], 0.5)[1]:
        link.send(data)
    if select.select([link], [], [], 0)[0] and not link.recv(65536):
        raise ConnectionResetError


def floods(scale):
    """Full speed at one endpoint, while another board's answers are timed."""
    wrong, words = [], []
    for board, kind, data in (
        ("pumphouse", "tcp", GOOD_TCP * 50), ("switchrack", "tcp", b"*OPC?\n" * 100), ("towpath", "mqtt", bytes(4096)),
        ("pumphouse", "tcp", bytes(range(256)) * 16), ("switchrack", "tcp", b"A" * 4096),
    ):  # fmt: skip
        target, stop = Target(), threading.Event()
        flood = threading.Thread(target=pour, args=(target, board, kind, data, stop))
        flood.start()
        other = target.ask_scpi if board == "pumphouse" else target.ask_modbus
        times, until = [], time.monotonic() + 60 * scale
        while time.monotonic() < until:
            began = time.monotonic()
            if not other():
                wrong.append(f"no answer beside a flood at {board}")
            times.append(time.monotonic() - began)
            time.sleep(0.01)
        stop.set()
        flood.join()
        times.sort()
        words.append(f"{board} {1000 * times[len(times) // 2]:.0f}/{1000 * times[int(0.99 * len(times))]:.0f} ms")
        if times[len(times) // 2] > MOST_DELAY_SECONDS:
            wrong.append(f"{other.__name__} is late beside a flood at {board}")
        wrong += target.end()
    return report("floods", f"the other board's delay, median/99th percentile: {', '.join(words)}", wrong)


def pour(target, board, kind, data, stop):
    while not stop.is_set():
        try:
            with target.connect(board, kind) as link:
                link.settimeout(0.2)
                while not stop.is_set():
                    try:
                        link.sendall(data)
                        link.recv(1 << 20)
                    except TimeoutError:
                        continue
        except OSError:
            continue


def connections(scale):
    """Many at once: that say nothing, half a message, one byte at a time; and storms of opening and shutting."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (min(hard, 4096), hard))
    target, count = Target(), max(20, int(500 * scale))
    links = [target.connect(board, kind) for _ in range(count // 3) for board, kind in ENDPOINTS]
    for link in links:
        link.sendall(b"\x00\x01\x00\x00\x00")
    wrong = target.good()
    for turn in range(3):
        for link in links:
            with contextlib.suppress(OSError):  # it may have been shut for what it had sent before
                link.sendall(bytes((turn,)))
    for link in links:
        link.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, b"\1\0\0\0\0\0\0\0")
        link.close()
    for _ in range(2 * count):
        for board, kind in ENDPOINTS:
            target.connect(board, kind).close()
    done = f"{len(links)} at once, {2 * count * len(ENDPOINTS)} opened and shut"
    wrong += target.end()
    resource.setrlimit(resource.RLIMIT_NOFILE, (soft, hard))
    return report("connections", done, wrong)


ENDPOINTS = (("pumphouse", "tcp"), ("switchrack", "tcp"), ("towpath", "mqtt"))


def cuts(scale):
    """The link is lost behind each byte of a session that comes up and does a wish; then it is mended."""
    wrong, count = [], 0
    whole = in_fast_time(lambda bench, standings: told_bytes(bench), demo())
    for board, name, value in (("gatehouse", "beacon", 40.0), ("pumphouse", "pump_a", True)):
        for cut in range(1, whole[board], max(1, round(1 / scale))):
            count += 1
            story = lambda bench, standings: cut_behind(bench, board, name, value, cut)  # noqa: B023, E731
            if problem := in_fast_time(story, demo()):
                wrong.append(f"{board} behind byte {cut}: {problem}")
    return report("cuts", f"{count} links cut, each behind another byte", wrong)


async def told_bytes(bench):
    """How many bytes each host sends until its first wish is done."""
    await asyncio.sleep(3)
    bench.ask(bench.point("beacon"), 40.0, by="attack")
    bench.ask(bench.point("pump_a"), True, by="attack")
    await asyncio.sleep(2)
    return {board: sent_to(bench, board) for board in ("gatehouse", "pumphouse")}


def sent_to(bench, board):
    return sum(
        len(transfer.data)
        for transfer in bench.record.transfers.since(0)
        if transfer.link == board and transfer.direction is Direction.TO_BOARD and transfer.seat is Seat.BOARD
    )


async def cut_behind(bench, board, name, value, cut):
    """Cut a link once so many bytes have come; mend it, and give what is wrong then."""
    point, link = bench.point(name), bench.memory_link(board)
    asked, waited = None, 0.0
    while sent_to(bench, board) < cut and waited < 6.0:
        if waited > 3.0 and asked is None:
            asked = bench.ask(point, value, by="attack")
        await asyncio.sleep(0.0001 if waited < 4 else 0.01)
        waited = bench.clock.now()
    link.cut()
    if asked is None:
        asked = bench.ask(point, value, by="attack")
    await asyncio.sleep(1)
    if any(event.kind is Kind.CONFIRMED and event.value != value for event in bench.record.trail(asked)):
        return "another value was confirmed"
    link.mend()
    await asyncio.sleep(8)
    again = [e.number for e in bench.record.since(asked + 1) if e.kind is Kind.ASKED and e.subject == name]
    kinds = {event.kind for number in (asked, *again) for event in bench.record.trail(number)}
    if bench.fault_of(board):
        return str(bench.fault_of(board))
    return "" if Kind.CONFIRMED in kinds or Kind.OVERTAKEN in kinds else f"not confirmed after it was mended: {kinds}"


def kills(scale):
    """The process is killed while it records under load: what it had written is whole, and little is lost."""
    wrong, most, count = [], 0.0, max(2, int(20 * scale))
    for number in range(count):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.record"
            target, stop = Target("--record", str(path)), threading.Event()
            flood = threading.Thread(target=pour, args=(target, "pumphouse", "tcp", GOOD_TCP * 20, stop))
            began = time.monotonic()
            flood.start()
            time.sleep(0.5 + 0.05 * number)
            ended = time.monotonic() - began
            target.served.process.send_signal(signal.SIGKILL)
            target.served.process.wait()
            stop.set()
            flood.join()
            for stream in (target.served.process.stdin, target.served.process.stdout, target.served.process.stderr):
                stream.close()
            file = RecordFile(path)
            last, numbers = 0.0, -1
            opened = next(e.t for e in file.course("pumphouse", Topic.LINK, "pumphouse") if e.value == "open")
            for event in file.since(0):
                if event.number != numbers + 1:
                    wrong.append(f"kill {number}: event {numbers + 1} is missing")
                last, numbers = event.t, event.number
            if "ended" in file.about:
                wrong.append(f"kill {number}: it says that it is whole")
            file.close()
            most = max(most, ended - (last - opened))
    if most > MOST_LOST_SECONDS:
        wrong.append("more is lost than may be")
    done = f"{count} kills while recording under load; at most {1000 * most:.0f} ms are lost"
    return report("kills", done, wrong)


def signals(scale):
    """Stopped and continued, its output shut, told to end in each way: nothing of it is left behind."""
    wrong = []
    target = Target("--events")
    for _ in range(max(1, int(10 * scale))):
        target.served.process.send_signal(signal.SIGTSTP)
        time.sleep(0.2)
        target.served.process.send_signal(signal.SIGCONT)
    wrong += target.end()
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        target = Target("--events")
        device = Path(target.served.endpoint["address"])
        target.served.process.send_signal(number)
        target.served.process.wait(PATIENCE)
        if device.exists():
            wrong.append(f"{device} is left behind after {number.name}")
        if target.served.process.returncode or target.served.process.stderr.read():
            wrong.append(f"{number.name} does not end it in order")
    target = Target("--events")
    target.served.process.stdout.close()
    with target.connect("pumphouse") as link:
        link.sendall(GOOD_TCP * 100)
    try:
        target.served.process.wait(PATIENCE)
    except subprocess.TimeoutExpired:
        wrong.append("it runs on though its output is shut")
        target.served.process.kill()
    return report("signals", "stopped, continued, ended by three signals and a shut output", wrong)


def broker(scale):
    """A real broker is killed and started in the middle of what host and station say over it."""
    if broker_path() is None:
        return report("broker", "skipped: no broker is here", [])
    noise, wrong, count = random.Random("broker"), [], max(3, int(40 * scale))
    real = RealBroker()
    with BenchThread(demo().on_broker(real.address), None) as thread:
        bench = thread.bench
        lamp = bench.point("lamp")
        for number in range(count):
            asked = thread.post(lambda value=not number % 2: bench.ask(lamp, value, by="attack")).result(PATIENCE)
            time.sleep(noise.random() * 0.05)
            real.kill()
            time.sleep(noise.random() * 0.5)
            real.start()
            if not waited_for(lambda asked=asked: Kind.CONFIRMED in {e.kind for e in bench.record.trail(asked)}):
                wrong.append(f"kill {number}: the wish is not confirmed")
        told = [
            event.value for event in bench.record.since(0) if event.kind is Kind.CONFIRMED and event.subject == "lamp"
        ]
        if any(not isinstance(value, bool) for value in told):
            wrong.append("something else was confirmed")
        wrong += [str(bench.fault_of(board)) for board in bench.host_links if bench.fault_of(board)]
    real.end()
    return report("broker", f"{count} times killed and started in the middle of a wish", wrong)


def waited_for(holds, seconds=60):
    deadline = time.monotonic() + seconds
    while not holds():
        if time.monotonic() > deadline:
            return False
        time.sleep(0.02)
    return True


KEYS = (
    b"\x1b[A", b"\x1b[B", b"\x1b[C", b"\x1b[D", b"\x1b[1;2C", b"\x1b[1;2D", b"5", b"%", b"\r", b"\x1b", b" ", b"b",
    b"[", b"]", b"f", b"d", b"?", b"\x1bOQ", b"\x7f", b"u", b"\t", b"\x1b[24~", b"\"", b"x", b"\x1b[6~", b"\x1b[5~",
)  # fmt: skip


TYPED = b"zqzq"
"""What is in no name of an action, and stands on no screen."""
PROBES = 20
DEAF_SECONDS = 15.0


def window(scale):
    """Ten minutes of any keys at any window's size, while programs ask at each endpoint, and a key that must be heard
    now and then; then the window is shut: nothing grows, nothing is left behind."""
    noise, wrong, seconds = random.Random("keys"), [], 600 * scale
    with tempfile.TemporaryDirectory() as folder:

        def begun():
            child, window = pty.fork()
            if child == 0:
                os.environ.update(TERM="xterm-256color", XDG_STATE_HOME=folder, HOME=folder)
                os.execv(sys.executable, [sys.executable, "-m", "cavet", "demo"])
            resize(window, 160, 47)
            drained(window, 5.0)
            stopped = threading.Event()
            asked = [threading.Thread(target=ask_on, args=(port, stopped)) for port in listening(child)]
            for thread in asked:
                thread.start()
            return child, window, resident(child), len(list(Path(f"/proc/{child}/fd").iterdir())), asked, stopped

        child, window, before, files, asked, stopped = begun()
        delays, pressed, left = [], 0, 0
        for _ in range(PROBES):
            until = time.monotonic() + seconds / PROBES
            try:
                while time.monotonic() < until:
                    if noise.random() < 0.01:
                        resize(window, noise.randint(20, 200), noise.randint(6, 60))
                    os.write(window, noise.choice(KEYS))
                    pressed += 1
                    drained(window, noise.choice((0.005, 0.02, 0.1)))
                delays.append(heard(window))
            except OSError:  # it has ended: by "quit" in the list of all actions, or by itself
                stopped.set()
                left += 1
                if code := os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]):
                    wrong.append(f"it ended by itself, with code {code}")
                    return report("window", f"{pressed} keys", wrong)
                child, window, before, files, asked, stopped = begun()
                continue
            if delays[-1] >= DEAF_SECONDS:
                wrong.append("it hears no key any more")
                break
        half = len(delays) // 2
        first, last = (sorted(part)[len(part) // 2] for part in (delays[: half or 1], delays[half:]))
        stopped.set()
        for thread in asked:
            thread.join()
        grown = resident(child) - before
        more = len(list(Path(f"/proc/{child}/fd").iterdir())) - files
        if not asked:
            wrong.append("no endpoint was found")
        if grown > GROWTH or more > 5 or last > 3 * first + 0.1:
            wrong.append("it grows")
        os.close(window)
        if not waited_for(lambda: os.waitpid(child, os.WNOHANG) != (0, 0), 15):
            wrong.append("it runs on though its window is shut")
            os.kill(child, signal.SIGKILL)
        log = next(Path(folder).glob("**/cavet.log"), None)
        if log is not None:
            wrong.append(f"logged: {log.read_text()[-300:]}")
    delay = f"key to screen {1000 * first:.0f} ms in the first half, {1000 * last:.0f} in the other, "
    delay += f"{1000 * max(delays):.0f} at most" + (f", left by the list {left} times" if left else "")
    return report(
        "window",
        f"{pressed} keys in {seconds:.0f} s, {len(asked)} endpoints asked on, {delay}, {grown / 1e6:.0f} MB, "
        f"{more} files more",
        wrong,
    )


def listening(pid):
    """The TCP ports at which a process listens."""
    inodes = set()
    for file in Path(f"/proc/{pid}/fd").iterdir():
        with contextlib.suppress(OSError):
            inodes.add(str(file.readlink()).removeprefix("socket:[").removesuffix("]"))
    rows = [line.split() for line in Path(f"/proc/{pid}/net/tcp").read_text().splitlines()[1:]]
    return sorted(int(row[1].partition(":")[2], 16) for row in rows if row[3] == "0A" and row[9] in inodes)


def ask_on(port, stopped):
    """Ask two hundred times a second, whatever is spoken there; connect again where that is shut."""
    while not stopped.is_set():
        with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), timeout=PATIENCE) as link:
            link.settimeout(0.0)
            while not stopped.wait(0.005):
                link.sendall(GOOD_TCP + b"\n*IDN?\n")
                with contextlib.suppress(BlockingIOError):
                    if not link.recv(1 << 16):
                        break
        stopped.wait(0.005)


def resize(window, columns, rows):
    fcntl.ioctl(window, termios.TIOCSWINSZ, struct.pack("HHHH", rows, columns, 0, 0))


def heard(window):
    """Leave whatever is open, list all actions, and type there: after how long it can be read, `DEAF_SECONDS` for
    never."""
    resize(window, 100, 30)
    for _ in range(5):  # keys that a busy program takes together are another one: then it is tried again
        for key in (b"\x1b", b"\x1b", b"\x1b", b"\x1b", b"\x1bOQ"):
            os.write(window, key)
            drained(window, 0.3)
        os.write(window, TYPED)
        began, seen = time.monotonic(), b""
        while (left := began + DEAF_SECONDS / 5 - time.monotonic()) > 0:
            if select.select([window], [], [], left)[0]:
                seen += os.read(window, 1 << 16)
            if TYPED in seen:
                return time.monotonic() - began
    return DEAF_SECONDS


def drained(window, seconds):
    """Take what comes for a while; give after how long the first of it came, `None` where nothing did."""
    began, first = time.monotonic(), None
    while (left := began + seconds - time.monotonic()) > 0:
        if select.select([window], [], [], left)[0]:
            os.read(window, 1 << 16)
            first = first if first is not None else time.monotonic() - began
    return first


ROUNDS = {
    "inputs": inputs, "floods": floods, "connections": connections, "cuts": cuts, "kills": kills, "signals": signals,
    "broker": broker, "window": window,
}  # fmt: skip


def main():
    parser = argparse.ArgumentParser(prog="python -m tests.attack")
    parser.add_argument("rounds", nargs="*", metavar="ROUND", help=f"of {', '.join(ROUNDS)}; all where none is named")
    parser.add_argument("--scale", type=float, default=1.0, help="how much of each")
    chosen = parser.parse_args()
    held = [ROUNDS[name](chosen.scale) for name in chosen.rounds or ROUNDS]
    sys.exit(not all(held))


if __name__ == "__main__":
    main()
