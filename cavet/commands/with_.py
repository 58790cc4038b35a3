"""`cavet with BENCH -- PROGRAM …`: a program of others on simulated buses, unchanged."""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path

import click

from cavet import clock
from cavet.bench import Plan, RunningBench, places_of, variables_of
from cavet.commands._bench import open_bench
from cavet.commands._completing import complete_benches
from cavet.commands._recording import Kept, record_options, recorded, seed_option, with_seed
from cavet.kernel import KernelServer, is_static, mappings_of, shim
from cavet.wording import WrongError

SETTLE_SECONDS = 0.1
"""What the program has set going is in the record, too."""
NOT_THERE, NOT_ABLE = 127, 126
"""The codes of a program that is not there, or can't be run. Source: POSIX, Shell Command Language, section 2.8.2."""


@click.command("with", context_settings={"ignore_unknown_options": True})
@click.argument("bench", shell_complete=complete_benches)
@click.argument("program", nargs=-1, required=True, type=click.UNPROCESSED, metavar="-- PROGRAM [ARG …]")
@click.option(
    "--map", "maps", multiple=True, metavar="PATH=BOARD.i2c",
    help="A device of the kernel, and the bus that answers in its place; PATH=BOARD for a serial device.",
)  # fmt: skip
@seed_option
@record_options
def command(bench: str, program: tuple[str, ...], maps: tuple[str, ...], seed: str | None, kept: Kept) -> int:
    """Run PROGRAM on the simulated boards of BENCH: what it does with the devices that are mapped, they answer. It ends
    with the program's exit code, 128 and more where a signal has ended it."""
    if is_static(program[0]):
        raise WrongError("with", found=f"{program[0]}, linked statically", expected="one that the loader starts")
    plan = with_seed(open_bench(bench).plan, seed)
    return clock.run(_run(plan, program, maps, kept))


async def _run(plan: Plan, program: Sequence[str], maps: Sequence[str], kept: Kept) -> int:
    bench = RunningBench(plan, hosts=False)
    with recorded(bench, kept), tempfile.TemporaryDirectory(prefix="cavet-") as folder:
        try:
            await bench.start()
            places = places_of(bench.endpoints)
            mappings = mappings_of(plan, maps, places)
            server = KernelServer(bench, mappings)
            try:
                more = await server.start(Path(folder))
                if mappings:
                    more |= _preloaded(shim())
                code = await _follow(program, {**more, **variables_of(places)})
                if kept.path is not None:
                    await asyncio.sleep(SETTLE_SECONDS)
                return code
            finally:
                await server.stop()
        finally:
            await bench.stop()


def _preloaded(path: Path) -> dict[str, str]:
    before = os.environ.get("LD_PRELOAD", "")
    return {"LD_PRELOAD": f"{path} {before}".strip()}


async def _follow(program: Sequence[str], more: Mapping[str, str]) -> int:
    """Run it to its end; a signal that comes to us goes on to it."""
    try:
        process = await asyncio.create_subprocess_exec(*program, env={**os.environ, **more})
    except FileNotFoundError:
        click.echo(f"{program[0]}: there is no such program", err=True)
        return NOT_THERE
    except OSError as error:
        click.echo(f"{program[0]}: {error.strerror}", err=True)
        return NOT_ABLE
    loop = asyncio.get_running_loop()
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        loop.add_signal_handler(number, _hand_on, process, number)
    code = await process.wait()
    return code if code >= 0 else 128 - code


def _hand_on(process: asyncio.subprocess.Process, number: int) -> None:
    if number != signal.SIGINT:  # the terminal has given it to both
        with contextlib.suppress(ProcessLookupError):
            process.send_signal(number)
