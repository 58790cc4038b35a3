"""The tests on a machine that is taken away now and then: `make stalled`. It takes long, and is no part of `make test`.

The processes of the suite, all of them or one, stand still at random times, for up to `--most` seconds. What is late by
that must not be told wrong. `python -m tests.stalled --seed 3 checks library` takes some of the modules.
"""

import argparse
import contextlib
import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path

AT_ONCE_SHARE = 0.5
MOST_BETWEEN = 1.0


def family(root):
    """The numbers of a process and of all that it has started."""
    children = {}
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            with contextlib.suppress(OSError):
                parent = (entry / "stat").read_text().rsplit(")", 1)[1].split()[1]
                children.setdefault(int(parent), []).append(int(entry.name))
    found, waiting = [], [root]
    while waiting:
        found.append(waiting.pop())
        waiting += children.get(found[-1], [])
    return found


def tell(numbers, what):
    for number in numbers:
        with contextlib.suppress(ProcessLookupError):
            os.kill(number, what)


def main():
    reading = argparse.ArgumentParser()
    reading.add_argument("--seed", default="a")
    reading.add_argument("--most", type=float, default=0.9)
    given, rest = reading.parse_known_args()
    lot = random.Random(given.seed)
    suite = subprocess.Popen([sys.executable, "-m", "tests", *rest])
    while suite.poll() is None:
        time.sleep(lot.uniform(0.02, MOST_BETWEEN))
        there = family(suite.pid)
        chosen = there if lot.random() < AT_ONCE_SHARE else [lot.choice(there)]
        tell(chosen, signal.SIGSTOP)
        time.sleep(lot.uniform(0.05, given.most))
        tell(chosen, signal.SIGCONT)
    return suite.returncode


if __name__ == "__main__":
    sys.exit(main())
