"""`cavet open BENCH`: the workbench on a bench."""

from __future__ import annotations

from pathlib import Path

import click
import platformdirs

from cavet import clock
from cavet.bench import BenchFile
from cavet.commands._bench import open_bench, with_addresses
from cavet.wording import WrongError


@click.command("open")
@click.argument("bench")
@click.option(
    "--at", multiple=True, metavar="BOARD=ADDRESS", help="Drive the board that is at this device or HOST:PORT."
)
@click.option("--record", "record_path", type=click.Path(path_type=Path), help="Keep the record in this file.")
def command(bench: str, at: tuple[str, ...], record_path: Path | None) -> int:
    """Open the workbench on BENCH: a path, or the word `demo`."""
    return open_workbench(open_bench(bench), at, record_path)


def open_last() -> None:
    """Open the workbench on the bench last used."""
    remembered = _state("last-bench")
    if not remembered.is_file():
        raise WrongError(
            "cavet", found="no bench used before", expected="`cavet open BENCH`, or `cavet demo` to look round"
        )
    raise SystemExit(open_workbench(open_bench(remembered.read_text("utf-8").strip()), (), None))


def open_workbench(file: BenchFile, at: tuple[str, ...], record_path: Path | None) -> int:
    """Run the workbench; give its exit code."""
    from cavet.workbench import BenchThread, CavetApp, Desk

    plan = with_addresses(file.plan, at)
    _state("last-bench").write_text(str(file.path.resolve()), "utf-8")
    kept = record_path or _state(f"{file.path.name.partition('.')[0]}.record")
    with BenchThread(plan, kept) as thread:
        app = CavetApp(file, Desk(thread.bench, thread.call))
        clock.run(app.run_async())
    return app.return_value or 0


def _state(name: str) -> Path:
    folder = Path(platformdirs.user_state_dir("cavet"))
    folder.mkdir(parents=True, exist_ok=True)
    return folder / name
