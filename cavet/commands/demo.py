"""`cavet demo`: the workbench on the demo."""

from __future__ import annotations

from pathlib import Path

import click

from cavet.bench import load_bench
from cavet.commands._bench import broker_option
from cavet.commands.open import open_workbench
from cavet.demo import demo_path


@click.command("demo")
@broker_option
@click.option("--record", "record_path", type=click.Path(path_type=Path), help="Keep the record in this file.")
def command(broker: str | None, record_path: Path | None) -> int:
    """Open the workbench on the demo: Ottersluice, a small canal lock."""
    return open_workbench(load_bench(demo_path()), (), broker, record_path)
