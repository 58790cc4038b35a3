"""How figures of speed are measured and told."""

import asyncio
import threading
import time
from contextlib import contextmanager

from textual import events

from cavet.record import Kind

TIMES = 5


def best(work, times=TIMES):
    """Seconds of the fastest of some runs."""
    found = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        found.append(time.perf_counter() - began)
    return min(found)


def told(name, value, aim, good):
    print(f"{'  ' if good else '! '}{name:62} {value:>24}   aim {aim}", flush=True)


def ratio(name, ours, bare, aim):
    """Tell how many times as long it takes as the bare thing."""
    told(name, f"{ours / bare:.2f} × bare", f"within {aim}", ours / bare <= aim)


def share(name, ours, bare, aim):
    """Tell which share of the bare thing's number a second it reaches."""
    told(name, f"{ours / bare:.2f} of bare", f"at least {aim}", ours / bare >= aim)


@contextmanager
def flooded(thread, tell):
    """Have something told ten thousand times a second, in the bench's own thread, as boards tell it: a record has one
    writer. `tell` gets the number of each."""
    stop = threading.Event()

    def pour():
        began, count = time.perf_counter(), 0
        while not stop.wait(0.002):
            due = int((time.perf_counter() - began) * 10_000)
            thread.post(lambda turn=range(count, due): [tell(number) for number in turn]).result()
            count = due

    flood = threading.Thread(target=pour)
    flood.start()
    try:
        yield
    finally:
        stop.set()
        flood.join()


def tells(thread):
    """What tells an event, as a board does."""
    record = thread.bench.record
    return lambda number: record.append(Kind.TOLD, "gatehouse", "message", "analog-message", number)


def shown(app, name):
    return app.screen.query_one(f"#{name}")._canvas.text()


async def pressed(app, name, holds):
    """Press a key; give how long it took until something holds."""
    key = events.Key(name, name if len(name) == 1 else None)
    key.set_sender(app)
    began = time.perf_counter()
    app._driver.send_message(key)
    while not holds():
        await asyncio.sleep(0)
    return time.perf_counter() - began
