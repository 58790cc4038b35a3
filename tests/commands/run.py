"""Runs `cavet` as a user does, in a process of its own."""

import os
import subprocess
import sys
from typing import NamedTuple


class Ran(NamedTuple):
    code: int
    out: str
    err: str


def cavet(*words, given="", seconds=30, environment=None):
    """Run one command to its end."""
    done = subprocess.run(
        [sys.executable, "-m", "cavet", *words],
        input=given,
        capture_output=True,
        text=True,
        timeout=seconds,
        check=False,
        env={**os.environ, **(environment or {})},
    )
    return Ran(done.returncode, done.stdout, done.stderr)
