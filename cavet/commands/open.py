"""`cavet open BENCH`: the workbench on a bench."""

from __future__ import annotations

import os
import sys
import threading
from collections.abc import Callable
from contextlib import closing
from itertools import chain, count
from pathlib import Path

import click

from cavet import clock
from cavet.benchfile import ENDING, BenchFile, Setup, changes_between, name_of, start_text
from cavet.commands._bench import at_addresses, broker_option, on_broker, open_bench
from cavet.commands._completing import complete_benches
from cavet.commands._loading import loading
from cavet.commands._recording import NOWHERE, Kept, record_options
from cavet.commands._terminal import require_screen
from cavet.commands.new import refuse_old, write_new
from cavet.faults import FORESEEN
from cavet.files import file_errors, write_whole
from cavet.log import state_path
from cavet.record import RecordFile, check_new, writer_of
from cavet.wording import WrongError, listed

LAST_BENCH = "last-bench"
"""The file of the state folder that names the bench used last."""
END_SECONDS = 2.0
"""How long the screen may take to end when its window is gone."""


@click.command("open")
@click.argument("bench", shell_complete=complete_benches)
@click.option(
    "--at", multiple=True, metavar="BOARD=ADDRESS", help="Drive the board that is at this device or HOST:PORT."
)
@broker_option
@record_options
@click.option("--new", "is_new", is_flag=True, help="Begin BENCH: a file that is not there yet, with nothing in it.")
def command(bench: str, at: tuple[str, ...], broker: str | None, kept: Kept, is_new: bool) -> int:
    """Open the workbench on BENCH: a path, or the word `demo`."""
    if is_new:
        require_screen()
        begin(Path(bench))
    return open_workbench(open_bench(bench), at, broker, kept)


def open_last() -> int:
    """Open the workbench on the bench last used; where there is none, on one that is chosen."""
    remembered = in_state(LAST_BENCH)
    if remembered.is_file() and Path(last := remembered.read_text("utf-8").strip()).is_file():
        return open_workbench(open_bench(last), (), None)
    return open_workbench(open_bench(choose()), (), None)


def in_state(name: str) -> Path:
    """A file of the state folder. Raises `WrongError` where there can be none."""
    with file_errors(Path("the state folder"), "one that can be written: XDG_STATE_HOME names another"):
        return state_path(name)


def own_record(bench: Path) -> Path:
    """Where a bench's record is kept when nobody has named a file: in the place of its last one, where no other window
    still writes that; not in that of another bench of the same name."""
    name = bench.name.partition(".")[0]
    names = chain([name], (f"{name}-{number}" for number in count(2)))
    paths = (in_state(f"{each}.record") for each in names)
    return next(path for path in paths if not writer_of(path) and not _is_of_another(path, bench))


def _is_of_another(record: Path, bench: Path) -> bool:
    """Whether there is a record of another bench, whose file is there still."""
    try:
        with closing(RecordFile(record)) as file:
            other = Path(file.about.get("file", ""))
    except WrongError:
        return False
    return other.is_absolute() and other != bench.resolve() and other.is_file()


def begin(path: Path) -> str:
    """Write a bench with nothing in it; give its path. Raises `WrongError` for a file that is there already."""
    refuse_old(path)
    write_new(path, start_text(path.name, name_of(path.name), ()))
    return str(path)


def choose() -> str:
    """Let a person choose among the demo, the benches of this folder, and a new one."""
    benches = ["demo", *sorted(path.name for path in Path.cwd().glob(f"*{ENDING}"))]
    if not sys.stdin.isatty():
        raise WrongError("cavet", found="no bench used before", expected=f"`cavet open BENCH`: {listed(benches)}")
    for number, bench in enumerate([*benches, "a new one, in this folder"], 1):
        print(f"{number:3}  {bench}")
    answer = click.prompt("which bench", type=click.IntRange(1, len(benches) + 1), default=1)
    if answer <= len(benches):
        return benches[answer - 1]
    name = click.prompt("what is it called", default="mine").removesuffix(ENDING)
    return begin(Path(f"{name}{ENDING}"))


def open_workbench(file: BenchFile, at: tuple[str, ...], broker: str | None, kept: Kept = NOWHERE) -> int:
    """Run the workbench; give its exit code."""
    require_screen()
    with loading():
        from cavet.bench import BenchThread
        from cavet.workbench import Changing, Desk, app_for
    if kept.path is not None:
        check_new(kept.path, force=kept.force)
    path = kept.path or own_record(file.path)
    write_whole(in_state(LAST_BENCH), [str(file.path.resolve()).encode()])
    changing = Changing(file)

    def as_setup(changed: BenchFile) -> Setup:
        return at_addresses(on_broker(changed.setup, broker), at)

    with BenchThread(as_setup(file), path, kept.size, hosts_wait=True) as thread:
        desk = None
        while True:
            running, changing.wants_again = changing.file, False
            work = desk.made_work if desk is not None else None  # a routine runs on while the bench is changed
            if work is not None:
                work.check()
            desk = Desk(thread.bench, thread.post, lambda: thread.record_problem, changing, work)
            app = app_for(desk, lambda: end_soon(thread.stop))
            try:
                clock.run(app.run_async())
            finally:
                desk.leave()
            if app.failed is not None:
                raise app.failed
            if not changing.wants_again:
                if desk.made_work is not None and desk.made_work.is_running:
                    click.echo("the routine that runs ends first: `finally`, then its outputs go to rest")
                return app.return_value or 0
            try:
                thread.take_over(as_setup(changing.file), changes_between(running, changing.file))
            except FORESEEN as error:
                changing.refused(running, str(error))


def end_soon(stop: Callable[[], None]) -> None:
    """End the process in a while, in good order as far as the bench goes, whatever the screen still waits for."""

    def end() -> None:
        stop()
        os._exit(0)

    timer = threading.Timer(END_SECONDS, end)
    timer.daemon = True
    timer.start()
