"""A Modbus device's data: four tables of addresses, and what stands behind each."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

import msgspec

from cavet.boards._circuit import Circuit
from cavet.boards._pins import PinMode
from cavet.boards._signal import Signal
from cavet.expressions import Expression
from cavet.protocols.modbus import TABLES, WRITABLE, ValueForm
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
        self._at: dict[str, dict[int, tuple[CellSettings, ...]]] = {table: {} for table in TABLES}
        """What stands at each address: one cell, or several that are bits of one register."""
        for cell in cells:
            for at in cell.addresses:
                self._at[cell.table][at] = (*self._at[cell.table].get(at, ()), cell)
        self._signals = {
            cell.name: Signal(circuit, cell.pin, (0, cell.high or cell.form.limits[1]))
            for cell in cells
            if cell.pin is not None
        }
        self._addresses = {cell.name: cell.addresses for cell in cells}
        self._words: dict[str, dict[int, int]] = {}
        self._began = 0.0

    def start(self, now: float) -> None:
        """As after power-on: pins in their modes, memory at its start values, outputs with them."""
        self._began = now
        self._words = {table: dict.fromkeys(cells, 0) for table, cells in self._at.items()}
        for cell in self._cells:
            self._put(cell, cell.form.pack(cell.start))
            if cell.pin is not None and cell.mode is not None:
                self._signals[cell.name].forget()
                if cell.table not in WRITABLE and cell.mode.drives:
                    continue  # it reads a pin that another one drives
                self._circuit.set_mode(cell.pin, cell.mode, now, None)
                if cell.start and cell.mode.drives:
                    self._drive(cell, now, None)

    def has(self, table: str, address: int, quantity: int) -> bool:
        """Whether all of these addresses are there."""
        if quantity == 1:
            return address in self._at[table]
        return self._at[table].keys() >= set(range(address, address + quantity))

    def existing(self, table: str, most: int) -> list[int]:
        """The first addresses of a table, up to `most` of them."""
        return sorted(self._at[table])[:most]

    def read(self, table: str, address: int, quantity: int, now: float) -> tuple[int, ...]:
        """Read a run of bits or registers; what is live of a cell is looked at once, for all its words."""
        live: dict[str, tuple[int, ...] | None] = {}
        return tuple([self._read_one(table, at, now, live) for at in range(address, address + quantity)])

    def _read_one(self, table: str, at: int, now: float, live: dict[str, tuple[int, ...] | None]) -> int:
        word = self._words[table][at]
        for cell in self._at[table][at]:
            if cell.name not in live:
                live[cell.name] = self._live(cell, now)
            words = live[cell.name]
            if words is None:
                continue
            if cell.form.kind == "bit":
                word = word & ~(1 << cell.form.bit) | words[0]
            else:
                word = words[at - cell.address]
        return word

    def _live(self, cell: CellSettings, now: float) -> tuple[int, ...] | None:
        """What a cell reads as just now; `None` where that is what was written to it."""
        if cell.of is not None:
            return self._measured(cell, now)
        if cell.pin is None:
            return None
        if cell.form.kind == "bit":
            return (int(self._signals[cell.name].level()) << cell.form.bit,)
        if cell.mode is None or (cell.mode is PinMode.OUTPUT and cell.table in WRITABLE):
            return None
        number = self._signals[cell.name].read(now)
        is_share = cell.mode in (PinMode.PWM, PinMode.OUTPUT)
        return self._packed(cell, number if is_share else number / cell.scale)

    def _measured(self, cell: CellSettings, now: float) -> tuple[int, ...]:
        assert cell.of is not None  # the caller has looked
        if cell.of.text == UPTIME:
            high = cell.form.limits[1]
            seconds = (now - self._began) / cell.scale
            return cell.form.pack(int(seconds % (high + 1)) if cell.form.is_whole else seconds)
        return self._packed(cell, self._read[cell.name]() / cell.scale)

    def _packed(self, cell: CellSettings, number: float) -> tuple[int, ...]:
        """A number as the cell holds it; one that is too great or too small as the last that it can hold."""
        if not cell.form.is_whole:
            return cell.form.pack(number)
        low, high = cell.form.limits
        return cell.form.pack(min(high, max(low, round(number))))

    def write(
        self, table: str, address: int, values: tuple[int, ...], now: float, cause: int, meant: int = 0xFFFF
    ) -> None:
        """Write a run of coils or registers; each cell once, when its last word is there. Of the bits of a register
        those that change, or where none does all that are `meant`."""
        cells, words = self._at[table], self._words[table]
        last = address + len(values) - 1
        for at, value in enumerate(values, address):
            there, changed = cells[at], words[at] ^ value
            words[at] = value
            if there[0].form.kind == "bit":
                for cell in there:
                    if (changed or meant) >> cell.form.bit & 1:
                        self._drive(cell, now, cause)
            elif at == last or there[0] not in cells.get(at + 1, ()):
                self._drive(there[0], now, cause)

    def _put(self, cell: CellSettings, words: tuple[int, ...]) -> None:
        """Lay a cell's words down; a bit leaves the others of its register as they are."""
        memory = self._words[cell.table]
        for at, word in zip(cell.addresses, words, strict=True):
            memory[at] = memory[at] & ~(1 << cell.form.bit) | word if cell.form.kind == "bit" else word

    def _drive(self, cell: CellSettings, now: float, cause: int | None) -> None:
        value = cell.form.unpack(tuple([self._words[cell.table][at] for at in self._addresses[cell.name]]))
        if cell.high is not None and isinstance(value, int | float) and value > cell.high:
            value = cell.high
            self._put(cell, cell.form.pack(value))
        if cell.pin is None or cell.mode is PinMode.ANALOG or isinstance(value, str):
            note = f"{cell.name} {value}"
            self._tell(
                Kind.DRIVEN, Topic.REGISTER, f"{cell.table.removesuffix('s')} {cell.address}", value, cause, note
            )
        else:
            self._signals[cell.name].write(value * cell.scale if cell.mode is PinMode.TONE else value, now, cause)
