"""Keeping a record while a command runs: where it may go, and what is said when it can't be written any more."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

import click
import msgspec

from cavet.bench import Plan, RunningBench
from cavet.record import RecordWriter, check_new

SWITCH_SECONDS = 0.0005
"""How long a busy bench may keep the interpreter from what writes the record."""
F = TypeVar("F", bound=Callable[..., Any])


def record_options(command: F) -> F:
    """The options of a command that can keep a record: `record_path` and `force`."""
    command = click.option("--force", is_flag=True, help="Replace a record that is there already.")(command)
    path = click.Path(path_type=Path)
    return click.option("--record", "record_path", type=path, help="Keep the record in this file.")(command)


seed_option = click.option("--seed", metavar="TEXT", help="In the place of the bench's: the same one, the same record.")


def with_seed(plan: Plan, seed: str | None) -> Plan:
    """Give the plan with another seed, if one is named."""
    return plan if seed is None else msgspec.structs.replace(plan, seed=seed)


@contextmanager
def recorded(bench: RunningBench, path: Path | None, *, force: bool = False) -> Iterator[None]:
    """Keep the record of a bench in a file, if one is named. A full disk is said at once, and the bench goes on."""
    if path is None:
        yield
        return
    check_new(path, force=force)
    sys.setswitchinterval(SWITCH_SECONDS)
    writer = RecordWriter(bench.record, path, bench.plan.about, tell=complain)
    try:
        yield
    finally:
        writer.close()


def complain(problem: str) -> None:
    """Say what is wrong with the record, on standard error."""
    print(problem, file=sys.stderr, flush=True)
