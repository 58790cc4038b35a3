"""Rules about what the host believes: points at nothing, parts without points, swaps, starts."""

from __future__ import annotations

from collections.abc import Iterator

from cavet.benchfile import BoardSetup, StationDevice
from cavet.boards.parts import OverloadSettings
from cavet.hosts import DevicePoint, FieldPoint, HeaderPoint, PinPoint, Point, PointKind, RegisterPoint, TopicPoint
from cavet.remarks._around import Around, part_key, pin_word, point_key
from cavet.remarks._mending import Edit, Mend
from cavet.remarks._remark import Remark, Weight
from cavet.units import convert, show
from cavet.wiring import Place, PlaceKind, Wiring
from cavet.wording import WrongError, digits, listed, nearest

NEEDS_NO_POINT = ("expander", "latch", "registers", "target", "serial", "shift", "adc", "dac", "overload")
"""Parts that are worked through others, or that others read."""
SAME_SCALE = 1e-6
"""So much of a range its ends may lie off."""
KEYS = {PinPoint: "pin", RegisterPoint: "address", HeaderPoint: "set", TopicPoint: "command", FieldPoint: "field",
        DevicePoint: "device"}  # fmt: skip


def place_key(point: Point) -> tuple[str, ...]:
    """The key of a point that says where it is."""
    name = next((key for kind, key in KEYS.items() if isinstance(point, kind)), "board")
    if isinstance(point, HeaderPoint) and not point.set:
        name = "on" if point.turn_on else "ask"
    if isinstance(point, TopicPoint) and not point.command:
        name = "state"
    if isinstance(point, FieldPoint) and not point.frame:
        name = "state"
    return point_key(point, name)


def points_at_nothing(around: Around) -> Iterator[Remark]:
    """Points at a pin, an address, a header, a topic, a field at which there is nothing."""
    for board, wiring in around.simulated():
        for point in wiring.points:
            wires = wiring.wires_of(point)
            if isinstance(point, DevicePoint) and wiring.device_at(point) is None:
                continue  # told once, of the device
            if isinstance(point, TopicPoint) and wires[0].place is None and topic_meant(wiring, point)[0]:
                continue  # another rule tells it
            if isinstance(point, PinPoint):
                empty = [number for number in point.modes() if not wiring.on_pins.get(number)]
                if empty:
                    where = listed([pin_word(board, number) for number in empty], "and")
                    yield _nothing(board, wiring, point, f"nothing hangs on {where}")
            elif wires[0].place is None:
                yield _nothing(board, wiring, point, f"the {board.name} has nothing at {point.where}")
            elif isinstance(point, DevicePoint) and wires[0].place.kind is PlaceKind.LINE and not wires[0].place.parts:
                yield _nothing(board, wiring, point, f"nothing hangs on {wires[0].place.name}")


def _nothing(board: BoardSetup, wiring: Wiring, point: Point, what: str) -> Remark:
    return Remark(
        name="point-at-nothing", keys=place_key(point), weight=Weight.WRONG, what=f"{point.name}: {what}",
        why="whatever it is set to goes nowhere, and what is read there means nothing; on most boards nobody says so",
        mend=_mend_to_its_part(board, wiring, point), subjects=(point.name,),
    )  # fmt: skip


def _mend_to_its_part(board: BoardSetup, wiring: Wiring, point: Point) -> Mend | None:
    """To the place where the part of its name is, if that is sure."""
    named = point.part or point.name
    table = board.parts.get(named)
    if isinstance(point, PinPoint) and table is not None and not table.hangs_on and point.ahead is None:
        pins = list(table.wires.values())
        if len(pins) == 1 and len(point.modes()) == 1:
            return Mend(f"{pin_word(board, pins[0])}, where {named} hangs", (Edit(point_key(point, "pin"), pins[0]),))
    if isinstance(point, RegisterPoint):
        found = [place for place in wiring.places if place.kind is PlaceKind.CELL and _is_named(place, named)
                 and place.key[1] == point.table]  # fmt: skip
        if len(found) == 1:
            keys = point_key(point, "address")
            return Mend(f"address {found[0].key[2]}, where {named} is", (Edit(keys, found[0].key[2]),))
    return None


def _is_named(place: Place, name: str) -> bool:
    return name in place.parts or place.table[-1:] == (name,)


def parts_without_point(around: Around) -> Iterator[Remark]:
    """Parts that no point works or reads."""
    for board, wiring in around.simulated():
        if not wiring.hosts:
            continue
        reached = {name for point in wiring.points for name in wiring.reached(point)}
        for point in wiring.points:
            if isinstance(point, DevicePoint) and (device := wiring.device_at(point)) is not None:
                reached.add(device)
        watched = {part for reflex in board.reflexes for part, _ in wiring.on_pins.get(reflex.pin, ())}
        guards = [table for table in board.parts.values() if isinstance(table, OverloadSettings)]
        watched |= {name for table in guards for name in table.guards}
        for name, table in board.parts.items():
            if name in reached or name in watched or table.kind in NEEDS_NO_POINT:
                continue
            where = next((place.name for place in wiring.places if name in place.parts), "")
            at = f", at {where}" if where else ""
            yield Remark(
                name="part-without-point", keys=part_key(board.name, name), weight=Weight.NOTE,
                what=f"{name}, a {table.kind}{at}, has no point: the host does not know of it",
                why="what nobody asks for stays as it is after power-on, whatever that is",
                subjects=(f"{board.name}.{name}",),
            )  # fmt: skip


def points_swapped(around: Around) -> Iterator[Remark]:
    """Two points that name each other's parts."""
    for board, wiring in around.simulated():
        leads: dict[str, tuple[Point, str]] = {}
        for point in wiring.points:
            named = point.part or point.name
            reached = wiring.reached(point)
            if named in board.parts and len(reached) == 1 and reached[0] != named:
                leads[point.name] = (point, reached[0])
        told: set[str] = set()
        for name, (point, reached_by) in leads.items():
            named = point.part or name
            for other_name, (other, other_reached) in leads.items():
                if other_name <= name or name in told or other_name in told:
                    continue
                if reached_by == (other.part or other_name) and other_reached == named:
                    told |= {name, other_name}
                    yield _swapped(wiring, point, other)


def _swapped(wiring: Wiring, first: Point, second: Point) -> Remark:
    one, other = (point.part or point.name for point in (first, second))
    edits = []
    for point, from_ in ((first, second), (second, first)):
        for key in _place_keys(point):
            value = _value_of(from_, key)
            if value is not None:
                edits.append(Edit(point_key(point, key), value))
    return Remark(
        name="points-swapped", keys=place_key(first), weight=Weight.WRONG,
        what=f"{first.name} leads to {other}, and {second.name} to {one}: they are crossed",
        why="each does what the other is told, and reading back shows nothing of it: the pins do as they were told",
        mend=Mend("swap the points' places", tuple(edits)) if edits else None,
        subjects=(first.name, second.name, f"{wiring.name}.{one}", f"{wiring.name}.{other}"),
    )  # fmt: skip


def _place_keys(point: Point) -> tuple[str, ...]:
    if isinstance(point, PinPoint):
        return ("pin",)
    if isinstance(point, RegisterPoint):
        return ("address",)
    if isinstance(point, HeaderPoint):
        return ("set", "on", "off", "ask")
    if isinstance(point, TopicPoint):
        return ()  # they stand behind a base
    return ("device",) if isinstance(point, DevicePoint) else ()


def _value_of(point: Point, key: str) -> object:
    if isinstance(point, HeaderPoint):
        names = {"set": point.set, "on": point.turn_on, "off": point.turn_off, "ask": point.query}
        return names[key] or None
    if isinstance(point, DevicePoint):
        return f"{point.device}.{point.line_name}" if point.line_name else point.device
    return getattr(point, key)


def points_to_another(around: Around) -> Iterator[Remark]:
    """Points that lead to another part than the one they name, alone."""
    swapped = {name for remark in points_swapped(around) for name in remark.subjects}
    for board, wiring in around.simulated():
        for point in wiring.points:
            named = point.part or point.name
            reached = wiring.reached(point)
            if named not in board.parts or not reached or named in reached or point.name in swapped:
                continue
            yield Remark(
                name="point-elsewhere", keys=place_key(point), weight=Weight.WRONG,
                what=f"{point.name} leads to {listed(reached, 'and')}, and {named} is elsewhere",
                why="what it is told another part does, and nobody reports that",
                mend=_mend_to_its_part(board, wiring, point), subjects=(point.name, f"{board.name}.{named}"),
            )  # fmt: skip


def starts_differ(around: Around) -> Iterator[Remark]:
    """Points whose `start` is not what the board begins with."""
    for board, wiring in around.simulated():
        for point in wiring.points:
            if point.start is None or not point.kind.is_output or point.kind.is_text:
                continue
            begins = _begins_with(board, wiring, point)
            if begins is None or point.same(point.start, begins):
                continue
            value = bool(begins) if point.kind.is_switch else begins
            shown = point.show(value)
            yield Remark(
                name="start-differs", keys=point_key(point, "start"), weight=Weight.DOUBTFUL,
                what=f"the host begins with {point.name} at {point.show(point.start)}, the {board.name} at {shown}",
                why="until it is set for the first time the screen shows what is not so, and a program that sends only "
                "changes never sends this one",
                mend=Mend(f"start = {shown}", (Edit(point_key(point, "start"), _written(point, value)),)),
                subjects=(point.name,),
            )  # fmt: skip


def units_of_values_differ(around: Around) -> Iterator[Remark]:
    """Points that count in another unit than what is at their place: `scale-differs`."""
    for board, wiring in around.simulated():
        for wire in wiring.wires:
            point, place = wire.point, wire.place
            if place is None or not place.unit or point.kind not in (PointKind.LEVEL, PointKind.READING):
                continue
            try:
                ends = [convert(end, point.unit, place.unit) for end in (point.low, point.high)]
            except WrongError:
                continue  # a quantity of another kind: what that stands for only `wire` can say
            span = abs(ends[1] - ends[0])
            if max(abs(ends[0] - point.wire_low), abs(ends[1] - point.wire_high)) <= SAME_SCALE * span:
                continue
            whole = [int(end) for end in ends if end == int(end)]
            mend = Mend(f"wire = {whole}", (Edit(point_key(point, "wire"), whole),)) if len(whole) == 2 else None
            yield Remark(
                name="scale-differs", keys=point_key(point, "unit"), weight=Weight.WRONG,
                what=f"{point.name} is {point.show(point.high)} where {digits(point.wire_high)} is said, and there the "
                f"{board.name} counts in {place.unit}: that is {show(ends[1], place.unit)}",
                why="each value is as many times too great or too small, and is read back as it was sent",
                mend=mend, subjects=(point.name,),
            )  # fmt: skip


def _written(point: Point, value: float | bool | str) -> object:
    return value if point.kind.is_switch or not isinstance(value, float) else round(value, 9)


def _begins_with(board: BoardSetup, wiring: Wiring, point: Point) -> float | bool | str | None:
    """The value that a board begins with, as the point has it; `None` where that is not known."""
    if isinstance(point, PinPoint):
        return None if point.mode in ("servo", "stepper") else point.from_wire(0)
    place = next((wire.place for wire in wiring.wires_of(point) if wire.place is not None), None)
    if place is None:
        return None
    if isinstance(point, DevicePoint):
        return point.from_wire(0) if point.line_name else None
    return board.device.begins_with(point, place)


def topic_meant(wiring: Wiring, point: TopicPoint) -> tuple[str, str]:
    """The key of a point whose topic is none of the board's, and the one that was probably meant; "" for neither."""
    device = wiring.board.device if wiring.board is not None else None
    if not isinstance(device, StationDevice):
        return "", ""
    for key, topic in (("command", point.command), ("state", point.state)):
        there = device.topics_of(key)
        if topic and topic not in there and not any(sign in topic for sign in "+#"):
            near = _near(topic, there)
            if near:
                return key, near
    return "", ""


def _near(topic: str, known: list[str]) -> str:
    """The topic that was meant: one that is spelled alike, or that ends alike behind another base."""
    found = nearest(topic, known)
    if found is not None:
        return found
    ends = [each for each in known if each.rpartition("/")[0].rpartition("/")[2:] and _tail(each) == _tail(topic)]
    return ends[0] if len(ends) == 1 else ""


def _tail(topic: str) -> list[str]:
    return topic.split("/")[-2:]
