"""A bench in a script: what is alike whether one waits for it or awaits it.

Everything that takes bench time is a coroutine here, with a name that begins with an underscore; `cavet.aio` shows it
as it is, `cavet` waits for it.
"""

from __future__ import annotations

import asyncio
import inspect
from collections.abc import AsyncIterator, Callable, Iterable, Iterator, Mapping
from contextlib import asynccontextmanager, suppress
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from cavet.bench import (
    LOOK_SECONDS,
    MOVE_SECONDS,
    Carrier,
    RunningBench,
    Standings,
    Walk,
    Walked,
    ask_and_follow,
    check_link,
    places_of,
    ramp,
    read_afresh,
    until_ready,
    value_for,
)
from cavet.benchfile import Setup, load_bench, with_addresses
from cavet.demo import find_bench, find_routines
from cavet.hosts import Asked
from cavet.library.errors import Refused, TooLate, Unconfirmed
from cavet.library.frames import Passed, frames_of
from cavet.library.rig import Rig
from cavet.library.sending import Sent, send
from cavet.library.trails import Trail
from cavet.record import Event, Kind, RecordWriter, Transfer, check_new
from cavet.record import Trail as Followed
from cavet.routines import End, Runner, chosen, read_routine, tune_value
from cavet.units import finite, given
from cavet.wording import UnreachableError, WrongError, digits

T = TypeVar("T")
Value = float | bool | str
"""A value in the unit of what it is of; a text may have a unit of its own, "60 %", "1.2 m"."""
BY = "script"
SECONDS = "seconds, 0 or more"
"""What is expected of a time."""
AT_MOST = 60.0
HEAR_SECONDS = 0.5
"""So long it is waited at the beginning for what boards tell by themselves."""
PRESS_SECONDS = 0.1


def make_setup(
    bench: str | Path, *, seed: str | None = None, at: Mapping[str, str] | None = None, broker: str | None = None
) -> Setup:
    """Read a bench file; give its set-up, changed as is wanted. Raises `WrongError`."""
    setup = load_bench(find_bench(bench)).setup
    setup = setup if broker is None else setup.on_broker(broker)
    setup = with_addresses(setup, at or {}, "at")
    return setup if seed is None else msgspec.structs.replace(setup, seed=seed)


class BenchCore:
    """A bench, put together inside the loop that is to run it."""

    def __init__(self, setup: Setup, *, real: bool, defects: Iterable[str]) -> None:
        self._is_real = real
        self._running = RunningBench(setup, carrier=Carrier.REAL if real else Carrier.MEMORY)
        self._standings = Standings(self._running)
        for name in defects:
            self._running.world.switch_defect(name, True)
        self.record = BenchRecord(self._running)
        """What has happened so far, and where that can be saved."""

    def __repr__(self) -> str:
        return f"<bench {self._running.setup.name}, at {self.t:.3f} s>"

    def __contains__(self, name: object) -> bool:
        """Whether there is a point of that name."""
        try:
            return isinstance(name, str) and self._running.setup.point(name) is not None
        except WrongError:
            return False

    def __iter__(self) -> Iterator[str]:
        """The names of all points."""
        return iter(self.points)

    def _here(self, act: Callable[[], T]) -> T:
        """Do something in the bench's own loop."""
        return act()

    async def _start(self) -> None:
        await self._running.start()
        waiting = [until_ready(link) for link in self._running.host_links.values()]
        for problem in await asyncio.gather(*waiting, return_exceptions=True):  # what is not there is told when used
            if isinstance(problem, BaseException) and not isinstance(problem, UnreachableError):
                raise problem
        with suppress(TooLate):
            await self._wait_until(self._has_heard_all, HEAR_SECONDS)

    def _has_heard_all(self) -> bool:
        """Whether every point of the boards that are there was heard once."""
        links = [link for link in self._running.host_links.values() if link.ready]
        readings = [reading for link in links for reading in link.session.readings.values()]
        return all(reading.heard or reading.refusal for reading in readings)

    async def _stop(self) -> None:
        await self._running.stop()

    @property
    def t(self) -> float:
        """The bench's time, in seconds since it was started."""
        return self._running.clock.now()

    @property
    def points(self) -> list[str]:
        """The names of all points."""
        return list(self._running.setup.points)

    @property
    def parts(self) -> list[str]:
        """The names of all parts of simulated boards, as `part` takes them."""
        return list(self._running.world.parts)

    @property
    def rig(self) -> Rig:
        """The quantities of the outside world, by their names: read them, or put them somewhere by hand."""
        return Rig(self._running, self._here)

    @property
    def endpoints(self) -> dict[str, str]:
        """Where other programs find the simulated boards, by `board.kind` and `board.link`. Raises `WrongError` in fast
        time, where no other program can."""
        if not self._is_real:
            raise WrongError("endpoints", found="a bench in fast time", expected="one with real=True")
        return places_of(self._running.endpoints)

    def trails(self) -> list[Trail]:
        """All trails that are kept, the oldest first; each as it stands now."""

        def look() -> list[Trail]:
            self._standings.follow()
            return [self._trail(trail) for trail in self._standings.trails.all.values()]

        return self._here(look)

    def frames(self, board: str) -> list[Passed]:
        """The messages that have passed a board's links so far, both ways. Raises `WrongError`."""
        return self._here(lambda: frames_of(self._running, board))

    def _trail(self, trail: Followed) -> Trail:
        point = self._running.setup.point_of(trail)
        return Trail(trail, self._standings.diagnose(trail), point)

    async def _wait(self, seconds: float) -> None:
        await asyncio.sleep(finite(seconds, "wait", SECONDS, 0.0))

    async def _wait_until(self, condition: Callable[[], object], at_most: float) -> float:
        began = self.t
        while True:
            answer = condition()
            if await answer if inspect.isawaitable(answer) else answer:
                return self.t - began
            await self._look_on(began, at_most)

    async def _look_on(self, began: float, at_most: float) -> None:
        """What is waited for has not come: let a little time pass. Raises `TooLate` once it is."""
        most = finite(at_most, "wait_until.at_most", SECONDS, 0.0)
        if self._running.clock.spent_since(began) > most:
            raise TooLate(f"what was waited for has not come within {digits(most)} s")
        await asyncio.sleep(LOOK_SECONDS)

    async def _rest(self) -> None:
        asked = self._running.rest(by=BY)
        await self._wait_until(lambda: self._are_over(asked), MOVE_SECONDS)
        for trail in self._trails_of(asked):
            made = self._trail(trail)
            if made.broken_at is not None:
                raise Unconfirmed(made)

    def _trails_of(self, asked: list[int]) -> list[Followed]:
        self._standings.follow()
        return [self._standings.trails.all[number] for number in asked if number in self._standings.trails.all]

    def _are_over(self, asked: list[int]) -> bool:
        diagnoses = [self._standings.diagnose(trail) for trail in self._trails_of(asked)]
        return all(diagnosis.is_over or diagnosis.broken is not None for diagnosis in diagnoses)

    async def _send(self, board: str, message: str, within: float | None, fields: dict[str, Any]) -> Sent:
        return await send(self._running, board, message, within, fields)

    def fault(
        self, kind: str, board: str, *, link: str = "", messages: int | None = None, seconds: float | None = None,
        by: float | None = None, part: str = "",
    ) -> None:  # fmt: skip
        """Make something go wrong at once: `lose`, `garble`, `delay` (`by` so many s), `silence`, `refuse` (Modbus:
        busy), `nack` (at a `part` of its bus), `hang-up`, or `reset`; for so many messages or seconds, for one message
        where neither is said; at one `link` of the board, or at all. Simulated boards only. Raises `WrongError`."""
        self._here(
            lambda: self._running.faulting.make(kind, board, link, part, messages=messages, seconds=seconds, by=by)
        )

    async def _run_routine(self, file: str | Path, routine: str | None, tunes: Mapping[str, Value]) -> Ran:
        program = read_routine(find_routines(file), self._running.setup)
        name = chosen(program, routine)
        given = {
            tune: tune_value(program.routines[name], tune, value, f"tunes.{tune}") for tune, value in tunes.items()
        }
        lines: list[dict[str, Any]] = []
        end = await Runner(self._running, program, lines.append).run(name, given)
        return Ran(end, lines)

    async def _walk(self, outputs: Iterable[str]) -> list[Walked]:
        return [walked async for walked in Walk(self._running, self._standings).walk(tuple(outputs))]

    @asynccontextmanager
    async def _defect(self, name: str) -> AsyncIterator[None]:
        self._running.switch_defect(name, True)
        try:
            yield
        finally:
            self._running.switch_defect(name, False)

    @asynccontextmanager
    async def _broken(self, name: str) -> AsyncIterator[None]:
        links = [link.name for link in self._running.setup.links_meant(name)]
        for link in links:
            self._running.break_link(link)
        try:
            yield
        finally:
            for link in links:
                self._running.mend_link(link)


class Ran:
    """How a routine went: `result` (`done`, `failed`, `stopped`, `lost`), the `line` where it ended and `why`, what was
    `said`, and all `lines` that it told."""

    def __init__(self, end: End, lines: list[dict[str, Any]]) -> None:
        self.result = end.result
        self.line = end.line
        self.why = end.why
        self.said = [str(line["text"]) for line in lines if line["event"] == "said"]
        self.lines = lines

    def __repr__(self) -> str:
        return f"<routine {self.result}{f', line {self.line}: {self.why}' if self.why else ''}>"


class PointCore:
    """A point of the bench."""

    def __init__(self, bench: BenchCore, name: str) -> None:
        self._bench = bench
        self._point = bench._running.setup.point(_a_name(name, "point"))
        self._link = bench._running.link_of(self._point)
        self.name = self._point.name
        self.board = self._point.board
        self.unit = self._point.unit
        self.part = self._point.part or self._point.name
        """The part that it is meant to move, or to sense."""
        self.is_output = self._point.kind.is_output

    def __repr__(self) -> str:
        return f"<point {self.name}: asked {self.asked}, got {self.got}>"

    @property
    def _reading(self) -> Any:
        return self._link.session.readings[self._point.name]

    @property
    def asked(self) -> Value | None:
        """What was asked for last, in its unit; `None` before that."""
        asked: Value | None = self._reading.asked
        return asked

    @property
    def got(self) -> Value | None:
        """What was heard of it last, in its unit; `None` before that, or for what is no number."""
        got: Value | None = self._reading.got
        return got

    @property
    def trail(self) -> Trail | None:
        """The trail of the latest wish for it; `None` before there was one."""

        def look() -> Trail | None:
            standings = self._bench._standings
            standings.follow()
            number = self._reading.trail
            trail = standings.trails.all.get(number) if number is not None else None
            return self._bench._trail(trail) if trail is not None else None

        return self._bench._here(look)

    async def _set(self, value: Value, over: float | None) -> Trail:
        if not self.is_output:
            raise WrongError(f"{self.board}.{self.name}", found="an input", expected="an output")
        wanted = value_for(self._point, value)
        over = finite(over or 0.0, f"{self.board}.{self.name}.over", SECONDS, 0.0)
        await until_ready(self._link)
        if over:
            await self._ramp(wanted, over)
        running, standings = self._bench._running, self._bench._standings
        trail, diagnosis = await ask_and_follow(running, standings, self._point, wanted, BY, _is_confirmed)
        made = Trail(trail, diagnosis, self._point)
        if made.refused:
            raise Refused(made)
        is_known = trail.stopped is not None and trail.stopped.kind is Kind.UNCHANGED  # it was confirmed before
        if made.ended not in ("confirmed", "left out", "done") and not is_known:
            raise Unconfirmed(made)
        return made

    async def _ramp(self, wanted: Asked, over: float) -> None:
        """Go there in time; it itself is asked for behind that."""
        if isinstance(wanted, str | bool):
            expected = "numbers, to go from one to the other"
            raise WrongError(f"{self.board}.{self.name}.over", found="no number", expected=expected)
        running = self._bench._running

        async def ask(value: float) -> int:
            return running.ask(self._point, value, by=BY)

        await ramp(running, self._bench._standings, self._point, wanted, over, ask, lambda: check_link(self._link))

    async def _read(self) -> Value | None:
        await until_ready(self._link)
        heard = await read_afresh(self._bench._running, self._point)
        if heard.refusal:
            raise WrongError(
                f"{self.board}.{self.name}", found=heard.refusal, expected="a point that works on this board"
            )
        return heard.got


def _a_name(name: object, place: str) -> str:
    if not isinstance(name, str):
        raise WrongError(place, found=name, expected="a name")
    return name


def _is_confirmed(trail: Followed) -> bool:
    return trail.reached(Kind.CONFIRMED) is not None


class PartCore:
    """A part of a simulated board: the truth."""

    def __init__(self, bench: BenchCore, path: str) -> None:
        self._bench = bench
        self._part = bench._running.world.part(_a_name(path, "part"))
        self.path = path
        self.kind = self._part.kind
        self.actions = self._part.actions
        """What a hand can do to it."""
        self.unit = self._part.unit

    def __repr__(self) -> str:
        return f"<{self.kind} {self.path}: {self.state}>"

    @property
    def state(self) -> float | str:
        """How it stands now: a number in `unit`, or a word."""
        return self._bench._here(lambda: self._look(self._part.state))

    @property
    def words(self) -> str:
        """How it stands now, as the screen says it."""
        return self._bench._here(lambda: self._look(self._part.tells))

    def _look(self, look: Callable[[float], T]) -> T:
        running = self._bench._running
        running.board_side.turn()
        return look(running.clock.now())

    def do(self, action: str, *, value: float | str | None = None, seconds: float | None = None) -> None:
        """Do something to it by hand, for so many seconds where it springs back. A lever takes −1 to 1, or "−100 %" to
        "100 %", an encoder counts, a supply's load ohms. Raises `WrongError`."""
        number = None if value is None else given(value, self._part.action_unit, self.path)
        self._bench._here(lambda: self._bench._running.act(self.path, action, seconds=seconds, value=number))

    def set(self, value: float | str) -> None:
        """Put it somewhere by hand: a lever, a knob."""
        self.do("set", value=value)

    def release(self) -> None:
        """Let go of it."""
        self.do("release")

    async def _press(self, seconds: float) -> None:
        seconds = finite(seconds, self.path, "seconds, 0 or more", 0.0)
        self._bench._running.act(self.path, "press", seconds=seconds)
        await asyncio.sleep(seconds)


class BenchRecord:
    """What has happened on a bench: its events and transfers, as far as they are in memory."""

    def __init__(self, running: RunningBench) -> None:
        self._record = running.record
        self._about = running.setup.about

    def __len__(self) -> int:
        return len(self._record)

    @property
    def events(self) -> list[Event]:
        """All events in memory, the oldest first."""
        return self._record.since(0)

    @property
    def transfers(self) -> list[Transfer]:
        """The bytes that have passed on all links, in memory, the oldest first."""
        return self._record.transfers.since(0)

    def save(self, path: str | Path, *, force: bool = False) -> None:
        """Write all of it into a new file. Raises `WrongError` where that can't be, or where there is one already."""
        if Path(path).exists() and not force:
            raise WrongError(str(path), found="a file that is there already", expected="a new one, or force=True")
        check_new(Path(path), force=force)
        writer = RecordWriter(self._record, Path(path), self._about)
        writer.close()
        if writer.problem:
            raise WrongError(str(path), found=writer.problem, expected="a place where a record can be written")
