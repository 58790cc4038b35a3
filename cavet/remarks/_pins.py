"""Rules about pins: what they can do, and who hangs there."""

from __future__ import annotations

from collections.abc import Iterator

from cavet.benchfile import BoardSetup, PlaceKind
from cavet.boards import KINDS, PinMode
from cavet.boards.parts import Button, Door, LimitSwitch, Part
from cavet.hosts import PinPoint, Point, PointKind
from cavet.remarks._around import Around, part_key, pin_word, point_key
from cavet.remarks._mending import Edit, Mend
from cavet.remarks._remark import Remark, Weight
from cavet.units import show
from cavet.wiring import Wiring
from cavet.wording import digits, listed

POWERS = {digits(1 << bits) for bits in range(6, 17)}
"""One more than what converters of so many bits count to."""
LEVELS = (PlaceKind.CELL, PlaceKind.FIELD)
"""The kinds of places at which a level is told as it is."""
RULE_OF_MODE = {"pwm": "pwm-missing", "servo": "servo-missing"}
WHY_MODE = {
    "pwm": "a pin without PWM knows only on and off: every value in between is refused, or comes out as one of the two",
    "servo": "a servo wants a pulse of an exact width every 20 ms, and this pin has no timer that makes them",
    "pull-up": "without its pull-up an open contact leaves the pin at no level at all, and it reads whatever is near",
    "analog": "a pin without a converter can tell only high from low",
}


def modes_missing(around: Around) -> Iterator[Remark]:
    """Points that want of a pin what it can't do: `pwm-missing`, `servo-missing`, `mode-missing`."""
    for board, wiring, point in around.pin_points():
        for number, mode in point.modes().items():
            pin = board.profile.pins.get(number)
            if pin is None or pin.can(PinMode(mode)):
                continue
            yield _mode_missing(board, wiring, point, number, mode)
    for board, wiring in around.simulated():
        if board.firmware != "firmata":
            continue
        for number, hanging in wiring.on_pins.items():
            if board.profile.pins[number].can(PinMode.SERVO) or any(number in each.modes() for each in wiring.points):
                continue
            for part, _ in hanging:
                if board.parts[part].kind == "servo":
                    yield _servo_part(board, part, number)


def _servo_part(board: BoardSetup, part: str, number: int) -> Remark:
    able = listed(board.profile.able(PinMode.SERVO), "and") or "no pin of this board"
    return Remark(
        name="servo-missing", keys=part_key(board.name, part, "pin"), weight=Weight.WRONG,
        what=f"{part} is a servo at {pin_word(board, number)}, which can't drive one; {able} can",
        why=WHY_MODE["servo"], subjects=(f"{board.name}.{part}",),
    )  # fmt: skip


def _mode_missing(board: BoardSetup, wiring: Wiring, point: PinPoint, number: int, mode: str) -> Remark:
    hanging = wiring.on_pins.get(number, [])
    part, wire = hanging[0] if hanging else ("", "")
    able = board.profile.able(PinMode(mode))
    what = f"{point.name} wants {mode} of {pin_word(board, number)}, which has none"
    what += f"; {mode} is on {listed(able, 'and')}" if able else "; this board has it nowhere"
    mend = None
    free = wiring.free_pins(PinMode(mode))
    if free and number == point.pin and len(hanging) <= 1:
        nearest = min(free, key=lambda pin: (abs(pin - number), pin))
        edits = [Edit(point_key(point, "pin"), nearest)]
        if part:
            edits.append(Edit(part_key(board.name, part, wire), nearest))
        moved = f"hang {part} on" if part else "take"
        mend = Mend(f"{moved} {pin_word(board, nearest)}, which has {mode} and is free", tuple(edits))
    keys = part_key(board.name, part, wire) if part else point_key(point, "pin")
    return Remark(
        name=RULE_OF_MODE.get(mode, "mode-missing"), keys=keys, weight=Weight.WRONG, what=what,
        why=WHY_MODE.get(mode, "the board refuses what is asked of this pin, each time"), mend=mend,
        subjects=(point.name, *([f"{board.name}.{part}"] if part else [])),
    )  # fmt: skip


def converters_differ(around: Around) -> Iterator[Remark]:
    """Readings whose numbers on the wire are those of another converter than the pin's: `converter-differs`."""
    for board, wiring, point, number, scale in _conversions(around):
        bits = board.profile.pins[number].modes.get(PinMode.ANALOG) if number in board.profile.pins else None
        if bits is None:
            continue
        most, full = max(point.wire_low, point.wire_high), round(((1 << bits) - 1) / scale)
        is_range = (point.wire_low, point.wire_high) == (point.low, point.high)
        is_others = digits(most + 1) in POWERS or digits(most * scale + 1) in POWERS
        if most == full or (most < full and not is_range and not is_others):
            continue
        low, high = (0, full) if point.wire_low < point.wire_high else (full, 0)
        yield Remark(
            name="converter-differs", keys=point_key(point, "wire"), weight=Weight.DOUBTFUL,
            what=f"{point.name} takes {digits(most)} on the wire for the end of its range, and the {bits} bits of "
            f"{pin_word(board, number)} end at {full}",
            why="each reading is as many times too great or too small, and looks like one that is right",
            mend=Mend(f"wire = [{low}, {high}]", (Edit(point_key(point, "wire"), [low, high]),)),
            subjects=(point.name, *(f"{board.name}.{part}" for part, _ in wiring.on_pins.get(number, ()))),
        )  # fmt: skip


def _conversions(around: Around) -> Iterator[tuple[BoardSetup, Wiring, Point, int, float]]:
    """The readings of converters: on which board, at which pin, and how much one count on the wire is."""
    for board, wiring, point in around.pin_points():
        if point.kind is PointKind.READING and point.mode == "analog":
            yield board, wiring, point, point.pin, 1.0
    for board, wiring in around.simulated():
        for wire in wiring.wires:
            place = wire.place if wire.point.kind is PointKind.READING else None
            if place is not None and place.mode is PinMode.ANALOG and place.pins:
                yield board, wiring, wire.point, place.pins[0], place.scale


def pins_shared(around: Around) -> Iterator[Remark]:
    """Two parts on one pin, or one on a pin of the bus."""
    for board, wiring in around.simulated():
        bus = dict.fromkeys(board.profile.able(PinMode.BUS), "the bus") if _has_bus(board) else {}
        for number, hanging in wiring.on_pins.items():
            names = [part for part, _ in hanging if board.parts[part].kind != "onewire"]
            others = [*dict.fromkeys(names), *([bus[number]] if number in bus else [])]
            if len(others) < 2:
                continue
            part, wire = next(each for each in reversed(hanging) if each[0] == names[-1])
            yield Remark(
                name="pin-shared", keys=part_key(board.name, part, wire), weight=Weight.WRONG,
                what=f"{listed(others, 'and')} share {pin_word(board, number)}",
                why="what is meant for one of them moves the other as well, and what one of them gives is read as the "
                "other's",
                subjects=tuple(f"{board.name}.{name}" for name in names),
            )  # fmt: skip


def _has_bus(board: BoardSetup) -> bool:
    return any(KINDS[table.kind].on_bus for table in board.parts.values())


def outputs_against_each_other(around: Around) -> Iterator[Remark]:
    """Two outputs on one pin, or an output on a pin at which something else drives."""
    for board, wiring in around.simulated():
        driven: dict[int, PinPoint] = {}
        for point in wiring.points:
            if not isinstance(point, PinPoint) or not point.kind.is_output:
                continue
            for number in point.modes():
                if number in driven:
                    yield _against(board, point, number, f"{driven[number].name} drives it, too", driven[number].name)
                driven[number] = point
                source = next((part for part, _ in wiring.on_pins.get(number, ()) if _drives(around, board, part)), "")
                if source:
                    kind = board.parts[source].kind
                    yield _against(board, point, number, f"{source}, a {kind}, gives its own level there", source)


def _drives(around: Around, board: BoardSetup, part: str) -> bool:
    return around.boards[board.name].circuit.parts[part].senses


def _against(board: BoardSetup, point: PinPoint, number: int, what: str, other: str) -> Remark:
    return Remark(
        name="outputs-against-each-other", keys=point_key(point, "pin"), weight=Weight.WRONG,
        what=f"{point.name} drives {pin_word(board, number)}, and {what}",
        why="where one drives high and the other low, only the drivers' own resistance limits the current: it can "
        "destroy both, and the level is nobody's",
        subjects=(point.name, other),
    )  # fmt: skip


def inputs_float(around: Around) -> Iterator[Remark]:
    """Inputs at contacts that only pull down, without a pull-up."""
    for board, wiring, who, number, keys in _inputs(around):
        hanging = [around.boards[board.name].circuit.parts[part] for part, _ in wiring.on_pins.get(number, ())]
        if not hanging or not all(_leaves_open(part) for part in hanging):
            continue
        part = hanging[0]
        can = board.profile.pins[number].can(PinMode.PULL_UP)
        mend = Mend("use the pin's pull-up", (Edit(keys, "pull-up"),)) if can else None
        yield Remark(
            name="input-floats", keys=keys, weight=Weight.WRONG,
            what=f"{who} reads {part.name}, which is open while it is not worked, on a pin without a pull-up",
            why="an open input is an aerial: it reads high or low by chance, and changes when a hand comes near",
            mend=mend, subjects=(who, f"{board.name}.{part.name}"),
        )  # fmt: skip


def _inputs(around: Around) -> Iterator[tuple[BoardSetup, Wiring, str, int, tuple[str, ...]]]:
    """The pins that are read without a pull-up: on which board, by what, and where the file says so."""
    for board, wiring, point in around.pin_points():
        if point.kind is PointKind.CONTACT and point.mode == "input" and point.pin in board.profile.pins:
            yield board, wiring, point.name, point.pin, point_key(point, "mode")
    for board, wiring in around.simulated():
        for place in wiring.places:
            if place.mode is PinMode.INPUT and place.mode_at:
                named = [wire.point.name for wire in wiring.wires if wire.place == place]
                yield board, wiring, (named or [place.name])[0], place.pins[0], ("boards", board.name, *place.mode_at)
        for reflex in board.reflexes:
            if reflex.mode is PinMode.INPUT:
                yield board, wiring, reflex.name, reflex.pin, ("boards", board.name, "reflexes", reflex.name, "mode")


def _leaves_open(part: Part) -> bool:
    """Whether it leaves its wire open while it is not worked."""
    return part.senses and any(part.level(wire) is None for wire in part.wires)


def pins_overloaded(around: Around) -> Iterator[Remark]:
    """More current through a pin than it may carry, or from a board than it can give."""
    for board, wiring in around.simulated():
        parts = around.boards[board.name].circuit.parts
        profile = board.profile
        for number, hanging in wiring.on_pins.items():
            drawn = {part: parts[part].greatest_at(wire) for part, wire in hanging if parts[part].supply == "board"}
            amperes = sum(drawn.values())
            if amperes > profile.pin_current and board.parts[hanging[0][0]].kind not in ON_DRIVERS:
                part, wire = hanging[-1]
                yield Remark(
                    name="pin-current", keys=part_key(board.name, part, wire), weight=Weight.WRONG,
                    what=f"{listed(drawn, 'and')} at {pin_word(board, number)}: {_amps(amperes)}, and a pin may carry "
                    f"{_amps(profile.pin_current)}",
                    why="the pin's driver gets hot, its level sags below what counts as high, and at last it fails; a "
                    "transistor between them takes the load",
                    subjects=tuple(f"{board.name}.{name}" for name in drawn),
                )  # fmt: skip
        on_pins = {part for hanging in wiring.on_pins.values() for part, _ in hanging}
        total = sum(parts[name].greatest_current for name in on_pins if parts[name].supply == "board")
        if total > profile.board_current:
            yield Remark(
                name="board-current", keys=("boards", board.name), weight=Weight.WRONG,
                what=f"all that hangs on the {board.name}'s pins draws {_amps(total)} at once, and together they may "
                f"carry {_amps(profile.board_current)}",
                why="its supply breaks down just when all is on: the board resets, or its levels are none any more",
            )  # fmt: skip


ON_DRIVERS = ("motor", "servo")
"""Parts whose current does not come through the pin that works them."""


def _amps(amperes: float) -> str:
    return show(round(1000 * amperes, 3), "mA") if amperes < 1 else show(round(amperes, 3), "A")


SWITCHES = (Button, Door, LimitSwitch)


def _levels(around: Around) -> Iterator[tuple[BoardSetup, Wiring, Point, int]]:
    """The points that are a pin's level and nothing else: on which board, and at which pin."""
    for board, wiring, point in around.pin_points():
        if point.kind.is_switch:
            yield board, wiring, point, point.pin
    for board, wiring in around.simulated():
        for wire in wiring.wires:
            place = wire.place if wire.point.kind.is_switch else None
            if place is not None and place.kind in LEVELS and len(place.pins) == 1:
                yield board, wiring, wire.point, place.pins[0]


def inverted(around: Around) -> Iterator[Remark]:
    """Points whose on means off."""
    for board, wiring, point, number in _levels(around):
        hanging = [around.boards[board.name].circuit.parts[part] for part, _ in wiring.on_pins.get(number, ())]
        if len(hanging) != 1 or (point.part or point.name) != hanging[0].name:
            continue
        part = hanging[0]
        on_is_high = not isinstance(part, Button)  # a button pulls its pin low while it is pressed
        told_high = not point.active_low
        if on_is_high == told_high or (point.kind is PointKind.CONTACT and not isinstance(part, SWITCHES)):
            continue
        level = "high" if on_is_high else "low"
        deed = "is on" if point.kind.is_output else "is worked"
        yield Remark(
            name="inverted", keys=point_key(point, "active"), weight=Weight.WRONG,
            what=f'{part.name} {deed} while its pin is {level}, and {point.name} takes the other level for "'
            f'{point.words[1]}"',
            why="on means off then: a program that trusts the name does the opposite, and at rest it works",
            mend=Mend(f"active = {level}", (Edit(point_key(point, "active"), level),)),
            subjects=(point.name, f"{board.name}.{part.name}"),
        )  # fmt: skip
