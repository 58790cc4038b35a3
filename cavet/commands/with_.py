"""`cavet with BENCH -- PROGRAM …`: a program of others on simulated buses, unchanged."""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
from asyncio.subprocess import DEVNULL, PIPE
from collections.abc import Mapping, Sequence

import click

from cavet import clock
from cavet.bench import RunningBench, places_of, variables_of
from cavet.benchfile import Setup
from cavet.commands._bench import open_bench
from cavet.commands._completing import complete_benches
from cavet.commands._program_lines import Told
from cavet.commands._recording import Kept, record_options, recorded, seed_option, with_seed
from cavet.kernel import kernel_devices, mappings_of

SETTLE_SECONDS = 0.1
"""What the program has set going is in the record, too."""
NOT_THERE, NOT_ABLE = 127, 126
"""The codes of a program that is not there, or can't be run. Source: POSIX, Shell Command Language, section 2.8.2."""
NOTHING_MAPPED = "no device of the kernel is mapped: --map PATH=BOARD.i2c, or [boards.NAME.kernel] in the bench file"


@click.command("with", context_settings={"ignore_unknown_options": True})
@click.argument("bench", shell_complete=complete_benches)
@click.argument("program", nargs=-1, required=True, type=click.UNPROCESSED, metavar="-- PROGRAM [ARG …]")
@click.option(
    "--map", "maps", multiple=True, metavar="PATH=BOARD.i2c",
    help="A device of the kernel, and the bus that answers in its place; PATH=BOARD for a serial device.",
)  # fmt: skip
@click.option(
    "--json", "json_lines", is_flag=True,
    help="JSON lines: where the boards are, what the program writes, how it ends; lines of input act on the outside.",
)  # fmt: skip
@click.option("--events", is_flag=True, help="Every event of the record, as a JSON line.")
@seed_option
@record_options
def command(
    bench: str, program: tuple[str, ...], maps: tuple[str, ...], json_lines: bool, events: bool, seed: str | None,
    kept: Kept,
) -> int:  # fmt: skip
    """Run PROGRAM on the simulated boards of BENCH: what it does with the devices that are mapped, they answer. It ends
    with the program's exit code, 128 and more where a signal has ended it."""
    if bench.startswith("-"):
        raise click.NoSuchOption(bench)
    setup = with_seed(open_bench(bench).setup, seed)
    told = Told if json_lines or events else None
    return clock.run(_run(setup, program, maps, kept, told, events))


async def _run(
    setup: Setup, program: Sequence[str], maps: Sequence[str], kept: Kept, told: type[Told] | None, events: bool
) -> int:
    bench = RunningBench(setup, hosts=False)
    lines = told(bench, events=events) if told is not None else None
    try:
        with recorded(bench, kept):
            return await _run_on(bench, setup, program, maps, lines, settles=kept.path is not None)
    finally:
        if lines is not None:
            lines.close()


async def _run_on(
    bench: RunningBench, setup: Setup, program: Sequence[str], maps: Sequence[str], lines: Told | None, *, settles: bool
) -> int:
    try:
        await bench.start()
        places = places_of(bench.endpoints)
        mappings = mappings_of(setup, maps, places)
        async with kernel_devices(bench, mappings, program[0], "with") as devices:
            if lines is not None:
                lines.begin(mappings)
            code = await _follow(program, {**devices.variables, **variables_of(places)}, lines)
            if settles or lines is not None:
                await asyncio.sleep(SETTLE_SECONDS)
            remark = devices.remark() if mappings or code == 0 else NOTHING_MAPPED
        if remark and code not in (NOT_THERE, NOT_ABLE):
            click.echo(remark, err=True)
        if lines is not None:
            lines.end(code)
        return code
    finally:
        await bench.stop()


async def _follow(program: Sequence[str], more: Mapping[str, str], lines: Told | None) -> int:
    """Run it to its end; a signal that comes to us goes on to it."""
    stdin, output = (None, None) if lines is None else (DEVNULL, PIPE)
    try:
        process = await asyncio.create_subprocess_exec(
            *program, env={**os.environ, **more}, stdin=stdin, stdout=output, stderr=output
        )
    except FileNotFoundError:
        click.echo(f"{program[0]}: there is no such program", err=True)
        return NOT_THERE
    except OSError as error:
        click.echo(f"{program[0]}: {error.strerror}", err=True)
        return NOT_ABLE
    loop = asyncio.get_running_loop()
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        loop.add_signal_handler(number, _hand_on, process, number)
    if lines is not None:
        await lines.follow(process)
    code = await process.wait()
    return code if code >= 0 else 128 - code


def _hand_on(process: asyncio.subprocess.Process, number: int) -> None:
    if number == signal.SIGINT and _is_at_the_terminal():
        return  # the terminal has given it to both
    with contextlib.suppress(ProcessLookupError):
        process.send_signal(number)


def _is_at_the_terminal() -> bool:
    """Whether what is typed at the terminal goes to us, and to all that we have started."""
    try:
        terminal = os.open("/dev/tty", os.O_RDONLY | os.O_NOCTTY)
    except OSError:
        return False  # there is none
    try:
        return os.tcgetpgrp(terminal) == os.getpgrp()
    finally:
        os.close(terminal)
