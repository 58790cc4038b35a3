"""From a record to lanes, in the order of a command's way: asked, link, pins, parts, rig, sensed."""

from __future__ import annotations

from collections.abc import Iterable
from math import copysign

import msgspec

from cavet.bench import BROKER, Origins
from cavet.benchfile import Setup
from cavet.boards import KINDS
from cavet.hosts import PinPoint, Point, PointKind
from cavet.lanes._lane import CURVE, LEVEL, TRAFFIC, WISHES, Course, Lane
from cavet.lanes._missed import Missed
from cavet.lanes._signals import PinModes, natural, pin_value
from cavet.record import Direction, Event, Kind, Topic, Transfer

GROUPS = ASKED, LINK, PINS, PARTS, RIG, SENSED = ("asked", "link", "pins", "parts", "rig", "sensed")
STANDING_OUT = frozenset((Kind.REFUSED, Kind.UNCONFIRMED, Kind.LOST, Kind.FAULT, Kind.MARK, Kind.DEFECT))
OF_BOARDS = ("reset", "failsafe")
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
        self._on_the_way: set[tuple[str, str]] = set()
        """Parts that have set out and not arrived: they go there in a straight line; others are there at once."""
        self._stood: dict[tuple[str, str], float] = {}
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

    def _event(self, event: Event) -> None:
        kind, topic = event.kind, event.topic
        if kind in STANDING_OUT or (kind is Kind.BOARD and event.value in OF_BOARDS):
            self._flag(event)
        if kind is Kind.ASKED and topic is Topic.POINT:
            self._wish(event)
        elif kind is Kind.FRAMED and topic is Topic.POINT and not event.purpose:
            self._command(event)
        elif topic is Topic.PIN and kind is Kind.DRIVEN:
            self._drive(event)
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
        lane.words.append(point.show(event.value) if point is not None and not isinstance(event.value, bytes) else "")
        lane.numbers.append(event.number)
        if point is not None:
            self._dot(point, event)

    def _command(self, event: Event) -> None:
        host = self._setup.hosts.get(event.board)
        if host is not None:
            link = self._setup.links[host.link]
            self._lane(LINK, link.board, link.name, TRAFFIC, link.kind).commands.append(event.t)

    def _dot(self, point: Point, event: Event) -> None:
        """What was asked of a point, in the lane of its part, where both count in the same."""
        board = self._setup.links[self._setup.hosts[point.board].link].board
        part = point.part or point.name
        if not isinstance(event.value, int | float):
            return
        value = in_parts_unit(point, self._unit(board, part), float(event.value))
        if value is not None:
            self._asked.setdefault((board, part), Course()).step(event.t, value)

    def _drive(self, event: Event) -> None:
        driven = self._pins.driven(event)
        if driven is None:
            return
        value, unit = driven
        if isinstance(value, bool | float):
            kind = LEVEL if isinstance(value, bool) else CURVE
            lane = self._lane(PINS, event.board, event.subject, kind, unit)
            lane.is_driven = True
            lane.course.step(event.t, float(value))

    def _part(self, event: Event) -> None:
        board, name, value = event.board, event.subject, event.value
        key = (board, name)
        if event.kind is Kind.SENSED and isinstance(value, bool | int | float):
            kind = LEVEL if isinstance(value, bool) else CURVE
            self._lane(SENSED, board, name, kind, self._unit(board, name)).course.step(event.t, float(value))
        elif event.kind is Kind.MOVING:
            lane = self._lanes.get((PARTS, board, name))
            self._on_the_way.add(key)
            if lane is not None:
                lane.course.hold(event.t, self._stood.pop(key, None))
        elif event.kind is Kind.OVERTAKEN and isinstance(value, int | float):
            self._stood[key] = float(value)
        elif event.kind is Kind.MOVED and isinstance(value, bool | int | float):
            kind = LEVEL if isinstance(value, bool) else CURVE
            lane = self._lane(PARTS, board, name, kind, self._unit(board, name))
            lane.is_driven = True
            if kind == CURVE and len(lane.course) and key in self._on_the_way:
                lane.course.reach(event.t, float(value))
            else:
                lane.course.step(event.t, float(value))
            self._on_the_way.discard(key)

    def _unit(self, board: str, part: str) -> str:
        setup = self._setup.boards.get(board)
        return KINDS[setup.parts[part].kind].unit if setup is not None and part in setup.parts else ""

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
