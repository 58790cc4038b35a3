"""Which of the kernel's devices a board stands for, when a program of others runs on the bench."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import msgspec

from cavet.benchfile._check import Checker, shown
from cavet.benchfile._places import Path
from cavet.benchfile._schema_truth import BoardTable
from cavet.boards import PinMode, Profile

I2C, SPI, GPIO, SERIAL = "i2c", "spi", "gpio", "serial"
CHIPS = "/dev/gpiochip"
"""How the kernel names chips of lines: there, a board alone is its lines."""


class KernelDevice(msgspec.Struct, frozen=True):
    """A device of the kernel: its path, what of the board it is, a chip's number, or the name of a serial link."""

    path: str
    kind: str
    chip: int = 0
    link: str = ""


def kernel_device(
    path: str, what: str, profile: Profile, firmware: str, serial: Iterable[str]
) -> tuple[KernelDevice | None, list[str]]:
    """Read what a device is to stand for: `i2c`, `spi.CHIP`, `gpio`, `serial` or a serial link's name; "" for what its
    path suggests. Give it, or `None`, and what the board could stand for."""
    links = list(serial)
    able = [I2C, f"{SPI}.0"] if firmware == "buses" or profile.able(PinMode.BUS) else []
    able += [GPIO] if profile.lines else []
    able += [SERIAL, *links] if links else []
    kind, _, chip = (what or (GPIO if path.startswith(CHIPS) else SERIAL)).partition(".")
    if kind == SPI and f"{SPI}.0" in able and chip.isdecimal() and len(chip) < 3:
        return KernelDevice(path, SPI, chip=int(chip)), able
    if chip or kind not in able:
        return None, able
    return KernelDevice(path, kind) if kind in (I2C, GPIO) else KernelDevice(path, SERIAL, link=kind), able


def is_device_path(path: str) -> bool:
    """Whether it can be the path of a device."""
    return path.startswith("/") and not any(ord(character) < ord(" ") for character in path)


def read_kernel(
    checker: Checker, board: str, table: BoardTable, profile: Profile, links: Mapping[str, Any]
) -> tuple[KernelDevice, ...]:
    """Read `[boards.NAME.kernel]`: what is wrong stands in the checker's errors. `links` are all tables of links."""
    found, firmware = [], table.firmware
    serial = [
        name for name, link in links.items()
        if isinstance(link, dict) and link.get("board") == board and link.get("kind") == SERIAL
    ]  # fmt: skip
    for path, what in table.kernel.items():
        place: Path = ("boards", board, "kernel", path)
        if not is_device_path(path):
            checker.wrong(place, found=path, expected="the path of a device, such as /dev/i2c-1")
            continue
        device, able = kernel_device(path, what, profile, firmware, serial) if isinstance(what, str) else (None, [I2C])
        if device is not None:
            found.append(device)
        elif not able:
            checker.wrong(place, found=shown(what), expected="none: the board has no bus, no lines, no serial line")
        elif isinstance(what, str):
            checker.one_of(place, what, able, "what the board can stand for")
        else:
            checker.wrong(place, found=shown(what), expected="a text, such as i2c")
    return tuple(found)


def check_kernel(checker: Checker, boards: Mapping[str, Iterable[KernelDevice]]) -> None:
    """A device is one board's."""
    owners: dict[str, str] = {}
    for board, devices in boards.items():
        for device in devices:
            owner = owners.setdefault(device.path, board)
            if owner != board:
                expected = f"one that is no other board's: {owner} stands for it"
                checker.wrong(("boards", board, "kernel", device.path), found=device.path, expected=expected)
