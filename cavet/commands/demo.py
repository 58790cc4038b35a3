"""`cavet demo`: the workbench on the demo."""

from __future__ import annotations

import click

from cavet.benchfile import load_bench
from cavet.commands._bench import broker_option
from cavet.commands._recording import Kept, record_options
from cavet.commands.open import open_workbench
from cavet.demo import demo_path


@click.command("demo")
@broker_option
@record_options
def command(broker: str | None, kept: Kept) -> int:
    """Open the workbench on the demo: Ottersluice, a small canal lock."""
    return open_workbench(load_bench(demo_path()), (), broker, kept)
