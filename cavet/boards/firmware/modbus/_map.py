"""A Modbus device's data: four tables of addresses, and what stands behind each."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

import msgspec

from cavet.boards._circuit import Circuit
from cavet.boards._pins import PinMode
from cavet.boards._signal import Signal
from cavet.expressions import Expression
from cavet.protocols.modbus import BITS, TABLES, ValueForm
from cavet.record import Kind, Tell, Topic

UPTIME: Final = "uptime"
"""What a cell's `of` says for the seconds since the device was started."""


class CellSettings(msgspec.Struct, frozen=True, kw_only=True):
    """One named value at an address: a pin, an expression of the rig, or a place that keeps what is written.

    One count on the wire is `scale` of the value's own unit; writing above `high` counts as `high`.
    """

    name: str
    table: str
    address: int
    form: ValueForm = ValueForm()
    pin: int | None = None
    mode: PinMode | None = None
    of: Expression | None = None
    scale: float = 1.0
    high: int | None = None
    start: float | str = 0

    @property
    def addresses(self) -> range:
        """The addresses that it takes."""
        return range(self.address, self.address + self.form.size)


Reading = Callable[[], float]


class DeviceMap:
    """All cells, found by table and address. Reads and writes whole runs of addresses."""

    def __init__(self, cells: list[CellSettings], circuit: Circuit, tell: Tell, read: dict[str, Reading]) -> None:
        self._circuit = circuit
        self._tell = tell
        self._read = read
        self._cells = cells
        self._at = {table: {at: c for c in cells if c.table == table for at in c.addresses} for table in TABLES}
        self._signals = {
            cell.name: Signal(circuit, cell.pin, (0, cell.high or cell.form.limits[1]))
            for cell in cells
            if cell.pin is not None
        }
        self._words: dict[str, dict[int, int]] = {}
        self._began = 0.0

    def start(self, now: float) -> None:
        """As after power-on: pins in their modes, memory at its start values."""
        self._began = now
        self._words = {table: {} for table in TABLES}
        for cell in self._cells:
            self._words[cell.table].update(zip(cell.addresses, cell.form.pack(cell.start), strict=True))
            if cell.pin is not None and cell.mode is not None:
                self._circuit.set_mode(cell.pin, cell.mode, now, None)

    def has(self, table: str, address: int, quantity: int) -> bool:
        """Whether all of these addresses are there."""
        cells = self._at[table]
        return all(at in cells for at in range(address, address + quantity))

    def existing(self, table: str, most: int) -> list[int]:
        """The first addresses of a table, up to `most` of them."""
        return sorted(self._at[table])[:most]

    def read(self, table: str, address: int, quantity: int, now: float) -> tuple[int, ...]:
        """Read a run of bits or registers."""
        cells = self._at[table]
        return tuple(self._read_one(table, cells[at], at, now) for at in range(address, address + quantity))

    def _read_one(self, table: str, cell: CellSettings, at: int, now: float) -> int:
        if cell.of is not None:
            return self._measured(cell, now)[at - cell.address]
        if cell.pin is not None and table in BITS:
            return int(self._signals[cell.name].level())
        if cell.pin is not None and cell.mode is PinMode.ANALOG:
            return int(self._signals[cell.name].read(now))
        return self._words[table][at]

    def _measured(self, cell: CellSettings, now: float) -> tuple[int, ...]:
        assert cell.of is not None  # the caller has looked
        if cell.of.text == UPTIME:
            low, high = cell.form.limits
            seconds = (now - self._began) / cell.scale
            return cell.form.pack(int(seconds % (high + 1)) if cell.form.is_whole else seconds)
        value = self._read[cell.name]()
        if not cell.form.is_whole:
            return cell.form.pack(value / cell.scale)
        low, high = cell.form.limits
        return cell.form.pack(min(high, max(low, round(value / cell.scale))))

    def write(self, table: str, address: int, values: tuple[int, ...], now: float, cause: int) -> None:
        """Write a run of coils or registers; each cell once, when its last word is there."""
        cells = self._at[table]
        for at, value in enumerate(values, address):
            cell = cells[at]
            taken = value if cell.high is None else min(value, cell.high)
            self._words[table][at] = taken
            if at + 1 == address + len(values) or cells.get(at + 1) is not cell:
                self._drive(table, cell, now, cause)

    def _drive(self, table: str, cell: CellSettings, now: float, cause: int) -> None:
        word = self._words[table][cell.address]
        if cell.pin is None or cell.mode is PinMode.ANALOG:
            value = cell.form.unpack(tuple(self._words[table][at] for at in cell.addresses))
            note = f"{cell.name} {value}"
            self._tell(Kind.DRIVEN, Topic.REGISTER, f"{table.removesuffix('s')} {cell.address}", value, cause, note)
        else:
            value = word * cell.scale if cell.mode is PinMode.TONE else word
            self._signals[cell.name].write(value, now, cause)
