"""Opening a record for a command: the file, the bench that it is of, the times that are wanted, and where it goes."""

from __future__ import annotations

import math
import sys
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

import click

from cavet.benchfile import BenchFile, Setup, as_recorded, check_text, load_bench
from cavet.commands._bench import open_bench
from cavet.commands._completing import complete_benches
from cavet.files import write_whole
from cavet.record import RecordFile
from cavet.units import parse
from cavet.wording import WrongError, plain

F = TypeVar("F", bound=Callable[..., Any])
PROGRESS_SECONDS = 1.0
"""What takes longer says how far it is."""
bench_option = click.option(
    "--bench", metavar="BENCH", shell_complete=complete_benches, help="The bench it is of, where it can't tell itself."
)


@contextmanager
def opened(path: Path) -> Iterator[RecordFile]:
    """A record, as long as it is entered; that it was cut is said on standard error. Raises `WrongError`."""
    file = RecordFile(path)
    try:
        words = {"cut": "its writer was killed; what it had written is there", "": "it is still written"}
        ended = file.ended()
        if ended in words:
            print(f"{plain(str(path))}: {words[ended]}", file=sys.stderr)
        yield file
    finally:
        file.close()


def bench_of(file: RecordFile, record: Path, bench: str | None = None) -> BenchFile:
    """The bench that a record is of: the one that is named, or that the record names. Raises `WrongError` where it is
    not there any more."""
    of = _file_of(file, record, bench)
    return BenchFile(of.path, of.text, as_recorded(of.setup, file.about))


def _file_of(file: RecordFile, record: Path, bench: str | None) -> BenchFile:
    if bench is not None:
        return open_bench(bench)
    text = file.about.get("text")
    if text is not None:
        return BenchFile(record, text, check_text(text, str(record), record.parent))
    named = file.about.get("file", "")
    if not named or not Path(named).is_file():
        found = f"of {named}, which is not there" if named else "a record that names no bench file"
        raise WrongError(str(record), found=found, expected="--bench with the bench file that it is of")
    return load_bench(Path(named))


def setup_of(file: RecordFile, record: Path, bench: str | None) -> Setup | None:
    """The same, as a set-up; `None` where it can't be told: then units and wiring are not known."""
    try:
        return bench_of(file, record, bench).setup
    except (WrongError, ExceptionGroup):
        if bench is not None:
            raise
        return None


def time_of(text: str | None, place: str, default: float) -> float:
    """A time of the record, in s; a bare number is one, too. Raises `WrongError`."""
    if text is None:
        return default
    value = parse(text, "s", place)
    if not math.isfinite(value) or value < 0:
        raise WrongError(place, found=text, expected="a time of 0 s or more")
    return value


def write_out(pieces: Iterable[bytes], path: Path | None, *, share: Callable[[], float] | None = None) -> None:
    """Write pieces to a file, which is there only when it is whole, or to standard output. What takes long says on a
    terminal how far it is. Raises `WrongError`."""
    if path is None:
        for piece in pieces:
            sys.stdout.buffer.write(piece)
        sys.stdout.buffer.flush()
        return
    write_whole(path, _telling(pieces, share))


def _telling(pieces: Iterable[bytes], share: Callable[[], float] | None) -> Iterator[bytes]:
    """The same pieces; meanwhile it is said how far they are."""
    said = time.monotonic()
    tells = sys.stderr is not None and sys.stderr.isatty()
    for piece in pieces:
        yield piece
        if tells and share is not None and time.monotonic() - said > PROGRESS_SECONDS:
            said = time.monotonic()
            print(f"{100 * share():.0f} %; ctrl+c breaks it off", end="\r", file=sys.stderr, flush=True)
