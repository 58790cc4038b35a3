"""How a trail stands, stage by stage; and where it broke."""

from __future__ import annotations

from enum import Enum

import msgspec

from cavet.bench._circumstances import (
    SETTLING_SECONDS,
    Circumstances,
    allowed,
    is_where_asked,
    other_text,
    wrong_part,
    wrong_way,
)
from cavet.bench._diagnosis_why import NOT_THE_WIRE, SET_BY_OTHERS, why
from cavet.record import STAGES, Event, Kind, Topic, Trail


class StageState(Enum):
    """How one stage of a trail stands."""

    REACHED = "reached"
    COMING = "coming"
    """Not yet, and still to be expected."""
    BROKEN = "broken"
    """Not reached, and it should have been by now."""
    UNSEEN = "unseen"
    """It can't be known: a real board does not tell."""
    LEFT_OUT = "left out"
    """Not wanted: nothing had to be sent, or a newer wish came, or this point is not read back."""


class Diagnosis(msgspec.Struct, frozen=True):
    """The stages of a trail, and the reason and the mend where it broke."""

    states: dict[Kind, StageState]
    broken: Kind | None = None
    reason: str = ""
    mend: str = ""

    @property
    def is_over(self) -> bool:
        """Whether nothing more is waited for."""
        return StageState.COMING not in self.states.values()


def diagnose(trail: Trail, around: Circumstances, before: Diagnosis | None = None) -> Diagnosis:
    """Say how a trail stands; of one for which nothing was sent, as the one `before` it has left its part."""
    if (missing := _not_there(trail, around, before)) is not None:
        states = dict.fromkeys(STAGES, StageState.LEFT_OUT) | {Kind.ASKED: StageState.REACHED}
        return Diagnosis(states | {missing[0]: StageState.BROKEN}, *missing)
    states = {stage: _state(trail, stage, around) for stage in STAGES}
    broken = _broken_stage(trail, states, around)
    if broken is None:
        return Diagnosis(_left_out_after_end(trail, states))
    states[broken] = StageState.BROKEN
    for stage in STAGES[STAGES.index(broken) + 1 :]:
        if states[stage] is StageState.COMING:
            states[stage] = StageState.LEFT_OUT
    reason, mend = why(trail, broken, around)
    return Diagnosis(states, broken, reason, mend)


def _not_there(trail: Trail, around: Circumstances, before: Diagnosis | None) -> tuple[Kind, str, str] | None:
    """Where and why the part of a wish for which nothing was sent is not there; `None` where nothing tells of that."""
    if trail.stopped is None or trail.stopped.kind is not Kind.UNCHANGED:
        return None
    if before is not None and before.broken in (Kind.DRIVEN, Kind.MOVED):
        return before.broken, before.reason, before.mend
    stood = trail.stood
    if stood is None or stood.subject != around.part or is_where_asked(stood, trail, around):
        return None
    mend = SET_BY_OTHERS if trail.is_others else NOT_THE_WIRE
    return Kind.MOVED, f"{trail.stopped.note}, but {around.part} does not: {stood.note}", mend


def _state(trail: Trail, stage: Kind, around: Circumstances) -> StageState:
    if trail.reached(stage) is not None:
        is_wrong = stage == Kind.MOVED and (
            wrong_part(trail, around) or wrong_way(trail, around) is not None or other_text(trail, around) is not None
        )
        if not is_wrong:
            return StageState.REACHED
        return StageState.LEFT_OUT if _is_driven_over(trail, around) else StageState.COMING
    if stage in (Kind.ASKED, Kind.FRAMED) and trail.root.kind == Kind.CARRIED:
        return StageState.UNSEEN  # another program's own
    if stage in (Kind.TAKEN, Kind.DRIVEN, Kind.MOVED) and not around.simulated:
        return StageState.UNSEEN
    if stage == Kind.CONFIRMED and (around.point is None or not around.point.confirm):
        return StageState.LEFT_OUT
    if around.point is None or (stage == Kind.MOVED and not around.part):
        return StageState.LEFT_OUT  # another program's question, say, or a value that the board only keeps
    if stage == Kind.MOVED and _is_driven_over(trail, around):
        return StageState.LEFT_OUT
    if stage in (Kind.TAKEN, Kind.DRIVEN, Kind.MOVED) and _is_done_by_newer(trail, around):
        return StageState.LEFT_OUT
    return StageState.COMING


def _left_out_after_end(trail: Trail, states: dict[Kind, StageState]) -> dict[Kind, StageState]:
    if trail.stopped is None or trail.stopped.kind not in (Kind.UNCHANGED, Kind.OVERTAKEN):
        return states
    return {stage: StageState.LEFT_OUT if state is StageState.COMING else state for stage, state in states.items()}


def _broken_stage(trail: Trail, states: dict[Kind, StageState], around: Circumstances) -> Kind | None:
    missing = [stage for stage in STAGES if states[stage] is StageState.COMING]
    stopped = trail.stopped
    if stopped is not None and stopped.kind in (Kind.UNCHANGED, Kind.OVERTAKEN):
        return None
    if stopped is not None:
        if stopped.kind == Kind.UNCONFIRMED and (not missing or not around.simulated or _is_on_its_way(trail, around)):
            return Kind.CONFIRMED
        return _not_before(stopped, missing[0]) if missing else _not_reached_yet(trail)
    if not missing:
        return None
    if (missing[0] is Kind.FRAMED and around.waits) or (missing[0] is Kind.CONFIRMED and around.is_to_be_said):
        return None
    since = max(trail.latest.t, around.line_until) if missing[0] is Kind.CARRIED else trail.latest.t
    deadline = since + allowed(trail, missing[0], around)
    if around.lost_at < deadline and not around.fault:
        return None  # the link was lost before it was late
    return missing[0] if around.now > deadline else None


def _is_driven_over(trail: Trail, around: Circumstances) -> bool:
    """Whether a newer command has driven its part before it had the time to get where this one has sent it."""
    newer, driven = trail.driven_over, trail.reached(Kind.DRIVEN)
    return newer is not None and driven is not None and newer.t <= driven.t + allowed(trail, Kind.MOVED, around)


def _is_done_by_newer(trail: Trail, around: Circumstances) -> bool:
    """Whether it was confirmed though its own bytes have driven nothing: a newer command has brought its part there at
    about that time."""
    newer, confirmed = trail.driven_over, trail.reached(Kind.CONFIRMED)
    if newer is None or confirmed is None or trail.reached(Kind.DRIVEN) is not None:
        return False
    return newer.t <= confirmed.t + allowed(trail, Kind.MOVED, around)


def _not_before(stopped: Event, stage: Kind) -> Kind:
    """The first stage that is missing; of several frames, one may have got to a pin while others are still to come."""
    return Kind.DRIVEN if stopped.topic is Topic.PIN and stage in STAGES[: STAGES.index(Kind.DRIVEN)] else stage


def _is_on_its_way(trail: Trail, around: Circumstances) -> bool:
    """Whether the part had set out, and its time was not over yet when the command ended; or may still set out."""
    going, stopped, driven = trail.moving_parts.get(around.part), trail.stopped, trail.reached(Kind.DRIVEN)
    if going is None and driven is not None:
        return around.now <= driven.t + SETTLING_SECONDS
    if going is None or stopped is None or not isinstance(going.value, int | float):
        return False
    return stopped.t <= going.t + going.value + SETTLING_SECONDS


def _not_reached_yet(trail: Trail) -> Kind:
    """Where a frame of another program was stopped: at the first of the board's stages that it has not reached."""
    return next((stage for stage in (Kind.TAKEN, Kind.DRIVEN) if trail.reached(stage) is None), Kind.MOVED)
