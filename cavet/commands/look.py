"""`cavet look RECORD`: the workbench on a record, also on one that another process is writing."""

from __future__ import annotations

from pathlib import Path

import click

from cavet import clock
from cavet.commands._loading import loading
from cavet.commands._records import bench_of, bench_option
from cavet.commands._terminal import require_screen
from cavet.record import RecordFile


@click.command("look")
@click.argument("record", type=click.Path(path_type=Path))
@bench_option
def command(record: Path, bench: str | None) -> int:
    """Open the workbench on RECORD: its lanes, any moment of it, every frame, every command. It is followed while it is
    written."""
    file = RecordFile(record)
    try:
        of = bench_of(file, record, bench)
        require_screen()
        with loading():
            from cavet.bench import PastBench
            from cavet.workbench import PastDesk, RecordApp
        app = RecordApp(PastDesk(PastBench(of.setup, file)))
        clock.run(app.run_async())
    finally:
        file.close()
    if app.failed is not None:
        raise app.failed
    return app.return_value or 0
