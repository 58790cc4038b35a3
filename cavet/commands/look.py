"""`cavet look RECORD`: the workbench on a record, also on one that another process is writing."""

from __future__ import annotations

from pathlib import Path

import click

from cavet import clock
from cavet.bench import BenchFile, load_bench
from cavet.commands._bench import open_bench
from cavet.commands._completing import complete_benches
from cavet.commands._loading import loading
from cavet.commands._terminal import require_screen
from cavet.record import RecordFile
from cavet.wording import WrongError


@click.command("look")
@click.argument("record", type=click.Path(path_type=Path))
@click.option(
    "--bench", metavar="BENCH", shell_complete=complete_benches, help="The bench it is of, where it can't tell itself."
)
def command(record: Path, bench: str | None) -> int:
    """Look at RECORD: the frames of all its links, and what became of them. It is followed while it is written."""
    file = RecordFile(record)
    try:
        of = open_bench(bench) if bench is not None else bench_of(file, record)
        require_screen()
        with loading():
            from cavet.bench import PastBench
            from cavet.workbench import PastDesk, RecordApp
        app = RecordApp(PastDesk(PastBench(of.plan, file)))
        clock.run(app.run_async())
    finally:
        file.close()
    if app.failed is not None:
        raise app.failed
    return app.return_value or 0


def bench_of(file: RecordFile, record: Path) -> BenchFile:
    """The bench file that a record names. Raises `WrongError` where it is not there any more."""
    named = file.about.get("file", "")
    if not named or not Path(named).is_file():
        found = f"of {named}, which is not there" if named else "a record that names no bench file"
        raise WrongError(str(record), found=found, expected="--bench with the bench file that it is of")
    return load_bench(Path(named))
