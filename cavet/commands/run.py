"""`cavet run BENCH FILE.routine [ROUTINE]`: a routine, checked before anything moves."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import click
import msgspec

from cavet import clock
from cavet.bench import Carrier, RunningBench, until_ready
from cavet.benchfile import Setup
from cavet.commands._bench import at_addresses, broker_option, on_broker, open_bench
from cavet.commands._completing import complete_benches
from cavet.commands._recording import Kept, record_options, recorded, seed_option, with_seed
from cavet.demo import find_routines
from cavet.routines import Program, Runner, chosen, python_of, read_source, routine_text, tune_value
from cavet.serving.output import Output, as_json, end_at_signals
from cavet.serving.outside import act_on, follow_input, read_line
from cavet.units import show_duration
from cavet.wording import WrongError, digits, plain, unknown

CODES = {"done": 0, "stopped": 0, "failed": 1, "lost": 3}


F = TypeVar("F", bound=Callable[..., Any])


class Wish(msgspec.Struct, frozen=True):
    """How a routine is to be run: what the options of the command line say."""

    routine: str | None
    tunes: tuple[str, ...]
    defects: tuple[str, ...]
    seed: str | None
    real: bool
    at: tuple[str, ...]
    broker: str | None
    kept: Kept
    as_json_lines: bool

    @property
    def is_real(self) -> bool:
        """Whether it runs in real time."""
        return self.real or bool(self.at) or self.broker is not None

    def setup(self, bench: str) -> Setup:
        """The bench that it runs on. Raises `WrongError`."""
        setup = with_seed(at_addresses(on_broker(open_bench(bench).setup, self.broker), self.at), self.seed)
        for defect in self.defects:
            if defect not in setup.defects:
                known = setup.defects
                raise unknown("--defect", defect, known)
        return setup


def run_options(command: F) -> F:
    """The options of whatever runs a routine: those of a `Wish`."""
    for option in reversed((
        click.argument("routine", required=False),
        click.option("--tune", "tunes", multiple=True, metavar="NAME=VALUE", help="Where a tune begins."),
        click.option("--defect", "defects", multiple=True, metavar="NAME", help="A defect of the bench that is on."),
        seed_option,
        click.option("--real", is_flag=True, help="In real time, the boards on their real endpoints."),
        click.option("--at", multiple=True, metavar="BOARD=ADDRESS", help="Drive the board that is at this address."),
        broker_option,
        record_options,
        click.option("--json", "as_json_lines", is_flag=True, help="JSON lines."),
    )):  # fmt: skip
        command = option(command)
    return command


@click.command("run")
@click.argument("bench", shell_complete=complete_benches)
@click.argument("file", type=click.Path(path_type=Path))
@run_options
@click.option("--check", "only_check", is_flag=True, help="Read and check it only.")
@click.option("--to-python", is_flag=True, help="Print a program that does the same, to go on from by hand.")
def command(bench: str, file: Path, only_check: bool, to_python: bool, **options: Any) -> int:
    """Run a routine of FILE on BENCH: the first, or ROUTINE; `demo` is the demo's file.

    It is checked whole before anything moves; however it ends, its outputs go to rest.
    """
    wish = Wish(**options)
    setup = wish.setup(bench)
    path = find_routines(file)
    if bench == "demo" and not path.exists() and f"routine {file}\n" in read_source(find_routines("demo")):
        raise WrongError("FILE", found=f"{file}, a routine", expected=f"its file before it: cavet run demo demo {file}")
    text, name = read_source(path), path.name
    program = routine_text(text, name, setup)
    if to_python:
        click.echo(python_of(text, program, bench, chosen(program, wish.routine)), nl=False)
        return 0
    return carry_out(setup, program, wish, only_check=only_check)


def carry_out(setup: Setup, program: Program, wish: Wish, *, only_check: bool = False) -> int:
    """Run the routine that is wished for; give the exit code. Raises `WrongError`."""
    name = chosen(program, wish.routine)
    given = dict(read_tune(program, name, word) for word in wish.tunes)
    return 0 if only_check else clock.run(run(setup, program, name, given, wish), fast=not wish.is_real)


def read_tune(program: Program, routine: str, word: str) -> tuple[str, float]:
    """Read `NAME=VALUE`."""
    name, equals, text = word.partition("=")
    if not equals:
        raise WrongError("--tune", found=word, expected="NAME=VALUE")
    return name, tune_value(program.routines[routine], name, text, f"--tune {name}")


class Printer:
    """Prints what a run tells: JSON lines, or lines for a person."""

    def __init__(self, *, as_lines: bool, real: bool) -> None:
        self._as_lines = as_lines
        self._output = Output(lambda count: f"{count} lines were left out: nobody read them") if real else None
        """In real time nobody may be held up by who reads; in fast time, time stands still meanwhile."""

    def __call__(self, line: dict[str, Any]) -> None:
        text = as_json(line) if self._as_lines else readable(line)
        if self._output is not None:
            self._output.say(text)
        else:
            click.echo(text)

    def close(self) -> None:
        """The last lines go out."""
        if self._output is not None:
            self._output.close()


def readable(line: dict[str, Any]) -> str:
    """One line for a person."""
    at = f"{line['t']:10.3f}  "
    event = line["event"]
    if event == "step":
        sign = {"done": " ", "failed": "✕", "left": "·"}[line["result"]]
        return f"{at}{sign} {line['line']:4}  {plain(line['text'])}  {show_duration(line['took'])}"
    if event in ("said", "marked"):
        return f"{at}{'»' if event == 'said' else '⚑'} {line['line']:4}  {plain(line['text'])}"
    if event == "expected":
        found = "" if line["held"] else f", found {plain(line.get('found', ''))}"
        return f"{at}{'✓' if line['held'] else '✕'} {line['line']:4}  {plain(line['text'])}{found}"
    if event == "tune":
        return f"{at}~       {line['name']} is {digits(line['value'])} now"
    if event in ("when", "reflex"):
        return f"{at}↳ {line.get('line', ''):4}  {line['name']}: {show_duration(line['delay'])} from edge to pin"
    if event == "error":
        return f"{at}✕       {plain(line['message'])}"
    if event == "end":
        where = f", line {line['line']}" if line["line"] else ""
        why = f": {plain(line['why'])}" if line["why"] else ""
        rest = "" if line["at_rest"] else "; not all that was touched is at rest"
        return f"{at}{line['result']}{where}{why}{rest}"
    told = ", ".join(f"{name} {value}" for name, value in line.items() if name not in ("event", "t"))
    return f"{at}        {plain(f'{event}: {told}' if told else event)}"


async def run(setup: Setup, program: Program, name: str, tunes: dict[str, float], wish: Wish) -> int:
    """Put the bench together, run the routine on it, end it; give the exit code."""
    tell = Printer(as_lines=wish.as_json_lines, real=wish.is_real)
    bench = RunningBench(setup, carrier=Carrier.REAL if wish.is_real else Carrier.MEMORY)
    with recorded(bench, wish.kept):
        try:
            for defect in wish.defects:
                bench.world.switch_defect(defect, True)
            await bench.start()
            await asyncio.gather(*(until_ready(bench.host_links[host]) for host in program.hosts_for(name, setup)))
            runner = Runner(bench, program, tell)
            told = listen(bench, runner, program, name, tell)
            end = await runner.run(name, tunes)
            return 1 if told and end.result == "stopped" else CODES[end.result]
        finally:
            await bench.stop()
            tell.close()


def listen(
    bench: RunningBench, runner: Runner, program: Program, name: str, tell: Callable[[dict[str, Any]], None]
) -> list[str]:
    """Listen to signals and to lines of standard input; give the list in which a signal leaves a word."""
    told: list[str] = []

    def end() -> None:
        told.append("signal")
        runner.stop("told to end by a signal")

    end_at_signals(end)

    def take(line: bytes) -> None:
        try:
            wish = read_line(line)
            if "tune" in wish:
                raw = wish.get("value")
                tune = str(wish["tune"])
                runner.tune(tune, tune_value(program.routines[name], tune, raw, "input.value"))
            else:
                found = act_on(bench, line)
                tell({"event": "done", "t": round(bench.clock.now(), 6), **found})
        except WrongError as error:
            tell({"event": "error", "t": round(bench.clock.now(), 6), "message": str(error)})

    follow_input(take)
    return told
