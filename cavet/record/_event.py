"""What one event holds, and the kinds there are."""

from __future__ import annotations

from enum import StrEnum
from typing import Any, Final

import msgspec

from cavet.wording import as_written, digits, hex_pairs, plain

Value = float | int | bool | str | bytes | None


class Kind(StrEnum):
    """The kinds of event. The first seven are the stages of a trail."""

    ASKED = "asked"
    FRAMED = "framed"
    CARRIED = "carried"
    TAKEN = "taken"
    DRIVEN = "driven"
    MOVED = "moved"
    CONFIRMED = "confirmed"

    REFUSED = "refused"
    """A command ended here on purpose; `note` says why."""
    UNCONFIRMED = "unconfirmed"
    """The host read back something else than it asked for, or nothing at all."""
    LIMITED = "limited"
    """A wish lay outside a point's limits and was brought inside them; `value` is what was wanted."""
    MOVING = "moving"
    """A part has set out; `note` says where to, `value` how many seconds it will take."""
    OVERTAKEN = "overtaken"
    """A part was sent elsewhere before it had arrived, or a wish replaced before it was sent."""
    UNCHANGED = "unchanged"
    """A wish for what stands there, or was asked for, already: nothing is sent."""
    RESENT = "resent"
    """A wish is sent again, since what was read back did not agree, or nothing came."""
    SENSED = "sensed"
    """Something outside changed what a part gives to its pin."""
    LEVEL = "level"
    """An input pin changed its level."""
    BUS = "bus"
    """A transaction has passed on a bus; `value` is its bytes, `note` what was seen with marks and acknowledge bits."""
    PASSED = "passed"
    """A broker has passed a message on; `value` is to how many clients."""
    TOLD = "told"
    """The board has said something, unasked or in reply."""
    HEARD = "heard"
    """The host has learned a point's value."""
    LOST = "lost"
    """A byte or a link is gone."""
    LINK = "link"
    """A link's state has changed; `value` is the state."""
    BOARD = "board"
    """A board was reset, announced itself, or fell back to rest."""
    REFLEX = "reflex"
    """A rule of the board's own has acted."""
    DEFECT = "defect"
    """A defect was switched on or off."""
    RIG = "rig"
    """A quantity of the outside world was set by hand."""
    CHANGED = "changed"
    """A quantity of the outside world has gone on by itself so far that it can be seen; `value` is where it stands."""
    FAULT = "fault"
    """Something raised that nobody foresaw: what it was a part of has stopped; `note` says what, and where."""
    STEP = "step"
    """A step of a routine has begun: `subject` is the routine, `value` its line, `note` its text; or a tune was
    turned."""
    MARK = "mark"
    """A flag that somebody has put into the record; `note` says why."""
    REMARK = "remark"
    """Something that a person should know: host and board start with different values, and the like."""


class Topic(StrEnum):
    """What the subject of an event names."""

    BOARD = "board"
    BUS = "bus"
    BYTES = "bytes"
    CLIENT = "client"
    DEFECT = "defect"
    DEVICE = "device"
    ENDPOINT = "endpoint"
    FAULT = "fault"
    FRAME = "frame"
    LINE = "line"
    LINK = "link"
    MESSAGE = "message"
    PART = "part"
    PIN = "pin"
    POINT = "point"
    PORT = "port"
    PRESENCE = "presence"
    REFLEX = "reflex"
    REGISTER = "register"
    RIG = "rig"
    ROUTINE = "routine"
    SESSION = "session"
    TEXT = "text"
    TUNE = "tune"


class Purpose(StrEnum):
    """What a message is for; of a stage of a trail, that it is not the command itself."""

    NONE = ""
    """It carries what was asked for."""
    READ_BACK = "read-back"
    """It asks for a value instead of setting it: it belongs to `confirmed`, not to `framed`."""
    RELEASE = "release"
    """It completes an earlier message, which alone carries the command."""
    SET_UP = "set-up"
    """It finds out who is there, or brings it into its state at the beginning."""
    POLL = "poll"
    """It asks how things stand, again and again, or once because somebody wants to know."""
    SCROLL = "scroll"
    """It moves on what is too long to be shown at once."""
    OUTSIDE = "outside"
    """Bytes of a program that is not this one."""


class Reason(StrEnum):
    """Why something ended."""

    NONE = ""
    STANDS_THERE = "stands-there"
    """It is so already."""
    NEWER_WISH = "newer-wish"
    NO_ANSWER = "no-answer"
    OTHER_VALUE = "other-value"
    """Something else was read back."""
    LINK_LOST = "link-lost"
    BEGAN_ANEW = "began-anew"
    """The board has forgotten it, with all else."""
    NOT_HEARD = "not-heard"
    """The board was deaf."""
    UNFINISHED = "unfinished"
    """The end of the message did not come."""
    UNREADABLE = "unreadable"
    """No message could be made of the bytes."""
    NOT_ALLOWED = "not-allowed"
    """What should do it can't, or does not take this."""
    HELD = "held"
    """Something keeps the part from moving."""
    DEAD = "dead"
    """The pin's line does not follow."""
    REWIRED = "rewired"
    """A defect was switched: the part's wires lead elsewhere, or carry something else."""
    OVERFLOW = "overflow"
    """There was no room for it."""


STAGES: Final = (
    Kind.ASKED, Kind.FRAMED, Kind.CARRIED, Kind.TAKEN, Kind.DRIVEN, Kind.MOVED, Kind.CONFIRMED,
)  # fmt: skip


class Event(msgspec.Struct, frozen=True, gc=False):
    """Something that happened.

    `t` is in seconds since the bench was started; `cause` is the number of the event that this one follows from;
    `topic` says what `subject` names: a point, link, pin, part, rig quantity, register or the board itself.
    """

    number: int
    t: float
    kind: Kind
    board: str
    cause: int | None
    topic: Topic
    subject: str
    value: Value
    note: str = ""
    """For people alone: whatever a reader must tell apart stands in a field of its own."""
    purpose: Purpose = Purpose.NONE
    reason: Reason = Reason.NONE


_QUALIFIED = (Topic.PART,)
"""Topics whose subjects bear the board's name in front when told to others, as they do in what others tell us."""


def as_line(event: Event) -> dict[str, Any]:
    """Give the event as the JSON object that `serve --events` prints."""
    line: dict[str, Any] = {
        "event": "record",
        "number": event.number,
        "t": round(event.t, 6),
        "board": event.board,
        "kind": event.kind,
        "cause": event.cause,
    }
    if event.topic in _QUALIFIED:
        line[event.topic] = f"{event.board}.{event.subject}"
    elif event.topic is not Topic.BOARD:
        line[event.topic] = int(event.subject) if event.subject.isdecimal() else event.subject
    line["value"] = hex_pairs(event.value) if isinstance(event.value, bytes) else event.value
    if event.purpose:
        line["purpose"] = event.purpose
    if event.reason:
        line["reason"] = event.reason
    if event.note:
        line["note"] = plain(event.note)
    return line


def words_of(event: Event, most: int = 90) -> str:
    """What happened, in so many characters at most: who, what, to which value, and what there is to say of it."""
    if isinstance(event.value, bytes):
        value = f" {as_written(event.value)}"
    elif event.value is None:
        value = ""
    elif isinstance(event.value, bool):
        value = " on" if event.value else " off"
    else:
        value = f" {digits(event.value, 6) if isinstance(event.value, float) else event.value}"
    note = f" · {event.note}" if event.note else ""
    return plain(f"{event.board} {event.kind} {event.subject}{value}{note}".strip(), most)
