"""From the tables of a board to what hangs on its bus: maps, addresses, and the lines at which other parts hang."""

from __future__ import annotations

import re
from pathlib import Path as FilePath
from typing import Any

from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.benchfile._plan_file import find_plan
from cavet.benchfile._toml import read_text
from cavet.boards import PartSettings
from cavet.boards.buses import (
    NEEDED,
    BusSettings,
    MappedSettings,
    MeasuringSettings,
    OneWireDeviceSettings,
    ShiftRegistersSettings,
    missing_registers,
)
from cavet.boards.parts import StepperSettings
from cavet.expressions import Expression
from cavet.protocols.registers import RegisterMap
from cavet.wording import WrongError, listed, nearest

LINES = {
    "expander": [*(f"A{line}" for line in range(8)), *(f"B{line}" for line in range(8))],
    "latch": [f"L{line}" for line in range(8)],
    "dac": [f"OUT{line}" for line in range(8)],
    "shift": [f"Q{line}" for line in range(64)],
}
"""The lines of each kind of device, by their names, in their order."""
WIRINGS = [[number < count for number in range(4)] for count in (2, 3, 4)]
"""Which of a stepper's four wires are there, where it has no driver."""


def line_names(kind: str, registers: int | None = None) -> list[str]:
    """The names of the lines of a kind of device, in their order; of so many registers, where it has those."""
    names = LINES.get(kind, [])
    return names if registers is None else names[: 8 * registers]


def line_of(raw: object) -> tuple[str, str] | None:
    """Take `DEVICE.LINE` apart; `None` for anything else."""
    match = re.fullmatch(r"([a-z][a-z0-9_]*)\.(\w+)", raw) if isinstance(raw, str) else None
    return (match[1], match[2]) if match else None


SVD_BYTES = 16 << 20


class BusReader:
    """Reads what concerns the bus in a board's parts; what is wrong stands in the checker's errors."""

    def __init__(self, checker: Checker, board: str, parts: dict[str, PartSettings], folder: FilePath | None) -> None:
        self._checker = checker
        self._path: Path = ("boards", board, "parts")
        self._parts = parts
        self._folder = folder

    def read(self) -> None:
        """Put maps and lines into the tables, where names of them stand."""
        for name, table in self._parts.items():
            path: Path = (*self._path, name)
            if isinstance(table, StepperSettings):
                self._check_wires(path, table)
            if isinstance(table, BusSettings) and table.address > 0x7F and not table.ten_bit:
                found = f"0x{table.address:X}"
                self._checker.wrong((*path, "address"), found=found, expected="0x00 to 0x7F, an address of 7 bits")
            if isinstance(table, MeasuringSettings | OneWireDeviceSettings):
                table.channels = self._channels((*path, "channels"), table.channels)
            if isinstance(table, MappedSettings | OneWireDeviceSettings):
                table.register_map = read_map(self._checker, (*path, "map"), table.map, table.kind, self._folder)

    def _check_wires(self, path: Path, table: StepperSettings) -> None:
        """A stepper has a driver, or two to four wires, the first ones."""
        driver = [pin is not None for pin in (table.pulse, table.direction)]
        coils = [pin is not None for pin in (table.coil_1, table.coil_2, table.coil_3, table.coil_4)]
        if (all(driver) and not any(coils)) or (not any(driver) and coils in WIRINGS):
            pass
        else:
            expected = "`pulse` and `direction`, or `coil_1` to `coil_2`, `coil_3` or `coil_4`"
            self._checker.wrong((*path, "kind"), found="a stepper wired otherwise", expected=expected)
        stops = table.stops
        if stops is not None and (len(stops) != 2 or stops[0] >= stops[1]):
            self._checker.wrong((*path, "stops"), found=stops, expected="two numbers, the lower one first")

    def _channels(self, path: Path, channels: dict[str, Any]) -> dict[str, Expression]:
        """The expressions that a converter's channels measure."""
        found = {}
        for name, text in channels.items():
            try:
                found[name] = self._checker.placed((*path, name), lambda text=text: Expression(str(text)))  # type: ignore[misc]
            except WrongError as error:
                self._checker.errors.append(error)
        return found

    def line(self, path: Path, device: str, line: str) -> int | None:
        """The number of a device's line."""
        devices = [name for name, table in self._parts.items() if table.kind in LINES]
        if device not in devices:
            expected = f"a part with lines: {listed(devices) or 'there is none'}"
            self._checker.wrong(path, found=device, expected=expected, nearest=nearest(device, devices))
            return None
        table = self._parts[device]
        known = line_names(table.kind, table.registers if isinstance(table, ShiftRegistersSettings) else None)
        if line not in known:
            expected = f"{known[0]} to {known[-1]}"
            self._checker.wrong(path, found=line, expected=expected, nearest=nearest(line, known))
            return None
        return known.index(line)


def _find_map(file: str, which: str, folder: FilePath | None) -> RegisterMap:
    """A map of a plan, or a peripheral's of a CMSIS-SVD file. Raises `WrongError`."""
    if not file.endswith(".svd"):
        return find_plan(file, folder).map(which)
    if folder is None:
        raise WrongError("", found=file, expected="a map that ships")
    from cavet.benchfile.svd import SvdReader  # here, since few benches have such a file

    return SvdReader(read_text(folder / file, "a CMSIS-SVD file", SVD_BYTES), file).map(which)


def read_map(checker: Checker, path: Path, name: str, kind: str, folder: FilePath | None) -> RegisterMap | None:
    """The register map of a name, with all that a kind of device needs; what is wrong is noted."""
    file, _, which = name.partition("#")
    try:
        found = _find_map(file, which, folder)
    except WrongError as error:
        checker.note(path, error)
        return None
    except ExceptionGroup as group:
        checker.note_all(group)
        return None
    names = [register.name for register in found.registers]
    missing = {
        "expander": list(missing_registers(found)),
        "matrix": [name for name in NEEDED if name not in names],
        "dac": [] if "output_0" in names else ["output_0"],
    }.get(kind, [])
    if missing:
        checker.wrong(path, found=f"no {missing[0]}", expected=f"a map with all registers of a {kind}")
        return None
    return found
