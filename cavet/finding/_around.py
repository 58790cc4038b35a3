"""What this machine has: serial ports, USB devices, kernel buses. Nothing of it is opened.

Sources: Linux, Documentation/ABI: sysfs-bus-usb, sysfs-class-i2c-dev; proc(5) for who has a file open.
"""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import msgspec

DEVICES = Path("/dev")
BY_ID = DEVICES / "serial" / "by-id"
USB = Path("/sys/bus/usb/devices")
I2C = Path("/sys/class/i2c-dev")
PROCESSES = Path("/proc")
MOST_CHARACTERS = 80


class Found(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """Something that is there. `kind` is `serial`, `usb`, `i2c`, `tcp`, `topic`, `address`."""

    kind: str
    address: str
    description: str = ""
    vendor: str = ""
    product: str = ""
    serial: str = ""
    by_id: str = ""
    busy: bool = False
    """Whether a program has it open."""
    by: str = ""
    """Which one, where that can be seen."""

    def row(self) -> dict[str, Any]:
        """As a JSON object; what is known of this kind is always there."""
        found = {"kind": self.kind, "address": self.address, "description": self.description}
        if self.kind in ("serial", "usb"):
            found |= {"vendor": self.vendor, "product": self.product, "serial": self.serial}
        if self.kind == "serial":
            return {**found, "by_id": self.by_id, "busy": self.busy, "by": self.by}
        return found


def nearby() -> list[Found]:
    """Serial ports, USB devices, kernel buses."""
    return [*serial_ports(), *usb_devices(), *kernel_buses()]


def serial_ports() -> list[Found]:
    """The serial ports that the system knows, with who has them open."""
    from serial.tools import list_ports

    stable = _stable_names()
    holders = _holders()
    found = []
    for port in list_ports.comports():
        path = os.path.realpath(port.device)
        description = port.description if port.description not in (None, "n/a") else ""
        holder = holders.get(path)
        found.append(
            Found(
                kind="serial", address=port.device, description=_cut(port.product or description),
                vendor=_cut(port.manufacturer or (f"{port.vid:04X}" if port.vid is not None else "")),
                product=_cut(f"{port.vid:04X}:{port.pid:04X}" if port.vid is not None and port.pid is not None else ""),
                serial=_cut(port.serial_number or ""), by_id=stable.get(path, ""), busy=holder is not None,
                by=holder or "",
            )
        )  # fmt: skip
    return sorted(found, key=lambda each: each.address)


def _stable_names() -> dict[str, str]:
    """The names that stay when a device is plugged in elsewhere, by the device's own."""
    try:
        return {os.path.realpath(path): str(path) for path in BY_ID.iterdir()}
    except OSError:
        return {}


def _holders() -> dict[str, str]:
    """Which program has which device open, as far as this user may see it."""
    found: dict[str, str] = {}
    for process in PROCESSES.glob("[0-9]*"):
        try:
            opened = [str(path.readlink()) for path in (process / "fd").iterdir()]
        except OSError:
            continue  # another user's, or over by now
        for path in opened:
            if path.startswith("/dev/tty") and path not in found:
                found[path] = _name_of(process)
    return found


def _name_of(process: Path) -> str:
    try:
        return _cut((process / "comm").read_text("utf-8", "replace").strip())
    except OSError:
        return "a program"


def usb_devices() -> list[Found]:
    """The USB devices, hubs left out."""
    found = []
    for path in sorted(USB.glob("*")) if USB.is_dir() else ():
        vendor, product = _read(path / "idVendor"), _read(path / "idProduct")
        if not vendor or not product or _read(path / "bDeviceClass") == "09":
            continue
        found.append(
            Found(
                kind="usb", address=f"usb:{vendor.upper()}:{product.upper()}", description=_read(path / "product"),
                vendor=_read(path / "manufacturer"), product=_read(path / "product"), serial=_read(path / "serial"),
            )
        )  # fmt: skip
    return found


def kernel_buses() -> list[Found]:
    """The I2C buses that the kernel offers to programs."""
    found = []
    for path in sorted(I2C.glob("i2c-*")) if I2C.is_dir() else ():
        found.append(Found(kind="i2c", address=str(DEVICES / path.name), description=_read(path / "name")))
    return found


def _read(path: Path) -> str:
    try:
        return _cut(path.read_text("utf-8", "replace").strip())
    except OSError:
        return ""


def _cut(text: str) -> str:
    return text[:MOST_CHARACTERS]
