"""From the plan of a bench to its boards, parts and sessions."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from cavet.bench._devices import ModbusPlan, ScpiPlan
from cavet.bench._format_reading import FormatPlan
from cavet.bench._plan import BoardPlan, HostPlan, Plan
from cavet.boards import Board, Cable, Circuit, Firmware, PinMode, Profile, Rig, World
from cavet.boards.buses import (
    Expander,
    Giving,
    LatchExpander,
    Matrix,
    MatrixChain,
    Measuring,
    OneWireDevice,
    Panel,
    RegisterDevice,
    ShiftRegisters,
    TargetBoard,
)
from cavet.boards.firmware import Broker, BusesFirmware, FirmataFirmware, ModbusFirmware, ScpiFirmware, Station
from cavet.boards.firmware.modbus import DeviceMap, Server
from cavet.boards.firmware.mqtt import StationPlan
from cavet.boards.firmware.plans import Engine, PlanFirmware, TargetFirmware
from cavet.boards.firmware.scpi import Commands
from cavet.boards.firmware.usb import UsbFirmware
from cavet.boards.parts import (
    Button,
    Door,
    Encoder,
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
    Stepper,
    Supply,
    Valve,
    bell,
    horn,
)  # fmt: skip
from cavet.expressions import Expression
from cavet.hosts import (
    BusesSession,
    DevicePoint,
    FieldPoint,
    FirmataSession,
    FormatSession,
    HeaderPoint,
    ModbusSession,
    MqttSession,
    PinPoint,
    RegisterPoint,
    ScpiSession,
    Session,
    TopicPoint,
)  # fmt: skip
from cavet.record import Record, Tell

MakePart = Callable[[str, dict[str, Any], str], Part]


def _pin(table: dict[str, Any]) -> dict[str, int]:
    return {"pin": table["pin"]}


def _bridge(table: dict[str, Any]) -> dict[str, int]:
    return {wire: table[wire] for wire in ("enable", "ahead", "astern")}


STEPPER_WIRES = ("pulse", "direction", "coil_1", "coil_2", "coil_3", "coil_4", "enable")


def _measuring(name: str, table: dict[str, Any], wires: dict[str, int]) -> Measuring:
    low, high = table["range"]
    return Measuring(
        name, wires, table["map"], address=table.get("address", 0), channels=table["channels"], low=low, high=high,
        bits=table["bits"], stretch=table.get("stretch", 0.0),
    )  # fmt: skip


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
    "stepper": lambda name, table, seed: Stepper(
        name, {wire: table[wire] for wire in STEPPER_WIRES if table[wire] is not None}, per_turn=table["per_turn"],
        fastest=table["fastest"], stops=None if table["stops"] is None else tuple(table["stops"]),
    ),
    "encoder": lambda name, table, seed: Encoder(
        name, {wire: table[wire] for wire in ("a", "b")}, per_turn=table["per_turn"], fastest=table["fastest"],
        follows=table["follows"],
    ),
    "onewire": lambda name, table, seed: OneWireDevice(
        name, _pin(table), _measuring(name, table, {}), family=table["family"], serial=table["serial"],
        alarm=table["alarm"],
    ),
    "supply": lambda name, table, seed: Supply(
        name, {wire: table[wire] for wire in ("enable", "level", "limit")}, seed=seed, volts=table["volts"],
        amps=table["amps"], load=table["load"],
    ),
}  # fmt: skip
"""How each kind of part is made from its table in the file."""

MakeDevice = Callable[[str, dict[str, Any], dict[str, int]], Part]


def _on_bus(table: dict[str, Any], bus: dict[str, int]) -> dict[str, int]:
    return bus if table.get("interrupt") is None else {**bus, "interrupt": table["interrupt"]}


DEVICES: dict[str, MakeDevice] = {
    "expander": lambda name, table, bus: Expander(
        name, _on_bus(table, bus), table["map"], address=table["address"], stretch=table["stretch"]
    ),
    "latch": lambda name, table, bus: LatchExpander(name, bus, address=table["address"], stretch=table["stretch"]),
    "panel": lambda name, table, bus: Panel(
        name, bus, address=table["address"], columns=table["columns"], rows=table["rows"], stretch=table["stretch"]
    ),
    "matrix": lambda name, table, bus: Matrix(
        name, bus, table["map"], address=table["address"], stretch=table["stretch"]
    ),
    "adc": lambda name, table, bus: _measuring(name, table, bus),
    "dac": lambda name, table, bus: Giving(
        name, bus, table["map"], address=table["address"], bits=table["bits"], stretch=table["stretch"]
    ),
    "target": lambda name, table, bus: TargetBoard(
        name, bus, address=table["address"], board=table["board"], stretch=table["stretch"]
    ),
    "chain": lambda name, table, bus: MatrixChain(
        name, {}, modules=table["modules"], chip=table["chip"], mode=table["mode"]
    ),
    "shift": lambda name, table, bus: ShiftRegisters(
        name, {}, registers=table["registers"], chip=table["chip"], mode=table["mode"]
    ),
    "registers": lambda name, table, bus: RegisterDevice(
        name, bus, table["map"], address=table["address"], ten_bit=table["ten_bit"], stretch=table["stretch"]
    ),
}
"""How each kind of device on a bus is made, with the pins of the bus's wires."""

BROKER = "broker"
"""The name of our own broker, which is a board like others, but for its pins: it has none."""


def build_world(plan: Plan, names: list[str], record: Record, *, broker: bool = False) -> World:
    """Make the simulated boards of these names, with the rig and the defects; and our own broker, if it is needed."""
    circuits = {name: _build_circuit(board, plan.seed, record) for name, board in plan.boards.items()}
    movers = {f"{name}.{part.name}": part for name, circuit in circuits.items() for part in circuit.parts.values()}
    devices = [board.device for board in plan.boards.values()]
    read = [
        sum_
        for device in devices
        if isinstance(device, ModbusPlan | StationPlan | FormatPlan)
        for sum_ in device.sums.values()
    ]
    read += [sum_ for board in plan.boards.values() for table in board.parts.values() for sum_ in _sums_of(table)]
    rig = Rig(list(plan.rig.values()), dict(movers), read)
    for name, circuit in circuits.items():
        for part in circuit.parts.values():
            part.join(rig, Tell(record, name), circuit.stir)
    targets = {
        part.board: part
        for circuit in circuits.values()
        for part in circuit.parts.values()
        if isinstance(part, TargetBoard)
    }
    boards = [_build_board(plan.boards[name], circuits[name], rig, record, targets.get(name)) for name in names]
    running = {board.name: board for board in boards}
    for name in names:
        for part in circuits[name].parts.values():
            if isinstance(part, Cable):
                part.plug(running.get(part.board))
    if broker:
        boards.append(_build_broker(plan, record))
    defects = [copy_of for defect in plan.defects.values() if (copy_of := _fresh(defect)).board in names]
    return World(boards, rig, defects, record)


def _sums_of(table: dict[str, Any]) -> list[Expression]:
    """The sums of the rig that a part reads."""
    sums = [table.get(key) for key in ("closes", "follows", "alarm")]
    return [sum_ for sum_ in [*sums, *(table.get("channels") or {}).values()] if isinstance(sum_, Expression)]


def _fresh(defect: Any) -> Any:
    """A copy that can be switched without changing the plan."""
    return type(defect)(**{name: getattr(defect, name) for name in defect.__struct_fields__})


def _build_circuit(plan: BoardPlan, seed: str, record: Record) -> Circuit:
    seed = f"{seed}/{plan.name}"
    parts = {
        name: PARTS[table["kind"]](name, table, seed) for name, table in plan.parts.items() if table["kind"] in PARTS
    }
    bus = dict(zip(("data", "clock"), plan.profile.able(PinMode.BUS), strict=False))
    parts |= {
        name: DEVICES[table["kind"]](name, table, bus) for name, table in plan.parts.items() if table["kind"] in DEVICES
    }
    for name, table in plan.parts.items():
        if table["kind"] == "serial":
            wires = dict(zip(("receive", "transmit"), plan.profile.serial_ports[table["port"]], strict=False))
            parts[name] = Cable(
                name, wires, port=table["port"], board=table["board"], protocol=table["protocol"], rate=table["rate"]
            )
    for name, part in parts.items():
        part.hangs_on = plan.parts[name].get("hangs_on", "")
    for name, table in plan.parts.items():
        if table["kind"] == "overload":
            guards = [pump for guarded in table["guards"] if isinstance(pump := parts[guarded], Pump)]
            parts[name] = Overload(name, _pin(table), guards=guards, delay=table["delay"])
    return Circuit(plan.profile, list(parts.values()), Tell(record, plan.name))


def _build_board(
    plan: BoardPlan, circuit: Circuit, rig: Rig, record: Record, target: TargetBoard | None = None
) -> Board:
    tell = Tell(record, plan.name)
    firmware: Firmware
    if isinstance(plan.device, ModbusPlan):
        read = {name: _reading(rig, sum_) for name, sum_ in plan.device.sums.items()}
        device_map = DeviceMap(list(plan.device.cells), circuit, tell, read)
        firmware = ModbusFirmware(Server(plan.device.identity, device_map), tell)
    elif isinstance(plan.device, ScpiPlan):
        firmware = ScpiFirmware(circuit, tell, plan.device.identity, Commands(plan.device.commands, circuit, tell))
    elif isinstance(plan.device, FormatPlan):
        read = {name: _reading(rig, sum_) for name, sum_ in plan.device.sums.items()}
        engine = Engine(plan.device.board, circuit, tell, read)
        if plan.device.identity is not None:
            firmware = UsbFirmware(plan.device.identity, plan.device.board, engine, tell)
        elif plan.firmware == "target":
            firmware = TargetFirmware(plan.device.board, engine, tell, target)
        else:
            firmware = PlanFirmware(plan.device.board, engine, tell)
    elif plan.firmware == "buses":
        firmware = BusesFirmware(circuit, tell)
    elif isinstance(plan.device, StationPlan):
        read = {name: _reading(rig, sum_) for name, sum_ in plan.device.sums.items()}
        firmware = Station(plan.device, circuit, tell, read)
    else:
        firmware = FirmataFirmware(circuit, tell, plan.firmware_name)
    return Board(plan.name, circuit, firmware, tell, failsafe=plan.failsafe, reflexes=list(plan.reflexes))


def _build_broker(plan: Plan, record: Record) -> Board:
    tell = Tell(record, BROKER)
    circuit = Circuit(Profile(name=BROKER, pins={}), [], tell)
    return Board(BROKER, circuit, Broker(plan.broker.limits, tell), tell)


def _reading(rig: Rig, expression: Expression) -> Callable[[], float]:
    function = rig.bind(expression)
    return lambda: float(function(rig.row))


def build_session(plan: Plan, host: HostPlan, record: Record) -> Session[Any]:
    """Make the session for one of the plan's hosts."""
    points = [point for point in plan.points.values() if point.board == host.name]
    link = plan.links[host.link]
    tell = Tell(record, link.board)
    if host.protocol == "modbus":
        registers = [point for point in points if isinstance(point, RegisterPoint)]
        return ModbusSession(
            host.name, registers, host.manners, tell, framing=link.protocol, character=link.byte_seconds
        )
    if host.protocol == "mqtt":
        topics = [point for point in points if isinstance(point, TopicPoint)]
        return MqttSession(host.name, topics, host.manners, tell, host.client, host.topics)
    if host.protocol == "buses":
        at_devices = [point for point in points if isinstance(point, DevicePoint)]
        return BusesSession(host.name, at_devices, host.manners, tell, host.devices)
    if host.protocol == "plan" and host.format is not None:
        fields = [point for point in points if isinstance(point, FieldPoint)]
        return FormatSession(host.name, fields, host.manners, tell, host.format)
    if host.protocol == "scpi":
        return ScpiSession(host.name, [point for point in points if isinstance(point, HeaderPoint)], host.manners, tell)
    there = [point for point in points if isinstance(point, PinPoint | DevicePoint)]
    return FirmataSession(host.name, there, host.manners, tell, host.devices)
