"""Running a routine: its tracks are tasks of the one loop, which take turns only where they wait.

However it ends, `finally` runs, and then every output that was touched goes to rest. Each step is an event of the
record, and what it does follows from that.
"""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from contextlib import suppress
from typing import Any

from cavet.bench import LOOK_SECONDS, HostLink, RunningBench, Standings
from cavet.boards import Rule
from cavet.clock import Regular
from cavet.faults import note_fault
from cavet.hosts import Point
from cavet.record import Kind, Topic
from cavet.routines import _tree as tree
from cavet.routines._blocks import Blocks
from cavet.routines._checked import Body, CheckedRoutine, CheckedTrack, Program, first_line
from cavet.routines._following import delay_of, edge_before, how_it_ended
from cavet.routines._looking import Looking
from cavet.routines._moments import Edges, Moments
from cavet.routines._telling import End, EndError, LeaveError, OverError, Tell
from cavet.routines._track import Scope, Track
from cavet.routines._working import unreachable
from cavet.wording import UnreachableError, WrongError, digits, from_to, plain

FINALLY_SECONDS = 30.0
AT_ITS_END = "routine, at its end"
"""Who asks for what goes to rest."""
REST_LOST_SECONDS = 5.0
"""At the end a link that is lost is waited for so long, so that what hangs there can go to rest."""
LINK_SECONDS = 0.1
"""How often the links are looked at."""
REFLEX_SECONDS = 0.05
"""How often it is looked for what boards have done by themselves."""


class Runner(Blocks):
    """Runs a routine of a checked file on a bench. `tell` is given each line."""

    def __init__(
        self, bench: RunningBench, program: Program, tell: Tell, begun: Callable[[str, int, float], None] | None = None
    ) -> None:
        self._bench = bench
        self._program = program
        self._tell_line = tell
        self._begun = begun
        """Told of each step when it begins: its track, its line, the time."""
        self._may_go = asyncio.Event()
        self._may_go.set()
        self._goes_one = False
        self._standings = Standings(bench)
        self._touched: dict[str, Point] = {}
        self._kept: set[str] = set()
        self._scopes: list[tuple[CheckedRoutine, dict[str, Any]]] = []
        """The routines under way, with the values of their tunes: the outermost first."""
        self._ending: End | None = None
        """How it was told to end from outside."""
        self._main: asyncio.Task[None] | None = None
        self._late: set[int] = set()
        self._is_over = asyncio.Event()
        self._lost_since: dict[str, float] = {}
        """Since when links that are needed are away."""
        self._told = 0
        """Until where it was told what boards have done by themselves."""

    @property
    def _now(self) -> float:
        return self._bench.clock.now()

    def _tell(self, event: str, **fields: Any) -> None:
        self._tell_line({"event": event, "t": round(self._now, 6)} | fields)

    # from outside

    def stop(self, why: str) -> None:
        """End it, as soon as it waits: `finally` runs, and the outputs go to rest. A second time changes nothing."""
        self._end_all(End(result="stopped", why=why))

    def _end_all(self, end: End) -> None:
        if self._ending is None:
            self._ending = end
            if self._main is not None:
                self._main.cancel()

    @property
    def is_held(self) -> bool:
        """Whether no track takes its next step."""
        return not self._may_go.is_set()

    def hold(self) -> None:
        """Let no track take its next step; what waits, waits on. `finally` is not held."""
        self._may_go.clear()

    def go_on(self) -> None:
        """Let it go on."""
        self._goes_one = False
        self._may_go.set()

    def one_step(self) -> None:
        """Let one track take one step, and hold again."""
        self._goes_one = True
        self._may_go.set()

    async def _gate(self, track: Track) -> None:
        """Wait while it is held."""
        while not self._may_go.is_set() and track.name != "finally":
            await self._may_go.wait()
        if self._goes_one:
            self._goes_one = False
            self._may_go.clear()

    def tune(self, name: str, value: float) -> None:
        """Turn a tune. Raises `WrongError` for one that is not there, and a value outside its range."""
        for routine, scope in self._scopes:
            if name in routine.tunes:
                tune = routine.tunes[name]
                if not tune.limited(value):
                    low, high = sorted((tune.low, tune.high))
                    raise WrongError(
                        f"tune {name}",
                        found=digits(value),
                        expected=f"{from_to(low, high)} {tune.unit or ''}".strip(),
                    )
                scope[name] = value
                self._bench.record.append(Kind.STEP, "", Topic.TUNE, name, value, None, f"turned to {digits(value)}")
                self._tell("tune", name=name, value=value)
                return
        raise WrongError("tune", found=name, expected="a tune of a routine that runs")

    # a whole run

    async def run(self, name: str, tunes: dict[str, float] | None = None) -> End:
        """Run a routine to its end; tell that, and give it."""
        self._bench.before_end.append(self._end_first)
        try:
            return await self._in_good_order(name, tunes or {})
        finally:
            self._bench.before_end.remove(self._end_first)
            self._is_over.set()

    async def _end_first(self) -> None:
        """The bench is to end: so does the run, with `finally` and rest."""
        self.stop("the bench was closed")
        await self._is_over.wait()

    async def _in_good_order(self, name: str, tunes: dict[str, float]) -> End:
        """Run it, take what boards were given away again, and send what was touched to rest, whatever has ended it."""
        rules = self._program.reflexes
        self._told = len(self._bench.record)
        self._give_rules(rules)
        hosts = sorted(self._program.routines[name].hosts)
        self._look_at_links(hosts)
        watching = [
            Regular(REFLEX_SECONDS, self._tell_reflexes),
            Regular(LINK_SECONDS, lambda: self._look_at_links(hosts)),
        ]
        given_up: asyncio.CancelledError | None = None
        try:
            end = await self._whole(name, tunes)
        except asyncio.CancelledError as error:
            given_up, end = error, End(result="stopped", why="who ran it has given it up")
        self._give_rules({board: [] for board in rules})
        at_rest = await self._to_rest()
        for each in watching:
            each.end()
        self._tell_reflexes()
        self._tell("end", result=end.result, line=end.line, why=end.why, touched=list(self._touched), at_rest=at_rest)
        if given_up is not None:
            raise given_up
        return end

    def _give_rules(self, rules: dict[str, list[Rule]]) -> None:
        """Boards follow these rules from now on."""
        for board, given in rules.items():
            self._bench.world.boards[board].follow_rules(given, self._now)
        if rules:
            self._bench.board_side.turn()

    def _look_at_links(self, hosts: list[str]) -> None:
        """End the run where a link that it needs is lost for good, whatever its tracks wait for. A step that needs the
        link is given the time to say so itself. A change of the bench may put another link in its place."""
        for link in (self._bench.host_links[host] for host in hosts if host in self._bench.host_links):
            if link.ready:
                self._lost_since.pop(link.setup.name, None)
                continue
            since = self._lost_since.setdefault(link.setup.name, self._now)
            if self._has_passed(since, link.setup.settings.lost_after + LINK_SECONDS):
                self._end_all(End(result="lost", why=str(unreachable(link))))

    def _is_lost_for_good(self, link: HostLink) -> bool:
        since = self._lost_since.get(link.setup.name)
        return since is not None and self._has_passed(since, link.setup.settings.lost_after)

    def _tell_reflexes(self) -> None:
        """Tell each turn of a rule that a board has followed by itself since that was last told, with its delay."""
        events = self._bench.record.since(self._told)
        self._told = events[-1].number + 1 if events else self._told
        for event in events:
            delay = delay_of(self._bench.record, event) if event.kind == Kind.REFLEX else None
            if delay is not None:
                self._tell("reflex", t=round(event.t, 6), name=event.subject, delay=round(delay, 6))

    async def _whole(self, name: str, tunes: dict[str, float]) -> End:
        try:
            self._main = asyncio.current_task()
            if self._ending is not None:
                return self._ending
            await self._routine(self._program.routines[name], tunes)
        except OverError as over:
            return over.end
        except asyncio.CancelledError:
            if self._ending is None or self._main is None:
                raise
            self._main.uncancel()
            return self._ending
        except Exception as error:  # noqa: BLE001
            return End(result="failed", why=f"an error of ours: {note_fault('a routine', error)}")
        finally:
            self._main = None
        return End(result="done")

    async def _to_rest(self) -> bool:
        """Send what was touched to rest, unless it is kept; tell whether all of it is there."""
        going = [point for name, point in self._touched.items() if name not in self._kept and point.rests]
        lost: set[str] = set()
        rested = [await self._rest_one(point, lost) for point in going]
        return all(rested)

    async def _rest_one(self, point: Point, lost: set[str]) -> bool:
        """Send one to rest; where its board is not there, when it is back. `lost` are the boards that are not."""
        rest = point.rest if point.kind.is_text else bool(point.rest) if point.kind.is_switch else float(point.rest)
        within = 0.0 if point.board in lost else REST_LOST_SECONDS
        try:
            trail = await self._followed(point, rest, AT_ITS_END, within=within)
        except UnreachableError:
            lost.add(point.board)
            with suppress(UnreachableError):  # a fault has stopped its session: that begins with nothing wished for
                self._bench.ask(point, rest, by=AT_ITS_END)
            return False
        except Exception as error:  # noqa: BLE001
            note_fault(f"{point.name} at the end of a routine", error)
            return False
        return how_it_ended(point, trail) == ""

    # routines

    async def _routine(self, routine: CheckedRoutine, tunes: dict[str, float]) -> None:
        """Run one with its tracks and its `finally`. Raises `OverError` where the whole run is to end."""
        scope: dict[str, Any] = {name: tunes.get(name, tune.value) for name, tune in routine.tunes.items()}
        self._scopes.append((routine, scope))
        looking = Looking(self._bench, scope, self._now)
        over: BaseException | None = None
        try:
            await self._tracks(routine, looking)
        except BaseException as error:  # noqa: BLE001
            over = error  # raised again, behind `finally`
        try:
            if routine.lastly:
                await self._lastly(routine, looking, ended_well=over is None)
        finally:
            self._scopes.remove((routine, scope))
        if over is not None:
            raise over

    async def _lastly(self, routine: CheckedRoutine, looking: Looking, *, ended_well: bool) -> None:
        """`finally`: it can't be stopped, and takes 30 s at most."""
        track = Track(routine, "finally", Looking(self._bench, dict(looking.scope), self._now))
        work = asyncio.create_task(self._steps(routine.lastly, track))
        stopped = await self._until_done(work, FINALLY_SECONDS)
        if not work.done():
            work.cancel()
            await asyncio.wait({work})
            why = f"finally took more than {FINALLY_SECONDS:.0f} s"
            error: BaseException | None = OverError(End(result="failed", line=first_line(routine.lastly), why=why))
        else:
            error = work.exception()
        if error is not None and not isinstance(error, EndError) and (ended_well or not isinstance(error, OverError)):
            raise error
        if stopped is not None and (ended_well or self._ending is None):
            raise stopped

    async def _until_done(self, work: asyncio.Task[None], seconds: float) -> asyncio.CancelledError | None:
        """Wait for something that can't be stopped, for so long; give what would have stopped it meanwhile."""
        until, stopped = self._now + seconds, None
        while not work.done() and self._now < until:
            try:
                await asyncio.wait({work}, timeout=until - self._now)
            except asyncio.CancelledError as error:
                stopped = error
        return stopped

    async def _tracks(self, routine: CheckedRoutine, looking: Looking) -> None:
        """Run the body with what runs alongside, until the body ends, or any of them ends the run."""
        works = [self._body(routine.body, Track(routine, routine.name, looking))]
        works += [self._body(track.body, self._track(routine, track, looking)) for track in routine.tracks]
        works += [self._when(track, self._track(routine, track, looking)) for track in routine.whens]
        tasks = [asyncio.create_task(work) for work in works]
        waiting = set(tasks)
        try:
            while not tasks[0].done():
                done, waiting = await asyncio.wait(waiting, return_when=asyncio.FIRST_COMPLETED)
                for task in sorted(done, key=tasks.index):
                    if isinstance(error := task.exception(), EndError) and task is not tasks[0]:
                        return  # `end` in a track ends the routine
                    if error is not None and not isinstance(error, EndError):
                        raise error
        finally:
            for task in tasks:
                task.cancel()
            await asyncio.gather(*tasks, return_exceptions=True)

    def _track(self, routine: CheckedRoutine, track: CheckedTrack, looking: Looking) -> Track:
        """A track of its own, with its own names; the tunes are those of the routine."""
        other = looking.beside()
        other.scope = Scope(looking.scope, {})
        return Track(routine, track.name, other)

    async def _body(self, steps: Body, track: Track) -> None:
        try:
            await self._steps(steps, track)
        except EndError:
            if track.name != track.routine.name:
                raise

    async def _when(self, setup: CheckedTrack, track: Track) -> None:
        """Listen; one turn at a time, and an edge during its turn is kept, one only."""
        rings = asyncio.Event()
        assert setup.condition is not None  # a `when` has one
        look = track.look.beside()
        lasts = setup.lasts.run(look) if setup.lasts is not None else 0.0
        edges = Edges(Moments(setup.condition, look, self._bench), lasts, lambda: self._now, rings.set)
        watching = Regular(LOOK_SECONDS, edges.look)
        try:
            while True:
                await rings.wait()
                rings.clear()
                edge = edge_before(self._bench.record, setup.points)
                first = self._bench.record.append(
                    Kind.STEP, "", Topic.ROUTINE, track.routine.name, setup.line, None, setup.name
                )
                await self._steps(setup.body, track)
                self._tell_delay(setup, edge, first)
        finally:
            watching.end()

    def _tell_delay(self, setup: CheckedTrack, edge: float | None, first: int) -> None:
        """How long it took from the edge at a pin to the pin that was driven for it, where both are known."""
        self._standings.follow()
        trails = [trail for trail in self._standings.trails.all.values() if (trail.root.cause or 0) > first]
        driven = [step.t for trail in trails if (step := trail.reached(Kind.DRIVEN)) is not None]
        if edge is not None and driven:
            self._tell("when", name=setup.name, line=setup.line, delay=round(min(driven) - edge, 6))

    # steps

    async def begin(self, step: tree.Step, track: Track) -> None:
        """From here on, what the track does follows from this step."""
        await self._gate(track)
        if self._begun is not None:
            self._begun(track.name, step.line, self._now)
        track.line, track.home = step.line, step.of.get("home", "routine")
        track.step = self._bench.record.append(
            Kind.STEP, "", Topic.ROUTINE, track.routine.name, step.line, None, f"{track.name}: {plain(step.text, 200)}"
        )

    async def step(self, step: tree.Step, track: Track) -> None:
        """Carry out a step, and tell of it when it has ended."""
        outer, line = track.step, track.line
        await self.begin(step, track)
        began = self._now
        work: Callable[[tree.Step, Track], Awaitable[None]] = getattr(self, f"_{step.kind}")
        result = "left"
        try:
            await work(step, track)
            result = "done"
        except (LeaveError, EndError):
            result = "done" if step.kind in ("leave", "end") else "left"
            raise
        except OverError as over:
            is_it = step.kind == "stop" and over.end.line == step.line
            result = "done" if is_it else "left" if over.end.result == "stopped" else "failed"
            raise
        except UnreachableError as error:
            result = "failed"
            links = [link for link in self._bench.host_links.values() if link.address == error.place]
            is_there = bool(links) and all(link.ready for link in links)  # only an answer that was due is not
            raise OverError(End(result="failed" if is_there else "lost", line=step.line, why=str(error))) from error
        except WrongError as error:
            result = "failed"
            raise self._failed(step, str(error)) from error
        finally:
            self._tell(
                "step", track=track.name, line=step.line, text=step.text, began=round(began, 6),
                took=round(self._now - began, 6), result=result,
            )  # fmt: skip
            track.step, track.line = outer, line
