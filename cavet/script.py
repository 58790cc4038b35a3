"""Routines written as a program: what `cavet run … --to-python` writes for, to go on from by hand.

from cavet.script import Run, main, routine

@routine(boards=["gatehouse"])
async def greet(run: Run) -> None:
    async for _ in run.repeat(3):
        await run.pulse("horn", 0.2)
        await run.wait(0.3)

if __name__ == "__main__":
    main("demo", greet)

Its steps are those of a routine, carried out and recorded in the same way. It takes the options of `cavet run`.
"""

from __future__ import annotations

import sys
import traceback
from pathlib import Path
from typing import Any, NoReturn

import click

from cavet.commands._run import Command, code_of
from cavet.commands.run import Wish, carry_out, run_options
from cavet.routines import (
    Routine,
    Run,
    Sight,
    Tune,
    agree,
    converted,
    differ,
    divided,
    greatest,
    least,
    nan,
    program_of,
    root,
    rounded,
    routine,
    told,
)

__all__ = [
    "Routine",
    "Run",
    "Sight",
    "Tune",
    "agree",
    "converted",
    "differ",
    "divided",
    "greatest",
    "least",
    "main",
    "nan",
    "root",
    "rounded",
    "routine",
    "told",
]


def main(bench: str, *routines: Routine, reflexes: str = "") -> NoReturn:
    """Run the routine that the command line names, or the first, on a bench, and end the program: a path to a bench
    file (from here, or from beside the program), or "demo".

    The command line is that of `cavet run`, without the bench and the file: `[ROUTINE] --tune NAME=VALUE --seed TEXT
    --record FILE …`, and so are the lines that are printed and the exit codes. `reflexes` are rules that boards follow
    by themselves, in the language of routines.
    """

    @click.command(cls=Command)
    @run_options
    def command(**options: Any) -> int:
        """Run a routine of this program."""
        wish = Wish(**options)
        setup = wish.setup(_beside(bench))
        return carry_out(setup, program_of(routines, setup, reflexes), wish)

    code = code_of(sys.argv[1:], command, Path(sys.argv[0]).name)
    for error in (error for each in routines for error in each.errors):
        traceback.print_exception(error)
    raise SystemExit(code)


def _beside(bench: str) -> str:
    """A bench that is not here, from beside the program."""
    beside = Path(sys.argv[0]).resolve().parent / bench
    return str(beside) if not Path(bench).exists() and beside.is_file() else bench
