"""From the plan of a bench to its boards, parts and sessions."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from cavet.bench._devices import ModbusPlan, ScpiPlan
from cavet.bench._plan import BoardPlan, HostPlan, Plan
from cavet.boards import Board, Circuit, Firmware, Profile, Rig, World, telling
from cavet.boards.firmware import Broker, FirmataFirmware, ModbusFirmware, ScpiFirmware, Station
from cavet.boards.firmware.modbus import DeviceMap, Server
from cavet.boards.firmware.mqtt import StationPlan
from cavet.boards.firmware.scpi import Commands
from cavet.boards.parts import (
    Button,
    Door,
    Gauge,
    Heater,
    Lamp,
    Lever,
    LimitSwitch,
    Motor,
    Overload,
    Part,
    Pump,
    Relay,
    Servo,
    Sign,
    Supply,
    Valve,
    bell,
    horn,
)  # fmt: skip
from cavet.expressions import Expression
from cavet.hosts import (
    FirmataSession,
    HeaderPoint,
    ModbusSession,
    MqttSession,
    PinPoint,
    RegisterPoint,
    ScpiSession,
    Session,
    TopicPoint,
)  # fmt: skip
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
    "horn": lambda name, table, seed: horn(name, _pin(table)),
    "bell": lambda name, table, seed: bell(name, _pin(table)),
    "sign": lambda name, table, seed: Sign(name, _pin(table), columns=table["columns"], rows=table["rows"]),
    "button": lambda name, table, seed: Button(name, _pin(table), seed=seed, bounce=table["bounce"]),
    "limit": lambda name, table, seed: LimitSwitch(name, _pin(table), closes=table["closes"]),
    "gauge": lambda name, table, seed: Gauge(
        name, _pin(table), seed=seed, of=table["of"], low=table["range"][0], high=table["range"][1]
    ),
    "lever": lambda name, table, seed: Lever(name, _pin(table), seed=seed),
    "relay": lambda name, table, seed: Relay(
        name, _pin(table), seed=seed, operate=table["operate"], release=table["release"], bounce=table["bounce"],
        current=table["current"],
    ),
    "valve": lambda name, table, seed: Valve(name, _pin(table), travel=table["travel"]),
    "heater": lambda name, table, seed: Heater(name, _pin(table)),
    "pump": lambda name, table, seed: Pump(
        name, {wire: table[wire] for wire in ("pin", "speed") if table[wire] is not None}
    ),
    "door": lambda name, table, seed: Door(name, _pin(table)),
    "supply": lambda name, table, seed: Supply(
        name, {wire: table[wire] for wire in ("enable", "level", "limit")}, seed=seed, volts=table["volts"],
        amps=table["amps"], load=table["load"],
    ),
}  # fmt: skip
"""How each kind of part is made from its table in the file."""


BROKER = "broker"
"""The name of our own broker, which is a board like others, but for its pins: it has none."""


def build_world(plan: Plan, names: list[str], record: Record, *, broker: bool = False) -> World:
    """Make the simulated boards of these names, with the rig and the defects; and our own broker, if it is needed."""
    circuits = {name: _build_circuit(board, plan.seed, record) for name, board in plan.boards.items()}
    movers = {f"{name}.{part.name}": part for name, circuit in circuits.items() for part in circuit.parts.values()}
    devices = [board.device for board in plan.boards.values()]
    read = [sum_ for device in devices if isinstance(device, ModbusPlan | StationPlan) for sum_ in device.sums.values()]
    rig = Rig(list(plan.rig.values()), dict(movers), read)
    for name, circuit in circuits.items():
        for part in circuit.parts.values():
            part.join(rig, telling(record, name), circuit.stir)
    boards = [_build_board(plan.boards[name], circuits[name], rig, record) for name in names]
    if broker:
        boards.append(_build_broker(plan, record))
    defects = [copy_of for defect in plan.defects.values() if (copy_of := _fresh(defect)).board in names]
    return World(boards, rig, defects, record)


def _fresh(defect: Any) -> Any:
    """A copy that can be switched without changing the plan."""
    return type(defect)(**{name: getattr(defect, name) for name in defect.__struct_fields__})


def _build_circuit(plan: BoardPlan, seed: str, record: Record) -> Circuit:
    seed = f"{seed}/{plan.name}"
    parts = {
        name: PARTS[table["kind"]](name, table, seed) for name, table in plan.parts.items() if table["kind"] in PARTS
    }
    for name, table in plan.parts.items():
        if table["kind"] == "overload":
            guards = [pump for guarded in table["guards"] if isinstance(pump := parts[guarded], Pump)]
            parts[name] = Overload(name, _pin(table), guards=guards, delay=table["delay"])
    return Circuit(plan.profile, list(parts.values()), telling(record, plan.name))


def _build_board(plan: BoardPlan, circuit: Circuit, rig: Rig, record: Record) -> Board:
    tell = telling(record, plan.name)
    firmware: Firmware
    if isinstance(plan.device, ModbusPlan):
        read = {name: _reading(rig, sum_) for name, sum_ in plan.device.sums.items()}
        device_map = DeviceMap(list(plan.device.cells), circuit, tell, read)
        firmware = ModbusFirmware(Server(plan.device.identity, device_map), tell)
    elif isinstance(plan.device, ScpiPlan):
        firmware = ScpiFirmware(circuit, tell, plan.device.identity, Commands(plan.device.commands, circuit, tell))
    elif isinstance(plan.device, StationPlan):
        read = {name: _reading(rig, sum_) for name, sum_ in plan.device.sums.items()}
        firmware = Station(plan.device, circuit, tell, read)
    else:
        firmware = FirmataFirmware(circuit, tell, plan.firmware_name)
    return Board(plan.name, circuit, firmware, tell, failsafe=plan.failsafe, reflexes=list(plan.reflexes))


def _build_broker(plan: Plan, record: Record) -> Board:
    tell = telling(record, BROKER)
    circuit = Circuit(Profile(name=BROKER, pins={}), [], tell)
    return Board(BROKER, circuit, Broker(plan.broker.limits, tell), tell)


def _reading(rig: Rig, expression: Expression) -> Callable[[], float]:
    function = rig.bind(expression)
    return lambda: float(function(rig.row))


def build_session(plan: Plan, host: HostPlan, record: Record) -> Session[Any]:
    """Make the session for one of the plan's hosts."""
    points = [point for point in plan.points.values() if point.board == host.name]
    link = plan.links[host.link]
    tell = telling(record, link.board)
    if host.protocol == "modbus":
        registers = [point for point in points if isinstance(point, RegisterPoint)]
        return ModbusSession(
            host.name, registers, host.manners, tell, framing=link.protocol, character=link.byte_seconds
        )
    if host.protocol == "mqtt":
        topics = [point for point in points if isinstance(point, TopicPoint)]
        return MqttSession(host.name, topics, host.manners, tell, host.client, host.topics)
    if host.protocol == "scpi":
        return ScpiSession(host.name, [point for point in points if isinstance(point, HeaderPoint)], host.manners, tell)
    return FirmataSession(host.name, [point for point in points if isinstance(point, PinPoint)], host.manners, tell)
