"""Trails: one command followed through its seven stages, read from the record."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping

import msgspec

from cavet.record._event import STAGES, Event, Kind, Purpose, Reason, Topic

KEPT_TRAILS = 500
ENDS = (Kind.REFUSED, Kind.OVERTAKEN, Kind.UNCONFIRMED, Kind.UNCHANGED)
"""Kinds of event that end a trail before its last stage."""
BREAKS = (*ENDS, Kind.LOST)
"""The same, with what is gone on the way."""
NOT_TAKEN = (Reason.NOT_HEARD, Reason.UNFINISHED)
"""Why bytes that have come to a board are no message of it."""
ASIDE = (Purpose.READ_BACK, Purpose.RELEASE)
"""What messages are for that belong to a command, and do not carry it."""


class Step(msgspec.Struct):
    """A stage that a command has reached: by which events, one for each frame, pin or part concerned."""

    events: list[Event]

    @property
    def last(self) -> Event:
        return self.events[-1]


class Trail(msgspec.Struct):
    """One command. `root` is the event that it began with: `asked`, or `carried` for another program's."""

    root: Event
    part: tuple[str, str] = ("", "")
    """The part that its point is meant to move, by board and name: of what one frame moves, it is about that alone."""
    steps: dict[Kind, Step] = {}
    moving: Event | None = None
    """The latest event by which a part has set out."""
    moving_parts: dict[str, Event] = {}
    """The same for each part."""
    stopped: Event | None = None
    """The event that ended it: refused, overtaken, lost or unconfirmed."""
    refused: Event | None = None
    """The latest event by which the board has refused it, kept when it is sent again."""
    unread: Event | None = None
    """The event by which the board has told that it can't read the latest try: its host may send it again."""
    passed: Event | None = None
    """The event by which a broker has passed the command on."""
    told: Event | None = None
    """The event by which the board has reported what it did."""
    answered: Event | None = None
    """The event by which it has answered the message itself, first: not what it told of what came of that."""
    limited: Event | None = None
    """The event by which the wish was brought inside its limits; its value is what was wanted."""
    losses: int = 0
    resends: int = 0
    resent: int = -1
    """The event by which it was sent anew last."""
    stands_as: int | None = None
    """Where nothing was sent, since it was so already: the number of the trail that brought it there, as long as its
    part has not moved since for another reason."""
    stood: Event | None = None
    """Else the event by which its part has moved last, at another command or since its wires are so; what its board
    does by itself, blink, say, tells nothing of that."""

    is_others: bool = False
    """Whether that was a command of another point, or of another program, to the same part."""
    driven_over: Event | None = None
    """The event by which a newer command to the same point has driven it before the part had told of this one; or by
    which its part has moved for a newer one, of another field of the same frame, say."""

    @property
    def number(self) -> int:
        return self.root.number

    @property
    def point(self) -> str:
        return self.root.subject

    @property
    def is_of_a_point(self) -> bool:
        """Whether it is a wish of a host's, and no message of another program."""
        return self.root.topic is Topic.POINT

    @property
    def latest(self) -> Event:
        """The event of the furthest stage reached."""
        return self.steps[self.furthest].last

    @property
    def furthest(self) -> Kind:
        """The last stage that it has reached."""
        return next(stage for stage in reversed(STAGES) if stage in self.steps)

    @property
    def complete(self) -> bool:
        """Whether it was confirmed, or has moved, and all that was framed was taken."""
        return Kind.CONFIRMED in self.steps or (Kind.MOVED in self.steps and self._all_taken)

    @property
    def _all_taken(self) -> bool:
        framed = self.steps.get(Kind.FRAMED)
        taken = self.steps.get(Kind.TAKEN)
        return framed is None or (taken is not None and len(taken.events) >= len(framed.events))

    def reached(self, stage: Kind) -> Event | None:
        """The event at which `stage` was reached by everything concerned, `None` before that."""
        step = self.steps.get(stage)
        if step is None:
            return None
        if stage in (Kind.CARRIED, Kind.TAKEN) and Kind.FRAMED in self.steps:
            framed = self.steps[Kind.FRAMED]
            return step.last if len(step.events) >= len(framed.events) else None
        if stage != Kind.MOVED:
            return step.last
        return next((each for each in reversed(step.events) if (each.board, each.subject) == self.part), step.last)

    @property
    def has_moved(self) -> bool:
        """Whether the part has told of it, not only others that the same frame works."""
        last = self.reached(Kind.MOVED)
        return last is not None and (not self.part[1] or (last.board, last.subject) == self.part)

    def drove_again(self, driven: int) -> bool:
        """Whether it has driven its pin anew since that event, by another try of the same command: what a part was
        doing is then overtaken by itself. Where that was a try before the latest one, it is by any pin."""
        step = self.steps.get(Kind.DRIVEN)
        events = step.events if step is not None else []
        pin = next((event.subject for event in events if event.number == driven), None)
        return any(event.number > driven and pin in (None, event.subject) for event in events)

    @property
    def was_given_up(self) -> bool:
        """Whether it was tried as often as it may be, in vain."""
        return self.stopped is not None and self.stopped.kind is Kind.UNCONFIRMED

    def was_tried_since(self, number: int) -> bool:
        """Whether an event belongs to a try before the latest one."""
        return self.number < number < self.resent

    def is_message(self, number: int) -> bool:
        """Whether an event is the message itself: as it was carried, taken, or refused."""
        taken = self.steps.get(Kind.TAKEN)
        events = [self.root, *(taken.events if taken is not None else ()), *([self.refused] if self.refused else ())]
        return any(event.number == number for event in events)

    def begin_again(self, number: int) -> None:
        """The command is sent anew, by that event: what the first try reached does not count."""
        self.resent = number
        self.steps = {stage: step for stage, step in self.steps.items() if stage == Kind.ASKED}
        self.moving = self.stopped = self.unread = self.passed = self.told = self.answered = self.driven_over = None
        self.moving_parts = {}
        self.resends += 1

    def take(self, event: Event, cause: int) -> None:
        """Take up an event that follows from the command, by way of the event `cause`."""
        if event.kind in STAGES:
            self._reach(event)
        elif event.kind == Kind.MOVING:
            self.moving = self.moving_parts[event.subject] = event
        elif event.kind == Kind.PASSED:
            self.passed = self.passed or event
        elif event.kind == Kind.TOLD:
            self.told = event
            if self.answered is None and self.is_message(cause):
                self.answered = event
        elif event.kind == Kind.LIMITED:
            self.limited = event
        elif event.kind == Kind.RESENT:
            self.begin_again(event.number)
        elif event.kind in BREAKS:
            self._break_off(event, cause)

    def _reach(self, event: Event) -> None:
        if event.kind is Kind.CONFIRMED and self.refused is not None and self.refused.topic is Topic.MESSAGE:
            self.take_back_refusal()  # a try before it, or one frame of several: it has come to what was asked
        self.steps.setdefault(event.kind, Step([])).events.append(event)

    def _break_off(self, event: Event, cause: int) -> None:
        """It stops here, unless whoever wants it tries again, or what was lost is only part of it."""
        is_unread = event.kind is Kind.REFUSED and (event.topic is Topic.BYTES or event.reason is Reason.UNREADABLE)
        if is_unread and self.is_of_a_point:
            self.losses += 1
            self.unread = event
        elif event.kind == Kind.LOST:
            self.losses += 1
            is_all = not self.is_of_a_point and event.reason in NOT_TAKEN  # nobody says it again
            self.stopped = event if is_all or event.topic in (Topic.PIN, Topic.PART) else self.stopped
        elif event.kind is Kind.OVERTAKEN and self.stopped is not None and self.stopped.kind is Kind.OVERTAKEN:
            pass  # by the newer wish, and then where its part was when that drove it: the first says why
        elif event.kind != Kind.OVERTAKEN or event.topic is not Topic.PART or not self.drove_again(cause):
            self.stopped = event
            self.refused = event if event.kind == Kind.REFUSED else self.refused

    def take_back_refusal(self) -> None:
        """What was refused was done all the same."""
        self.stopped = None if self.stopped is self.refused else self.stopped
        self.refused = None

    def delay(self, stage: Kind) -> float | None:
        """Seconds from the stage before to this one, where both were reached."""
        here = self.reached(stage)
        before = [self.steps[name].last for name in STAGES[: STAGES.index(stage)] if name in self.steps]
        return here.t - before[-1].t if here is not None and before else None


class Trails:
    """Follows a record and keeps its latest trails. Reads on from where it was at each `follow`."""

    def __init__(
        self, kept: int = KEPT_TRAILS, parts: Mapping[str, tuple[str, str]] | None = None,
        pins: Callable[[str], frozenset[str] | None] = lambda point: None,
    ) -> None:  # fmt: skip
        """`parts` are those that points are meant to move, by the points' names; else the ones of these names. `pins`
        gives those of such a part, and those that its point works; `None` where it is not known."""
        self._kept = kept
        self._parts = parts or {}
        self._pins_of = pins
        self._pins: dict[str, frozenset[str] | None] = {}
        self._sent: dict[tuple[str, str], Trail] = {}
        """The latest of each point, by board and point, for which something was sent."""
        self._driving: dict[tuple[str, str], Trail] = {}
        """The latest of each point that has driven something."""
        self._sent_to: dict[tuple[str, str], Trail] = {}
        """The latest for which something was sent, by the part that it is meant to move."""
        self._moved: dict[tuple[str, str], Event] = {}
        """The event by which each part set out or arrived last."""
        self._modes: dict[tuple[str, str], int] = {}
        """The event by which each pin was brought into its mode last: its value is that."""
        self._defects: set[int] = set()
        """The events by which defects were switched."""
        self._next = 0
        self._trail_of: dict[int, Trail] = {}
        self._members: dict[int, list[int]] = {}
        self.all: dict[int, Trail] = {}
        """By the number of the event that began it, oldest first."""

    def follow(self, events: Iterable[Event]) -> None:
        """Sort new events into the trails that they belong to."""
        for event in events:
            self._next = event.number + 1
            if event.kind in (Kind.MOVED, Kind.MOVING):
                self._moved[event.board, event.subject] = event
            elif event.kind == Kind.DRIVEN and isinstance(event.value, str):
                self._modes[event.board, event.subject] = event.number
            elif event.kind == Kind.DEFECT:
                self._defects.add(event.number)
            if event.cause is None or event.kind == Kind.ASKED:  # a wish may follow from a step of a routine
                self._begin(event)
            else:
                self._extend(event)

    def changes_of(self, trail: Trail) -> int:
        """How many events a trail has: what was found of it may be otherwise once there are more."""
        return len(self._members.get(trail.number, ()))

    @property
    def next(self) -> int:
        """The number of the event to go on from."""
        return self._next

    def _begin(self, event: Event) -> None:
        if event.kind == Kind.ASKED or (event.kind == Kind.CARRIED and event.purpose is not Purpose.READ_BACK):
            part = self._parts.get(event.subject, (event.board, event.subject))
            trail = Trail(root=event, part=part, steps={event.kind: Step([event])})
            self.all[event.number] = trail
            self._trail_of[event.number] = trail
            self._members[event.number] = [event.number]
            if len(self.all) > self._kept:
                self._forget(next(iter(self.all)))

    def _extend(self, event: Event) -> None:
        """An event follows from another: let the trail that it belongs to take it up."""
        assert event.cause is not None
        trail = self._trail_of.get(event.cause)
        if trail is None or (event.kind == Kind.FRAMED and event.purpose in ASIDE):
            return  # what follows from a question beside the command is told by `confirmed`
        self._trail_of[event.number] = trail
        self._members[trail.number].append(event.number)
        if event.kind == Kind.UNCHANGED:
            self._look_back(trail)
        elif event.kind == Kind.MOVED:
            self._move_on(trail, event)
        elif event.kind == Kind.FRAMED and trail.is_of_a_point:
            self._sent[trail.root.board, trail.point] = self._sent_to[trail.part] = trail
        elif event.kind == Kind.DRIVEN and trail.is_of_a_point:
            self._drive_over(trail, event)
        if event.kind not in BREAKS or not (trail.was_tried_since(event.cause) or self._is_anothers(trail, event)):
            trail.take(event, event.cause)

    def _drive_over(self, trail: Trail, event: Event) -> None:
        """A command drives what its point works: the one before it there is driven over."""
        before = self._driving.get((trail.root.board, trail.point), trail)
        self._driving[trail.root.board, trail.point] = trail
        if before is not trail and not before.has_moved and before.driven_over is None:
            before.driven_over = event

    def _move_on(self, trail: Trail, event: Event) -> None:
        """A part has moved: an older command to it, in the frame before, has come to it by this one."""
        before = self._sent_to.get((event.board, event.subject))
        if before is not None and before.number < trail.number and not before.has_moved and before.driven_over is None:
            before.driven_over = event

    def _is_anothers(self, trail: Trail, event: Event) -> bool:
        """Whether it is about a pin or a part that is not the trail's: a frame may work several."""
        if event.topic not in (Topic.PIN, Topic.PART) or not trail.is_of_a_point:
            return False
        point = trail.point
        if point not in self._pins:
            self._pins[point] = self._pins_of(point) if point in self._parts else None
        pins = self._pins[point]
        if pins is None:
            return False
        return event.subject != trail.part[1] if event.topic is Topic.PART else event.subject not in pins

    def _look_back(self, trail: Trail) -> None:
        """Find what has brought the part of a trail, for which nothing was sent, to where it stands: the one before it,
        or another one since."""
        sent, moved = self._sent.get((trail.root.board, trail.point)), self._moved.get(trail.part)
        mover = self._trail_of.get(moved.number) if moved is not None else None
        if sent is not None and sent is not trail and (moved is None or _is_before(moved, mover, sent)):
            trail.stands_as = sent.number
        elif moved is not None and moved.kind == Kind.MOVED and (mover is not None or self._is_by_wires(moved)):
            trail.stood = moved
            trail.is_others = mover is not None and (not mover.is_of_a_point or mover.part == trail.part)

    def _is_by_wires(self, moved: Event) -> bool:
        """Whether a part has moved since its wires are so, by a defect, say, or its pin was brought into its mode."""
        return moved.cause is None or moved.cause in self._defects or moved.cause in self._modes.values()

    def _forget(self, number: int) -> None:
        forgotten = self.all.pop(number)
        by_point = (forgotten.root.board, forgotten.point)
        for latest, key in ((self._sent, by_point), (self._driving, by_point), (self._sent_to, forgotten.part)):
            if latest.get(key) is forgotten:
                del latest[key]
        for member in self._members.pop(number):
            del self._trail_of[member]


def _is_before(moved: Event, mover: Trail | None, sent: Trail) -> bool:
    """Whether a part has moved for a command, or before it has done its work."""
    driven = sent.steps.get(Kind.DRIVEN)
    is_older = (
        mover is not None and mover.number < sent.number and (driven is None or moved.number < driven.last.number)
    )
    return moved.number < sent.number or mover is sent or is_older
