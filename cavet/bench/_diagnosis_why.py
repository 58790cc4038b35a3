"""Why a command stopped where it did, and what to do about it, in the words of the trade."""

from __future__ import annotations

from cavet.bench import _diagnosis_messages
from cavet.bench._circumstances import MOTOR, SHAFT, Circumstances, allowed, other_text, wrong_part, wrong_way
from cavet.boards import PinMode
from cavet.hosts import (
    NO_ANSWER,
    ON_SPI,
    DevicePoint,
    DeviceSettings,
    FieldPoint,
    HeaderPoint,
    PinPoint,
    RegisterPoint,
    TopicPoint,
)
from cavet.protocols.scpi import COMMAND_ERRORS
from cavet.record import Event, Kind, Reason, Topic, Trail
from cavet.wording import listed

SLOW_OR_LOSSY = "a slow board: raise reply_within in [hosts]; a lossy link: look at the cable"
SET_BY_OTHERS = "another point, host or program has set it since it was read: ask again once it is read anew (`poll`)"
UNCOUNTED = "a board counts steps from where it began: bring it back there by hand, or to a stop, and begin anew"
NOT_THE_WIRE = "is the wire on the right pin? two wires swapped? has the part its own supply?"
BAD_LINE = "same rate and settings at both ends? a loose cable? look whether a defect is on (d)"
BUS_ENDS = (Kind.UNCONFIRMED, Kind.REFUSED)
LOST_LINK = "is the board there, and its plug? the link is opened again by itself: ask again then"
BEGAN_ANEW = {
    Kind.TAKEN: ", and has not heard it",
    Kind.DRIVEN: ", and has forgotten it",
    Kind.MOVED: ", and its outputs went to rest",
    Kind.CONFIRMED: ", and has confirmed nothing",
}
"""What that has come to, by where a command stopped."""


UNTAKEN = {
    Reason.NOT_HEARD: "wait for its announcement before anything is said: where a board has none, for its boot time",
    Reason.UNFINISHED: "compare its end, and its length, with what the protocol wants",
}
"""What to do about bytes of a program from outside that its board has made no message of."""
COMPARED = {
    "firmata": "what it asks for with what the board has, and with the mode of its pins",
    "modbus": "its function, its address and its count with the board's map: `cavet show` lists that",
    "scpi": "its header and its data with the board's commands: `cavet show` lists them",
    "mqtt": "its topic and its payload with what the board takes: `cavet show` lists that",
    "buses": "its address and its register with the devices of the bus",
    **dict.fromkeys(("plan", "usb", "target"), "its fields with those of the board's plan"),
}
"""What to do about a message of a program from outside that the board has refused."""


def why(trail: Trail, broken: Kind, around: Circumstances) -> tuple[str, str]:
    """Say what has stopped a command before a stage, and what to do about it."""
    stopped = trail.stopped
    if around.fault and around.fault.t <= trail.latest.t + allowed(trail, broken, around):
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
    if stopped is not None and stopped.reason in UNTAKEN:
        return stopped.note, UNTAKEN[stopped.reason]
    if stopped is not None and stopped.reason is Reason.REWIRED:
        return stopped.note, "ask again; see which defects are on (d)"
    if stopped is not None and stopped.kind == Kind.LOST:
        what = "free it, or try another one" if stopped.topic is Topic.PART else "measure at the pin; try another one"
        return stopped.note, f"{what}; look whether a defect is on (d)"
    if around.device is not None and trail.refused is not None:
        return trail.refused.note, "look at the bus: its address, its wires, its pull-ups; or at the defects (d)"
    began_anew = around.began_anew or (stopped is not None and stopped.reason is Reason.BEGAN_ANEW)
    if began_anew and broken in BEGAN_ANEW and not wrong_part(trail, around):
        return f"the board began anew meanwhile{BEGAN_ANEW[broken]}", "ask again; the record tells why it began anew"
    if stopped is not None and stopped.reason is Reason.LINK_LOST and broken not in (Kind.DRIVEN, Kind.MOVED):
        return stopped.note, LOST_LINK
    return _REASONS[broken](trail, around)


def _unread(trail: Trail, broken: Kind) -> Event | None:
    """What the board has said of the message itself where it could not read it, and its host has heard nothing."""
    is_known = trail.unread is not None and trail.unread.topic is Topic.BOARD
    return trail.unread if is_known and broken in (Kind.TAKEN, Kind.DRIVEN) else None


def _was_changed(trail: Trail, around: Circumstances) -> bool:
    """Whether what the board has taken is nothing that was said; or has answered, and taken nothing of it. Where a
    broker is between, what it sends on is a packet of its own, and what it answers is its own answer."""
    if isinstance(around.point, TopicPoint):
        return False
    said, taken, stopped = trail.steps.get(Kind.FRAMED), trail.steps.get(Kind.TAKEN), trail.stopped
    if taken is None and around.simulated and Kind.CARRIED in trail.steps:
        of_points = trail.is_of_a_point and stopped is not None and stopped.topic is Topic.POINT
        return of_points and not (isinstance(around.point, HeaderPoint) and _is_boards_own(stopped))
    frames = [event.value for event in said.events if isinstance(event.value, bytes)] if said is not None else []
    messages = [event.value for event in taken.events if isinstance(event.value, bytes)] if taken is not None else []
    return bool(frames) and any(not any(message in frame for frame in frames) for message in messages)


def _is_boards_own(refused: Event | None) -> bool:
    """Whether an error of SCPI tells of the device, and not of a message that it could not read."""
    number = refused.value if refused is not None else None
    return isinstance(number, int) and number not in COMMAND_ERRORS


def _late(around: Circumstances) -> str:
    """What may be done where no answer came in time."""
    if around.line_share < 1:
        return SLOW_OR_LOSSY
    return (
        f"the line is full: what the board reports needs {100 * around.line_share:.0f} % of it: a longer `sampling` in "
        "[hosts], or a higher `rate`"
    )


def _not_reached(trail: Trail) -> bool:
    """Whether the bus has told that it did not come to the device; not where the link was lost before."""
    stopped = trail.stopped
    return stopped is not None and stopped.kind in BUS_ENDS and stopped.reason is not Reason.LINK_LOST


def _nobody_there(trail: Trail, device: DeviceSettings, around: Circumstances) -> tuple[str, str]:
    assert trail.stopped is not None  # it was looked at
    note = trail.stopped.note
    if device.kind in ON_SPI or "stuck" in note or not around.answering:
        return note, f"look at the bus of {device.name}: its wires, its pull-ups, its supply; or at the defects (d)"
    here = f"0x{device.address:02X}"
    if any(each.startswith(here) for each in around.answering):
        if note.startswith(NO_ANSWER):
            return note, f"{here} is there: {_late(around)}"
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
    if isinstance(around.point, HeaderPoint) and broken == Kind.TAKEN and not _is_boards_own(refused):
        return f"{_able_pins(around)}; or its bytes were changed on the way: look at them (w)"
    if around.point:
        return _able_pins(around)
    if broken == Kind.TAKEN and was_answered:
        return "compare what it asks for with the board: its unit, its addresses, what it can do"
    if broken == Kind.TAKEN:
        return "look at its bytes (w): the program has sent them so, or they were changed on the way"
    return f"compare {COMPARED.get(around.firmware, 'what it asks for with what the board has')}"


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
    other = wrong_part(trail, around)
    if other:
        return (
            f"{were} driven, and {other} moved, not {name}",
            f"two wires swapped, or the wrong pin in [points.{trail.point}]",
        )
    elsewhere, asked = wrong_way(trail, around), trail.root.value
    if elsewhere is not None and around.point is not None and not isinstance(asked, bytes):
        is_elsewhere = around.part_kind == SHAFT or (around.part_kind == MOTOR and not elsewhere.value)
        way = "elsewhere" if is_elsewhere else "the wrong way"
        told = f"{were} driven, and {name} went {way}: {elsewhere.note}, asked {around.point.show(asked)}"
        if around.part_kind == SHAFT:
            return told, UNCOUNTED
        return (
            told,
            f"is it wired the wrong way round? compare [points.{trail.point}] with the part; or see the defects (d)",
        )
    if (shows := other_text(trail, around)) is not None and around.point is not None and isinstance(asked, str):
        return (
            f"{name} shows {shows.note}, asked {around.point.show(asked)}",
            "bytes were changed on the way to it? send all to rest (F12), which sets it up anew, and ask again",
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
    return note, _late(around)


_REASONS = {
    Kind.FRAMED: _not_framed,
    Kind.CARRIED: _not_carried,
    Kind.TAKEN: _not_taken,
    Kind.DRIVEN: _not_driven,
    Kind.MOVED: _not_moved,
    Kind.CONFIRMED: _not_confirmed,
}
