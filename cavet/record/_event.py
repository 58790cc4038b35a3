"""What one event holds, and the kinds there are."""

from __future__ import annotations

from typing import Any, Final

import msgspec

from cavet.wording import hex_pairs, plain

Value = float | int | bool | str | bytes | None


class Kind:
    """The kinds of event. The first seven are the stages of a trail."""

    ASKED: Final = "asked"
    FRAMED: Final = "framed"
    CARRIED: Final = "carried"
    TAKEN: Final = "taken"
    DRIVEN: Final = "driven"
    MOVED: Final = "moved"
    CONFIRMED: Final = "confirmed"

    REFUSED: Final = "refused"
    """A command ended here on purpose; `note` says why."""
    UNCONFIRMED: Final = "unconfirmed"
    """The host read back something else than it asked for, or nothing at all."""
    LIMITED: Final = "limited"
    """A wish lay outside a point's limits and was brought inside them; `value` is what was wanted."""
    MOVING: Final = "moving"
    """A part has set out; `note` says where to, `value` how many seconds it will take."""
    OVERTAKEN: Final = "overtaken"
    """A part was sent elsewhere before it had arrived, or a wish replaced before it was sent."""
    UNCHANGED: Final = "unchanged"
    """A wish for what was asked for already: nothing is sent."""
    RESENT: Final = "resent"
    """A wish is sent again, since what was read back did not agree, or nothing came."""
    SENSED: Final = "sensed"
    """Something outside changed what a part gives to its pin."""
    LEVEL: Final = "level"
    """An input pin changed its level."""
    BUS: Final = "bus"
    """A transaction has passed on a bus; `value` is its bytes, `note` what was seen with marks and acknowledge bits."""
    PASSED: Final = "passed"
    """A broker has passed a message on; `value` is to how many clients."""
    TOLD: Final = "told"
    """The board has said something, unasked or in reply."""
    HEARD: Final = "heard"
    """The host has learned a point's value."""
    LOST: Final = "lost"
    """A byte or a link is gone."""
    LINK: Final = "link"
    """A link's state has changed; `value` is the state."""
    BOARD: Final = "board"
    """A board was reset, announced itself, or fell back to rest."""
    REFLEX: Final = "reflex"
    """A rule of the board's own has acted."""
    DEFECT: Final = "defect"
    """A defect was switched on or off."""
    RIG: Final = "rig"
    """A quantity of the outside world was set by hand."""
    REMARK: Final = "remark"
    """Something that a person should know: host and board start with different values, and the like."""


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
    kind: str
    board: str
    cause: int | None
    topic: str
    subject: str
    value: Value
    note: str


_QUALIFIED = ("part",)
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
    elif event.topic != "board":
        line[event.topic] = int(event.subject) if event.subject.isdecimal() else event.subject
    line["value"] = hex_pairs(event.value) if isinstance(event.value, bytes) else event.value
    if event.note:
        line["note"] = plain(event.note)
    return line
