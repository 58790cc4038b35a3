"""How a trail stands, stage by stage; and where it broke: at which stage, why, and what to do."""

from __future__ import annotations

import math
from enum import Enum

import msgspec

from cavet.bench import _diagnosis_messages
from cavet.boards import FULL_DUTY, PinMode, Profile
from cavet.faults import Fault
from cavet.hosts import (
    NO_ANSWER,
    ON_SPI,
    DevicePoint,
    DeviceSettings,
    FieldPoint,
    HeaderPoint,
    PinPoint,
    Point,
    PointKind,
    RegisterPoint,
    TopicPoint,
)
from cavet.record import STAGES, Event, Kind, Reason, Topic, Trail, Value
from cavet.wording import listed

SLOW_OR_LOSSY = "a slow board: raise reply_within in [hosts]; a lossy link: look at the cable"
NOT_THE_WIRE = "is the wire on the right pin? two wires swapped? has the part its own supply?"
SETTLING_SECONDS = 0.3
"""How long a stage may take that should follow at once."""


LAMP, MOTOR = "lamp", "motor"
ON_OR_OFF = ("horn", "relay", "valve", "heater", LAMP)
"""Kinds of part that one line alone switches. (A servo is none of them: it has ends of its own, and its pulses may be
told to mean other angles.)"""
FULL_GLOW = 100.0
CLEARLY_OFF = 0.05
"""Farther than this share of full, a lamp glows otherwise than its line is driven."""
OUTPUT, PWM = "output", "pwm"
"""Modes of a line, in the note of the event by which it was driven."""


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


class Circumstances(msgspec.Struct, frozen=True, kw_only=True):
    """What a diagnosis needs to know besides the trail itself."""

    now: float
    point: Point | None
    simulated: bool
    ready: bool
    link_words: str
    patience: float
    """How long the session goes on trying, in seconds."""
    waits: bool = False
    """Whether the host waits for the answer to something else before it says more."""
    board_runs: bool = True
    began_anew: bool = False
    """Whether the board began anew while the command was on its way."""
    not_set_up: bool = False
    """Whether it had begun anew before the command, and the host had not set it up since."""
    fault: Fault | None = None
    """What has stopped the board or the session with it, where something raised in it."""
    part: str = ""
    """The part that the point is meant to move, where there is such a one."""
    part_kind: str = ""
    """What kind of part that is."""
    here: bool | None = None
    """Whether the board is there, where it says that itself."""
    own_broker: bool = False
    """Whether the link goes over the broker that we bring along, whose record is ours."""
    device: DeviceSettings | None = None
    """The device on a bus that the point is at."""
    held_by: str = ""
    """What a wish there waits for, before it is said."""
    answering: tuple[str, ...] = ()
    """What answers on its bus, in words: all there is on a simulated one, else what the host has met."""
    profile: Profile | None = None
    """What kind of board it is, where the bench says so."""


BAD_LINE = "same rate and settings at both ends? a loose cable? look whether a defect is on (d)"
LOST_LINK = "is the board there, and its plug? the link is opened again by itself: ask again then"
BEGAN_ANEW = {
    Kind.TAKEN: ", and has not heard it",
    Kind.DRIVEN: ", and has forgotten it",
    Kind.MOVED: ", and its outputs went to rest",
    Kind.CONFIRMED: ", and has confirmed nothing",
}
"""What that has come to, by where a command stopped."""


def diagnose(trail: Trail, around: Circumstances, before: Diagnosis | None = None) -> Diagnosis:
    """Say how a trail stands; of one for which nothing was sent, as the one `before` it has left its part."""
    if (why := _not_there(trail, around, before)) is not None:
        states = dict.fromkeys(STAGES, StageState.LEFT_OUT) | {Kind.ASKED: StageState.REACHED}
        return Diagnosis(states | {why[0]: StageState.BROKEN}, *why)
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


def _not_there(trail: Trail, around: Circumstances, before: Diagnosis | None) -> tuple[Kind, str, str] | None:
    """Where and why the part of a wish for which nothing was sent is not there; `None` where nothing tells of that."""
    if trail.stopped is None or trail.stopped.kind is not Kind.UNCHANGED:
        return None
    if before is not None and before.broken in (Kind.DRIVEN, Kind.MOVED):
        return before.broken, before.reason, before.mend
    stood = trail.stood
    if stood is None or stood.subject != around.part or _is_where_asked(stood, trail, around):
        return None
    return Kind.MOVED, f"{trail.stopped.note}, but {around.part} does not: {stood.note}", NOT_THE_WIRE


def _is_where_asked(stood: Event, trail: Trail, around: Circumstances) -> bool:
    """Whether a part stands where it was asked to be, or nothing of the kind can be said."""
    point, asked = around.point, trail.root.value
    if point is None or not isinstance(stood.value, int | float) or not isinstance(asked, int | float):
        return True
    if point.kind is PointKind.SWITCH:
        return around.part_kind not in ON_OR_OFF or point.from_wire(stood.value) == asked
    is_bridge = point.kind is PointKind.BRIDGE and around.part_kind == MOTOR
    is_lamp = isinstance(point, PinPoint) and point.mode == PWM and around.part_kind == LAMP
    if not is_bridge and not is_lamp:
        return True
    share = math.copysign(point.to_wire(asked), asked) if is_bridge else point.to_wire(asked)
    return abs(stood.value / FULL_GLOW - share / FULL_DUTY) <= CLEARLY_OFF


def _state(trail: Trail, stage: Kind, around: Circumstances) -> StageState:
    if trail.reached(stage) is not None:
        is_wrong = stage == Kind.MOVED and (_wrong_part(trail, around) or _wrong_way(trail, around) is not None)
        return StageState.COMING if is_wrong else StageState.REACHED
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
    moved = {event.subject for event in step.events if event.topic is Topic.PART} if step else set()
    return "" if not around.part or not moved or around.part in moved else next(iter(moved))


def _wrong_way(trail: Trail, around: Circumstances) -> Event | None:
    """The event by which the part has gone elsewhere than the line was driven that alone moves it. (The board may drive
    it by itself, too: what was asked is no measure.)"""
    moved, driven = trail.steps.get(Kind.MOVED), trail.steps.get(Kind.DRIVEN)
    lines = {event.number: event for event in driven.events if event.topic is Topic.PIN} if driven else {}
    for event in moved.events if moved else ():
        line = lines.get(event.cause if event.cause is not None else -1)
        if event.subject == around.part and line is not None and _is_elsewhere(around.part_kind, event.value, line):
            return event
    last, going = trail.reached(Kind.MOVED), trail.moving_parts.get(around.part)
    if around.part_kind != MOTOR or last is None or last.subject != around.part or Kind.CONFIRMED not in trail.steps:
        return None
    has_arrived = going is None or going.number < last.number
    return last if has_arrived and not _is_where_asked(last, trail, around) else None


def _is_elsewhere(kind: str, stands: Value, line: Event) -> bool:
    """Whether a part of a kind stands elsewhere than its line is driven."""
    wanted = line.value
    if kind not in ON_OR_OFF or not isinstance(stands, int | float) or not isinstance(wanted, int | float):
        return False
    if kind == LAMP and line.note == PWM:
        return abs(stands / FULL_GLOW - wanted / FULL_DUTY) > CLEARLY_OFF
    return line.note == OUTPUT and bool(stands) is not bool(wanted)


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
    if not missing or not (around.ready or around.fault):
        return None
    if missing[0] is Kind.FRAMED and around.waits:
        return None
    deadline = trail.latest.t + _allowed(trail, missing[0], around)
    return missing[0] if around.now > deadline else None


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


def _allowed(trail: Trail, stage: Kind, around: Circumstances) -> float:
    moving = trail.moving_parts.get(around.part, trail.moving)
    if stage == Kind.MOVED and moving is not None:
        return moving.t - trail.latest.t + float(moving.value or 0) + SETTLING_SECONDS
    if stage == Kind.CONFIRMED:
        return around.patience + SETTLING_SECONDS
    if around.point is not None and around.point.confirm and (stage == Kind.TAKEN or trail.unread is not None):
        return around.patience + SETTLING_SECONDS
    return SETTLING_SECONDS


def _why(trail: Trail, broken: Kind, around: Circumstances) -> tuple[str, str]:
    stopped = trail.stopped
    if around.fault and around.fault.t <= trail.latest.t + _allowed(trail, broken, around):
        board = trail.root.board
        return (
            f"{board} was stopped by a fault of Cavet's own: {around.fault}",
            f"start {board} again (F2); see the log",
        )
    refused = stopped if stopped is not None and stopped.kind == Kind.REFUSED else _unread(trail, broken)
    if refused is not None and _was_changed(trail, around):
        said = refused.note if refused.topic is Topic.BOARD else refused.note.partition(":")[0]
        return f"{said}: the bytes were changed on the way", BAD_LINE
    if around.device is not None and broken != Kind.MOVED and _not_reached(trail):
        return _nobody_there(trail, around.device, around)
    if broken == Kind.FRAMED and stopped is not None:
        return stopped.note, LOST_LINK if stopped.reason is Reason.LINK_LOST else _able_pins(around)
    if broken == Kind.MOVED and trail.refused is not None:  # also where it was not read back in the end
        return trail.refused.note, _mend_refusal(trail.refused, broken, around)
    if refused is not None:
        return refused.note, _mend_refusal(refused, broken, around, was_answered=trail.answered is not None)
    if stopped is not None and stopped.kind == Kind.LOST:
        what = "free it, or try another one" if stopped.topic is Topic.PART else "measure at the pin; try another one"
        return stopped.note, f"{what}; look whether a defect is on (d)"
    if around.device is not None and trail.refused is not None:
        return trail.refused.note, "look at the bus: its address, its wires, its pull-ups; or at the defects (d)"
    began_anew = around.began_anew or (stopped is not None and stopped.reason is Reason.BEGAN_ANEW)
    if began_anew and broken in BEGAN_ANEW and not _wrong_part(trail, around):
        return f"the board began anew meanwhile{BEGAN_ANEW[broken]}", "ask again; the record tells why it began anew"
    if stopped is not None and stopped.reason is Reason.LINK_LOST and broken not in (Kind.DRIVEN, Kind.MOVED):
        return stopped.note, LOST_LINK
    return _REASONS[broken](trail, around)


def _unread(trail: Trail, broken: Kind) -> Event | None:
    """What the board has said of the message itself where it could not read it, and its host has heard nothing."""
    is_known = trail.unread is not None and trail.unread.topic is Topic.BOARD
    return trail.unread if is_known and broken in (Kind.TAKEN, Kind.DRIVEN) else None


def _was_changed(trail: Trail, around: Circumstances) -> bool:
    """Whether what the board has taken is nothing that was said; or has answered, and taken nothing of it."""
    said, taken = trail.steps.get(Kind.FRAMED), trail.steps.get(Kind.TAKEN)
    if taken is None and around.simulated and Kind.CARRIED in trail.steps:
        return trail.root.topic is Topic.POINT and trail.stopped is not None and trail.stopped.topic is Topic.POINT
    frames = [event.value for event in said.events if isinstance(event.value, bytes)] if said is not None else []
    messages = [event.value for event in taken.events if isinstance(event.value, bytes)] if taken is not None else []
    return bool(frames) and any(not any(message in frame for frame in frames) for message in messages)


def _not_reached(trail: Trail) -> bool:
    """Whether the bus has told that it did not come to the device."""
    return trail.stopped is not None and trail.stopped.kind in (Kind.UNCONFIRMED, Kind.REFUSED)


def _nobody_there(trail: Trail, device: DeviceSettings, around: Circumstances) -> tuple[str, str]:
    assert trail.stopped is not None  # it was looked at
    note = trail.stopped.note
    if device.kind in ON_SPI or "stuck" in note or not around.answering:
        return note, f"look at the bus of {device.name}: its wires, its pull-ups, its supply; or at the defects (d)"
    here = f"0x{device.address:02X}"
    if any(each.startswith(here) for each in around.answering):
        if note.startswith(NO_ANSWER):
            return note, f"{here} is there: {SLOW_OR_LOSSY}"
        return note, f"{here} is there: look at what hangs on {device.name}, at its wires; or at the defects (d)"
    there = f"{note}; there answer {listed(around.answering, 'and')}"
    return there, f"compare `address` of {device.name} in [hosts] with its straps; has it its supply?"


def _able_pins(around: Circumstances) -> str:
    point = around.point
    if point is None:
        return "look at what this pin can do"
    if not isinstance(point, PinPoint):
        if isinstance(point, RegisterPoint):
            return f"compare [points.{point.name}], and `unit` of its host, with the board: {point.where}"
        if isinstance(point, HeaderPoint):
            says = f"it is set with {point.where}, and asked with {point.query or 'nothing'}"
            return f"compare [points.{point.name}] with the device's manual: {says}"
        return f"compare [points.{point.name}] with the board: {point.where}"
    able = around.profile.able(PinMode(point.mode)) if around.profile is not None else []
    if point.pin in able:  # by what its kind has
        says = f"compare [points.{point.name}], and its board's profile, with the board"
        return f"{says}: {point.where}; or look at the cable"
    names = " ".join(str(pin) for pin in able)
    return f"wire it to one of {names}, and say so in [points.{point.name}]" if names else "choose another pin"


def _mend_refusal(refused: Event, broken: Kind, around: Circumstances, *, was_answered: bool = False) -> str:
    if refused.topic is Topic.PART and refused.reason is Reason.NOT_ALLOWED:
        return "ask for what it takes"
    if refused.topic is Topic.PART:
        return "take away what holds it; until then send it to rest"
    if around.not_set_up or around.began_anew:
        return "the board has begun anew, and is not set up: ask again, or open its link anew"
    if isinstance(around.point, HeaderPoint) and broken == Kind.TAKEN:
        return f"{_able_pins(around)}; or its bytes were changed on the way: look at them (w)"
    if around.point:
        return _able_pins(around)
    if broken == Kind.TAKEN and was_answered:
        return "compare what it asks for with the board: its unit, its addresses, what it can do"
    if broken == Kind.TAKEN:
        return "look at its bytes (w): the program has sent them so, or they were changed on the way"
    return "compare what it asks for with what the board has, and with the mode of its pins"


def _not_framed(trail: Trail, around: Circumstances) -> tuple[str, str]:
    if around.device is not None:
        held_by = around.held_by or f"nothing of it was said to {around.device.name} yet"
        return held_by, "wait; does the board answer in time (`reply_within`)? or look at its bus: address, wires"
    return f"it was not sent yet: the link is {around.link_words}", "look at the link's state, and at the host's record"


def _not_carried(trail: Trail, around: Circumstances) -> tuple[str, str]:
    return f"the link has not taken the bytes: it is {around.link_words}", "look at the link's state; open it again"


def _not_taken(trail: Trail, around: Circumstances) -> tuple[str, str]:
    if not around.board_runs:
        return "the board still boots, and hears nothing", "wait for its announcement before sending"
    if isinstance(around.point, TopicPoint):
        return _diagnosis_messages.not_taken(trail, around.point, around.here, own_broker=around.own_broker)
    tries = f" in {trail.resends + 1} tries" if trail.resends else ""
    return (
        f"the bytes arrived, but the board made no message of them{tries}: some were lost or changed on the way",
        BAD_LINE,
    )


def _not_driven(trail: Trail, around: Circumstances) -> tuple[str, str]:
    if isinstance(around.point, TopicPoint):
        return _diagnosis_messages.not_driven(around.point)
    if _was_changed(trail, around):
        return "the board took another message than was sent: the bytes were changed on the way", BAD_LINE
    return "the board understood it, but no pin changed", "is the pin in the mode that this needs?"


def _not_moved(trail: Trail, around: Circumstances) -> tuple[str, str]:
    step = trail.steps.get(Kind.DRIVEN)
    driven = sorted({event.subject for event in step.events if event.topic is Topic.PIN}, key=int) if step else []
    were = f"pins {listed(driven, 'and')} were" if len(driven) > 1 else f"{f'pin {driven[0]}' if driven else 'it'} was"
    name = around.part or (around.point.name if around.point else "the part")
    other = _wrong_part(trail, around)
    if other:
        return (
            f"{were} driven, and {other} moved, not {name}",
            f"two wires swapped, or the wrong pin in [points.{trail.point}]",
        )
    elsewhere, asked = _wrong_way(trail, around), trail.root.value
    if elsewhere is not None and around.point is not None and not isinstance(asked, bytes):
        way = "elsewhere" if around.part_kind == MOTOR and not elsewhere.value else "the wrong way"
        return (
            f"{were} driven, and {name} went {way}: {elsewhere.note}, asked {around.point.show(asked)}",
            f"is it wired the wrong way round? compare [points.{trail.point}] with the part; or see the defects (d)",
        )
    return (
        f"{were} driven, but {name} has not moved",
        NOT_THE_WIRE,
    )


def _not_confirmed(trail: Trail, around: Circumstances) -> tuple[str, str]:
    if isinstance(around.point, TopicPoint):
        return _diagnosis_messages.not_confirmed(trail, around.point, simulated=around.simulated)
    note = trail.stopped.note if trail.stopped is not None else "no answer came"
    if around.point is None:
        return note, "is anybody at this address? a slow device, or bytes that were lost on the way"
    is_other = trail.stopped is not None and trail.stopped.reason is Reason.OTHER_VALUE
    if is_other and not isinstance(around.point, DevicePoint):
        where = f"compare [points.{trail.point}] with it: range, wire, form"
        slow = ", is it slower than `reply_within`" if isinstance(around.point, FieldPoint) else ""  # frames tell on
        return note, f"has the board limits of its own, does anybody else set it{slow}? {where}"
    return note, SLOW_OR_LOSSY


_REASONS = {
    Kind.FRAMED: _not_framed,
    Kind.CARRIED: _not_carried,
    Kind.TAKEN: _not_taken,
    Kind.DRIVEN: _not_driven,
    Kind.MOVED: _not_moved,
    Kind.CONFIRMED: _not_confirmed,
}
