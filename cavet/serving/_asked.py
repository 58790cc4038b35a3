"""How something stands out there, as a line of JSON: a part, a pin, a point, a quantity of the rig."""

from __future__ import annotations

from typing import Any

from cavet.bench import RunningBench, shows_itself
from cavet.boards import PinMode
from cavet.boards.parts import Part
from cavet.hosts import PinPoint, Point, PointKind
from cavet.units import decimals_of, show
from cavet.wiring import Wiring
from cavet.wording import WrongError, listed, nearest


def asked(bench: RunningBench, about: str, name: str | int, wish: dict[str, Any]) -> dict[str, Any]:
    """How it stands: `state` in words, `value` as a number, a switch or a text. Raises `WrongError`."""
    bench.board_side.turn()
    if about == "pin":
        return _pin(bench, name, wish.get("board", ""))
    found = {"part": _part, "point": _point, "rig": _quantity}[about](bench, str(name))
    return {about: name, **found}


def _part(bench: RunningBench, path: str) -> dict[str, Any]:
    part, now = bench.world.part(path), bench.clock.now()
    return {"state": part.tells(now), "value": part.state(now)}


def _quantity(bench: RunningBench, name: str) -> dict[str, Any]:
    quantities = {each.name: each for each in bench.world.rig.quantities}
    if name not in quantities:
        known = listed(quantities)
        raise WrongError("rig", found=name, expected=f"one of {known}", nearest=nearest(name, quantities))
    value = bench.world.rig.value(name)
    return {"state": show(value, quantities[name].unit, decimals_of(value, 6)), "value": value}


def _pin(bench: RunningBench, name: str | int, board: object) -> dict[str, Any]:
    """A pin by its number or label, behind its board: `gatehouse.9`, `gatehouse.A0`; or with its board beside it."""
    named, _, label = str(name).rpartition(".") if isinstance(name, str) else ("", "", str(name))
    of = named or board
    boards = bench.world.boards
    if not isinstance(of, str) or of not in boards:
        near = nearest(str(of), boards) if of else None
        raise WrongError("input.pin", found=str(name), expected=f"BOARD.PIN, on {listed(boards)}", nearest=near)
    circuit = boards[of].circuit
    number = boards[of].profile.pin(label.removeprefix("pin ").strip(), "input.pin")
    pin, now = circuit.pins[number], bench.clock.now()
    value: float | bool
    if pin.mode.drives:
        value = pin.value
    elif pin.mode.value == "analog":
        value = circuit.read_counts(number, now)
    else:
        value = circuit.read_level(number)
    return {"pin": number, "board": of, "state": pin.mode.value, "value": value}


def _point(bench: RunningBench, name: str) -> dict[str, Any]:
    """How a point stands, by what really hangs at its place: no host is asked."""
    point = bench.setup.point(name)
    link = bench.setup.links[bench.setup.hosts[point.board].link]
    board = bench.world.boards.get(link.board)
    reached = Wiring(bench.setup, link.board, {}).reached(point) if board is not None else ()
    if board is None or not reached:
        return {"state": "nothing is known of it here", "value": None}
    part, now = board.circuit.parts[reached[0]], bench.clock.now()
    if point.kind.is_output and shows_itself(point, part):
        value = point.from_wire(part.stands_as(now))
    elif point.kind is PointKind.CONTACT:
        value = point.from_wire(_level(part, point))
    elif isinstance(point, PinPoint) and point.mode == PinMode.ANALOG.value:
        bits = board.profile.pins[point.pin].modes[PinMode.ANALOG]
        value = point.from_wire(round(((1 << bits) - 1) * part.voltage("pin", now) / board.profile.supply))
    else:
        return {"state": part.tells(now), "value": part.state(now)}
    return {"state": point.show(value), "value": value}


def _level(part: Part, point: Point) -> bool:
    """The level that a part gives; where it leaves its wire open, what a pull-up makes of it."""
    level = part.level(next(iter(part.wires)))
    return level if level is not None else getattr(point, "mode", "pull-up") == PinMode.PULL_UP.value
