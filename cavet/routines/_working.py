"""What each step of a routine does: outputs, waiting, telling, the world around."""

from __future__ import annotations

import asyncio
from math import inf
from typing import Any

from cavet.bench import LOOK_SECONDS, Heard, HostLink, RunningBench, Standings, ramp, read_afresh, say
from cavet.clock import until
from cavet.hosts import Asked, Point, PointKind
from cavet.record import Kind, Topic, Trail
from cavet.routines import _tree as tree
from cavet.routines._checked import Body
from cavet.routines._compiling import Run, Value
from cavet.routines._following import follow_wish, how_it_ended, was_lost
from cavet.routines._looking import Looking, NotingUnknown
from cavet.routines._moments import Moments
from cavet.routines._sending import answers, as_answer, texts_of, told_answer
from cavet.routines._telling import End, EndError, OverError
from cavet.routines._track import Track
from cavet.units import show_duration
from cavet.wording import UnreachableError, WrongError, listed

SAME_SECONDS = 1e-9
"""Times that are nearer to each other are the same: a clock that has run for long is no finer."""
UNTOLD = "nothing: it can't be asked how it stands"


class Working:
    """Carries out the steps that hold no others. Whoever runs them says how a step is told, and how lines are."""

    _bench: RunningBench
    _standings: Standings
    _touched: dict[str, Point]
    _kept: set[str]

    @property
    def bench(self) -> RunningBench:
        """The bench that it runs on."""
        return self._bench

    @property
    def _now(self) -> float:
        raise NotImplementedError

    def _has_passed(self, began: float, seconds: float) -> bool:
        """Whether so much time has gone by in which somebody was there."""
        return self._bench.clock.spent_since(began) >= seconds - SAME_SECONDS

    def _tell(self, event: str, **fields: Any) -> None:
        raise NotImplementedError

    async def _steps(self, steps: Body, track: Track) -> None:
        raise NotImplementedError

    async def begin(self, step: tree.Step, track: Track) -> None:
        """From here on, what the track does follows from this step."""
        raise NotImplementedError

    async def step(self, step: tree.Step, track: Track) -> None:
        """Carry out a step, and tell of it when it has ended."""
        raise NotImplementedError

    def _is_lost_for_good(self, link: HostLink) -> bool:
        raise NotImplementedError

    def _failed(self, step: tree.Step, why: str) -> OverError:
        return OverError(End(result="failed", line=step.line, why=why))

    # outputs

    def _touch(self, point: Point) -> None:
        self._touched.setdefault(point.name, point)

    async def _back(self, host: str, within: float = inf) -> None:
        """Wait until a board can be talked to. Raises `UnreachableError` where it stays lost."""
        link = self._bench.host_links[host]
        began, patience = self._now, min(within, link.setup.settings.lost_after)
        while not link.ready:
            if self._has_passed(began, patience) or self._is_lost_for_good(link):
                raise unreachable(link)
            await asyncio.sleep(LOOK_SECONDS)

    async def _followed(
        self, point: Point, value: Asked, by: str, cause: int | None = None, within: float = inf
    ) -> Trail:
        """Ask for a value, and wait until it is confirmed. Where the link is lost meanwhile, that is waited for, and it
        is asked again: but for a pulse, which may have been done. Raises `UnreachableError` where it stays lost."""
        began, lost_after = self._now, self._bench.link_of(point).setup.settings.lost_after
        is_pulse = point.kind is PointKind.PULSE
        while True:
            await self._back(point.board, within)
            try:
                trail = await follow_wish(self._bench, self._standings, point, value, by, cause)
                if not was_lost(trail) or is_pulse or self._has_passed(began, lost_after):
                    return trail
            except UnreachableError:
                if is_pulse:
                    await self._back(point.board, within)
                if is_pulse or self._has_passed(began, lost_after):
                    raise

    async def _heard_of(self, point: Point) -> Heard:
        """Read a point afresh; where the link is lost meanwhile, again."""
        link, began = self._bench.link_of(point), self._now
        while True:
            await self._back(point.board)
            try:
                return await read_afresh(self._bench, point)
            except UnreachableError:
                if link.ready or self._has_passed(began, link.setup.settings.lost_after):
                    raise

    async def _ask_for(self, point: Point, value: Asked, step: tree.Step, track: Track) -> None:
        """Ask for a value, and wait until it is confirmed."""
        self._touch(point)
        trail = await self._followed(point, value, track.by, track.step)
        why = how_it_ended(point, trail)
        if why:
            raise self._failed(step, f"{point.name} to {point.show_asked(value)}: {why}")

    async def _set(self, step: tree.Step, track: Track) -> None:
        point, value = step.point, self._known(step, step.value, track)
        if step.over is not None:
            await self._ramp(point, value, self._known(step, step.over, track), track)
        if step.waits:
            await self._ask_for(point, value, step, track)
        else:
            await self._back(point.board)
            self._touch(point)
            self._bench.ask(point, value, by=track.by, cause=track.step)

    def _known(self, step: tree.Step, value: Value, track: Track) -> Any:
        """A value that has to be known. Raises where it is not."""
        found = value.run(track.look)
        if found is None or (isinstance(found, float) and not abs(found) < inf):
            raise self._failed(step, f"it gives no number: {_why_none(value, track.look)}")
        return found

    async def _ramp(self, point: Point, wanted: float, over: float, track: Track) -> None:
        """Go there in time; it itself is asked for behind that."""

        async def ask(value: float) -> int:
            await self._back(point.board)
            return self._bench.ask(point, value, by=track.by, cause=track.step)

        self._touch(point)
        await ramp(self._bench, self._standings, point, wanted, over, ask)

    def _ends_of(self, point: Point) -> tuple[Asked, Asked]:
        """Where a point rests, and its far end."""
        if point.kind.is_switch:
            rest = bool(point.rest)
            return rest, not rest
        rest_at = float(point.rest)
        far = point.high if abs(point.high - rest_at) >= abs(point.low - rest_at) else point.low
        return rest_at, far

    async def _toggle(self, step: tree.Step, track: Track) -> None:
        point = step.point
        rest, far = self._ends_of(point)
        now = track.look.asked(point)
        now = track.look.got(point) if now is None else now
        at_rest = now is None or point.same(now, rest)
        await self._ask_for(point, far if at_rest else rest, step, track)

    async def _pulse(self, step: tree.Step, track: Track) -> None:
        point = step.point
        if point.kind is PointKind.PULSE:
            await self._ask_for(point, self._known(step, step.value, track), step, track)
            return
        rest, far = self._ends_of(point)
        lasts = self._known(step, step.lasts, track)
        began = self._now
        await self._ask_for(point, far, step, track)
        await asyncio.sleep(max(0.0, began + lasts - self._now))
        await self._ask_for(point, rest, step, track)

    async def _ask(self, step: tree.Step, track: Track) -> None:
        heard = await self._heard_of(step.point)
        if heard.refusal:
            raise self._failed(step, heard.refusal)

    async def _show(self, step: tree.Step, track: Track) -> None:
        text = str(self._known(step, step.value, track))
        if step.row is not None:
            row = self._known(step, step.row, track)
            column = self._known(step, step.column, track) if step.column is not None else 1
            try:
                text = step.point.written_at(row, column, text, str(track.look.asked(step.point) or ""))
            except WrongError as error:
                raise self._failed(step, str(error)) from error
        await self._ask_for(step.point, text, step, track)

    async def _clear(self, step: tree.Step, track: Track) -> None:
        await self._ask_for(step.point, "", step, track)

    async def _send(self, step: tree.Step, track: Track) -> None:
        fields = texts_of(step.fields, track.look)
        within = self._known(step, step.within, track) if step.within is not None else None
        await self._back(step.host)
        try:
            said = await say(self._bench, step.host, step.message, fields, within, track.by, cause=track.step)
        except UnreachableError as error:
            await self._back(step.host)
            raise self._failed(step, f"the link was lost while {step.message} was said: {error}") from error
        if step.answer is None:
            return
        wanted = texts_of(step.answer_fields, track.look)
        heard = [as_answer(each.frame, fields) for each in said.heard]
        if not any(answers(message, step.answer, wanted) for message in heard):
            words = " ".join([step.answer, *(f"{name} {value}" for name, value in wanted.items())])
            link = self._bench.host_links[step.host]
            nothing = "nothing" if link.ready else f"nothing: {link.trouble or link.words}"
            found = ", ".join(told_answer(message, step.answer, wanted) for message in heard) or nothing
            raise self._failed(step, f"expected {words} as the answer, found {found}")

    # waiting

    async def _wait(self, step: tree.Step, track: Track) -> None:
        if "time" in step.of:
            await asyncio.sleep(self._known(step, step.time, track))
            return
        at_most = self._known(step, step.at_most, track) if step.at_most is not None else inf
        lasts = self._known(step, step.lasts, track) if step.lasts is not None else 0.0
        if await self._comes(step.condition, track, at_most, lasts):
            return
        if step.instead is None:
            raise self._failed(step, f"it has not come within {show_duration(at_most)}")
        await self._steps(step.instead, track)

    async def _comes(self, condition: Run, track: Track, at_most: float, lasts: float) -> bool:
        """Wait until a condition has held for so long; tell whether it did in time."""
        moments, began = Moments(condition, track.look.beside(), self._bench), self._now
        since: float | None = None

        def look() -> bool | None:
            nonlocal since
            for held in moments.look():
                since = (since if since is not None else self._now) if held else None
                if since is not None and self._has_passed(since, lasts):
                    return True
            return False if self._has_passed(began, at_most) else None

        return await until(look, LOOK_SECONDS)

    async def _expect(self, step: tree.Step, track: Track) -> None:
        began = self._now
        held, found = await self._held(step, track)
        told: dict[str, Any] = {"line": step.line, "text": step.text, "held": held, "took": round(self._now - began, 6)}
        if not held:
            told["found"] = found
        self._tell("expected", **told)
        if not held:
            wanted = step.text.removeprefix("expect ")
            raise self._failed(step, f"expected {wanted}, {f'found {found}' if found else 'which does not hold'}")

    async def _held(self, step: tree.Step, track: Track) -> tuple[bool, str]:
        lasts = self._known(step, step.of["lasts"], track) if step.of.get("lasts") is not None else 0.0
        within = self._known(step, step.within, track) if step.within is not None else 0.0
        began = self._now
        if "reads" in step.of:
            return await self._reads(step, track, within)
        if step.never:
            came = await self._comes(step.condition, track, lasts, 0.0)
            return not came, f"it after {show_duration(self._now - began)}" if came else ""
        if step.within is None and lasts:
            held = not await self._comes(lambda look: not step.condition(look), track, lasts, 0.0)
            if not held and step.condition(track.look.beside()):
                return False, f"it otherwise for a moment, after {show_duration(self._now - began)}"
        else:
            held = await self._comes(step.condition, track, within, lasts)
        about = step.of.get("found")
        return held, about.shown(about.run(track.look)) if about is not None else ""

    async def _reads(self, step: tree.Step, track: Track, within: float) -> tuple[bool, str]:
        point, wanted, began = step.reads, self._known(step, step.value, track), self._now
        while True:
            heard = await self._heard_of(point)
            if heard.got is not None and point.same(heard.got, wanted):
                return True, ""
            if self._has_passed(began, within):
                return False, heard.refusal or (point.show(heard.got) if heard.is_told else UNTOLD)
            await asyncio.sleep(LOOK_SECONDS)

    # telling

    async def _say(self, step: tree.Step, track: Track) -> None:
        self._tell("said", text=step.value.run(track.look), line=step.line)

    async def _mark(self, step: tree.Step, track: Track) -> None:
        text = step.value.run(track.look)
        self._bench.record.append(Kind.MARK, "", Topic.ROUTINE, track.routine.name, step.line, track.step, text)
        self._tell("marked", text=text, line=step.line)

    async def _fail(self, step: tree.Step, track: Track) -> None:
        raise self._failed(step, step.value.run(track.look))

    async def _stop(self, step: tree.Step, track: Track) -> None:
        raise OverError(End(result="stopped", line=step.line, why=step.value.run(track.look)))

    async def _end(self, step: tree.Step, track: Track) -> None:
        raise EndError

    async def _keep(self, step: tree.Step, track: Track) -> None:
        self._kept.update(point.name for point in step.points)

    # the world around

    async def _press(self, step: tree.Step, track: Track) -> None:
        lasts = self._known(step, step.lasts, track) if step.lasts is not None else None
        self._bench.act(step.part, "press", seconds=lasts)
        if lasts is not None and step.waits:
            await asyncio.sleep(lasts)

    async def _release(self, step: tree.Step, track: Track) -> None:
        self._bench.act(step.part, "release")

    async def _work(self, step: tree.Step, track: Track) -> None:
        lasts = self._known(step, step.lasts, track) if step.lasts is not None else None
        value = self._known(step, step.value, track) if step.value is not None else None
        self._bench.act(step.part, step.action, seconds=lasts, value=value)
        if lasts is not None and step.waits:
            await asyncio.sleep(lasts)

    async def _place(self, step: tree.Step, track: Track) -> None:
        self._bench.place(step.quantity, self._known(step, step.value, track))

    async def _break(self, step: tree.Step, track: Track) -> None:
        lasts = self._known(step, step.lasts, track)
        for link in step.links:
            self._bench.break_link(link)

        def mend() -> None:
            for link in step.links:
                self._bench.mend_link(link)

        if not step.waits:
            asyncio.get_running_loop().call_later(lasts, mend)
            return
        try:
            await asyncio.sleep(lasts)
        finally:
            mend()

    async def _fault(self, step: tree.Step, track: Track) -> None:
        messages = round(self._known(step, step.next, track)) if step.next is not None else None
        seconds = self._known(step, step.lasts, track) if step.lasts is not None else None
        self._bench.faulting.make(step.fault, step.board, step.at_link, messages=messages, seconds=seconds)

    async def _make(self, step: tree.Step, track: Track) -> None:
        self._bench.switch_defect(step.defect, True)

    async def _mend(self, step: tree.Step, track: Track) -> None:
        self._bench.switch_defect(step.defect, False)

    async def _reset(self, step: tree.Step, track: Track) -> None:
        self._bench.restart(step.board)


def unreachable(link: HostLink) -> UnreachableError:
    """That a link is lost, in its own words."""
    return UnreachableError(link.address, link.trouble or link.words)


def _why_none(value: Value, look: Looking) -> str:
    """Why a value is none, in words."""
    noting = NotingUnknown(look)
    value.run(noting)
    if noting.unknown:
        mend = next((f": `ask {name}` before" for name in noting.unknown if not name.startswith("asked ")), "")
        return f"{listed(noting.unknown, 'and')} {'is' if len(noting.unknown) == 1 else 'are'} not known yet{mend}"
    return "something in it is divided by 0, or is the root of less than 0"
