"""Runs `cavet` to its end: in a process of its own, as a user does, or here, where only what it prints counts."""

import os
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from io import BytesIO, StringIO, TextIOWrapper
from typing import NamedTuple
from unittest import mock

from cavet.commands import code_of
from tests.patience import PATIENCE


class Ran(NamedTuple):
    code: int
    out: str
    err: str


def cavet(*words, given="", environment=None):
    """Run one command, in a process of its own."""
    done = subprocess.run(
        [sys.executable, "-m", "cavet", *words],
        input=given,
        capture_output=True,
        text=True,
        timeout=PATIENCE,
        check=False,
        env={**os.environ, **(environment or {})},
    )
    return Ran(done.returncode, done.stdout, done.stderr)


def cavet_here(*words, given=""):
    """Run one command in this process: a tenth of a second less, for one that only reads and prints."""
    out, err, stdin = StringIO(), StringIO(), TextIOWrapper(BytesIO(given.encode()))
    with redirect_stdout(out), redirect_stderr(err), mock.patch("sys.stdin", stdin):
        code = code_of(words)
    return Ran(code, out.getvalue(), err.getvalue())
