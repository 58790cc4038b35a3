"""Devices on a board's bus, as a host believes them to be, and the points at them: with Firmata, and on buses of the
host's own."""

from __future__ import annotations

from math import inf
from pathlib import Path as FilePath
from typing import Any

from cavet.benchfile._bus_reading import line_names, read_map
from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.benchfile.hosts._protocol import Constant, HostTables, PointTable
from cavet.boards.buses import ADDRESS, CHIP, MODE, map_key
from cavet.hosts import ON_SPI, DevicePoint, DeviceSettings, PointKind, SpiPlace
from cavet.settings import Key, Section
from cavet.wording import WrongError, listed, nearest

_BRIGHTNESS = Key("brightness", "whole", "0 to 15", default=15, low=0, high=15)
_TURN = Key("turn", "whole", "how many quarter turns clockwise each matrix is mounted", default=0, low=0, high=3)
_SCROLL = Key(
    "scroll",
    "quantity",
    "how long what does not fit stands before it moves on; 0 leaves it cut off",
    unit="s",
    default=0.4,
    low=0,
    high=60,
)

_WRITES = Key(
    "writes",
    "word",
    "how a bit is changed: from what was written last, or from what is read before",
    choices=("shadow", "read"),
    default="shadow",
)
_RATE = Key("rate", "quantity", "how fast it is clocked", unit="Hz", default=1e6, low=100, high=100e6)

DEVICE = Section(
    title="[hosts.NAME.devices.NAME]",
    doc="A device on the board's bus, as the host believes it to be.",
    keys=(
        Key(
            "kind",
            "word",
            "what it is",
            choices=("expander", "panel", "matrix", "registers", "chain", "shift"),
            required=True,
        ),
    ),
    variants={
        "expander": (
            ADDRESS,
            map_key("expander16"),
            _WRITES,
            Key(
                "reads",
                "word",
                "how inputs are read: at every interval, or by its interrupt line",
                choices=("poll", "interrupt"),
                default="poll",
            ),
            Key("interrupt", "pin", "the pin of its interrupt line", default=None),
        ),
        "panel": (
            ADDRESS,
            Key("columns", "whole", "how many characters a line has", default=16, low=1, high=40),
            Key("rows", "whole", "how many lines it has", default=2, low=1, high=4),
            _SCROLL,
        ),
        "matrix": (ADDRESS, map_key("matrix8"), _BRIGHTNESS, _TURN, _SCROLL),
        "registers": (
            ADDRESS,
            Key("ten_bit", "switch", "whether its address has ten bits", default=False),
            map_key(""),
            _WRITES,
        ),
        "shift": (
            CHIP,
            MODE,
            _RATE,
            Key("registers", "whole", "how many registers it has", default=1, low=1, high=8),
        ),
        "chain": (
            CHIP,
            MODE,
            _RATE,
            Key("modules", "whole", "how many matrices it has", default=4, low=1, high=64),
            Key("reversed", "switch", "whether the nearest one is the rightmost", default=False),
            _BRIGHTNESS,
            _TURN,
            _SCROLL,
        ),
    },
)

DEVICES_KEY = Key("devices", "table", "Firmata, buses: what is on its bus, see below", default={})
DEVICE_KEY = Key(
    "device",
    "text",
    "a device of its host's; `DEVICE.LINE` of an expander or of shift registers, `DEVICE.REGISTER` or "
    "`DEVICE.REGISTER.FIELD` where it has a map",
    names="device",
    default="",
)

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
    found = {}
    for name, values in tables.tables("devices", DEVICE, tables.path, tables.table["devices"]).items():
        if values.get("interrupt") is not None:
            values["interrupt"] = tables.interrupt_pin((*path, name, "interrupt"), values["interrupt"])
        device = _read_device(tables.checker, (*path, name), name, values, tables.folder)
        if device is not None:
            found[name] = device
    return found


def _read_device(
    checker: Checker, path: Path, name: str, table: dict[str, Any], folder: FilePath | None
) -> DeviceSettings | None:
    registers = None
    if "map" in table:
        registers = read_map(checker, (*path, "map"), table["map"], table["kind"], folder)
        if registers is None:
            return None
    if table.get("address", 0) > 0x7F and not table.get("ten_bit"):
        found = f"0x{table['address']:X}"
        checker.wrong((*path, "address"), found=found, expected="0x00 to 0x7F, an address of 7 bits")
        return None
    if table.get("reads") == "interrupt" and table["interrupt"] is None:
        checker.wrong((*path, "interrupt"), found="nothing", expected="the pin of its interrupt line")
        return None
    if registers is not None and table["kind"] == "registers" and registers.banked_by:
        checker.wrong((*path, "map"), found=f"banks, by {registers.banked_by}", expected="a map without banks")
        return None
    keys = ("address", "ten_bit", "writes", "reads", "interrupt", "columns", "rows", "scroll", "modules", "turn",
            "reversed", "brightness")  # fmt: skip
    fields = {key: table[key] for key in keys if key in table}
    if "chip" in table:
        fields["spi"] = SpiPlace(table["chip"], table["mode"], round(table["rate"]))
    if table["kind"] == "matrix":
        fields["modules"] = 1
    if table["kind"] == "shift":
        fields["modules"] = table["registers"]
    return DeviceSettings(name=name, kind=table["kind"], registers=registers, **fields)


def read_point_at_device(table: PointTable) -> DevicePoint | None:
    """Read a point at a device; `None` where nothing can be made of it."""
    if not table.has("device", "the device that it is at"):
        return None
    place = _place(table)
    if place is None:
        return None
    fields = table.common()
    if table.host.devices[place["device"]].kind in ON_SPI:
        fields["confirm"] = False  # what it shows can't be read back
    point = DevicePoint(**{**fields, **place})
    if table.kind is PointKind.PIXELS:
        for key in ("rest", "start"):
            if table.table[key] is not None:
                _check_picture(table, key, point)
    return point


def _check_picture(table: PointTable, key: str, point: DevicePoint) -> None:
    try:
        point.picture(table.table[key])
    except WrongError as error:
        table.wrong(key, found=error.found, expected=error.expected)


def limits_at_device(point: DevicePoint) -> tuple[float, float]:
    """The least and the greatest number that is carried there."""
    if not point.register:
        return -inf, inf
    signed = min(point.wire_low, point.wire_high) < 0
    return (-(1 << point.bits - 1), (1 << point.bits - 1) - 1) if signed else (0, (1 << point.bits) - 1)


def constants_at_device(point: DevicePoint, about: str) -> list[Constant]:
    """What a program of the user's own has to know of it."""
    return [Constant("LINE", point.line, f"of {point.device}; {about}")] if point.line_name else []


def _place(table: PointTable) -> dict[str, Any] | None:
    """What a point at a device has besides what all have; `None` where it can't be there."""
    devices, kind, text = table.host.devices, table.kind, table.table["device"]
    name, _, line = text.partition(".")
    if name not in devices:
        expected = f"a device of its host: {listed(devices) or 'it has none'}"
        table.wrong("device", found=name, expected=expected, nearest=nearest(name, devices))
        return None
    device = devices[name]
    if kind not in KINDS[device.kind]:
        expected = f"{listed(each.value for each in KINDS[device.kind])} at a {device.kind}"
        table.wrong("kind", found=kind.value, expected=expected)
        return None
    if device.kind == "registers":
        return _place_in_register(table, device)
    if device.kind not in ("expander", "shift"):
        if line:
            table.wrong("device", found=text, expected=f"{name}: it has no lines")
            return None
        return {"device": name, "width": SIDE * device.modules, "height": SIDE}
    known = line_names(device.kind, device.modules if device.kind == "shift" else None)
    if line not in known:
        expected = f"{name}.{known[0]} to {name}.{known[-1]}"
        table.wrong("device", found=text, expected=expected, nearest=nearest(line, known))
        return None
    pull_up = table.table.get("mode") == "pull-up"
    return {"device": name, "line": known.index(line), "line_name": line, "pull_up": pull_up}


def _place_in_register(table: PointTable, device: DeviceSettings) -> dict[str, Any] | None:
    """Where in a device's registers a point is: `DEVICE.REGISTER`, or one of its bit fields."""
    assert device.registers is not None
    kind, text = table.kind, table.table["device"]
    _, _, place = text.partition(".")
    places = {
        f"{register.name}.{field.name}" if field is not None else register.name: (register, field)
        for register in device.registers.registers
        for field in (None, *register.fields)
    }
    if place not in places:
        expected = f"{device.name}.REGISTER or {device.name}.REGISTER.FIELD, of its map"
        table.wrong("device", found=text, expected=expected, nearest=nearest(place, places))
        return None
    register, field = places[place]
    bits = 8 * register.size if field is None else field.bits
    if kind.is_switch and bits != 1:
        table.wrong("kind", found=f"{kind.value} of {bits} bits", expected="level or reading")
        return None
    access = (field.access if field is not None else "") or register.access
    if kind.is_output and access in ("read-only", "clear-on-read"):
        table.wrong("device", found=f"{place}, which is {access}", expected="a place that can be written")
        return None
    if not kind.is_output and access == "write-only":
        table.wrong("device", found=f"{place}, which is {access}", expected="a place that can be read")
        return None
    found = {
        "device": device.name, "line_name": place, "register": register.name, "bit": 0 if field is None else field.low,
        "bits": bits,
    }  # fmt: skip
    if not kind.is_switch:
        low, high = table.table.get("wire") or (0, (1 << bits) - 1)
        found |= {"wire_low": low, "wire_high": high}
    if kind.is_output and (register.mask("write-only") or access == "write-one-to-clear"):
        found["confirm"] = False  # it can't be read back, or does not stay
    return found
