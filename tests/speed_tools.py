"""How figures of speed are measured and told."""

import time

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
