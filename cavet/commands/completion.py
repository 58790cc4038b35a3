"""`cavet completion SHELL`: what a shell must read so that it completes words of `cavet`."""

from __future__ import annotations

import click
from click.shell_completion import get_completion_class

SHELLS = ("bash", "zsh", "fish")
VARIABLE = "_CAVET_COMPLETE"


@click.command("completion")
@click.argument("shell", type=click.Choice(SHELLS))
@click.pass_context
def command(context: click.Context, shell: str) -> None:
    """Print it for SHELL; `eval "$(cavet completion bash)"` in its start-up file."""
    made = get_completion_class(shell)
    assert made is not None  # one of those that click knows
    print(made(context.find_root().command, {}, "cavet", VARIABLE).source())
