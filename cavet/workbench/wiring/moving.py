"""Rewiring: what is at a pin goes to another one, in belief, in truth, or in both; and a copy of it at another pin."""

from __future__ import annotations

import tomllib
from typing import Any

from cavet.benchfile import BenchFile, ModbusDevice, Setup
from cavet.boards import KINDS, PinMode
from cavet.hosts import PinPoint
from cavet.wiring import Place, Wiring
from cavet.wording import WrongError
from cavet.workbench.wiring.adding import check_name
from cavet.workbench.wiring.changing import Changes

BOTH, BELIEF, TRUTH = "both", "what the host believes", "what hangs there"
WAYS = (BOTH, BELIEF, TRUTH)


def pin_of(place: Place | None) -> int:
    """The pin of a row. Raises `WrongError` for one that has none, or more than one."""
    if place is None or len(place.pins) != 1:
        raise WrongError("row", found="no single pin", expected="a row of a pin, or of an address that has one")
    return place.pins[0]


def ways_at(setup: Setup, board: str, place: Place) -> list[str]:
    """What of a row can be moved to another pin."""
    wiring = Wiring(setup, board)
    pin = pin_of(place)
    there = any(_keys_at(setup, board, pin))
    believed = any(isinstance(point, PinPoint) and pin in point.modes() for point in wiring.points)
    if not there and not believed and not place.table:
        raise WrongError(place.name, found="nothing there", expected="a point, or a part")
    if there and believed:
        return list(WAYS)
    return [BELIEF] if believed else [TRUTH]


def mode_at(setup: Setup, board: str, place: Place) -> PinMode:
    """What a pin must be able to, so that what is in a row can be there."""
    wiring, pin = Wiring(setup, board), pin_of(place)
    for point in wiring.points:
        if pin in point.modes():
            return PinMode(point.modes()[pin])
    if place.mode is not None:
        return place.mode
    parts = [setup.boards[board].parts[name].kind for name, _ in wiring.on_pins.get(pin, ())]
    if "servo" in parts:
        return PinMode.SERVO
    return PinMode.INPUT if parts and all(KINDS[kind].senses for kind in parts) else PinMode.OUTPUT


def _keys_at(setup: Setup, board: str, pin: int) -> list[tuple[str, str]]:
    """The parts that hang on a pin, as the file has them, and the keys that say so."""
    parts = setup.boards[board].parts
    return [
        (name, wire)
        for name, table in parts.items()
        if not table.hangs_on
        for wire, at in table.wires.items()
        if at == pin
    ]


def moved(setup: Setup, board: str, place: Place, to: int, way: str) -> Changes:
    """What is to be written, so that what is in a row is at another pin."""
    pin, value = pin_of(place), pin_value(setup, board, to)
    changes: list[tuple[tuple[str, ...], Any]] = []
    if way != BELIEF:
        changes += [(("boards", board, "parts", name, wire), value) for name, wire in _keys_at(setup, board, pin)]
        if place.table:
            changes.append((("boards", board, *place.table, "pin"), value))
    if way != TRUTH:
        for point in Wiring(setup, board).points:
            if isinstance(point, PinPoint):
                keys = ("pin", "ahead", "astern", "direction", "coil_2", "coil_3", "coil_4", "second")
                changes += [(("points", point.name, key), value) for key in keys if getattr(point, key, None) == pin]
    return changes


def pin_value(setup: Setup, board: str, pin: int) -> int | str:
    """A pin as the file has it: by its label, where it has one, or its number."""
    return setup.boards[board].profile.pins[pin].label or pin


def copied(file: BenchFile, board: str, place: Place, to: int, name: str) -> Changes:
    """A copy of what is in a row at another pin, under another name: its point, its part, its entry of the map.
    Raises `WrongError`."""
    check_name(file.setup, name)
    data, setup, pin = tomllib.loads(file.text), file.setup, pin_of(place)
    value = pin_value(setup, board, to)
    changes: list[tuple[tuple[str, ...], Any]] = []
    for part, wire in _keys_at(setup, board, pin)[:1]:
        table = data["boards"][board]["parts"][part]
        others = set(setup.boards[board].parts[part].wires) - {wire}
        if others:
            raise WrongError(
                part, found=f"a part that hangs on {len(others) + 1} pins", expected="one with a single pin"
            )
        changes.append((("boards", board, "parts", name), {**table, wire: value}))
    address: dict[str, Any] = {}
    device = setup.boards[board].device
    if place.table and isinstance(device, ModbusDevice):
        cell = data["boards"][board][place.table[0]][place.table[1]]
        address = {"address": device.free_address(cell["table"])}
        changes.append((("boards", board, place.table[0], name), {**cell, **address, "pin": value}))
    wiring = Wiring(setup, board)
    for point in wiring.points:
        if place.key in wiring.keys_of(point):
            table = {key: each for key, each in data["points"][point.name].items() if key != "part"}
            changes.append((("points", name), {**table, **(address or {"pin": value})}))
            break
    if not changes:
        raise WrongError(place.name, found="nothing there", expected="a point, or a part")
    return changes
