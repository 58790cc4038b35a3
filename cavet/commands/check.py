"""`cavet check BENCH [NAME …]`: does it hold?"""

from __future__ import annotations

import signal
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import click
import msgspec

from cavet.bench import Walked
from cavet.benchfile import CheckSettings
from cavet.checks import (
    Came,
    Case,
    Cluster,
    Done,
    Kept,
    Processes,
    Ran,
    Wanted,
    Workers,
    chosen_checks,
    defect_sets,
    junit,
    orders_of,
    run_all,
    run_on,
    with_checks,
)
from cavet.commands._bench import open_bench
from cavet.commands._completing import complete_benches
from cavet.files import check_place, write_whole
from cavet.serving.output import as_json
from cavet.units import show_duration
from cavet.wording import WrongError, counted, listed, plain

HELD, FAILED, NEITHER = "✓", "✕", "·"
NO_RECORD = "nothing was run whose record could show it: name a check that does something beside it"
AS_IT_IS = "as it is"
MOST_RUNS = 1_000_000
MOST_OUTPUT = 8192
"""So many characters of what a program has written are told, the last of them."""
COUNTED = 20
"""Where there are more runs than so many, each line says the how-manieth it is."""
MOST_LINES, MOST_CHARACTERS = 20, 160


@click.command("check")
@click.argument("bench", shell_complete=complete_benches)
@click.argument("names", nargs=-1, metavar="[NAME …]")
@click.option("--seeds", type=click.IntRange(1, MOST_RUNS), metavar="N", help="So many runs, each with its own seed.")
@click.option("--defects", metavar="A+B,C", help="Sets of defects, each in runs of its own.")
@click.option("--faults", type=click.IntRange(0, 1000), metavar="N", help="So many faults in each run, at drawn times.")
@click.option("--seed", metavar="TEXT", help="In the place of the bench's: the same one, the same lines.")
@click.option("--jobs", type=click.IntRange(1, 256), default=1, metavar="N", help="Over so many processes.")
@click.option("--on", "scheduler", metavar="HOST:PORT", help="Over the machines of a Dask scheduler that is there.")
@click.option("--done", type=click.Path(path_type=Path), metavar="FILE", help="Keep what was done; go on from there.")
@click.option("--junit", "xml", type=click.Path(path_type=Path), metavar="FILE", help="The results as JUnit XML, too.")
@click.option("--records", type=click.Path(path_type=Path), metavar="DIR", help="Keep the records of runs that fail.")
@click.option("--allow-programs", is_flag=True, help="Run the programs that the checks name.")
@click.option("--json", "json_lines", is_flag=True, help="JSON lines.")
def command(
    bench: str, names: tuple[str, ...], seeds: int | None, defects: str | None, faults: int | None, seed: str | None,
    jobs: int, scheduler: str | None, done: Path | None, xml: Path | None, records: Path | None, allow_programs: bool,
    json_lines: bool,
) -> int:  # fmt: skip
    """Run the checks of BENCH, all or those named; one without any has the walk. Exit code 1 where one failed."""
    if xml is not None:
        check_place(xml)
    opened = open_bench(bench)
    setup = with_checks(opened.setup)
    checks = chosen_checks(setup, names)
    programs = [check.name for check in checks if check.program]
    if programs and not allow_programs:
        raise WrongError(
            f"checks.{programs[0]}", found="a program", expected="--allow-programs, if it may be run; nothing was run"
        )
    sets = defect_sets(defects, list(setup.defects), "--defects") if defects is not None else None
    wanted = Wanted(seeds=seeds, defects=sets, faults=faults, seed=seed, records=records)
    orders = orders_of(opened.path, setup, checks, wanted)
    signal.signal(signal.SIGTERM, _end)
    kept = Kept(done, orders) if done is not None else None
    workers = _workers(scheduler, jobs, len(orders), programs)
    report = Report(checks, seed if seed is not None else setup.seed, json_lines=json_lines, many=len(orders))
    try:
        for came in run_all(orders, workers) if kept is None else run_on(orders, kept, workers):
            report.take(came)
        report.end()
    except KeyboardInterrupt:
        click.echo(f"cavet check: {report.break_off()}", err=True)
        raise
    except BaseException:
        report.break_off()
        raise
    finally:
        if workers is not None:
            workers.close()
        if xml is not None:
            write_whole(xml, [junit(report.runs).encode()])
    return int(report.failed > 0)


def _workers(scheduler: str | None, jobs: int, runs: int, programs: Sequence[str]) -> Workers | None:
    """Who does the runs; `None` for this process. Raises `WrongError`, `UnreachableError`."""
    if scheduler is None:
        return Processes(jobs) if jobs > 1 and runs > 1 else None
    if programs:
        expected = "checks in fast time: a program is run on this machine only"
        raise WrongError("--on", found=f"checks.{programs[0]}, a program", expected=expected)
    return Cluster(scheduler)


def _end(number: int, frame: object) -> None:
    raise KeyboardInterrupt


class Report:
    """Tells what came of runs, in their order, and keeps what has to be told at the end."""

    def __init__(self, checks: Sequence[CheckSettings], seed: str, *, json_lines: bool, many: int) -> None:
        self._checks = checks
        self._seed = seed
        self._json = json_lines
        self._many = many
        self.runs: list[Ran] = []
        self._shown: dict[str, list[str]] = {check.name: [] for check in checks if not check.acts}
        self._looked: set[str] = set()
        """Those of them for which there was a record to be looked at."""
        self._t = 0.0

    @property
    def failed(self) -> int:
        """How many runs did not hold."""
        return sum(not run.held for run in self.runs)

    def take(self, done: Done) -> None:
        """Tell of a run."""
        came, case = done.came, done.came.case
        self._t += came.t
        self._looked |= came.shown.keys()
        for name, problem in came.shown.items():
            if problem:
                self._shown[name].append(f"{_title(case)}: {problem}")
        for walked in came.walked:
            self._say(walk_line(case, walked), walk_words(walked))
        more = "\n".join(part for part in (came.trail, _small_words(done), _last_lines(came.output)) if part)
        self._ran(case.check, _title(case), came, more, done)

    def _ran(self, check: str, title: str, came: Came, more: str, done: Done | None) -> None:
        self.runs.append(Ran(check=check, name=title, held=came.held, t=came.t, why=came.why, more=more))
        words = f"{HELD if came.held else FAILED} {check:16} {title:24} {show_duration(came.t):>8}"
        words += f"  {len(self.runs)} of {self._many}" if self._many > COUNTED and came.held else ""
        words += "" if came.held else f"  {plain(came.why)}"
        lines = [words, *(f"    {line}" for line in more.splitlines() if not came.held)]
        self._say(run_line(came, done), "\n".join(line.rstrip() for line in lines))

    def break_off(self) -> str:
        """It was stopped: what was not done has not held. Say that."""
        undone = self._many - len(self.runs)
        why = f"stopped: {undone} of {counted(self._many, 'run')} not done"
        self.runs.append(Ran(check="stopped", name="what was not done", held=False, t=0.0, why=why))
        return why

    def end(self) -> None:
        """Tell what the records showed, then how many there were."""
        for name, problems in self._shown.items():
            why = "" if name in self._looked else NO_RECORD
            if problems:
                more = len(problems) - 1
                why = problems[0] + (f"; and {counted(more, 'more run')}" if more else "")
            came = Came(case=Case(check=name, seed=self._seed), held=not why, t=round(self._t, 6), why=why)
            self._ran(name, "what the records show", came, "", None)
        failed_checks = len({run.check for run in self.runs if not run.held})
        count = len({run.check for run in self.runs})
        line = {
            "event": "checked", "checks": count, "runs": len(self.runs), "failed": self.failed,
            "failed_checks": failed_checks,
        }  # fmt: skip
        words = f"{counted(count, 'check')}, {counted(len(self.runs), 'run')}, {show_duration(self._t)} of bench time: "
        words += f"{self.failed} failed" if self.failed else "all held"
        self._say(line, words)

    def _say(self, line: dict[str, Any], words: str) -> None:
        click.echo(as_json(line) if self._json else words)


def _title(case: Case) -> str:
    """What a run of a check is called: its seed and its defects."""
    return f"{case.seed} {'+'.join(case.defects)}".strip()


def _last_lines(text: str) -> str:
    """The end of what a program has written, a line each."""
    lines = text[-MOST_OUTPUT:].splitlines()[-MOST_LINES:]
    return "\n".join(plain(line, MOST_CHARACTERS) for line in lines)


def _small_words(done: Done) -> str:
    """The smallest run that still fails, in words."""
    if done.small is None:
        return ""
    case = done.small.case
    left = [*(f"defect {name}" for name in case.defects), *map(str, case.faults)]
    words = f"the smallest that still fails, with --seed {case.seed}: {listed(left, 'and') if left else 'as it is'}"
    if done.small.why != done.came.why:
        words += f"\n    and says: {plain(done.small.why)}"
    return f"{words}\n{_head_of(done.routine)}" if done.routine else words


def _head_of(routine: str) -> str:
    """The routine `failing` alone, of a file that has all that it does, too."""
    lines: list[str] = []
    for line in routine.splitlines():
        if line.startswith("routine ") and lines:
            break
        lines.append(line)
    while lines and (not lines[-1].strip() or lines[-1].startswith("#")):
        lines.pop()
    return "\n".join(lines)


def walk_line(case: Case, walked: Walked) -> dict[str, Any]:
    """An output that was walked, as a JSON object."""
    return {
        "event": "walked", "check": case.check, "seed": case.seed, "defects": list(case.defects),
        "output": walked.output, "names": walked.names, "moved": list(walked.moved), "held": walked.held,
        "why": plain(walked.why),
    }  # fmt: skip


def walk_words(walked: Walked) -> str:
    """The same for a person."""
    sign = {True: HELD, False: FAILED, None: NEITHER}[walked.held]
    return f"  {sign} {walked.output:20} {plain(walked.why)}".rstrip()


def run_line(came: Came, done: Done | None) -> dict[str, Any]:
    """A run, as a JSON object."""
    case = came.case
    record = str(done.record) if done is not None and done.record is not None and not came.held else None
    line: dict[str, Any] = {
        "event": "run", "check": case.check, "seed": case.seed, "defects": list(case.defects), "held": came.held,
        "t": came.t, "why": plain(came.why), "record": record,
    }  # fmt: skip
    if came.output:
        line["output"] = came.output[-MOST_OUTPUT:]
    if case.faults:
        line["faults"] = [msgspec.to_builtins(fault) for fault in case.faults]
    if done is not None and done.small is not None:
        left = done.small.case
        faults = [msgspec.to_builtins(each) for each in left.faults]
        line["small"] = {"defects": list(left.defects), "faults": faults, "why": plain(done.small.why)}
        if done.routine is not None:
            line["routine"] = done.routine
    return line
