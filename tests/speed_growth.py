"""How it grows: with the points and boards of a bench, with the programs at a board; and what it costs at rest."""

import multiprocessing
import os
import pty
import re
import select
import subprocess
import sys
import tempfile
import threading
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from cavet.bench import BenchThread
from cavet.benchfile import changes_between, load_bench
from cavet.remarks import remarks_on
from cavet.workbench import Desk, rail_views
from cavet.workbench.drawing.bench import BoardsView, draw_boards
from cavet.workbench.drawing.rails import draw_rails, lay_out
from cavet.workbench.wiring import views as bench_views
from tests.boards.devices import tcp
from tests.speed_devices import Boards, Echo
from tests.speed_tools import best, told

READ = tcp("01 0004 0001")
REST_SECONDS = 8.0
COLUMNS, ROWS = 80, 45
CHANGES = 40
PINS = tuple(range(2, 12))


def bench_text(boards, points):
    """A bench of so many boards with so many lamps in all: on pins, or behind coils where there are many to a board."""
    each = points // boards
    on_pins = each <= len(PINS)
    lines = ['format = 1\nname = "grown"']
    for board in range(boards):
        name = f"hut_{board}"
        firmware, link, protocol = ("firmata", "serial", "firmata") if on_pins else ("modbus", "tcp", "modbus")
        lines.append(f'[boards.{name}]\nprofile = "{"wren" if on_pins else "none"}"\nfirmware = "{firmware}"')
        if on_pins:
            lines.append(f"[boards.{name}.parts]")
            lines += [f'lamp_{board}_{place} = {{ kind = "lamp", pin = {PINS[place]} }}' for place in range(each)]
        else:
            lines.append(f"[boards.{name}.map]")
            lines += [f'lamp_{place} = {{ table = "coils", address = {place} }}' for place in range(each)]
        lines.append(f'[links.{name}]\nkind = "{link}"\nboard = "{name}"')
        lines.append(f'[hosts.{name}]\nlink = "{name}"\nprotocol = "{protocol}"')
        for place in range(each):
            where = f"pin = {PINS[place]}" if on_pins else f'table = "coils"\naddress = {place}'
            lines.append(f'[points.lamp_{board}_{place}]\nboard = "{name}"\nkind = "switch"\n{where}')
    return "\n".join(lines)


SIZES = ((1, 10), (1, 100), (1, 1000), (10, 100), (100, 100), (100, 1000))


def benches():
    """Opening a bench, and drawing its rails, as it grows; each in a process of its own, where nothing else lies."""
    for size in SIZES:
        with ProcessPoolExecutor(1, mp_context=multiprocessing.get_context("spawn")) as alone:
            words = alone.submit(grown, *size).result()
        boards, points = size
        told(f"a bench of {points} points on {boards} boards", words, "none set", True)


def grown(boards, points):
    """Read a bench, open it, draw it: how long that takes, and how much memory."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "grown.bench.toml"
        path.write_text(bench_text(boards, points))
        read = best(lambda: load_bench(path))
        setup = load_bench(path).setup
        before = memory()
        began = time.perf_counter()
        with BenchThread(setup, None) as thread:
            opened = time.perf_counter() - began
            desk = Desk(thread.bench, thread.post)
            frame = best(lambda: drawn(desk))
            section = best(lambda: section_drawn(desk))
            taken = (memory() - before) / 1024
    words = f"read {1000 * read:.0f} ms, open {1000 * opened:.0f}, a frame {1000 * frame:.1f}"
    return f"{words}, of Bench {1000 * section:.1f}, {taken:.0f} MB more"


def memory():
    """What this process takes, in KiB."""
    status = Path("/proc/self/status").read_text()
    return int(re.search(r"VmRSS:\s+(\d+)", status)[1])


def drawn(desk):
    desk.follow()
    view = rail_views.rails_view(desk, 0, entry=None)
    draw_rails(view, lay_out(view, COLUMNS, ROWS), COLUMNS, ROWS)


def section_drawn(desk):
    """The Bench screen's boards: the first in cross-section, the others folded."""
    names = list(desk.bench.setup.boards)
    section = bench_views.section_view(desk, names[0])
    folded = tuple(bench_views.fold_view(desk, name) for name in names[1:])
    view = BoardsView(section=section, folded=folded, cursor=section.rows[0].key)
    draw_boards(view, COLUMNS, ROWS)


def changing():
    """A point goes to another pin while the bench runs: its text changed and checked whole, and taken over."""
    for boards, points in ((1, 10), (10, 100), (100, 1000)):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "grown.bench.toml"
            path.write_text(bench_text(boards, points))
            file = load_bench(path)
            found = remarks_seconds(file)
            checked, taken = [], []
            with BenchThread(file.setup, None) as thread:
                for number in range(CHANGES):
                    began = time.perf_counter()
                    after = file.changed(("points", f"lamp_{number % boards}_0", "pin"), 13 if number % 2 else 12)
                    checked.append(time.perf_counter() - began)
                    changes = changes_between(file, after)
                    began = time.perf_counter()
                    thread.take_over(after.setup, changes)
                    taken.append(time.perf_counter() - began)
                    file = after
        late = sorted(taken)[int(0.95 * CHANGES)]
        words = f"checked in {1000 * min(checked):.0f} ms, taken over in {1000 * late:.1f} (95th percentile)"
        told(f"a change on {points} points, {boards} boards", f"{words}; remarks {1000 * found:.0f}", "", late < 0.1)


def remarks_seconds(file):
    began = time.perf_counter()
    remarks_on(file.setup)
    return time.perf_counter() - began


ASKING = """
import select, socket, sys, time
port, count, seconds, request = int(sys.argv[1]), int(sys.argv[2]), 4.0, bytes.fromhex(sys.argv[3])
links = [socket.create_connection(("127.0.0.1", port)) for _ in range(count)]
watch, sent, took = select.epoll(), {}, []
for link in links:
    link.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    watch.register(link, select.EPOLLIN)
by_number = {link.fileno(): link for link in links}
until = time.perf_counter() + seconds
for number, link in by_number.items():
    sent[number] = time.perf_counter()
    link.sendall(request)
while time.perf_counter() < until:
    for number, _ in watch.poll(1):
        by_number[number].recv(4096)
        now = time.perf_counter()
        took.append(now - sent[number])
        sent[number] = now
        by_number[number].sendall(request)
for link in links:  # what is on its way is taken, so that each goes in peace
    link.recv(4096)
    link.close()
took.sort()
print(len(took) / seconds, 1000 * took[int(0.99 * len(took))])
"""


def asked(port, count):
    words = [sys.executable, "-c", ASKING, str(port), str(count), READ.hex()]
    ran = subprocess.run(words, capture_output=True, text=True, check=True)
    rate, late = map(float, ran.stdout.split())
    return rate, late


def clients():
    """Requests of many programs at once, against a bare echo."""
    boards, echo = Boards(), Echo("same")
    try:
        for count in (1, 10, 100, 500):
            rate, late = asked(boards.ports["pumphouse"], count)
            bare, _ = asked(echo.port, count)
            words = f"{rate:.0f} / s, {rate / bare:.2f} of bare, 99 % within {late:.1f} ms"
            told(f"Modbus requests of {count} programs at once", words, "", True)
    finally:
        boards.end()
        echo.end()


def at_rest():
    """What the demo and `serve` take of a core while nobody does anything."""
    served = subprocess.Popen(
        [sys.executable, "-m", "cavet", "serve", "demo"], stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL
    )
    told_use("serve at rest", used(served.pid), 2)
    served.terminate()
    served.wait()
    child, window = pty.fork()
    if child == 0:
        os.environ.update(TERM="xterm-256color", XDG_STATE_HOME=tempfile.mkdtemp(), COLUMNS="160", LINES="47")
        os.execv(sys.executable, [sys.executable, "-m", "cavet", "demo"])
    stop = threading.Event()
    reader = threading.Thread(target=drain, args=(window, stop))
    reader.start()
    told_use("the demo at rest", used(child), 5)
    os.write(window, b"q")
    os.waitpid(child, 0)
    stop.set()
    reader.join()


def told_use(name, percent, aim):
    told(name, f"{percent:.1f} % of a core", f"under {aim} %", percent < aim)


def drain(window, stop):
    while not stop.is_set():
        if select.select([window], [], [], 0.1)[0]:
            try:
                os.read(window, 1 << 16)
            except OSError:
                return


def used(process):
    """How much of a core a process takes, in percent, once it has come to rest."""
    time.sleep(REST_SECONDS)
    before = ticks(process)
    time.sleep(REST_SECONDS)
    return 100 * (ticks(process) - before) / os.sysconf("SC_CLK_TCK") / REST_SECONDS


def ticks(process):
    fields = Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()
    return int(fields[11]) + int(fields[12])


MEASURES = (benches, changing, clients, at_rest)


if __name__ == "__main__":
    for measure in MEASURES:
        measure()
