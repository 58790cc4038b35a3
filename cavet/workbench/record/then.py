"""A moment of a record as Drive draws it: rails, the board, the trail, told by the record alone."""

from __future__ import annotations

import re
from collections.abc import Iterator
from math import nan

from msgspec.structs import replace

from cavet import units
from cavet.bench import Diagnosis, RunningBench, StageState, build_world, shows_itself
from cavet.benchfile import Setup, line_names
from cavet.boards import PinMode
from cavet.boards.buses import BusDevice, Matrix, MatrixChain, Panel, SpiChip
from cavet.boards.parts import ColourLamp, Part, Sign
from cavet.colours import BLACK, FULL, HEX, channels_of
from cavet.hosts import Asked, Point, PointKind
from cavet.lanes import CURVE, PARTS, PINS, RIG, SENSED, Lane, Lanes, in_parts_unit
from cavet.record import Event, Kind, Reason, Record, Topic, Trail, Trails, Value
from cavet.units import show_duration
from cavet.wording import digits, plain
from cavet.workbench import board_views, rail_views
from cavet.workbench.courses import COURSE_SECONDS, Course
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.devices import DeviceView
from cavet.workbench.drawing.parts import PartView
from cavet.workbench.drawing.rails import CourseView, HeadView, LineView, RailsView, RailView
from cavet.workbench.drawing.rig import BasinView, flow_from
from cavet.workbench.drawing.spine import BoardView, PinView
from cavet.workbench.drawing.trail import TrailView
from cavet.workbench.record.moment import READY, Moment, PointThen
from cavet.workbench.roster import Head, Roster
from cavet.workbench.trail_views import trail_view

FULL_TURN = 180.0
MATRIX_ROWS = 8
NEAR = 1e-6
MOST_HEARD = 20_000
"""So many events before the moment are looked through for the courses of inputs."""
MODES = frozenset(mode.value for mode in PinMode)
UNKNOWN = PointThen(None, None, None, True)


class Then:
    """Draws moments of one record. What does not change with time is made once."""

    def __init__(self, bench: RunningBench, lanes: Lanes) -> None:
        self._bench = bench
        self._lanes = lanes
        world = build_world(bench.setup, list(bench.setup.boards), Record(now=lambda: 0.0))
        self._rig = world.rig
        self._circuits = {name: board.circuit for name, board in world.boards.items()}
        self._parts = {name: list(circuit.parts.values()) for name, circuit in self._circuits.items()}
        """What hangs on each board, and where; it never runs."""
        for part in (part for parts in self._parts.values() for part in parts if part.watches_rig):
            part.advance(0.0)  # it stands as the rig has it at the beginning

    @property
    def _setup(self) -> Setup:
        return self._bench.setup

    # what the host believed

    def rails(self, moment: Moment, roster: Roster, cursor: int) -> RailsView:
        """The list of points as it stood."""
        courses = self._courses(moment)
        lines: list[LineView] = []
        for line in roster.lines():
            if isinstance(line, Head):
                lines.append(self._head(moment, roster, line.board))
            elif line.kind.is_output:
                lines.append(_rail(line, self._seen(moment, line)))
            else:
                is_live = moment.links.get(line.board) == READY
                then = moment.points.get(line.name, UNKNOWN)
                lines.append(_course(line, then, courses.get(line.name), is_live=is_live))
        return RailsView(lines=tuple(lines), cursor=min(cursor, max(0, len(lines) - 1)))

    def _head(self, moment: Moment, roster: Roster, board: str) -> HeadView:
        points = roster.points_of(board)
        asked = [(point, moment.points[point.name].asked) for point in points if point.name in moment.points]
        active = tuple(
            (point.name, point.show(value))
            for point, value in asked
            if point.kind.is_output and point.kind is not PointKind.PULSE and value not in (None, point.rest)
        )
        state = moment.links.get(board, "")
        return HeadView(
            name=board, words=plain(state), is_bad=state != READY, folded=roster.is_folded(board), active=active,
            count=len(points),
        )  # fmt: skip

    def _seen(self, moment: Moment, point: Point) -> PointThen:
        """A point with what was got where its part was seen to stand, as Drive has it on a simulated board; what it
        reads back is left to inputs and to boards that nobody sees."""
        then = moment.points.get(point.name, UNKNOWN)
        got: Asked | None = None
        if point.kind is PointKind.TEXT:
            got = self._said(moment, point)
        elif (part := self._part_named(self._board_of(point), point.part or point.name)) and shows_itself(point, part):
            got = self._stood(moment, point)
        if got is None:
            return then
        agrees = then.asked is None or point.same(then.asked, got)
        return PointThen(then.asked, got, None, agrees)

    def _stood(self, moment: Moment, point: Point) -> Asked | None:
        """Where the part of a point stood, in the point's terms; `None` where that is not known."""
        board, name = self._board_of(point), point.part or point.name
        lane = self._lane(PARTS, board, name)
        value = lane.course.at(moment.t) if lane is not None else None
        if lane is None or value is None:
            part = self._at_first(moment, board, name)
            return point.from_wire(part.stands_as(0.0)) if part is not None else None
        if point.kind.is_switch:
            part = self._part_named(board, name)  # of one with several wires, how it moves depends on all of them
            return point.from_wire(value) if part is None or len(part.wires) == 1 else None
        low, high = in_parts_unit(point, lane.unit, point.low), in_parts_unit(point, lane.unit, point.high)
        if low is None or high is None or low == high:
            return None
        return point.low + (value - low) / (high - low) * (point.high - point.low)

    def _said(self, moment: Moment, point: Point) -> str | None:
        """What stood on the sign of a point."""
        board, name = self._board_of(point), point.part or point.name
        event = moment.states.get((board, Topic.PART, name, Kind.MOVED))
        if event is not None and isinstance(event.value, str) and isinstance(self._part_named(board, name), Sign):
            return event.value
        part = self._at_first(moment, board, name)
        return part.shows(0.0) if isinstance(part, Sign) else None

    def _part_named(self, board: str, name: str) -> Part | None:
        return next((part for part in self._parts.get(board, ()) if part.name == name), None)

    def _at_first(self, moment: Moment, board: str, name: str) -> Part | None:
        """A part as it is before anything is done; `None` where something was by then, or nobody saw."""
        part = self._part_named(board, name)
        if part is None or not self._saw(moment, board):
            return None
        has_changed = (board, Topic.PART, name, Kind.SENSED if part.senses else Kind.MOVED) in moment.states
        return None if has_changed else part

    def _saw(self, moment: Moment, board: str) -> bool:
        """Whether a board was seen by then, from its beginning on."""
        return (board, Topic.BOARD, board, Kind.BOARD) in moment.states

    def _board_of(self, point: Point) -> str:
        return self._setup.board_of(point.board)

    def _courses(self, moment: Moment) -> dict[str, Course]:
        """How inputs went in the last seconds before the moment."""
        record, found = self._bench.history, dict[str, Course]()
        first = max(record.number_at(moment.t - COURSE_SECONDS), moment.number - MOST_HEARD, record.first)
        for event in record.since(first, moment.number + 1 - first):
            if event.kind is Kind.HEARD and event.topic is Topic.POINT and isinstance(event.value, int | float):
                found.setdefault(event.subject, Course()).note(float(event.value), event.t)
        for course in found.values():
            course.pass_to(moment.t)
        return found

    # the truth

    def board(self, moment: Moment, point: Point) -> BoardView:
        """The board that a point is on, as it stood."""
        name = self._board_of(point)
        state = moment.links.get(point.board, "")
        head = BoardView(
            name=plain(point.board), profile="", line=self._spoken(self._setup.hosts[point.board].link),
            state=plain(state), state_is_bad=state != READY, cursor=point.part or point.name,
        )  # fmt: skip
        setup, parts = self._setup.boards.get(name), self._parts.get(name, [])
        link = self._setup.links.get(self._setup.hosts[point.board].link)
        if setup is None or not parts or (link is not None and not link.simulated):
            own = [each for each in self._setup.points.values() if each.board == point.board]
            known = board_views.believed(own, lambda each: moment.points.get(each.name, UNKNOWN).got)
            return replace(head, cursor=point.name, **known)
        devices = [part for part in parts if isinstance(part, BusDevice | SpiChip)]
        return replace(
            head,
            profile=setup.profile.name,
            pins=tuple(self._pin(moment, name, number) for number in setup.profile.pins),
            parts=tuple(
                replace(self._part(moment, name, part), name=shown)
                for shown, part in board_views.shown_parts(parts).items()
            ),
            devices=tuple(self._device(moment, name, device, parts, point) for device in devices),
            bus=tuple(sorted({pin for device in devices for pin in device.wires.values()})),
            spare=tuple(device.wires["interrupt"] for device in devices if "interrupt" in device.wires),
            basins=tuple(self._basins(moment)),
        )

    def _spoken(self, link: str) -> str:
        """What is spoken over what."""
        setup = self._setup.links.get(link)
        return " · ".join(dict.fromkeys((setup.protocol, setup.kind))) if setup is not None else ""

    def _lane(self, group: str, board: str, name: str) -> Lane | None:
        return self._lanes.lane(group, board, name)

    def _pin(self, moment: Moment, board: str, number: int) -> PinView:
        profile = self._setup.boards[board].profile.pins[number]
        if profile.reserved:
            return PinView(number=number, label=profile.label, mode="link")
        mode = self._mode(moment, board, number)
        if not mode:
            return PinView(number=number, label=profile.label)
        kind, level = self._reads(moment, board, number, mode)
        if PinMode(mode).drives:
            lane = self._lane(PINS, board, str(number))
            value = lane.course.at(moment.t) if lane is not None else None
            full = (1 << profile.modes.get(PinMode(mode), 1)) - 1 if mode == "dac" else 100 if mode == "pwm" else 0
            kind = "pulses" if mode in ("servo", "stepper") else "drives"
            level = (value / full if full else float(value > 0)) if value is not None else 0.0
        return PinView(number=number, label=profile.label, mode=mode, level=level, kind=kind)

    def _mode(self, moment: Moment, board: str, number: int) -> str:
        """The mode of a pin: as it was told last, or as at first; "" where nobody saw."""
        told = self._lanes.mode_at(board, str(number), moment.t)
        if told in MODES:  # a record is a file, and may say anything
            return told
        return self._circuits[board].pins[number].mode.value if self._saw(moment, board) else ""

    def _reads(self, moment: Moment, board: str, number: int, mode: str) -> tuple[str, float]:
        """What an input reads: how much of a voltage, or its level."""
        wired = self._circuits[board].wired_to(number)
        if wired is None or mode == PinMode.BUS.value:
            return "rests", 0.0
        if mode == PinMode.ANALOG.value:
            return "reads", board_views.voltage_level(wired[0].kind, self._part(moment, board, wired[0]).fraction)
        lane = self._lane(PINS, board, str(number))
        return "reads", (lane.course.at(moment.t) if lane is not None else None) or 0.0

    def _part(self, moment: Moment, board: str, part: Part) -> PartView:
        lane = self._lane(SENSED if part.senses else PARTS, board, part.name)
        value = lane.course.at(moment.t) if lane is not None else None
        event = moment.states.get((board, Topic.PART, part.name, Kind.SENSED if part.senses else Kind.MOVED))
        if value is None and part.measures:
            return self._gauge(moment, part)
        tells, fraction = "", 0.0
        if lane is not None and value is not None:
            tells, fraction = _told(part, lane, value, event), _fraction(part, lane, value)
        elif event is not None and isinstance(event.value, str):
            words = event.note or event.value
            tells, fraction = plain(words.replace("\n", " / ")), _brightness(part, event.value)
        elif self._at_first(moment, board, part.name) is part:
            tells, fraction = plain(part.tells(0.0).replace("\n", " / ")), part.fraction(0.0)
        going = moment.states.get((board, Topic.PART, part.name, Kind.MOVING))
        if going is not None and self._lanes.is_under_way(board, part.name, going.number):
            tells = f"on its way: {plain(going.note)}"  # where it is by then nobody has told
        held = self._held(moment, board, part)
        colour = _colour(part, event.value) if event is not None else ""
        return PartView(
            name=part.name, kind=part.kind, tells=held or tells, fraction=fraction,
            columns=getattr(part, "columns", 0), senses=part.senses, pins=tuple(sorted(part.wires.values())),
            colour=colour, fault=bool(held),
        )  # fmt: skip

    def _held(self, moment: Moment, board: str, part: Part) -> str:
        """What is told of a part that something holds; "" where nothing does."""
        told = [
            moment.states.get((board, Topic.PART, part.name, kind)) for kind in (Kind.REFUSED, Kind.MOVED, Kind.MOVING)
        ]
        latest = max((event for event in told if event is not None), key=lambda event: event.number, default=None)
        return plain(re.split("[,:]", latest.note)[0]) if latest is not None and latest.reason is Reason.HELD else ""

    def _gauge(self, moment: Moment, part: Part) -> PartView:
        """What measures a quantity of the rig stands as that does."""
        value = self._quantity(moment, part.measures)
        if value == value:
            self._rig.set(part.measures, value)
        return PartView(
            name=part.name, kind=part.kind, fraction=part.fraction(0.0) if value == value else 0.0,
            senses=part.senses, tells=plain(part.tells(0.0)) if value == value else "",
            pins=tuple(sorted(part.wires.values())),
        )  # fmt: skip

    def _device(
        self, moment: Moment, board: str, device: BusDevice | SpiChip, parts: list[Part], point: Point
    ) -> DeviceView:
        hanging = {line: part for part in parts if part.hangs_on == device.name for line in part.wires.values()}
        wanted = point.part or point.name
        lines: tuple[tuple[str, PartView | None], ...] = ()
        if isinstance(device, BusDevice) and device.lines is not None:
            lines = tuple(
                (name, self._part(moment, board, hanging[line]) if line in hanging else None)
                for line, name in enumerate(line_names(device.kind)[: len(device.lines.pins)])
            )
        event = moment.states.get((board, Topic.PART, device.name, Kind.MOVED))
        is_first = event is None and self._at_first(moment, board, device.name) is device
        words = device.tells(0.0) if is_first else event.note if event is not None else ""
        return DeviceView(
            name=device.name, kind=device.kind, tells="" if lines else plain(words.replace("\n", " / ")), lines=lines,
            where=f"0x{device.address:02X}" if isinstance(device, BusDevice) else "SPI",
            marked=wanted in (device.name, *(part.name for part in hanging.values())), marked_part=wanted,
            text=_text_on(device, event) if is_first or event is not None else (),
            dots=_dots_on(device, event) if is_first or event is not None else (),
            columns=getattr(device, "columns", 0),
        )  # fmt: skip

    def _quantity(self, moment: Moment, name: str) -> float:
        lane = self._lane(RIG, "", name)
        value = lane.course.at(moment.t) if lane is not None else None
        return nan if value is None else value

    def _basins(self, moment: Moment) -> Iterator[BasinView]:
        basins = self._setup.basins
        for basin, after in zip(basins, [*basins[1:], None], strict=False):
            quantity, value = self._setup.rig[basin.quantity], self._quantity(moment, basin.quantity)
            if value != value:
                return
            beyond = self._quantity(moment, after.quantity) if after is not None else nan
            yield BasinView(
                name=basin.quantity, share=(value - quantity.low) / (quantity.high - quantity.low),
                tells=quantity.show(value), wall=after is not None,
                opening=self._opening(moment, basin.opening),
                gate=_known(self._quantity(moment, basin.gate)) / 100 if basin.gate else 0.0,
                flow=flow_from(value, beyond),
            )  # fmt: skip

    def _opening(self, moment: Moment, path: str) -> float:
        board, _, name = path.partition(".")
        part = self._part_named(board, name)
        return self._part(moment, board, part).fraction if part is not None else 0.0

    # the trail

    def trail(self, desk: Desk, moment: Moment, point: Point) -> TrailView | None:
        """The last command of a point up to the moment, as far as it had come. What it had not reached by then was
        still to come, unless it had ended, or stood still for a good while."""
        record = self._bench.history
        asked = moment.states.get((self._board_of(point), Topic.POINT, point.name, Kind.ASKED))
        if asked is None:
            return None
        effects = record.trail(asked.number)
        by_then = [event for event in effects if event.number <= moment.number]
        trail = _followed([asked, *by_then], desk.bench.setup)
        whole = _followed([asked, *effects], desk.bench.setup)
        known, ended_later = desk.standings.diagnose(whole), whole.stopped is not None and trail.stopped is None
        is_settled = trail.stopped is not None or moment.t - trail.latest.t > rail_views.ASTRAY_SECONDS
        if len(by_then) == len(effects) and is_settled:
            return trail_view(desk, trail, diagnosis=known)
        states = {
            kind: StageState.REACHED if kind in trail.steps else _still(state, ended_later)
            for kind, state in known.states.items()
        }
        return trail_view(desk, trail, diagnosis=Diagnosis(states))


def _still(state: StageState, ended_later: bool) -> StageState:
    """How a stage stood that was not reached by then; what is left out may be so only since it ended later."""
    kept = (StageState.UNSEEN,) if ended_later else (StageState.UNSEEN, StageState.LEFT_OUT)
    return state if state in kept else StageState.COMING


def _followed(events: list[Event], setup: Setup) -> Trail:
    """A command, from its own events."""
    made = Trails(parts=setup.parts_meant, pins=setup.pins_meant)
    made.follow(events)
    return made.all[events[0].number]


def _known(value: float) -> float:
    return 0.0 if value != value else value


def _rail(point: Point, then: PointThen) -> RailView:
    return RailView(
        name=point.name, is_switch=point.kind is PointKind.SWITCH, is_text=point.kind.is_text,
        is_colour=point.kind is PointKind.COLOUR,
        share_asked=rail_views.share_of(point, then.asked), share_got=rail_views.share_of(point, then.got),
        asked=point.show(then.asked), got=rail_views.rounded(point, then.got),
        notes=("differs" if not then.agrees else "",), agreed=then.agrees, words=point.words,
        zero=0.5 if point.kind is PointKind.BRIDGE else None,
    )  # fmt: skip


def _course(point: Point, then: PointThen, course: Course | None, *, is_live: bool) -> CourseView:
    """What was heard of an input; how old that was where its board could tell nothing anew."""
    places = rail_views.places_of(point, course) if course is not None else ()
    got = point.show(then.got) if point.kind.is_switch else rail_views.rounded(point, then.got)
    is_old = not is_live and then.age is not None
    return CourseView(
        name=point.name, is_contact=point.kind is PointKind.CONTACT, is_text=point.kind.is_text, got=got, course=places,
        note=f"{show_duration(then.age)} old" if is_old and then.age is not None else "", is_old=is_old,
    )  # fmt: skip


def _brightness(part: Part, value: str) -> float:
    """How far a part stood that shows a text or a colour, 0 to 1."""
    colour = _colour(part, value)
    return max(channels_of(colour)) / FULL if colour else float(value != "" and not isinstance(part, ColourLamp))


def _colour(part: Part, value: Value) -> str:
    """What a part shows, as `#rrggbb`; "" where it is no lamp of colours, or the record tells of none."""
    is_one = (
        isinstance(part, ColourLamp) and isinstance(value, str) and len(value) == len(BLACK) and HEX.fullmatch(value)
    )
    return str(value) if is_one else ""


def _told(part: Part, lane: Lane, value: float, event: Event | None) -> str:
    """How a part stood, in words: its own, where it stood still."""
    stands = event is not None and not isinstance(event.value, bytes | str | None)
    if event is not None and stands and event.note and abs(float(event.value or 0) - value) < NEAR:
        return plain(event.note)
    if part.glides:
        return part.tells_of(value)
    if lane.kind != CURVE:
        return "on" if value else "off"
    if lane.unit == "deg":
        return f"{value:.0f}°"
    return units.show(value, lane.unit, units.decimals_of(value, 4)) if lane.unit else digits(value, 4)


def _fraction(part: Part, lane: Lane, value: float) -> float:
    """How far a part stood, 0 to 1, or −1 to 1 where it has two directions."""
    if lane.kind != CURVE:
        return value
    if lane.unit == "%":
        return value / 100
    low, high = getattr(part, "low", None), getattr(part, "high", None)
    if not isinstance(low, float | int) or not isinstance(high, float | int):
        low, high = (0.0, FULL_TURN) if lane.unit == "deg" else (min(0.0, lane.course.low), lane.course.high)
    return min(1.0, max(0.0, (value - low) / (high - low))) if high > low else 0.0


def _text_on(device: Part, event: Event | None) -> tuple[str, ...]:
    """The rows of text on a panel, dark as it is before anything was shown; none on other devices."""
    if not isinstance(device, Panel):
        return ()
    shown = event.value.split("\n") if event is not None and isinstance(event.value, str) else []
    return tuple(plain(row) for row in [*shown, *[""] * device.rows][: device.rows])


def _dots_on(device: Part, event: Event | None) -> tuple[bytes, ...]:
    """The rows of dots of each matrix, dark as it is before anything was shown; none on other devices."""
    if not isinstance(device, Matrix | MatrixChain):
        return ()
    size = MATRIX_ROWS * (device.modules if isinstance(device, MatrixChain) else 1)
    lit = event.value if event is not None and isinstance(event.value, bytes) else b""
    return tuple(lit.ljust(size, b"\0")[at : at + MATRIX_ROWS] for at in range(0, size, MATRIX_ROWS))
