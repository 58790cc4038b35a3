"""What is known around a trail, and what a part that has moved, or has not, says of its wires."""

from __future__ import annotations

import math

import msgspec

from cavet.boards import FULL_DUTY, Profile
from cavet.faults import Fault
from cavet.hosts import DevicePoint, DeviceSettings, PinPoint, Point, PointKind, StepperPoint
from cavet.protocols import modbus
from cavet.record import Event, Kind, Topic, Trail, Value

SETTLING_SECONDS = 0.3
"""How long a stage may take that should follow at once."""
LAMP, MOTOR, SHAFT = "lamp", "motor", "stepper"
ON_OR_OFF = ("horn", "relay", "valve", "heater", LAMP)
"""Kinds of part that one line alone switches. (A servo is none of them: it has ends of its own, and its pulses may be
told to mean other angles.)"""
FULL_GLOW = 100.0
STEPS_OFF = 2
"""A shaft that stands no more full steps than this elsewhere is where it was asked to be."""
CLEARLY_OFF = 0.05
"""Farther than this share of full, a lamp glows otherwise than its line is driven."""
OUTPUT, PWM = "output", "pwm"
"""Modes of a line, in the note of the event by which it was driven."""


class Circumstances(msgspec.Struct, frozen=True, kw_only=True):
    """What a diagnosis needs to know besides the trail itself."""

    now: float
    """The time, less that in which nobody was there since the last that was heard of the trail."""
    point: Point | None
    simulated: bool
    link_words: str
    patience: float
    """How long the session goes on trying, in seconds."""
    lost_at: float = math.inf
    """Since when its host can't speak to the board; `inf` where it can."""
    byte_seconds: float = 0.0
    """How long a byte takes on its line, where that is a serial one."""
    line_share: float = 0.0
    """What share of its line is taken by what the board reports by itself."""
    line_until: float = 0.0
    """Until when its line carries what the host has said so far."""
    waits: bool = False
    """Whether the host waits for the answer to something else before it says more."""
    is_to_be_said: bool = False
    """Whether it still has something to say, or to hear, of this wish, on a line where others have their turns, too."""
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
    firmware: str = ""
    """What its firmware speaks, where the bench says so."""


def judged_at(trail: Trail, patience: float, now: float) -> float:
    """The time that tells why a command got no farther: when it was ended, or was late; not what is so by now."""
    return trail.stopped.t if trail.stopped is not None else min(now, trail.latest.t + patience + SETTLING_SECONDS)


def allowed(trail: Trail, stage: Kind, around: Circumstances) -> float:
    """How long a stage may still be missing after the one before it, in seconds."""
    moving = trail.moving_parts.get(around.part, trail.moving)
    if stage == Kind.MOVED and moving is not None:
        return moving.t - trail.latest.t + float(moving.value or 0) + SETTLING_SECONDS
    if stage == Kind.CONFIRMED or (stage == Kind.FRAMED and around.device is not None):  # others have the bus before it
        return around.patience + SETTLING_SECONDS
    may_be_tried = (stage == Kind.TAKEN or trail.unread is not None) and Kind.CONFIRMED not in trail.steps
    if around.point is not None and around.point.confirm and may_be_tried:
        return around.patience + SETTLING_SECONDS
    silence = modbus.silence(around.byte_seconds) if around.byte_seconds else 0.0  # behind it a frame may be whole
    return SETTLING_SECONDS + 2 * silence


def wrong_part(trail: Trail, around: Circumstances) -> str:
    """The part that has moved in the place of the one that was meant, "" where none has."""
    step = trail.steps.get(Kind.MOVED)
    moved = {event.subject for event in step.events if event.topic is Topic.PART} if step else set()
    return "" if not around.part or not moved or around.part in moved else next(iter(moved))


def wrong_way(trail: Trail, around: Circumstances) -> Event | None:
    """The event by which the part has gone elsewhere than the line was driven that alone moves it. (The board may drive
    it by itself, too: what was asked is no measure.)"""
    moved, driven = trail.steps.get(Kind.MOVED), trail.steps.get(Kind.DRIVEN)
    lines = {event.number: event for event in driven.events if event.topic is Topic.PIN} if driven else {}
    for event in moved.events if moved else ():
        line = lines.get(event.cause if event.cause is not None else -1)
        if event.subject == around.part and line is not None and _is_elsewhere(around.part_kind, event.value, line):
            return event
    if around.part_kind not in (MOTOR, SHAFT) or Kind.CONFIRMED not in trail.steps:
        return None
    last, going = trail.reached(Kind.MOVED), trail.moving_parts.get(around.part)
    if last is None or last.subject != around.part:
        return None
    has_arrived = going is None or going.number < last.number
    return last if has_arrived and not is_where_asked(last, trail, around) else None


def other_text(trail: Trail, around: Circumstances) -> Event | None:
    """The event by which a panel shows another text than was asked, where that does not run through."""
    point, asked, last = around.point, trail.root.value, trail.reached(Kind.MOVED)
    if not isinstance(point, DevicePoint) or point.kind is not PointKind.TEXT or last is None:
        return None
    if not isinstance(asked, str) or not isinstance(last.value, str):
        return None
    lines = [line.rstrip() for line in asked.split("\n")]
    has_room = all(len(line) <= point.width for line in lines)
    return last if has_room and last.value != "\n".join(lines).rstrip("\n") else None


def _is_elsewhere(kind: str, stands: Value, line: Event) -> bool:
    """Whether a part of a kind stands elsewhere than its line is driven."""
    wanted = line.value
    if kind not in ON_OR_OFF or not isinstance(stands, int | float) or not isinstance(wanted, int | float):
        return False
    if kind == LAMP and line.note == PWM:
        return abs(stands / FULL_GLOW - wanted / FULL_DUTY) > CLEARLY_OFF
    return line.note == OUTPUT and bool(stands) is not bool(wanted)


def is_where_asked(stood: Event, trail: Trail, around: Circumstances) -> bool:
    """Whether a part stands where it was asked to be, or nothing of the kind can be said."""
    point, asked = around.point, trail.root.value
    if point is None or not isinstance(stood.value, int | float) or not isinstance(asked, int | float):
        return True
    if isinstance(point, StepperPoint) and around.part_kind == SHAFT:
        return abs(stood.value - point.to_wire(asked)) <= STEPS_OFF
    if point.kind is PointKind.SWITCH:
        return around.part_kind not in ON_OR_OFF or point.from_wire(stood.value) == asked
    is_bridge = point.kind is PointKind.BRIDGE and around.part_kind == MOTOR
    is_lamp = isinstance(point, PinPoint) and point.mode == PWM and around.part_kind == LAMP
    if not is_bridge and not is_lamp:
        return True
    share = math.copysign(point.to_wire(asked), asked) if is_bridge else point.to_wire(asked)
    return abs(stood.value / FULL_GLOW - share / FULL_DUTY) <= CLEARLY_OFF
