"""Asking a running bench for something and waiting for what comes of it: what commands and scripts do alike."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from cavet.bench._diagnosis import Diagnosis
from cavet.bench._host_side import HostLink
from cavet.bench._running import RunningBench
from cavet.bench._standing import Standings
from cavet.clock import until
from cavet.hosts import Asked, Point, PointKind, SessionState
from cavet.record import Kind, Trail
from cavet.wording import UnreachableError, WrongError, listed

LOOK_SECONDS = 0.005
READ_SECONDS = 11.0
"""How long an input that is told now and then may keep one waiting: twice the demo's health, and a little more."""
LEARNING_BYTES = 4096
"""So many bytes may have to go over a line before a board is known, that answers all the time."""
NOBODY_THERE = (SessionState.SHUT, SessionState.SILENT)
MOST_BETWEEN = 8
"""Over so many other wishes it is followed what comes of one."""
MOVE_SECONDS = 10.0
"""How long a part may take to arrive."""


def patience(link: HostLink) -> float:
    """How long a board may take to be ready, in seconds: what its settings allow, twice over."""
    settings = link.setup.settings
    return settings.boot_wait + (settings.retries + 2) * settings.reply_within + 2.0


def followed(link: HostLink) -> float:
    """How long a wish is followed at most, in seconds: until its board is ready, was asked so often as it may be, and
    its part has arrived."""
    return patience(link) + link.setup.settings.patience(link.link.byte_seconds) + MOVE_SECONDS


def value_for(point: Point, value: Asked) -> Asked:
    """A value that a point is to be asked for: in its unit, or a text in any that fits. Raises `WrongError`."""
    if isinstance(value, str):
        return value if point.kind is PointKind.TEXT else point.parse(value)
    if point.kind.is_text:
        raise WrongError(f"{point.board}.{point.name}", found=value, expected="a text")
    if point.kind.is_switch:
        if value not in (0, 1):
            expected = f"true or false, {listed(point.words)}"
            raise WrongError(f"{point.board}.{point.name}", found=value, expected=expected)
        return bool(value)
    return point.number(value)


async def until_ready(link: HostLink) -> None:
    """Wait for a board. Raises `UnreachableError` when it has not answered in time."""
    began = link.clock.now()

    def look() -> bool | None:
        if link.ready:
            return True
        line = LEARNING_BYTES * link.link.byte_seconds if link.session.state not in NOBODY_THERE else 0.0
        if link.clock.spent_since(began) > patience(link) + line:
            raise UnreachableError(link.address, link.trouble or link.words)
        return None

    await until(look, LOOK_SECONDS)


def check_link(link: HostLink) -> None:
    """Raise `UnreachableError` where a link was lost."""
    if link.problem:
        raise UnreachableError(link.address, link.trouble)


def sent_for(bench: RunningBench, standings: Standings, point: Point, trail: Trail) -> Trail:
    """The trail that tells what comes of a wish: its own, or that of another one for the same value. That is the one
    before it, where nothing was sent for it, since that was on its way; and the newest one, where that has overtaken
    it."""
    for _ in range(MOST_BETWEEN):
        ended = trail.stopped.kind if trail.stopped is not None else None
        if ended is Kind.UNCHANGED:
            by = trail.stands_as
        elif ended is Kind.OVERTAKEN and bench.reading(point).asked == trail.root.value:
            by = bench.reading(point).latest
        else:
            break
        other = standings.trails.all.get(by) if by is not None else None
        if other is None:
            break
        trail = other
    return trail


async def ask_and_follow(
    bench: RunningBench, standings: Standings, point: Point, value: Asked, by: str,
    is_enough: Callable[[Trail], bool] = lambda trail: False, cause: int | None = None,
) -> tuple[Trail, Diagnosis]:  # fmt: skip
    """Want a point at a value; give the trail of that, and how it stands, once it is over or broken, or far enough.
    Where another wish for the same value has taken its place, or has failed before it, that one's trail."""
    link = bench.link_of(point)
    asked = bench.ask(point, value, by=by, cause=cause)
    began = bench.clock.now()

    def look() -> tuple[Trail, Diagnosis] | None:
        standings.follow()
        trail = standings.trails.all[asked]
        sent = sent_for(bench, standings, point, trail)
        diagnosis = standings.diagnose(sent)
        if is_enough(sent) or diagnosis.is_over or diagnosis.broken:
            is_left_out = trail.stopped is not None and trail.stopped.kind is Kind.UNCHANGED
            if is_left_out and diagnosis.broken in (None, Kind.MOVED):
                return trail, standings.diagnose(trail)
            return sent, diagnosis
        if bench.clock.spent_since(began) > followed(link):
            return trail, diagnosis
        check_link(link)
        return None

    return await until(look, LOOK_SECONDS)


class Heard(msgspec.Struct, frozen=True):
    """How a point stands: its value, `None` for no number; the refusal, where it can't work; and whether that was told
    just now, else how old it is in seconds, `None` where nothing was ever heard."""

    got: Asked | None
    refusal: str
    afresh: bool
    age: float | None

    @property
    def is_told(self) -> bool:
        """Whether the board has ever told it."""
        return self.afresh or self.age is not None


async def read_afresh(bench: RunningBench, point: Point) -> Heard:
    """Read a point. Where it tells nothing anew in time, what was heard last is given, with its age."""
    link = bench.link_of(point)
    reading = link.session.readings[point.name]
    heard = reading.heard
    asks = link.look(point.name)
    is_behind = reading.got is not None and reading.got != reading.asked and reading.got_at < reading.asked_at
    known_is_all = not asks and not is_behind and (point.kind.is_output or reading.heard > 0)
    began, within = bench.clock.now(), link.setup.settings.patience(link.link.byte_seconds) + READ_SECONDS

    def look() -> bool | None:
        if reading.heard != heard or known_is_all or reading.refusal:
            return True
        check_link(link)
        if bench.clock.spent_since(began) <= within:
            return None
        if not heard:
            raise UnreachableError(link.address, f"nothing was heard of {point.name}")
        return True

    await until(look, LOOK_SECONDS)
    afresh = reading.heard != heard
    age = None if afresh or not heard else bench.clock.now() - reading.got_at
    return Heard(reading.got, reading.refusal, afresh, age)
