"""From a record to lanes, in the order of a command's way: asked, link, pins, parts, rig, sensed."""

from __future__ import annotations

from collections.abc import Iterable
from math import copysign

import msgspec

from cavet.bench import BROKER, Origins
from cavet.benchfile import Setup
from cavet.boards import KINDS, PartSettings
from cavet.hosts import PinPoint, Point, PointKind
from cavet.lanes._lane import CURVE, LEVEL, TRAFFIC, WISHES, Course, Lane
from cavet.lanes._missed import Missed
from cavet.lanes._signals import PinModes, natural, pin_value
from cavet.record import Direction, Event, Kind, Topic, Transfer

GROUPS = ASKED, LINK, PINS, PARTS, RIG, SENSED = ("asked", "link", "pins", "parts", "rig", "sensed")
STANDING_OUT = frozenset((Kind.REFUSED, Kind.UNCONFIRMED, Kind.LOST, Kind.FAULT, Kind.MARK, Kind.DEFECT))
OF_BOARDS = ("reset", "failsafe")
ARRIVALS = frozenset((Kind.MOVED, Kind.OVERTAKEN, Kind.REFUSED))
"""Where a part is told to stand, be it where it was sent or not."""
OF_INPUTS = (Kind.LEVEL, Kind.HEARD)


class Flag(msgspec.Struct, frozen=True):
    """Something that stands out: when, which event, whether it is an error, in words."""

    t: float
    number: int
    is_error: bool
    words: str


class Lanes:
    """Reads on in events and transfers, and sorts them into lanes."""

    def __init__(self, setup: Setup) -> None:
        self._setup = setup
        self._lanes: dict[tuple[str, str, str], Lane] = {}
        self._origins = Origins(setup)
        self._missed = Missed(setup)
        self._pins = PinModes()
        self._asked: dict[tuple[str, str], Course] = {}
        """What was asked of each part, in its own unit."""
        self._on_the_way: dict[tuple[str, str], int] = {}
        """The parts that have set out and not arrived, each with the event by which it did: they go there in a straight
        line; others are there at once."""
        self._begun: set[str] = set()
        """Boards whose beginning was read: before anything is done to a part of theirs, it stands as at first."""
        self.flags: list[Flag] = []
        self.end = 0.0
        """Until when it has read."""
        self.version = 0
        """Another one when there is another lane."""

    def read(self, events: Iterable[Event], transfers: Iterable[Transfer] = ()) -> Lanes:
        """Read on."""
        missed = self._missed
        for event in events:
            self.end = event.t  # they stand in the order of their times
            self._event(event)
            if event.kind in OF_INPUTS or missed.waits:
                for number, t, words in missed.note(event):
                    self.flags.append(Flag(t, number, True, words))
                    self.flags.sort(key=lambda flag: flag.t)
        for transfer in transfers:
            self._transfer(transfer)
        return self

    def stand(self, events: Iterable[Event]) -> None:
        """Take what stood before all that is read: it is no wish to be seen, and nothing that stands out."""
        for event in events:
            if event.kind not in (Kind.ASKED, Kind.FRAMED):
                self._event(event)
        self.flags = []

    def forget(self, t: float) -> None:
        """Let go of what lies before a time: lanes know where they stood then, and nothing earlier."""
        for lane in self._lanes.values():
            lane.forget(t)
        for course in self._asked.values():
            course.forget(t)
        self.flags = [flag for flag in self.flags if flag.t >= t]

    def _event(self, event: Event) -> None:
        kind, topic = event.kind, event.topic
        if kind is Kind.DRIVEN:
            self._drive(event)
        elif kind is Kind.BOARD:
            self._begun.add(event.board)
            self._drive(event)
        if kind in STANDING_OUT or (kind is Kind.BOARD and event.value in OF_BOARDS):
            self._flag(event)
        if kind is Kind.ASKED and topic is Topic.POINT:
            self._wish(event)
        elif kind is Kind.FRAMED and topic is Topic.POINT and not event.purpose:
            self._command(event)
        elif topic is Topic.PIN and kind is Kind.LEVEL and isinstance(event.value, bool):
            self._lane(PINS, event.board, event.subject, LEVEL).course.step(event.t, float(event.value))
        elif topic is Topic.PART:
            self._part(event)
        elif kind in (Kind.CHANGED, Kind.RIG) and isinstance(event.value, int | float):
            self._rig(event)

    def _flag(self, event: Event) -> None:
        if event.kind is Kind.LOST and event.topic is Topic.BYTES and event.cause is None:
            return  # noise while a board boots
        is_error = event.kind not in (Kind.MARK, Kind.DEFECT, Kind.BOARD)
        words = event.note or " ".join(word for word in (event.board, event.kind.value, event.subject) if word)
        self.flags.append(Flag(event.t, event.number, is_error, words))

    def _lane(self, group: str, board: str, name: str, kind: str, unit: str = "") -> Lane:
        key = (group, board, name)
        lane = self._lanes.get(key)
        if lane is None:
            lane = self._lanes[key] = Lane(group=group, board=board, name=name, kind=kind, unit=unit, words=[])
            self.version += 1
        elif kind == CURVE and lane.kind == LEVEL:
            lane.kind, lane.unit = CURVE, unit  # a pin that has changed its mode
        return lane

    def _wish(self, event: Event) -> None:
        point = self._setup.points.get(event.subject)
        lane = self._lane(ASKED, event.board, event.subject, WISHES, point.unit if point is not None else "")
        value = event.value if isinstance(event.value, int | float) else len(lane.words)
        lane.course.reach(event.t, float(value))
        told = "" if point is None or isinstance(event.value, bytes) else point.show_asked(event.value, 6)
        lane.words.append(told)
        lane.numbers.append(event.number)
        if point is not None:
            self._dot(point, event)

    def _command(self, event: Event) -> None:
        point = self._setup.points.get(event.subject)
        host = self._setup.hosts.get(point.board) if point is not None else None
        if host is not None:
            link = self._setup.links[self._setup.line_of(host.name)]
            self._lane(LINK, link.board, link.name, TRAFFIC, link.kind).commands.append(event.t)

    def _dot(self, point: Point, event: Event) -> None:
        """What was asked of a point, in the lane of its part, where both count in the same."""
        board = self._setup.board_of(point.board)
        part = point.part or point.name
        if not isinstance(event.value, int | float):
            return
        value = in_parts_unit(point, self._unit(board, part), float(event.value))
        if value is not None:
            self._asked.setdefault((board, part), Course()).step(event.t, value)

    def _drive(self, event: Event) -> None:
        for pin, value, unit in self._pins.follow(event):
            if isinstance(value, bool | float):
                lane = self._lane(PINS, event.board, pin, LEVEL if isinstance(value, bool) else CURVE, unit)
                lane.is_driven = True
                lane.course.step(event.t, float(value))

    def _part(self, event: Event) -> None:
        board, name, value = event.board, event.subject, event.value
        key = (board, name)
        if event.kind is Kind.SENSED and isinstance(value, bool | int | float):
            kind = LEVEL if isinstance(value, bool) else CURVE
            self._lane(SENSED, board, name, kind, self._unit(board, name)).course.step(event.t, float(value))
        elif event.kind is Kind.MOVING:
            self._set_out(event)
        elif event.kind in ARRIVALS and isinstance(value, bool | int | float):
            glides = self._glides(board, name)
            kind = LEVEL if isinstance(value, bool) or glides else CURVE
            lane = self._lane(PARTS, board, name, kind, self._unit(board, name))
            lane.is_driven = True
            there = value / 100 if glides and not isinstance(value, bool) else float(value)
            if key in self._on_the_way and len(lane.course) and (kind == CURVE or glides):
                lane.course.reach(event.t, there)
            else:
                lane.course.step(event.t, there)
            self._on_the_way.pop(key, None)

    def _set_out(self, event: Event) -> None:
        board, name = event.board, event.subject
        lane, settings = self._lanes.get((PARTS, board, name)), self._settings(board, name)
        if lane is None and settings is not None and board in self._begun:
            lane = self._lane(PARTS, board, name, CURVE if self._unit(board, name) else LEVEL, self._unit(board, name))
            lane.is_driven = True
            lane.course.hold(event.t, settings.at_first)
        elif lane is not None:
            lane.course.hold(event.t)
        self._on_the_way[board, name] = event.number

    def _settings(self, board: str, part: str) -> PartSettings | None:
        setup = self._setup.boards.get(board)
        return setup.parts.get(part) if setup is not None else None

    def _glides(self, board: str, part: str) -> bool:
        settings = self._settings(board, part)
        return settings is not None and KINDS[settings.kind].glides

    def _unit(self, board: str, part: str) -> str:
        settings = self._settings(board, part)
        return KINDS[settings.kind].unit if settings is not None else ""

    def _rig(self, event: Event) -> None:
        unit = self._setup.rig[event.subject].unit if event.subject in self._setup.rig else ""
        lane = self._lane(RIG, "", event.subject, CURVE, unit)
        value = float(event.value)  # type: ignore[arg-type]
        if event.kind is Kind.RIG or not len(lane.course):
            lane.course.step(event.t, value)
        else:
            lane.course.reach(event.t, value)

    def _transfer(self, transfer: Transfer) -> None:
        name = self._origins.link_of(transfer)
        if not name:
            return
        link = self._setup.links.get(name)
        lane = self._lane(
            LINK, link.board if link is not None else BROKER, name, TRAFFIC, link.kind if link else "mqtt"
        )
        end = max(transfer.end, lane.ends[-1]) if lane.ends else transfer.end
        self.end = max(self.end, end)
        (lane.out if transfer.direction is Direction.TO_BOARD else lane.back).append(transfer.end)
        lane.ends.append(end)
        lane.busy.append((lane.busy[-1] if lane.busy else 0.0) + transfer.end - transfer.begin)

    def lane(self, group: str, board: str, name: str) -> Lane | None:
        """One lane; `None` while nothing was heard of it."""
        return self._lanes.get((group, board, name))

    def is_under_way(self, board: str, part: str, number: int) -> bool:
        """Whether a part that has set out by an event has not arrived before all that was read ends."""
        return self._on_the_way.get((board, part)) == number

    def mode_at(self, board: str, pin: str, t: float) -> str:
        """The mode that a pin was in at a time; "" where that was not told."""
        return self._pins.mode_at(board, pin, t)

    def all(self) -> list[Lane]:
        """All lanes, in the order of a command's way; within it as the bench has them."""
        points, links, rig = list(self._setup.points), list(self._setup.links), list(self._setup.rig)
        boards = list(self._setup.boards)

        def place(lane: Lane) -> tuple[object, ...]:
            order = {ASKED: points, LINK: links, RIG: rig}.get(lane.group, [])
            of_board = boards.index(lane.board) if lane.board in boards else len(boards)
            at = order.index(lane.name) if lane.name in order else -1
            return (GROUPS.index(lane.group), 0 if order else of_board, at, natural(lane.name))

        for (group, board, name), lane in self._lanes.items():
            if group == PARTS and lane.kind == CURVE:
                lane.asked = self._asked.get((board, name))
        return sorted(self._lanes.values(), key=place)

    def next_flag(self, t: float, step: int, *, errors: bool) -> Flag | None:
        """What stands out next after a time, or before it."""
        of = [flag for flag in self.flags if flag.is_error or not errors]
        found = [flag for flag in of if (flag.t > t + 1e-9 if step > 0 else flag.t < t - 1e-9)]
        return (found[0] if step > 0 else found[-1]) if found else None


def in_parts_unit(point: Point, unit: str, value: float) -> float | None:
    """What a point was asked for, in the unit of its part; `None` where the two count in different things."""
    if isinstance(point, PinPoint) and point.mode == "servo" and unit in ("deg", "°"):
        return float(pin_value(point.mode, point.to_wire(value)))
    if isinstance(point, PinPoint) and point.mode == "pwm" and unit == "%":
        share = pin_value(point.mode, point.to_wire(value))
        return copysign(share, value) if point.kind is PointKind.BRIDGE else share
    return value if point.unit == unit else None
