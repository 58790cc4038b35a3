"""A Modbus board: what stands at which address, its files, its queues."""

from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from math import isinf
from typing import Annotated, Any, ClassVar, Self

import msgspec

from cavet.benchfile._places import Path
from cavet.benchfile._values import DataKeys
from cavet.benchfile.boards._device import (
    BoardTables,
    Device,
    Making,
    PartsAt,
    Place,
    PlaceKey,
    PlaceKind,
    Row,
)
from cavet.benchfile.boards._identity import OBJECTS, IdentityTable, read_identity
from cavet.boards import Firmware, PinMode, Profile
from cavet.boards.firmware import ModbusFirmware
from cavet.boards.firmware.modbus import UPTIME, CellSettings, DeviceMap, Identity, Server
from cavet.expressions import Expression
from cavet.hosts import Point, RegisterPoint
from cavet.protocols import FieldError
from cavet.protocols.modbus import BITS, COILS, DISCRETE, HOLDING, INPUT, TABLES, WRITABLE
from cavet.settings import Meaning, Table, made


class CellTable(DataKeys, kw_only=True):
    """A value of a Modbus board, at its address. Addresses count from 0, as on the wire."""

    TITLE = "[boards.NAME.map.NAME]"
    table: Annotated[str, Meaning("in which table", TABLES)]
    address: Annotated[int, Meaning("where it begins", low=0, high=65535)]
    pin: Annotated[int | None, Meaning("the pin that it works or reads", kind="pin")] = None
    mode: Annotated[
        str | None,
        Meaning(
            "how that is used; else output for coils, input for discrete inputs, pwm or analog for registers, for a "
            "bit of one output or input, and where another value drives the pin, as that does; a tone "
            "takes hertz",
            ("output", "pwm", "tone", "input", "pull-up", "analog"),
            beside=("pin", ()),
        ),
    ] = None
    of: Annotated[
        Expression | None, Meaning("what it measures: an expression of the rig and the parts, or `uptime`")
    ] = None
    scale: Annotated[float, Meaning("how much one count is")] = 1.0
    high: Annotated[int | None, Meaning("a higher value counts as this, and drives the pin fully", low=1)] = None
    start: Annotated[float | str, Meaning("what it holds after power-on")] = 0


class RecordsTable(Table, kw_only=True):
    """A file of a Modbus board: records of one register each."""

    TITLE = "[boards.NAME.files.NAME]"
    number: Annotated[int, Meaning("its number", low=1, high=65535)]
    records: Annotated[int, Meaning("how many records it has", low=1, high=10000)]
    start: Annotated[tuple[int, ...], Meaning("what the first records hold after power-on")] = ()


class QueueTable(Table, kw_only=True):
    """A queue of a Modbus board."""

    TITLE = "[boards.NAME.queues.NAME]"
    address: Annotated[int, Meaning("where its count stands", low=0, high=65535)]
    values: Annotated[tuple[int, ...], Meaning("what waits in it")] = ()


class ModbusKeys(Table, kw_only=True):
    """What a Modbus board has of its own."""

    ABOUT = "Modbus"
    unit: Annotated[int, Meaning("its unit", low=1, high=247)] = 1
    map: Annotated[dict[str, Any], Meaning("what stands at which address, see below")] = {}
    files: Annotated[dict[str, Any], Meaning("its files, see below")] = {}
    queues: Annotated[dict[str, Any], Meaning("its queues, see below")] = {}


class ModbusDevice(Device, frozen=True, kw_only=True, dict=True):
    """A Modbus board's data."""

    KEYS: ClassVar[type[Table]] = ModbusKeys
    TABLES: ClassVar[tuple[type[Table], ...]] = (IdentityTable, CellTable, RecordsTable, QueueTable)
    FORM: ClassVar[tuple[str, str, str] | None] = ("an entry of its map", "map", "value")

    identity: Identity
    cells: tuple[CellSettings, ...]

    @classmethod
    def read(cls, tables: BoardTables) -> Self | None:
        own = tables.own(ModbusKeys)
        if own is None:
            return None
        mapped = tables.read("map", CellTable, own.map)
        cells = [_read_cell(tables, name, table) for name, table in mapped.items()]
        found = _in_modes_of_pins(tables, [cell for cell in cells if cell is not None], mapped)
        _check_overlaps(tables, found)
        said = read_identity(tables)
        identity = Identity(
            unit=own.unit,
            objects={
                number: said[key].encode("latin-1", "replace")[:200] for number, key in enumerate(OBJECTS) if said[key]
            },
            files={
                table.number: [*table.start, *[0] * table.records][: table.records]
                for table in tables.read("files", RecordsTable, own.files).values()
            },
            queues={
                table.address: list(table.values) for table in tables.read("queues", QueueTable, own.queues).values()
            },
        )
        return cls(identity=identity, cells=tuple(found))

    @classmethod
    def speaks(cls, firmware: str, kind: str, framing: str | None) -> str:
        return f"modbus-{framing or ('rtu' if kind == 'serial' else 'tcp')}"

    @property
    def expressions(self) -> dict[str, Expression]:
        return {cell.name: cell.of for cell in self.cells if cell.of is not None and cell.of.text != UPTIME}

    def path_of_expression(self, name: str) -> Path:
        return ("map", name, "of")

    def firmware(self, making: Making) -> Firmware:
        device_map = DeviceMap(list(self.cells), making.circuit, making.tell, making.read(self.expressions))
        return ModbusFirmware(Server(self.identity, device_map), making.tell)

    def free_address(self, table: str) -> int:
        """The first address of a table behind all that are taken."""
        taken = [address for cell in self.cells if cell.table == table for address in cell.addresses]
        return max(taken, default=-1) + 1

    @cached_property
    def _cells_at(self) -> dict[tuple[str, int], list[CellSettings]]:
        found: dict[tuple[str, int], list[CellSettings]] = {}
        for cell in self.cells:
            for at in cell.addresses:
                found.setdefault((cell.table, at), []).append(cell)
        return found

    def _cells_of(self, point: Point) -> list[CellSettings]:
        """What a point names: of the bits of a register the one that it means, or all where it means the register."""
        if not isinstance(point, RegisterPoint):
            return []
        cells = self._cells_at.get((point.table, point.address), [])
        named = [
            cell for cell in cells if point.form.kind == cell.form.kind == "bit" and point.form.bit == cell.form.bit
        ]
        return named or [cell for cell in cells if point.form.kind != "bit" or cell.form.kind != "bit"]

    def places(self, profile: Profile, parts_at: PartsAt) -> Iterator[Place]:
        for cell in self.cells:
            pins = (cell.pin,) if cell.pin is not None else ()
            table, register = cell.table.removesuffix("s"), cell.table.removesuffix("-registers")
            is_bit = cell.form.kind == "bit" and cell.table not in BITS  # the table is told in its note: there is room
            yield Place(
                kind=PlaceKind.CELL, key=_key(cell),
                name=f"register {cell.address} bit {cell.form.bit}" if is_bit else f"{table} {cell.address}",
                note=register if is_bit else cell.form.kind, pins=pins, parts=parts_at(*pins), table=("map", cell.name),
                mode=cell.mode, mode_at=("map", cell.name, "mode"), scale=cell.scale,
            )  # fmt: skip

    def places_named(self, point: Point) -> list[PlaceKey]:
        return [_key(cell) for cell in self._cells_of(point)]

    def begins_with(self, point: Point, place: Place) -> float | bool | str | None:
        cell = next(cell for cell in self.cells if ("map", cell.name) == place.table)
        return point.from_wire(float(cell.start)) if isinstance(cell.start, int | float) else None

    def rows(self, points: Sequence[Point]) -> dict[str, list[Row]]:
        named = {_key(cell): point for point in points for cell in self._cells_of(point)}
        rows = []
        for cell in self.cells:
            point = named.get(_key(cell))
            rows.append({
                "table": cell.table, "address": cell.address, "count": len(cell.addresses), "name": cell.name,
                "type": cell.form.kind, "pin": cell.pin,
                "point": point.name if point is not None else None, "unit": point.unit if point is not None else "",
            })  # fmt: skip
        return {"map": rows}


def _key(cell: CellSettings) -> PlaceKey:
    return ("cell", cell.table, cell.address, cell.form.bit)


def _read_cell(tables: BoardTables, name: str, table: CellTable) -> CellSettings | None:
    path: Path = (*tables.path, "map", name)
    form = table.form(table.table)
    pin = tables.find_pin((*path, "pin"), table.pin) if table.pin is not None else None
    mode = _mode(tables, path, name, table, pin) if pin is not None else None
    if table.address + form.size > 0x10000:
        tables.checker.wrong((*path, "address"), found=table.address, expected=f"room for {form.size} registers")
        return None
    try:
        form.pack(table.start)
    except FieldError as error:
        tables.checker.note((*path, "start"), error)
        return None
    if pin is not None and form.kind == "text":
        tables.checker.wrong((*path, "data"), found="text", expected="a number or a bit: no text drives a pin")
    if mode is PinMode.PWM and table.high is None and isinf(form.limits[1]):
        expected = f"what drives the pin fully: {form.kind} has no greatest number"
        tables.checker.wrong((*path, "high"), found="nothing", expected=expected)
    return made(CellSettings, table, name=name, form=form, pin=pin, mode=mode)


USUAL_MODES = {COILS: "output", DISCRETE: "input", HOLDING: "pwm", INPUT: "analog"}
USUAL_OF_BITS = {HOLDING: "output", INPUT: "input"}


def _mode(tables: BoardTables, path: Path, name: str, table: CellTable, pin: int) -> PinMode | None:
    usual = USUAL_MODES | USUAL_OF_BITS if table.data == "bit" else USUAL_MODES
    mode = PinMode(table.mode or usual[table.table])
    if mode.drives and table.table in WRITABLE:
        return mode if tables.drives((*path, "pin"), name, pin, mode) else None
    return mode if tables.can((*path, "pin"), pin, mode) else None


def _in_modes_of_pins(
    tables: BoardTables, cells: list[CellSettings], mapped: Mapping[str, CellTable]
) -> list[CellSettings]:
    """The same, where a cell that says no mode reads a pin that another one drives: it reads how that is driven."""
    found = []
    for cell in cells:
        mode, by = tables.driven.get(cell.pin, (cell.mode, "")) if cell.pin is not None else (cell.mode, "")
        if mode is not cell.mode and cell.mode is not None and mode is not None:
            if mapped[cell.name].mode is not None:
                path: Path = (*tables.path, "map", cell.name, "mode")
                tables.checker.wrong(path, found=cell.mode.value, expected=f"{mode.value}, as {by} drives its pin")
            cell = msgspec.structs.replace(cell, mode=mode)
        found.append(cell)
    return found


def _check_overlaps(tables: BoardTables, cells: list[CellSettings]) -> None:
    """Each has its addresses to itself, but for the bits of a register: those have each a bit."""
    taken: dict[tuple[str, int], list[CellSettings]] = {}
    for cell in cells:
        for at in cell.addresses:
            others = taken.setdefault((cell.table, at), [])
            clash = next((other for other in others if not _are_bits(cell, other) or _key(cell) == _key(other)), None)
            others.append(cell)
            if clash is not None:
                is_bit = _are_bits(cell, clash) and cell.table not in BITS
                key, found, what = ("bit", cell.form.bit, "a bit") if is_bit else ("address", at, "addresses")
                path: Path = (*tables.path, "map", cell.name, key)
                tables.checker.wrong(path, found=found, expected=f"{what} of its own: {clash.name} has this one")
                break


def _are_bits(*cells: CellSettings) -> bool:
    return all(cell.form.kind == "bit" for cell in cells)
