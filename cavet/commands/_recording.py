"""Keeping a record while a command runs: where it may go, and what is said when it can't be written any more."""

from __future__ import annotations

import re
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import wraps
from pathlib import Path
from typing import Any, TypeVar

import click
import msgspec

from cavet.bench import RunningBench
from cavet.benchfile import Setup
from cavet.record import RecordWriter, check_new
from cavet.wording import WrongError

SWITCH_SECONDS = 0.0005
"""How long a busy bench may keep the interpreter from what writes the record."""
F = TypeVar("F", bound=Callable[..., Any])


class Size(click.ParamType[int]):
    """How large a file may become: a number of bytes, with kB, MB, GB or KiB, MiB, GiB."""

    name = "size"

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> int:
        if isinstance(value, int):
            return value
        found = SIZED.fullmatch(str(value).strip())
        number = float(found["number"]) * SIZES[found["unit"].lower()] if found is not None else 0.0
        if not LEAST_SIZE <= number <= MOST_SIZE:
            raise WrongError("--keep", found=str(value), expected="100 kB or more, such as 500MB or 1GB")
        return int(number)


SIZES = {"": 1, "b": 1, "kb": 10**3, "mb": 10**6, "gb": 10**9, "kib": 1 << 10, "mib": 1 << 20, "gib": 1 << 30}
SIZED = re.compile(r"(?P<number>\d{1,12}(?:\.\d{1,6})?) ?(?P<unit>[kmg]?i?b?)", re.IGNORECASE)
LEAST_SIZE, MOST_SIZE = 100_000, 1 << 50
SIZE = Size()


class Kept(msgspec.Struct, frozen=True):
    """Where a record is to be kept, `None` for nowhere; whether it replaces an older one; how large it may become."""

    path: Path | None = None
    force: bool = False
    size: int | None = None


def record_options(command: F) -> F:
    """The options of a command that can keep a record; it is given a `Kept` as `kept`."""

    @wraps(command)
    def with_kept(*given: Any, record_path: Path | None, force: bool, keep: int | None, **named: Any) -> Any:
        if keep is not None and record_path is None:
            raise WrongError("--keep", found="no record", expected="--record FILE beside it")
        return command(*given, kept=Kept(record_path, force, keep), **named)

    size = click.option("--keep", type=SIZE, metavar="SIZE", help="Of the record, so much at most: 1GB; the latest.")
    force = click.option("--force", is_flag=True, help="Replace a record that is there already.")
    path = click.Path(path_type=Path)
    where = click.option("--record", "record_path", type=path, help="Keep the record in this file.")
    return where(force(size(with_kept)))  # type: ignore[return-value]


NOWHERE = Kept()


seed_option = click.option("--seed", metavar="TEXT", help="In the place of the bench's: the same one, the same record.")


def with_seed(setup: Setup, seed: str | None) -> Setup:
    """Give the set-up with another seed, if one is named."""
    return setup if seed is None else msgspec.structs.replace(setup, seed=seed)


@contextmanager
def recorded(bench: RunningBench, kept: Kept) -> Iterator[None]:
    """Keep the record of a bench in a file, if one is named. A full disk is said at once, and the bench goes on."""
    if kept.path is None:
        yield
        return
    check_new(kept.path, force=kept.force)
    sys.setswitchinterval(SWITCH_SECONDS)
    writer = RecordWriter(bench.record, kept.path, bench.setup.about, tell=complain, keep=kept.size)
    try:
        yield
    finally:
        writer.close()


def complain(problem: str) -> None:
    """Say what is wrong with the record, on standard error."""
    print(problem, file=sys.stderr, flush=True)
