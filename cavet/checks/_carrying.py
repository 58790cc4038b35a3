"""Carrying out one run of a check, on a bench of its own: from its seed, with its defects and faults."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import msgspec

from cavet import clock
from cavet.bench import LOOK_SECONDS, Carrier, RunningBench, Walk, Walked, until_ready
from cavet.benchfile import CheckSettings, RestCheck, Setup
from cavet.checks._faults import Fault, routine_of
from cavet.checks._shown import problem_in
from cavet.library.past import past_trails
from cavet.record import RecordWriter
from cavet.routines import Program, Runner, read_source, routine_text, tune_value
from cavet.wording import UnreachableError, WrongError, digits, listed, plain, unknown

MOST_SECONDS = 3600.0
"""A check that has not ended after so many seconds of the bench will not."""
SETTLE_SECONDS = 0.1
"""What is still on its way when a check has ended belongs to its record."""
LEAST_SECONDS = 1e-6
"""A shorter time is none: a clock that has run for long can't tell it."""
FAILING = "failing"
WORD = re.compile(r"[a-z_][a-z0-9_]*")
ROUTINE = re.compile(r"^routine +([a-z_][a-z0-9_]*)", re.MULTILINE)
DOES = re.compile(r"\bdo +([a-z_][a-z0-9_]*)")


class Case(msgspec.Struct, frozen=True, kw_only=True):
    """One run: of which check, from which seed, with which defects, and the faults in it."""

    check: str
    seed: str
    defects: tuple[str, ...] = ()
    faults: tuple[Fault, ...] = ()


class Came(msgspec.Struct, frozen=True, kw_only=True):
    """What came of a run: whether it held, `None` where what it hangs on was not there; how many bench seconds it took;
    why not; what was walked; the trail that broke, as text, or what came of all that a program has said where what was
    expected did not come; what its record shows for other checks, "" for well."""

    case: Case
    held: bool
    t: float
    why: str = ""
    walked: tuple[Walked, ...] = ()
    trail: str = ""
    shown: dict[str, str] = {}
    output: str = ""
    """What a program has written."""


class Act:
    """Something that is checked, on a bench that runs: `carry_out` tells why it did not hold, "" where it did."""

    def __init__(self, setup: Setup, check: CheckSettings) -> None:
        self.setup = setup
        self.check = check
        self.walked: list[Walked] = []

    defects_at_once = True
    """Whether defects are on before the bench starts; else the act makes them."""

    def hosts(self) -> list[str]:
        """The hosts that it talks to."""
        return list(self.setup.hosts)

    def boards(self, case: Case) -> list[str] | None:
        """The boards that it needs; `None` for all: others cost time, and change nothing."""
        return None

    async def carry_out(self, bench: RunningBench, case: Case) -> str:
        """Do it. Raises `UnreachableError`."""
        raise NotImplementedError


class WalkAct(Act):
    """Outputs are walked."""

    def hosts(self) -> list[str]:
        named = self.check.outputs or tuple(self.setup.points)
        boards = {self.setup.point(name).board for name in named}
        return [host for host in self.setup.hosts if host in boards]

    async def carry_out(self, bench: RunningBench, case: Case) -> str:
        faults = _faults_beside(bench, self.setup, case)
        try:
            async for walked in Walk(bench).walk(self.check.outputs):
                self.walked.append(walked)
        finally:
            await _ended(faults)
        wrong = [each for each in self.walked if each.held is False]
        if not wrong:
            return ""
        more = f", and {len(wrong) - 1} more" if len(wrong) > 1 else ""
        return f"{wrong[0].output}: {wrong[0].why}{more}"


class RoutineAct(Act):
    """A routine must end `done`. Defects and faults are steps of a routine around it, so that its text alone does the
    same again."""

    defects_at_once = False

    def __init__(self, setup: Setup, check: CheckSettings) -> None:
        super().__init__(setup, check)
        self._file, self._text, self._name = routine_of_check(setup, check)
        program = routine_text(self._text, self._file.name, setup)
        if self._name not in program.routines:
            known = program.routines
            raise unknown(f"checks.{check.name}.routine", self._name, known)
        self._program = program
        self._tunes = {
            name: tune_value(program.routines[self._name], name, raw, f"checks.{check.name}.tunes.{name}")
            for name, raw in check.tunes.items()
        }

    def hosts(self) -> list[str]:
        return self._program.hosts_for(self._name, self.setup)

    def boards(self, case: Case) -> list[str] | None:
        words = set(WORD.findall(_sources(self._text, self._name)))
        words |= {word for fault in case.faults for word in WORD.findall(fault.step)}
        words |= {self.setup.board_of(host) for host in self.hosts()}
        words |= {self.setup.defects[defect].board for defect in case.defects}
        return [name for name in self.setup.boards if name in words]

    def text(self, case: Case) -> str:
        """A file of routines whose first one does what a run of the case does."""
        return f"{routine_of(case.faults, case.defects, self._body())}\n{self._text}"

    def _body(self) -> str:
        units = {name: tune.unit or "" for name, tune in self._program.routines[self._name].tunes.items()}
        tunes = ", ".join(f"{name} = {digits(value)} {units[name]}".rstrip() for name, value in self._tunes.items())
        return f"do {self._name}" + (f" with {tunes}" if tunes else "")

    async def carry_out(self, bench: RunningBench, case: Case) -> str:
        program, name, tunes = self._program, self._name, self._tunes
        if case.faults or case.defects:
            around = routine_of(case.faults, case.defects, self._body())
            program = routine_text(f"{self._text.rstrip()}\n\n{around}", self._file.name, self.setup)
            name, tunes = FAILING, {}
        await asyncio.gather(*(until_ready(bench.host_links[host]) for host in program.hosts_for(name, self.setup)))
        return await _run(bench, program, name, tunes)


class RestAct(Act):
    """Outputs are set, a link is broken, and everything is at rest soon after."""

    def hosts(self) -> list[str]:
        rest = self.check.rest
        assert rest is not None  # that is what it is made for
        return [host for host, each in self.setup.hosts.items() if rest.breaks in self.setup.links[each.link].words]

    async def carry_out(self, bench: RunningBench, case: Case) -> str:
        rest = self.check.rest
        assert rest is not None
        walk = Walk(bench)
        faults = _faults_beside(bench, self.setup, case)
        try:
            before = walk.stand()
            for name, value in rest.set:
                await until_ready(bench.link_of(self.setup.points[name]))
                if why := await walk.bring(self.setup.points[name], value):
                    return f"{name} can't be set: {why}"
            links = [link.name for link in self.setup.links_meant(rest.breaks)]
            for link in links:
                bench.break_link(link)
            try:
                return await at_rest(bench, walk, rest, self.hosts(), before)
            finally:
                for link in links:
                    bench.mend_link(link)
        finally:
            await _ended(faults)


async def at_rest(
    bench: RunningBench,
    walk: Walk,
    rest: RestCheck,
    hosts: Sequence[str],
    before: Mapping[str, Any],
    boards: Collection[str] = (),
    since: float | None = None,
) -> str:
    """Wait until every output of these hosts is at rest, and what is moved on these boards stands as before; tell which
    are not in time, from now on or `since` a bench time, "" for none."""
    points = [point for point in bench.setup.points.values() if point.kind.is_output and point.board in hosts]
    began = bench.clock.now() if since is None else since
    while True:
        away = [point.name for point in points if walk.is_away(point, before)] + walk.parts_away(boards, before)
        if not away:
            return ""
        left = rest.within - bench.clock.spent_since(began)
        if left <= LEAST_SECONDS:
            return f"not at rest after {digits(rest.within)} s: {listed(away, 'and')}"
        await asyncio.sleep(min(left, LOOK_SECONDS))


def routine_of_check(setup: Setup, check: CheckSettings) -> tuple[Path, str, str]:
    """The file of a check's routine, its text, and the routine's name. Raises `WrongError`."""
    file, _, name = check.routine.partition("#")
    path = (Path(setup.path).parent if setup.path else Path()) / file
    return path, read_source(path), name


def _sources(text: str, name: str) -> str:
    """The lines of a routine, and of all that it does."""
    pieces = ROUTINE.split(text)
    sources = dict(zip(pieces[1::2], pieces[2::2], strict=True))
    found: dict[str, str] = {}
    waiting = [name]
    while waiting:
        each = waiting.pop()
        if each in sources and each not in found:
            found[each] = sources[each]
            waiting += DOES.findall(sources[each])
    return "\n".join(found.values())


def act_of(setup: Setup, check: CheckSettings) -> Act:
    """What a check does. Raises `WrongError`, and an `ExceptionGroup` where a routine can't be run."""
    if check.routine:
        return RoutineAct(setup, check)
    return RestAct(setup, check) if check.rest is not None else WalkAct(setup, check)


def _faults_beside(bench: RunningBench, setup: Setup, case: Case) -> asyncio.Task[Any] | None:
    """Faults that come while something else is done."""
    if not case.faults:
        return None
    program = routine_text(routine_of(case.faults, ()), "faults", setup)
    return asyncio.create_task(Runner(bench, program, lambda line: None).run(FAILING))


async def _ended(task: asyncio.Task[Any] | None) -> None:
    if task is not None:
        task.cancel()
        await asyncio.gather(task, return_exceptions=True)


async def _run(bench: RunningBench, program: Program, name: str, tunes: dict[str, float]) -> str:
    runner = Runner(bench, program, lambda line: None)
    running = asyncio.create_task(runner.run(name, tunes))
    await asyncio.wait({running}, timeout=MOST_SECONDS)
    if not running.done():
        runner.stop("it does not end")
        await running
        return f"it has not ended within {digits(MOST_SECONDS)} s"
    end = running.result()
    if end.result == "done":
        return ""
    where = f"line {end.line}: " if end.line else ""
    return f"{end.result}, {where}{plain(end.why)}" if end.why else f"{end.result} {where}".strip()


async def _carry_out(act: Act, case: Case, shows: Sequence[CheckSettings], record: Path | None, whole: bool) -> Came:
    setup = act.setup
    carrier = Carrier.MEMORY if _all_simulated(setup) else Carrier.REAL
    bench = RunningBench(setup, carrier=carrier, boards=None if whole else act.boards(case))
    with recording(bench, record):
        try:
            if act.defects_at_once:
                for defect in case.defects:
                    bench.world.switch_defect(defect, True)
            await bench.start()
            try:
                why = await act.carry_out(bench, case)
            except UnreachableError as error:
                why = str(error)
            t = bench.clock.now()
            await asyncio.sleep(SETTLE_SECONDS)
            return came_of(act.setup, act.check, case, shows, bench, why, t, walked=act.walked)
        finally:
            await bench.stop()


@contextmanager
def recording(bench: RunningBench, path: Path | None) -> Iterator[None]:
    """Have the record of a bench that is about to be started written to a file, where one is wanted. Raises
    `WrongError` where there is no room for it, when the rest is done."""
    if path is None:
        yield
        return
    writer = RecordWriter(bench.record, path, bench.setup.about)
    try:
        yield
    finally:
        writer.close()
    if writer.problem is not None:
        raise WrongError("its record", found=writer.problem, expected="room for it")


def came_of(
    setup: Setup, check: CheckSettings, case: Case, shows: Sequence[CheckSettings], bench: RunningBench, why: str,
    t: float, *, walked: Sequence[Walked] = (), output: str = "", deeds: str = "",
) -> Came:  # fmt: skip
    """What came of a run, with what its record shows for its own check and for others."""
    events = bench.record.since(0)
    own = problem_in(events, setup, check) if check.shows else ""
    why = "; ".join(words for words in (why, own) if words)
    return Came(
        case=case, held=not why, t=round(t, 6), why=why, walked=tuple(walked), output=output,
        shown={each.name: problem_in(events, setup, each) for each in shows if not check.program or _is_seen(each)},
        trail=deeds or (_broken_trail(bench, walked) if why else ""),
    )  # fmt: skip


def _is_seen(check: CheckSettings) -> bool:
    """Whether the record of a program can show what is looked for."""
    return check.delays is None or check.delays.is_seen_of_programs


def _broken_trail(bench: RunningBench, walked: Sequence[Walked]) -> str:
    """The trail that broke, as text: of what was walked the first that did not hold, else the last broken one."""
    trails = past_trails(bench.record.since(0), bench.setup)
    wanted = next((each.trail for each in walked if each.held is False), None)
    if wanted is not None:
        found = [trail for trail in trails if trail.number == wanted]
    else:
        broken = [trail for trail in trails if trail.broken_at is not None]
        found = [trail for trail in broken if trail.is_command] or broken
    return str(found[-1]) if found else ""


def carry_out(
    setup: Setup, case: Case, shows: Sequence[CheckSettings] = (), record: Path | None = None, *, whole: bool = False
) -> Came:  # fmt: skip
    """Carry out one run: in fast time where all boards are simulated, else in real time. `shows` are checks of which
    its record is asked, too. With `whole` all boards of the bench are there, not only those that it needs. Raises
    `WrongError`."""
    act = act_of(msgspec.structs.replace(setup, seed=case.seed), setup.checks[case.check])
    return clock.run(_carry_out(act, case, shows, record, whole), fast=_all_simulated(setup))


def _all_simulated(setup: Setup) -> bool:
    return all(setup.links[host.link].simulated for host in setup.hosts.values())
