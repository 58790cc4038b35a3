"""How a trail stands, stage by stage; and where it broke: at which stage, why, and what to do."""

from __future__ import annotations

from enum import Enum

import msgspec

from cavet.bench import _diagnosis_messages
from cavet.hosts import DevicePoint, PinPoint, Point, TopicPoint
from cavet.record import STAGES, Kind, Trail

SETTLING_SECONDS = 0.3
"""How long a stage may take that should follow at once."""


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

    states: dict[str, StageState]
    broken: str | None = None
    reason: str = ""
    mend: str = ""

    @property
    def is_over(self) -> bool:
        return StageState.COMING not in self.states.values()


class Circumstances(msgspec.Struct, frozen=True, kw_only=True):
    """What a diagnosis needs to know besides the trail itself."""

    now: float
    point: Point | None
    simulated: bool
    ready: bool
    link_words: str
    patience: float
    """How long the session goes on trying, in seconds."""
    board_runs: bool = True
    part: str = ""
    """The part that the point is meant to move, where there is such a one."""
    here: bool | None = None
    """Whether the board is there, where it says that itself."""
    own_broker: bool = False
    """Whether the link goes over the broker that we bring along, whose record is ours."""
    able: dict[str, list[int]] = {}
    """For each mode the pins that have it, where that is known."""


def diagnose(trail: Trail, around: Circumstances) -> Diagnosis:
    """Say how a trail stands."""
    states = {stage: _state(trail, stage, around) for stage in STAGES}
    broken = _broken_stage(trail, states, around)
    if broken is None:
        return Diagnosis(_left_out_after_end(trail, states))
    states[broken] = StageState.BROKEN
    for stage in STAGES[STAGES.index(broken) + 1 :]:
        if states[stage] is StageState.COMING:
            states[stage] = StageState.LEFT_OUT
    reason, mend = _why(trail, broken, around)
    return Diagnosis(states, broken, reason, mend)


def _state(trail: Trail, stage: str, around: Circumstances) -> StageState:
    if trail.reached(stage) is not None:
        return StageState.COMING if stage == Kind.MOVED and _wrong_part(trail, around) else StageState.REACHED
    if stage in (Kind.ASKED, Kind.FRAMED) and trail.root.kind == Kind.CARRIED:
        return StageState.UNSEEN  # another program's own
    if stage in (Kind.TAKEN, Kind.DRIVEN, Kind.MOVED) and not around.simulated:
        return StageState.UNSEEN
    if stage == Kind.CONFIRMED and (around.point is None or not around.point.confirm):
        return StageState.LEFT_OUT
    if around.point is None or (stage == Kind.MOVED and not around.part):
        return StageState.LEFT_OUT  # another program's question, say, or a value that the board only keeps
    return StageState.COMING


def _wrong_part(trail: Trail, around: Circumstances) -> str:
    """The part that has moved in the place of the one that was meant, "" where none has."""
    step = trail.steps.get(Kind.MOVED)
    moved = {event.subject for event in step.events if event.topic == "part"} if step else set()
    return "" if not around.part or not moved or around.part in moved else next(iter(moved))


def _left_out_after_end(trail: Trail, states: dict[str, StageState]) -> dict[str, StageState]:
    if trail.stopped is None or trail.stopped.kind not in (Kind.UNCHANGED, Kind.OVERTAKEN):
        return states
    return {stage: StageState.LEFT_OUT if state is StageState.COMING else state for stage, state in states.items()}


def _broken_stage(trail: Trail, states: dict[str, StageState], around: Circumstances) -> str | None:
    missing = [stage for stage in STAGES if states[stage] is StageState.COMING]
    stopped = trail.stopped
    if stopped is not None and stopped.kind in (Kind.UNCHANGED, Kind.OVERTAKEN):
        return None
    if stopped is not None:
        if stopped.kind == Kind.UNCONFIRMED and (not missing or not around.simulated):
            return Kind.CONFIRMED
        return missing[0] if missing else Kind.MOVED
    if not missing or not around.ready:
        return None
    if missing[0] == Kind.MOVED and _wrong_part(trail, around):
        return Kind.MOVED
    deadline = trail.latest.t + _allowed(trail, missing[0], around)
    return missing[0] if around.now > deadline else None


def _allowed(trail: Trail, stage: str, around: Circumstances) -> float:
    if stage == Kind.MOVED and trail.moving is not None:
        return max(0.0, trail.moving.t - trail.latest.t) + float(trail.moving.value or 0) + SETTLING_SECONDS
    if stage == Kind.CONFIRMED:
        return around.patience + SETTLING_SECONDS
    if around.point is not None and around.point.confirm and stage == Kind.TAKEN:
        return around.patience + SETTLING_SECONDS
    return SETTLING_SECONDS


def _why(trail: Trail, broken: str, around: Circumstances) -> tuple[str, str]:
    stopped = trail.stopped
    if broken == Kind.FRAMED and stopped is not None:
        return stopped.note, _able_pins(around)
    if stopped is not None and stopped.kind == Kind.REFUSED:
        return stopped.note, _mend_refusal(broken, around)
    if stopped is not None and stopped.kind == Kind.LOST:
        return stopped.note, "measure at the pin; try another one; look whether a defect is on (d)"
    if isinstance(around.point, DevicePoint) and trail.refused is not None:
        return trail.refused.note, "look at the bus: its address, its wires, its pull-ups; or at the defects (d)"
    return _REASONS[broken](trail, around)


def _able_pins(around: Circumstances) -> str:
    point = around.point
    if point is None:
        return "look at what this pin can do"
    if not isinstance(point, PinPoint):
        return f"compare [points.{point.name}] with the board: {point.where}"
    pins = around.able.get(point.mode)
    names = " ".join(str(pin) for pin in pins) if pins else ""
    return f"wire it to one of {names}, and say so in [points.{point.name}]" if names else "choose another pin"


def _mend_refusal(broken: str, around: Circumstances) -> str:
    if broken == Kind.MOVED:
        return "take away what holds it; until then send it to rest"
    return _able_pins(around) if around.point else "compare the pin's mode with what is sent"


def _not_carried(trail: Trail, around: Circumstances) -> tuple[str, str]:
    return f"the link has not taken the bytes: {around.link_words}", "look at the link's state; open it again"


def _not_taken(trail: Trail, around: Circumstances) -> tuple[str, str]:
    if not around.board_runs:
        return "the board still boots, and hears nothing", "wait for its announcement before sending"
    if isinstance(around.point, TopicPoint):
        return _diagnosis_messages.not_taken(trail, around.point, around.here, own_broker=around.own_broker)
    tries = f" in {trail.resends + 1} tries" if trail.resends else ""
    return (
        f"the bytes arrived, but the board made no message of them{tries}: some were lost or changed on the way",
        "same rate and settings at both ends? a loose cable? look whether a defect is on (d)",
    )


def _not_driven(trail: Trail, around: Circumstances) -> tuple[str, str]:
    if isinstance(around.point, TopicPoint):
        return _diagnosis_messages.not_driven(around.point)
    return "the board understood it, but no pin changed", "is the pin in the mode that this needs?"


def _not_moved(trail: Trail, around: Circumstances) -> tuple[str, str]:
    driven = trail.reached(Kind.DRIVEN)
    pin = f"pin {driven.subject}" if driven is not None and driven.topic == "pin" else "the pin"
    name = around.part or (around.point.name if around.point else "the part")
    other = _wrong_part(trail, around)
    if other:
        return (
            f"{pin} was driven, and {other} moved, not {name}",
            f"two wires swapped, or the wrong pin in [points.{trail.point}]",
        )
    return (
        f"{pin} was driven, but {name} has not moved",
        "is the wire on the right pin? two wires swapped? has the part its own supply?",
    )


def _not_confirmed(trail: Trail, around: Circumstances) -> tuple[str, str]:
    if isinstance(around.point, TopicPoint):
        return _diagnosis_messages.not_confirmed(trail, around.point, simulated=around.simulated)
    note = trail.stopped.note if trail.stopped is not None else "no answer came"
    return note, "a slow board: raise reply_within in [hosts]; a lossy link: look at the cable"


_REASONS = {
    Kind.FRAMED: _not_carried,
    Kind.CARRIED: _not_carried,
    Kind.TAKEN: _not_taken,
    Kind.DRIVEN: _not_driven,
    Kind.MOVED: _not_moved,
    Kind.CONFIRMED: _not_confirmed,
}
