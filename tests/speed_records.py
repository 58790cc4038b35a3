"""Speed of records: opening, looking, exporting, as they grow. Part of `make speed`."""

import contextlib
import io
import json
import random
import shutil
import sqlite3
import statistics
import tempfile
import time
import tracemalloc
from pathlib import Path

import cavet
from cavet.bench import PastBench
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.drawings.lanes import draw_lanes
from cavet.exports import Cut, compare, csv, jsonl, pcapng, vcd
from cavet.lanes import Lanes
from cavet.library.past import past_trails
from cavet.record import Record, RecordFile, RecordWriter
from cavet.workbench.record import views
from cavet.workbench.record.looking import Looking
from tests.speed_tools import told

SETUP = load_bench(demo_path()).setup
SIZES = (10_000, 100_000, 1_000_000)
LARGEST, LARGEST_BYTES = 10_000_000, 4_000_000_000
WIDTH, HEIGHT = 128, 34
CELLS = WIDTH - 29


def real_run(folder):
    """The events and transfers of a locking on the demo."""
    with cavet.open("demo", seed="a") as bench:
        bench.run("demo", "locking")
        path = folder / "run.record"
        bench.record.save(path)
    with contextlib.closing(RecordFile(path)) as file:
        return list(file.since(0)), list(file.transfers())


def grown(run, count, path):
    """A record of so many events: a real run again and again."""
    events, transfers = run
    span = events[-1].t + 1
    turns = range(-(-count // len(events)))
    with contextlib.closing(sqlite3.connect(path)) as database:
        for turn in turns:
            first, t, moved = turn * len(events), turn * span, turn * len(transfers)
            database.executemany(
                "INSERT INTO events VALUES (?,?,?,?,?,?,?,?,?,?,?)",
                (
                    (e.number + first, e.t + t, e.kind, e.board, None if e.cause is None else e.cause + first, e.topic,
                     e.subject, e.value if isinstance(e.value, bytes) or e.value is None else json.dumps(e.value),
                     e.note, e.purpose, e.reason)
                    for e in events
                ),
            )  # fmt: skip
            database.executemany(
                "INSERT INTO transfers VALUES (?,?,?,?,?,?,?,?,?,?,?)",
                ((x.number + moved, x.link, x.client, x.seat, x.direction, x.offset, x.begin + t, x.end + t, x.data,
                  x.sent, x.event + first) for x in transfers),
            )  # fmt: skip
        subjects = {(e.board, e.subject, e.topic, e.kind) for e in events}
        database.executemany("INSERT INTO subjects VALUES (?,?,?,?)", subjects)
        database.commit()
    return len(turns) * len(events)


def empty(path):
    record = Record(lambda: 0.0)
    RecordWriter(record, path, SETUP.about).close()


def draw(looking):
    view = views.lanes_view(looking, HEIGHT)
    draw_lanes(view, WIDTH, HEIGHT)
    views.strip_view(looking)
    views.measures_view(looking)


def opened(run, folder, size):
    """A record of about so many events, opened: the first picture, all of it, size on disk."""
    path = folder / f"{size}.record"
    empty(path)
    count = grown(run, size, path)
    began = time.perf_counter()
    file = RecordFile(path)
    bench = PastBench(SETUP, file)
    looking = Looking(bench)
    looking.cells = CELLS
    bench.read_on()
    looking.follow()
    draw(looking)
    first = time.perf_counter() - began
    while not (bench.is_read and looking.is_read):
        bench.read_on()
        looking.follow()
    whole = time.perf_counter() - began
    disk = path.stat().st_size / count
    words = f"first picture {first * 1e3:.0f} ms, all read {whole:.2f} s, {disk:.0f} bytes an event on disk"
    told(f"opening a record of {count} events", words, "first under 1 s", first < 1)
    return path, file, looking, count


def largest(run, folder):
    """The same with ten million, where there is room for them."""
    if shutil.disk_usage(folder).free < LARGEST_BYTES:
        told(f"opening a record of {LARGEST} events", "not measured: the disk is too small for it", "", False)
        return
    path, file, looking, count = opened(run, folder, LARGEST)
    looking_at(looking, count)
    moments(file, looking)
    file.close()
    path.unlink()


def memory(run):
    """What an event takes in memory, with its lane."""
    tracemalloc.start()
    before = tracemalloc.get_traced_memory()[0]
    record = Record(lambda: 0.0)
    for event in run[0]:
        record.restore(event)
    lanes = Lanes(SETUP).read(run[0], run[1])
    taken = (tracemalloc.get_traced_memory()[0] - before) / len(run[0])
    tracemalloc.stop()
    told("an event's place in lanes, beside the record", f"{taken:.0f} bytes ({len(lanes.all())} lanes)", "", True)


def looking_at(looking, count):
    """Scrolling and zooming through all of it."""
    chance, found = random.Random("look"), []
    for _ in range(60):
        looking.go_to(chance.uniform(0, looking.lanes.end))
        looking.zoom(chance.choice((-2, -1, 1, 2)))
        began = time.perf_counter()
        draw(looking)
        found.append(time.perf_counter() - began)
    found.sort()
    middle, most = statistics.median(found), found[int(0.95 * len(found))]
    words = f"{middle * 1e3:.0f} ms, {most * 1e3:.0f} ms at the 95th percentile"
    told(f"scrolling and zooming, {count} events", words, "under 50 ms", most < 0.05)


def moments(file, looking):
    """How all stood at a moment at random."""
    chance, found = random.Random("moment"), []
    for _ in range(20):
        t = chance.uniform(0, looking.lanes.end)
        began = time.perf_counter()
        file.state_at(t)
        found.append(time.perf_counter() - began)
    told("how all stood at a moment at random", f"{max(found) * 1e3:.1f} ms at most", "under 50 ms", max(found) < 0.05)


def exporting(file, count):
    """Each format, against a bare loop that writes the same bytes."""
    for name, act in (("jsonl", jsonl), ("csv", csv), ("vcd", vcd), ("pcapng", pcapng)):
        began = time.perf_counter()
        pieces = list(act(file, SETUP, Cut()))
        spent = time.perf_counter() - began
        out = io.BytesIO()
        began = time.perf_counter()
        for piece in pieces:
            out.write(piece if isinstance(piece, bytes) else piece.encode())
        bare = time.perf_counter() - began
        told(f"export as {name}", f"{count / spent:,.0f} events a second; writing alone {spent / bare:.0f} ×", "", True)


def following(file, count):
    """Trails of all of it, and all of it compared with itself."""
    began = time.perf_counter()
    trails = past_trails(file.since(0), SETUP)
    told("trails", f"{len(trails)} in {time.perf_counter() - began:.1f} s of {count} events", "", True)
    began = time.perf_counter()
    assert compare(file.since(0), file.since(0)).same_until is None
    told("compared with itself", f"{count / (time.perf_counter() - began):,.0f} events a second", "", True)


def records():
    """All of them, one after the other."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        run = real_run(folder)
        memory(run)
        for size in SIZES:
            path, file, looking, count = opened(run, folder, size)
        looking_at(looking, count)
        moments(file, looking)
        file.close()
        with contextlib.closing(RecordFile(path)) as again:
            exporting(again, count)
            following(again, count)
        largest(run, folder)


MEASURES = (records,)
