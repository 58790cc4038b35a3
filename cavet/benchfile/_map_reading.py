"""From the tables of a plan file to register maps: every mistake is found here, before anything runs."""

from __future__ import annotations

from typing import Any, TypeVar

from cavet.benchfile import _schema_plan as schema
from cavet.benchfile._check import Checker, shown
from cavet.benchfile._field_reading import NAME
from cavet.benchfile._places import Path
from cavet.protocols.i2c import is_free
from cavet.protocols.registers import BitField, Register, RegisterMap
from cavet.settings import Table, made
from cavet.wording import listed, nearest

T = TypeVar("T", bound=Table)
MAX_REGISTERS = 4096


class MapReader:
    """Reads one map; what is wrong stands in the checker's errors."""

    def __init__(self, checker: Checker, name: str, table: schema.MapTable) -> None:
        self._checker = checker
        self._name = name
        self._path: Path = ("maps", name)
        self._table = table

    def read(self) -> RegisterMap | None:
        """Read it; `None` where something is wrong."""
        before = len(self._checker.errors)
        table = self._table
        registers = [
            self._register(name, values)
            for name, values in self._tables(table.registers, schema.RegisterTable, (*self._path, "registers")).items()
        ]
        if len(self._checker.errors) > before:
            return None
        if not registers or len(registers) > MAX_REGISTERS:
            expected = f"1 to {MAX_REGISTERS} registers"
            self._wrong(("registers",), str(len(registers)), expected)
            return None
        self._check_address()
        self._check_overlaps(registers)
        self._check_bank(registers)
        top = max(register.at + self._extent(register) - 1 for register in registers)
        most = (1 << 8 * table.pointer) - 1
        if top > most:
            self._wrong(("pointer",), table.pointer, f"enough bytes for address 0x{top:X}")
        last = table.last if table.last is not None else most
        if not top <= last <= most:
            self._wrong(("last",), f"0x{last:X}", f"0x{top:X} to 0x{most:X}")
        if len(self._checker.errors) > before:
            return None
        return made(RegisterMap, table, name=self._name, registers=tuple(registers), last=last)

    def _wrong(self, path: Path, found: object, expected: str, near: str | None = None) -> None:
        self._checker.wrong((*self._path, *path), found=found, expected=expected, nearest=near)

    def _tables(self, data: dict[str, Any], of: type[T], path: Path) -> dict[str, T]:
        found = {}
        for name, raw in data.items():
            if not NAME.fullmatch(name):
                self._checker.wrong((*path, name), found=name, expected="a name of letters, digits and _")
                continue
            table = self._checker.read(raw, of, (*path, name))
            if table is not None:
                found[name] = table
        return found

    def _extent(self, register: Register) -> int:
        """How many addresses it takes."""
        return register.size if self._table.addressing == "bytes" else 1

    def _register(self, name: str, table: schema.RegisterTable) -> Register:
        path: Path = ("registers", name)
        bits = 8 * table.size
        if table.reset >= 1 << bits:
            self._wrong((*path, "reset"), f"0x{table.reset:X}", f"0 to 0x{(1 << bits) - 1:X}: {table.size} bytes")
        tables = self._tables(table.fields, schema.BitFieldTable, (*self._path, *path, "fields"))
        fields = [self._field((*path, "fields", field), field, values, bits) for field, values in tables.items()]
        taken: dict[int, str] = {}
        for field in fields:
            for bit in range(field.low, field.low + field.bits):
                other = taken.setdefault(bit, field.name)
                if other != field.name:
                    self._wrong((*path, "fields", field.name, "at"), f"bit {bit}", f"bits of its own: {other} has it")
                    break
        return made(Register, table, name=name, fields=tuple(fields))

    def _field(self, path: Path, name: str, table: schema.BitFieldTable, width: int) -> BitField:
        if table.at + table.bits > width:
            found = f"bit {table.at + table.bits - 1}"
            self._wrong((*path, "bits"), found, f"bits 0 to {width - 1} of its register")
        values = {}
        for word, number in table.values.items():
            if type(number) is not int or not 0 <= number < 1 << table.bits:
                self._wrong((*path, "values", word), shown(number), f"0 to {(1 << table.bits) - 1}")
            else:
                values[word] = number
        return made(BitField, table, name=name, low=table.at, access=table.access or "", values=values)

    def _check_address(self) -> None:
        address, straps = self._table.address, self._table.straps
        if address is None:
            if straps:
                self._wrong(("straps",), straps, "`address` beside it")
            return
        if address & (1 << straps) - 1:
            self._wrong(
                ("address",), f"0x{address:02X}", f"an address whose lower {straps} bits are 0: straps set them"
            )
        for taken in (address, address | (1 << straps) - 1):
            if not is_free(taken):
                self._wrong(("address",), f"0x{taken:02X}", "0x08 to 0x77: the others are kept for something")
                return

    def _check_overlaps(self, registers: list[Register]) -> None:
        taken: dict[int, list[Register]] = {}
        for register in registers:
            for at in range(register.at, register.at + self._extent(register)):
                clash = next((other for other in taken.get(at, ()) if _clash(other, register)), None)
                if clash is not None:
                    found, expected = f"0x{at:02X}", f"addresses of its own: {clash.name} has this one"
                    self._wrong(("registers", register.name, "at"), found, expected)
                    break
                taken.setdefault(at, []).append(register)

    def _check_bank(self, registers: list[Register]) -> None:
        name, _, part = self._table.banked_by.partition(".")
        known = {register.name: register for register in registers}
        banked = [register for register in registers if register.bank is not None]
        if not name:
            if banked:
                self._wrong(("banked_by",), "nothing", f"what chooses the bank: {banked[0].name} is in one")
            return
        if name not in known:
            self._wrong(("banked_by",), name, f"a register: {listed(known)}", nearest(name, known))
            return
        if known[name].bank is not None:
            self._wrong(("banked_by",), name, "a register that is in no bank, so that it can always be reached")
        fields = [field.name for field in known[name].fields]
        if part and part not in fields:
            self._wrong(
                ("banked_by",), part, f"a field of {name}: {listed(fields) or 'it has none'}", nearest(part, fields)
            )


def _clash(one: Register, other: Register) -> bool:
    """Whether two registers at one address are in each other's way: in the same bank, or one of them in none."""
    return one is not other and (None in (one.bank, other.bank) or one.bank == other.bank)
