"""Devices on a board's bus, as a host believes them to be, and the points at them: with Firmata, and on buses of the
host's own."""

from math import inf
from pathlib import Path as FilePath
from typing import Annotated, Any

from cavet.benchfile._bus_reading import line_names, read_map
from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.benchfile._point_tables import ContactTable, PixelsTable, ScaledTable
from cavet.benchfile.hosts._protocol import Constant, HostTables, PointTables
from cavet.boards.buses import ADDRESS, CHIP, MAP, MODE
from cavet.hosts import ON_SPI, DevicePoint, DeviceSettings, PointKind, SpiPlace
from cavet.settings import Meaning, Table, made
from cavet.wording import WrongError, listed, nearest

BRIGHTNESS = Meaning("0 to 15", low=0, high=15)
TURN = Meaning("how many quarter turns clockwise each matrix is mounted", low=0, high=3)
SCROLL = Meaning(
    "how long what does not fit stands before it moves on; 0 leaves it cut off", unit="s", low=0, high=60, least=0.05
)
WRITES = Meaning("how a bit is changed: from what was written last, or from what is read before", ("shadow", "read"))


class DeviceTable(Table, kw_only=True):
    """A device on the board's bus, as the host believes it to be."""

    TITLE = "[hosts.NAME.devices.NAME]"
    kind: Annotated[str, Meaning("what it is", kind="word")]

    @property
    def more(self) -> dict[str, Any]:
        """What of its settings its keys do not say by their names."""
        return {}


class OnI2c(DeviceTable, kw_only=True):
    """A device on I2C."""

    address: Annotated[int, ADDRESS]
    ten_bit: bool = False
    """Whether its address has ten bits."""


class OnSpi(DeviceTable, kw_only=True):
    """A device on SPI."""

    chip: Annotated[int, CHIP] = 0
    mode: Annotated[int, MODE] = 0
    rate: Annotated[float, Meaning("how fast it is clocked", unit="Hz", low=100, high=100e6)] = 1e6

    @property
    def more(self) -> dict[str, Any]:
        return {"spi": SpiPlace(self.chip, self.mode, round(self.rate))}


class ExpanderTable(OnI2c, kw_only=True):
    """An expander."""

    map: Annotated[str, MAP] = "expander16"
    writes: Annotated[str, WRITES] = "shadow"
    reads: Annotated[
        str,
        Meaning("how inputs are read: at every interval, or by its interrupt line", ("poll", "interrupt")),
    ] = "poll"
    interrupt: Annotated[int | None, Meaning("the pin of that line", kind="pin", beside=("reads", ("interrupt",)))] = (
        None
    )


class PanelTable(OnI2c, kw_only=True):
    """A panel."""

    columns: Annotated[int, Meaning("how many characters a line has", low=1, high=40)] = 16
    rows: Annotated[int, Meaning("how many lines it has", low=1, high=4)] = 2
    scroll: Annotated[float, SCROLL] = 0.4


class MatrixTable(OnI2c, kw_only=True):
    """A matrix."""

    map: Annotated[str, MAP] = "matrix8"
    brightness: Annotated[int, BRIGHTNESS] = 15
    turn: Annotated[int, TURN] = 0
    scroll: Annotated[float, SCROLL] = 0.4


class RegistersTable(OnI2c, kw_only=True):
    """A device with registers."""

    ten_bit: Annotated[bool, Meaning("whether its address has ten bits")] = False
    map: Annotated[str, MAP]
    writes: Annotated[str, WRITES] = "shadow"


class ShiftTable(OnSpi, kw_only=True):
    """Shift registers."""

    registers: Annotated[int, Meaning("how many registers it has", low=1, high=8)] = 1

    @property
    def more(self) -> dict[str, Any]:
        return {**super().more, "modules": self.registers}


class ChainTable(OnSpi, kw_only=True):
    """A chain of matrices."""

    modules: Annotated[int, Meaning("how many matrices it has", low=1, high=64)] = 4
    reversed: Annotated[bool, Meaning("whether the nearest one is the rightmost")] = False
    brightness: Annotated[int, BRIGHTNESS] = 15
    turn: Annotated[int, TURN] = 0
    scroll: Annotated[float, SCROLL] = 0.4


DeviceTable.VARIANTS = {
    "expander": ExpanderTable, "panel": PanelTable, "matrix": MatrixTable, "registers": RegistersTable,
    "shift": ShiftTable, "chain": ChainTable,
}  # fmt: skip


class BusHost(Table, kw_only=True):
    """What a host believes to be on the board's bus."""

    devices: Annotated[dict[str, Any], Meaning("Firmata, buses: what is on its bus, see below")] = {}


class BusPlace(Table, kw_only=True):
    """Where a point is, on a bus."""

    device: Annotated[
        str,
        Meaning(
            "a device of its host's; `DEVICE.LINE` of an expander or of shift registers, `DEVICE.REGISTER` or "
            "`DEVICE.REGISTER.FIELD` where it has a map",
            names="device",
        ),
    ] = ""


KINDS = {
    "expander": (PointKind.SWITCH, PointKind.CONTACT),
    "panel": (PointKind.TEXT,),
    "matrix": (PointKind.PIXELS,),
    "chain": (PointKind.PIXELS,),
    "shift": (PointKind.SWITCH,),
    "registers": (PointKind.SWITCH, PointKind.CONTACT, PointKind.LEVEL, PointKind.READING),
}
"""The kinds of point that each kind of device can have."""
SIDE = 8


def read_devices(tables: HostTables) -> dict[str, DeviceSettings]:
    """What a host believes to be on the board's bus."""
    path = (*tables.path, "devices")
    own = tables.own(BusHost)
    found = {}
    for name, table in tables.tables("devices", DeviceTable, tables.path, own.devices).items() if own else ():
        if isinstance(table, ExpanderTable) and table.interrupt is not None:
            table.interrupt = tables.interrupt_pin((*path, name, "interrupt"), table.interrupt)
        device = _read_device(tables.checker, (*path, name), name, table, tables.folder)
        if device is not None:
            found[name] = device
    return found


def _read_device(
    checker: Checker, path: Path, name: str, table: DeviceTable, folder: FilePath | None
) -> DeviceSettings | None:
    registers = None
    if isinstance(table, ExpanderTable | MatrixTable | RegistersTable):
        registers = read_map(checker, (*path, "map"), table.map, table.kind, folder)
        if registers is None:
            return None
    if isinstance(table, OnI2c) and table.address > 0x7F and not table.ten_bit:
        found = f"0x{table.address:X}"
        checker.wrong((*path, "address"), found=found, expected="0x00 to 0x7F, an address of 7 bits")
        return None
    if isinstance(table, ExpanderTable) and table.reads == "interrupt" and table.interrupt is None:
        checker.wrong((*path, "interrupt"), found="nothing", expected="the pin of its interrupt line")
        return None
    if registers is not None and isinstance(table, RegistersTable) and registers.banked_by:
        checker.wrong((*path, "map"), found=f"banks, by {registers.banked_by}", expected="a map without banks")
        return None
    return made(DeviceSettings, table, name=name, **{"registers": registers, **table.more})


def read_point_at_device(tables: PointTables) -> DevicePoint | None:
    """Read a point at a device; `None` where nothing can be made of it."""
    own = tables.own(BusPlace)
    if own is None or not tables.has("device", own.device, "the device that it is at"):
        return None
    place = _place(tables, own.device)
    if place is None:
        return None
    fields = tables.common()
    if tables.host.devices[place["device"]].kind in ON_SPI:
        fields["confirm"] = False  # what it shows can't be read back
    point = DevicePoint(**{**fields, **place})
    if isinstance(tables.table, PixelsTable):
        for key, picture in (("rest", tables.table.rest), ("start", tables.table.start)):
            if picture is not None:
                _check_picture(tables, key, picture, point)
    return point


def _check_picture(tables: PointTables, key: str, picture: str, point: DevicePoint) -> None:
    try:
        point.picture(picture)
    except WrongError as error:
        tables.note(key, error)


def limits_at_device(point: DevicePoint) -> tuple[float, float]:
    """The least and the greatest number that is carried there."""
    if not point.register:
        return -inf, inf
    signed = min(point.wire_low, point.wire_high) < 0
    return (-(1 << point.bits - 1), (1 << point.bits - 1) - 1) if signed else (0, (1 << point.bits) - 1)


def constants_at_device(point: DevicePoint, about: str) -> list[Constant]:
    """What a program of the user's own has to know of it."""
    return [Constant("LINE", point.line, f"of {point.device}; {about}")] if point.line_name else []


def _place(tables: PointTables, text: str) -> dict[str, Any] | None:
    """What a point at a device has besides what all have; `None` where it can't be there."""
    devices, kind = tables.host.devices, tables.kind
    name, _, line = text.partition(".")
    if name not in devices:
        expected = f"a device of its host: {listed(devices) or 'it has none'}"
        tables.wrong("device", found=name, expected=expected, nearest=nearest(name, devices))
        return None
    device = devices[name]
    if kind not in KINDS[device.kind]:
        expected = f"{listed(each.value for each in KINDS[device.kind])} at a {device.kind}"
        tables.wrong("kind", found=kind.value, expected=expected)
        return None
    if device.kind == "registers":
        return _place_in_register(tables, text, device)
    if device.kind not in ("expander", "shift"):
        if line:
            tables.wrong("device", found=text, expected=f"{name}: it has no lines")
            return None
        runs = device.scroll > 0
        if device.kind == "panel":
            return {"device": name, "width": device.columns, "height": device.rows, "runs": runs}
        return {"device": name, "width": SIDE * device.modules, "height": SIDE, "runs": runs}
    known = line_names(device.kind, device.modules if device.kind == "shift" else None)
    if line not in known:
        expected = f"{name}.{known[0]} to {name}.{known[-1]}"
        tables.wrong("device", found=text, expected=expected, nearest=nearest(line, known))
        return None
    pull_up = isinstance(tables.table, ContactTable) and tables.table.mode == "pull-up"
    return {"device": name, "line": known.index(line), "line_name": line, "pull_up": pull_up}


def _place_in_register(tables: PointTables, text: str, device: DeviceSettings) -> dict[str, Any] | None:
    """Where in a device's registers a point is: `DEVICE.REGISTER`, or one of its bit fields."""
    assert device.registers is not None
    kind = tables.kind
    _, _, place = text.partition(".")
    places = {
        f"{register.name}.{field.name}" if field is not None else register.name: (register, field)
        for register in device.registers.registers
        for field in (None, *register.fields)
    }
    if place not in places:
        expected = f"{device.name}.REGISTER or {device.name}.REGISTER.FIELD, of its map"
        tables.wrong("device", found=text, expected=expected, nearest=nearest(place, places))
        return None
    register, field = places[place]
    if register.size > 1 and device.registers.addressing == "bytes" and not device.registers.auto_increment:
        expected = "one of a single byte: its bytes have an address each, and the address does not count up"
        tables.wrong("device", found=f"{place}, of {register.size} bytes", expected=expected)
        return None
    bits = 8 * register.size if field is None else field.bits
    if kind.is_switch and bits != 1:
        tables.wrong("kind", found=f"{kind.value} of {bits} bits", expected="level or reading")
        return None
    access = (field.access if field is not None else "") or register.access
    if kind.is_output and access in ("read-only", "clear-on-read"):
        tables.wrong("device", found=f"{place}, which is {access}", expected="a place that can be written")
        return None
    if not kind.is_output and access == "write-only":
        tables.wrong("device", found=f"{place}, which is {access}", expected="a place that can be read")
        return None
    found = {
        "device": device.name, "line_name": place, "register": register.name, "bit": 0 if field is None else field.low,
        "bits": bits,
    }  # fmt: skip
    if not kind.is_switch:
        wire = tables.table.wire if isinstance(tables.table, ScaledTable) else None
        low, high = wire or (0, (1 << bits) - 1)
        found |= {"wire_low": low, "wire_high": high}
    if kind.is_output and (register.mask("write-only") or access == "write-one-to-clear"):
        found["confirm"] = False  # it can't be read back, or does not stay
    return found
