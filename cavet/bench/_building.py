"""From the plan of a bench to its boards, parts and sessions."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from cavet.bench._plan import BoardPlan, HostPlan, Plan
from cavet.boards import Board, Circuit, Rig, World, telling
from cavet.boards.firmware import FirmataFirmware
from cavet.boards.parts import Button, Gauge, Horn, Lamp, Lever, LimitSwitch, Motor, Part, Servo
from cavet.hosts import FirmataSession
from cavet.record import Record

MakePart = Callable[[str, dict[str, Any], str], Part]


def _pin(table: dict[str, Any]) -> dict[str, int]:
    return {"pin": table["pin"]}


def _bridge(table: dict[str, Any]) -> dict[str, int]:
    return {wire: table[wire] for wire in ("enable", "ahead", "astern")}


PARTS: dict[str, MakePart] = {
    "lamp": lambda name, table, seed: Lamp(name, _pin(table), full_current=table["current"]),
    "servo": lambda name, table, seed: Servo(name, _pin(table), low=min(table["range"]), high=max(table["range"])),
    "motor": lambda name, table, seed: Motor(
        name, _bridge(table), moves=table["moves"], stall_current=table["stall_current"]
    ),
    "horn": lambda name, table, seed: Horn(name, _pin(table)),
    "button": lambda name, table, seed: Button(name, _pin(table), seed=seed, bounce=table["bounce"]),
    "limit": lambda name, table, seed: LimitSwitch(name, _pin(table), closes=table["closes"]),
    "gauge": lambda name, table, seed: Gauge(
        name, _pin(table), seed=seed, of=table["of"], low=table["range"][0], high=table["range"][1]
    ),
    "lever": lambda name, table, seed: Lever(name, _pin(table), seed=seed),
}
"""How each kind of part is made from its table in the file."""


def build_world(plan: Plan, names: list[str], record: Record) -> World:
    """Make the simulated boards of these names, with the rig and the defects."""
    boards = {name: _build_board(plan.boards[name], plan.seed, record) for name in plan.boards}
    movers = {f"{board.name}.{part.name}": part for board in boards.values() for part in board.circuit.parts.values()}
    rig = Rig(list(plan.rig.values()), dict(movers))
    for board in boards.values():
        for part in board.circuit.parts.values():
            part.join(rig, telling(record, board.name), board.circuit.stir)
    defects = [copy_of for defect in plan.defects.values() if (copy_of := _fresh(defect)).board in names]
    return World([boards[name] for name in names], rig, defects, record)


def _fresh(defect: Any) -> Any:
    """A copy that can be switched without changing the plan."""
    return type(defect)(**{name: getattr(defect, name) for name in defect.__struct_fields__})


def _build_board(plan: BoardPlan, seed: str, record: Record) -> Board:
    tell = telling(record, plan.name)
    parts = [PARTS[table["kind"]](name, table, f"{seed}/{plan.name}") for name, table in plan.parts.items()]
    circuit = Circuit(plan.profile, parts, tell)
    firmware = FirmataFirmware(circuit, tell, plan.firmware_name)
    return Board(plan.name, circuit, firmware, tell, failsafe=plan.failsafe)


def build_session(plan: Plan, host: HostPlan, record: Record) -> FirmataSession:
    """Make the session for one of the plan's hosts."""
    points = [point for point in plan.points.values() if point.board == host.name]
    return FirmataSession(host.name, points, host.manners, telling(record, plan.links[host.link].board))
