"""What steps with others below them do: loops, branches, other routines; and what names a track gives to values."""

from __future__ import annotations

from cavet.routines import _tree as tree
from cavet.routines._checked import Body, CheckedRoutine, Program, Written
from cavet.routines._telling import LeaveError
from cavet.routines._track import Track
from cavet.routines._turns import MOST_TURNS, Counted, Each, Endless, Every, Turns, counted
from cavet.routines._working import Working
from cavet.units import show_duration
from cavet.wording import digits, from_to


class Blocks(Working):
    """Carries out the steps that hold others. Whoever runs them says how a routine as a whole is run."""

    _program: Program
    _late: set[int]
    """The lines at which turns were left out."""

    async def _routine(self, routine: CheckedRoutine, tunes: dict[str, float]) -> None:
        raise NotImplementedError

    async def _steps(self, steps: Body, track: Track) -> None:
        if isinstance(steps, Written):
            await steps.act(self, track)
            return
        for step in steps:
            await self.step(step, track)

    async def _loop(self, step: tree.Step, track: Track, turns: Turns, name: str = "") -> None:
        """Carry out what is below a loop, turn by turn, each with its value under a name, until somebody leaves."""
        async for value in turns:
            if name:
                track.look.scope[name] = value
            try:
                await self._steps(step.body, track)
            except LeaveError:
                return

    async def _repeat(self, step: tree.Step, track: Track) -> None:
        await self._loop(step, track, self.repeats(step, track))

    def repeats(self, step: tree.Step, track: Track) -> Turns:
        """The turns of `repeat`."""
        if step.times is None:
            return Endless(step.line, self._bench.clock.now, lambda: True)
        times = self._known(step, step.times, track)
        if not 0 <= times <= MOST_TURNS:
            raise self._failed(step, f"found {digits(times)} times, expected 0 to {MOST_TURNS}")
        return Counted(times)

    async def _while(self, step: tree.Step, track: Track) -> None:
        await self._loop(step, track, self.whiles(step, track))

    def whiles(self, step: tree.Step, track: Track) -> Turns:
        """The turns of `while`."""
        return Endless(step.line, self._bench.clock.now, lambda: bool(step.condition(track.look)))

    async def _every(self, step: tree.Step, track: Track) -> None:
        await self._loop(step, track, self.everies(step, track))

    def everies(self, step: tree.Step, track: Track) -> Turns:
        """The turns of `every`."""
        period = self._known(step, step.period, track)
        if period <= 0:
            raise self._failed(step, "a period of no time")

        def late() -> None:
            if step.line not in self._late:
                self._late.add(step.line)
                words = f"line {step.line}: a turn took longer than {show_duration(period)}; turns were left out"
                self._tell("said", text=words, line=step.line)

        return Every(period, self._bench.clock.now, late)

    async def _for(self, step: tree.Step, track: Track) -> None:
        await self._loop(step, track, self.fors(step, track), step.name)

    def fors(self, step: tree.Step, track: Track) -> Turns:
        """The turns of `for`."""
        if "each" in step.of:
            return Each([self._known(step, each, track) for each in step.each])
        first, last = (self._known(step, step.of[key], track) for key in ("first", "last"))
        by = self._known(step, step.by, track) if step.by is not None else 1.0
        try:
            return Each(counted(first, last, by))
        except ValueError as error:
            raise self._failed(step, str(error)) from error

    async def _leave(self, step: tree.Step, track: Track) -> None:
        raise LeaveError

    async def _if(self, step: tree.Step, track: Track) -> None:
        await self._steps(step.body if step.condition(track.look) else step.otherwise, track)

    async def _let(self, step: tree.Step, track: Track) -> None:
        track.look.scope[step.name] = step.value.run(track.look)

    async def _do(self, step: tree.Step, track: Track) -> None:
        routine = self._program.routines[step.routine]
        tunes = {name: self._known(step, value, track) for name, value in step.tunes.items()}
        for name, value in tunes.items():
            if not routine.tunes[name].limited(value):
                low, high = sorted((routine.tunes[name].low, routine.tunes[name].high))
                raise self._failed(step, f"{name} is {digits(value)}, expected {from_to(low, high)}")
        await self._routine(routine, tunes)
