"""A check in which the user's own program is the host: boards on their real endpoints, in real time, and conditions
over the truth, since what that program believes nobody knows."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import msgspec

from cavet import clock
from cavet.bench import LOOK_SECONDS, MOVE_SECONDS, Carrier, RunningBench, Walk, places_of, shows_itself
from cavet.benchfile import CheckSettings, Setup
from cavet.boards.parts import Sign
from cavet.checks._carrying import Came, Case, at_rest, came_of, recording
from cavet.checks._deeds import deeds
from cavet.checks._program import Ended, Running, call_of
from cavet.hosts import Point
from cavet.kernel import kernel_devices, mappings_of
from cavet.record import Kind
from cavet.routines import Looking, Moments, routine_text
from cavet.wording import WrongError, digits, plain

WITHIN = 30.0
SETTLE_SECONDS, LEAST_LOOKS = 0.2, 20
"""So long, and so often, it is still looked, after it has ended, whether what was expected comes: on a busy machine a
board may be late to hear what was said last."""
MOST_WRITTEN = 120


class Truth(Looking):
    """What a condition looks at while another program is the host: a point is where its part stands."""

    def got(self, point: Point) -> Any:
        board = self._bench.setup.board_of(point.board)
        circuit = self._bench.world.boards[board].circuit if board in self._bench.world.boards else None
        part = circuit.parts.get(point.part or point.name) if circuit is not None else None
        self._bench.board_side.turn()
        now = self._bench.clock.now()
        if isinstance(part, Sign):
            return part.shows(now)
        if part is None or not shows_itself(point, part):
            expected = "BOARD.PART or BOARD.pin N: what the program believes is not known"
            raise WrongError("expect", found=point.name, expected=expected)
        return point.from_wire(part.stands_as(now))

    def asked(self, point: Point) -> Any:
        raise WrongError("expect", found=f"asked {point.name}", expected="what can be seen: BOARD.PART, BOARD.pin N")


def _step(setup: Setup, place: str, words: str) -> Any:
    """Read one condition, as a step that expects it. Raises `WrongError`."""
    try:
        program = routine_text(f"routine expected\n    expect {words} within 1 h", place, setup)
    except ExceptionGroup as group:
        error = group.exceptions[0]
        if not isinstance(error, WrongError):
            raise
        where = f'{place}, "{plain(words, MOST_WRITTEN)}"'
        raise WrongError(where, found=error.found, expected=error.expected, nearest=error.nearest) from error
    body = program.routines["expected"].body
    assert isinstance(body, list)  # it is a text, not a program
    return body[0]


class Conditions:
    """Conditions over the truth, which are looked at until each has come once."""

    def __init__(self, setup: Setup, place: str, texts: Sequence[str]) -> None:
        """`place` is where they stand in the bench file. Raises `WrongError`."""
        self._left = {words: _step(setup, place, words) for words in texts}
        self._looks: dict[str, Moments] = {}
        self.came: dict[str, float] = {}
        """Those that have come, and at which bench time that was seen."""

    def look(self, bench: RunningBench) -> None:
        """Look whether any has come. Raises `WrongError` for what can't be seen."""
        for words, step in list(self._left.items()):
            if words not in self._looks:
                self._looks[words] = Moments(step.condition, Truth(bench, {}, 0.0), bench)
            if any(self._looks[words].look()):
                del self._left[words]
                self.came[words] = bench.clock.now()

    @property
    def missing(self) -> list[str]:
        """Those that have not come."""
        return list(self._left)

    def told(self, bench: RunningBench) -> list[str]:
        """The same in words, with what was found in the place of what was expected."""
        found = []
        for words, step in self._left.items():
            about = step.of.get("found")
            stands = f", found {about.shown(about.run(Truth(bench, {}, 0.0)))}" if about is not None else ""
            found.append(f"this did not come: {words}{stands}")
        return found


def expected_of(setup: Setup, check: CheckSettings) -> Conditions:
    """What a program has to bring about. Raises `WrongError`."""
    return Conditions(setup, f"checks.{check.name}.expect", check.expect)


def forbidden_of(setup: Setup, check: CheckSettings) -> Conditions:
    """What must not come, however it comes. Raises `WrongError`."""
    return Conditions(setup, f"checks.{check.name}.never", check.never)


class Hosted:
    """A run of a program, which can be watched while it goes on."""

    def __init__(self, setup: Setup, check: CheckSettings) -> None:
        self._setup = setup
        self._check = check
        self._expected = expected_of(setup, check)
        self._forbidden = forbidden_of(setup, check)
        self.running: Running | None = None
        self.bench: RunningBench | None = None
        self._remark = ""
        self._ended_at = 0.0
        self._to_the_end = False
        """Whether it is looked at to the end of all that it has set in motion."""
        self._counted = self._taken = self._refused = 0

    @property
    def missing(self) -> list[str]:
        """The conditions that have not come so far."""
        return self._expected.missing

    @property
    def wrong(self) -> list[str]:
        """The conditions that must not come and have, so far."""
        return list(self._forbidden.came)

    @property
    def said(self) -> str:
        """What the program has written so far."""
        return self.running.output + self.running.errors if self.running is not None else ""

    def did(self) -> tuple[int, int]:
        """How many messages the boards have taken so far, and how many they refused."""
        if self.bench is not None:
            for event in self.bench.record.since(self._counted):
                self._counted = event.number + 1
                self._taken += event.kind is Kind.TAKEN
                self._refused += event.kind is Kind.REFUSED
        return self._taken, self._refused

    async def run(self, case: Case, shows: Sequence[CheckSettings] = (), record: Path | None = None) -> Came:
        """Start the bench and the program, wait until that ends, and see to it that nothing is left; its record is
        written meanwhile, since it can't be done once more. Raises `WrongError` where it can't be started, or there is
        no room for its record."""
        bench = self.bench = RunningBench(self._setup, carrier=Carrier.REAL, hosts=False)
        came: Came | None = None
        try:
            with recording(bench, record):
                came = await self._run(bench, case, shows)
        except WrongError as error:
            if came is None:
                raise
            return came if came.held else msgspec.structs.replace(came, why=f"{came.why}; {error}")
        return came

    async def _run(self, bench: RunningBench, case: Case, shows: Sequence[CheckSettings]) -> Came:
        try:
            for defect in case.defects:
                bench.world.switch_defect(defect, True)
            await bench.start()
            walk = Walk(bench)
            before = walk.stand()
            self._to_the_end = self._check.shows or bool(shows or self._check.never)
            ended = await self._watch(bench)
            resting = ""
            if self._check.rest is not None:
                boards = [board.name for board in self._setup.boards.values() if self._check.kernel and board.kernel]
                hosts = list(self._setup.hosts)
                resting = await at_rest(bench, walk, self._check.rest, hosts, before, boards, self._ended_at)
            why = "; ".join(words for words in (self._why(ended, bench), resting) if words)
            concerned = self.missing + self.wrong
            return came_of(
                self._setup, self._check, case, shows, bench, why, bench.clock.now(),
                output=ended.output + ended.errors,
                deeds=deeds(bench.record.since(0), self._setup, concerned) if concerned else "",
            )  # fmt: skip
        finally:
            await bench.stop()

    async def _watch(self, bench: RunningBench) -> Ended:
        """Look whether what is expected comes, until the program has ended, and a short while longer."""
        endpoints = places_of(bench.endpoints)
        place = f"checks.{self._check.name}.program"
        call = call_of(self._check.program, endpoints, place)
        mappings = mappings_of(self._setup, (), endpoints) if self._check.kernel else []
        if self._check.kernel and not mappings:
            expected = "a board with `[boards.NAME.kernel]`"
            raise WrongError(f"checks.{self._check.name}.kernel", found="true, and no device", expected=expected)
        async with kernel_devices(bench, mappings, call[0], place) as devices:
            ended = await self._follow(bench, call, devices.variables)
            self._remark = devices.remark()
            return ended

    async def _follow(self, bench: RunningBench, call: Sequence[str], more: Mapping[str, str]) -> Ended:
        folder = Path(self._setup.path).parent if self._setup.path else Path()
        self._look(bench)  # what it changes is seen from here on
        running = self.running = await Running.start(call, folder, places_of(bench.endpoints), more)
        try:
            began = bench.clock.now()
            while not running.has_ended and bench.clock.spent_since(began) < (self._check.within or WITHIN):
                self._look(bench)
                await asyncio.sleep(LOOK_SECONDS)
        finally:
            ended = await running.end()
        self._ended_at = bench.clock.now()
        await self._come_to_rest(bench)
        return ended

    async def _come_to_rest(self, bench: RunningBench) -> None:
        """Look on while what the program has set in motion is on its way, and a short while in any case: as long as
        something is expected, or where it is looked at to its end."""
        ended, looks = self._ended_at, 0
        while self._expected.missing or self._to_the_end:
            await asyncio.sleep(LOOK_SECONDS)
            after = bench.clock.spent_since(ended)
            bench.board_side.turn()
            is_moving = bench.world.is_moving
            self._look(bench)
            looks += 1
            is_heard = after >= SETTLE_SECONDS and looks >= LEAST_LOOKS
            if is_heard and (not is_moving or after >= MOVE_SECONDS):
                return

    def _look(self, bench: RunningBench) -> None:
        self._expected.look(bench)
        self._forbidden.look(bench)

    def _why(self, ended: Ended, bench: RunningBench) -> str:
        problems = []
        if ended.was_late:
            problems.append(f"the program had not ended within {digits(self._check.within or WITHIN)} s")
        elif ended.code != (self._check.ends or 0):
            last = ended.errors.strip().splitlines()[-1:] or ended.output.strip().splitlines()[-1:]
            said = f": {plain(last[0], MOST_WRITTEN)}" if last else ""
            how = f"with exit code {ended.code}" if ended.code >= 0 else f"by signal {-ended.code}"
            problems.append(f"the program ended {how}, not {self._check.ends or 0}{said}")
        problems += self._expected.told(bench)
        came = self._forbidden.came
        problems += [f"this came, at {digits(round(t, 3))} s, and must not: {words}" for words, t in came.items()]
        if self._remark:
            problems.append(self._remark)
        return "; ".join(problems)


def host(
    setup: Setup, check: CheckSettings, case: Case, shows: Sequence[CheckSettings] = (), record: Path | None = None
) -> Came:  # fmt: skip
    """Carry out a check of a program, in real time. Raises `WrongError`."""
    return clock.run(Hosted(setup, check).run(case, shows, record), fast=False)
