"""From a host's tables to the devices that it believes to be on a bus, and the points at them."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path as FilePath
from typing import Any

from cavet.benchfile._bus_reading import line_names, read_map
from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.hosts import DevicePlan, PointKind, SpiPlace
from cavet.wording import listed, nearest

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


def read_device(
    checker: Checker, path: Path, name: str, table: dict[str, Any], folder: FilePath | None
) -> DevicePlan | None:
    """Read one device of a host's."""
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
    return DevicePlan(name=name, kind=table["kind"], registers=registers, **fields)


def place_at_device(
    checker: Checker, path: Path, table: dict[str, Any], kind: PointKind, devices: Mapping[str, DevicePlan]
) -> dict[str, Any] | None:
    """What a point at a device has besides what all have; `None` where it can't be there."""
    name, _, line = table["device"].partition(".")
    path = (*path, "device")
    if name not in devices:
        expected = f"a device of its host: {listed(devices) or 'it has none'}"
        checker.wrong(path, found=name, expected=expected, nearest=nearest(name, devices))
        return None
    device = devices[name]
    if kind not in KINDS[device.kind]:
        expected = f"{listed(each.value for each in KINDS[device.kind])} at a {device.kind}"
        checker.wrong((*path[:-1], "kind"), found=kind.value, expected=expected)
        return None
    if device.kind == "registers":
        return _place_in_register(checker, path, table, kind, device)
    if device.kind not in ("expander", "shift"):
        if line:
            checker.wrong(path, found=table["device"], expected=f"{name}: it has no lines")
            return None
        return {"device": name, "width": SIDE * device.modules, "height": SIDE}
    known = line_names(device.kind, device.modules if device.kind == "shift" else None)
    if line not in known:
        expected = f"{name}.{known[0]} to {name}.{known[-1]}"
        checker.wrong(path, found=table["device"], expected=expected, nearest=nearest(line, known))
        return None
    return {
        "device": name, "line": known.index(line), "line_name": line, "pull_up": table.get("mode") == "pull-up"
    }  # fmt: skip


def _place_in_register(
    checker: Checker, path: Path, table: dict[str, Any], kind: PointKind, device: DevicePlan
) -> dict[str, Any] | None:
    """Where in a device's registers a point is: `DEVICE.REGISTER`, or one of its bit fields."""
    assert device.registers is not None
    _, _, place = table["device"].partition(".")
    places = {
        f"{register.name}.{field.name}" if field is not None else register.name: (register, field)
        for register in device.registers.registers
        for field in (None, *register.fields)
    }
    if place not in places:
        expected = f"{device.name}.REGISTER or {device.name}.REGISTER.FIELD, of its map"
        checker.wrong(path, found=table["device"], expected=expected, nearest=nearest(place, places))
        return None
    register, field = places[place]
    bits = 8 * register.size if field is None else field.bits
    if kind.is_switch and bits != 1:
        checker.wrong((*path[:-1], "kind"), found=f"{kind.value} of {bits} bits", expected="level or reading")
        return None
    access = (field.access if field is not None else "") or register.access
    if kind.is_output and access in ("read-only", "clear-on-read"):
        checker.wrong(path, found=f"{place}, which is {access}", expected="a place that can be written")
        return None
    if not kind.is_output and access == "write-only":
        checker.wrong(path, found=f"{place}, which is {access}", expected="a place that can be read")
        return None
    found = {
        "device": device.name, "line_name": place, "register": register.name, "bit": 0 if field is None else field.low,
        "bits": bits,
    }  # fmt: skip
    if not kind.is_switch:
        low, high = table.get("wire") or (0, (1 << bits) - 1)
        found |= {"wire_low": low, "wire_high": high}
    if kind.is_output and (register.mask("write-only") or access == "write-one-to-clear"):
        found["confirm"] = False  # it can't be read back, or does not stay
    return found
