"""From a board's tables to what its firmware needs: a Modbus map, a tree of SCPI commands."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from typing import Any

import msgspec

from cavet.bench import _schema as schema
from cavet.bench._check import Checker
from cavet.bench._places import Path
from cavet.boards import PinMode, Profile
from cavet.boards.firmware.modbus import COILS, DISCRETE, HOLDING, UPTIME, CellPlan, Identity
from cavet.boards.firmware.scpi import CommandPlan, Pattern
from cavet.expressions import Expression
from cavet.protocols import FieldError
from cavet.protocols.modbus import ValueForm
from cavet.wording import WrongError, hex_pairs, listed

OBJECTS = ("vendor", "product", "revision", "url", "product_name", "model", "application")
"""In the order of their ids. Source: Modbus application protocol 1.1b3, section 6.21."""
BITS = (COILS, DISCRETE)
MAX_CHANNELS = 1000

ReadTables = Callable[[str, schema.Section, Path, Any], dict[str, dict[str, Any]]]
FindPin = Callable[[Path, Any], int | None]


class ModbusPlan(msgspec.Struct, frozen=True, kw_only=True):
    """A Modbus board's data."""

    identity: Identity
    cells: tuple[CellPlan, ...]

    @property
    def sums(self) -> dict[str, Expression]:
        """What its cells measure, by their names."""
        return {cell.name: cell.of for cell in self.cells if cell.of is not None and cell.of.text != UPTIME}


class ScpiPlan(msgspec.Struct, frozen=True, kw_only=True):
    """A SCPI board's identity and commands."""

    identity: str
    commands: tuple[CommandPlan, ...]


class DeviceReader:
    """Reads the tables of one board."""

    def __init__(
        self, checker: Checker, board: str, table: dict[str, Any], profile: Profile, parts: dict[str, dict[str, Any]],
        tables: ReadTables, find_pin: FindPin,
    ) -> None:  # fmt: skip
        self._checker = checker
        self._path: Path = ("boards", board)
        self._table = table
        self._profile = profile
        self._parts = parts
        self._tables = tables
        self._find_pin = find_pin
        identity = checker.table(table["identity"], schema.IDENTITY, (*self._path, "identity")) or {}
        defaults = {"vendor": "Cavet", "product": board.capitalize(), "serial": "0001", "revision": "1.0"}
        self._identity = {key: identity.get(key) or defaults.get(key, "") for key in (*OBJECTS, "serial")}

    def read(self) -> ModbusPlan | ScpiPlan | None:
        """Read what the firmware needs; `None` for one that needs nothing more."""
        if self._table["firmware"] == "modbus":
            return self._modbus()
        if self._table["firmware"] == "scpi":
            return self._scpi()
        return None

    # Modbus

    def _modbus(self) -> ModbusPlan:
        cells = [self._cell(name, table) for name, table in self._read("map", schema.CELL).items()]
        found = [cell for cell in cells if cell is not None]
        self._check_overlaps(found)
        files = {
            table["number"]: [*table["start"], *[0] * table["records"]][: table["records"]]
            for table in self._read("files", schema.RECORDS).values()
        }
        queues = {table["address"]: list(table["values"]) for table in self._read("queues", schema.QUEUE).values()}
        objects = {
            number: self._identity[key].encode("latin-1", "replace")[:200]
            for number, key in enumerate(OBJECTS)
            if self._identity[key]
        }
        identity = Identity(unit=self._table["unit"], objects=objects, files=files, queues=queues)
        return ModbusPlan(identity=identity, cells=tuple(found))

    def _read(self, name: str, section: schema.Section) -> dict[str, dict[str, Any]]:
        return self._tables(name, section, self._path, self._table[name])

    def _cell(self, name: str, table: dict[str, Any]) -> CellPlan | None:
        path: Path = (*self._path, "map", name)
        form = value_form(table)
        if table["table"] in BITS:
            form = ValueForm("bit")
        pin = self._find_pin((*path, "pin"), table["pin"]) if table["pin"] is not None else None
        mode = self._mode(path, table, pin) if pin is not None else None
        if table["address"] + form.size > 0x10000:
            self._checker.wrong((*path, "address"), found=table["address"], expected=f"room for {form.size} registers")
            return None
        try:
            form.pack(table["start"])
        except FieldError as error:
            self._checker.wrong((*path, "start"), found=error.found, expected=error.expected)
            return None
        return CellPlan(
            name=name, table=table["table"], address=table["address"], form=form, pin=pin, mode=mode, of=table["of"],
            scale=table["scale"], high=table["high"], start=table["start"],
        )  # fmt: skip

    def _mode(self, path: Path, table: dict[str, Any], pin: int) -> PinMode | None:
        usual = {COILS: "output", DISCRETE: "input", HOLDING: "pwm"}.get(table["table"], "analog")
        mode = PinMode(table["mode"] or usual)
        if not self._profile.pins[pin].can(mode):
            able = listed(self._profile.able(mode), "and") or "no pin"
            self._checker.wrong((*path, "pin"), found=pin, expected=f"a pin with {mode.value}: {able}")
            return None
        return mode

    def _check_overlaps(self, cells: list[CellPlan]) -> None:
        taken: dict[tuple[str, int], str] = {}
        for cell in cells:
            for at in cell.addresses:
                other = taken.setdefault((cell.table, at), cell.name)
                if other != cell.name:
                    path: Path = (*self._path, "map", cell.name, "address")
                    self._checker.wrong(path, found=at, expected=f"addresses of its own: {other} has this one")
                    break

    # SCPI

    def _scpi(self) -> ScpiPlan:
        read = [self._command(name, table) for name, table in self._read("commands", schema.COMMAND).items()]
        commands = [plan for plan in read if plan is not None]
        self._check_headers(commands)
        identity = ",".join(
            self._identity[key].replace(",", " ") for key in ("vendor", "product", "serial", "revision")
        )
        return ScpiPlan(identity=identity, commands=tuple(commands))

    def _check_headers(self, commands: list[CommandPlan]) -> None:
        """A header means one command: of two, the second one would never be done."""
        before: dict[str, list[CommandPlan]] = {}
        for plan in commands:
            alike = [other for word in plan.header.first_words for other in before.get(word, ())]
            other = next((other for other in alike if plan.header.meets(other.header)), None)
            if other is not None:
                path: Path = (*self._path, "commands", plan.name, "header")
                expected = f"a header of its own: {other.name} has {other.header.text}"
                self._checker.wrong(path, found=plan.header.text, expected=expected)
            for word in plan.header.first_words:
                before.setdefault(word, []).append(plan)

    def _command(self, name: str, table: dict[str, Any]) -> CommandPlan | None:
        path: Path = (*self._path, "commands", name)
        try:
            header = self._checker.placed((*path, "header"), lambda: Pattern.parse(table["header"]))
        except WrongError as error:
            self._checker.errors.append(error)
            return None
        pins = self._pins(path, table["pins"])
        channels = self._channels(path, table["channels"])
        low, high = sorted(table["range"])
        plan = CommandPlan(
            name=name, header=header, does=table["does"], takes=table["takes"] if table["does"] == "set" else "none",
            unit=table["unit"].upper(), low=low, high=high, default=self._default(path, table, low, high),
            choices=table["choices"], pins=pins, channels=channels, parts=table["parts"], measures=table["measures"],
            overlapped=table["overlapped"], mode=PinMode(table["mode"]) if table["mode"] else None,
        )  # fmt: skip
        self._check_command(path, plan)
        return plan

    def _default(self, path: Path, table: dict[str, Any], low: float, high: float) -> float | bool | str:
        value = table["default"]
        if table["takes"] == "block":
            return self._block(path, str(value or ""))
        if table["takes"] in ("keyword", "string"):
            return str(value or (table["choices"] or ("",))[0])
        if isinstance(value, str) or (table["takes"] == "number" and not low <= value <= high):
            self._checker.wrong((*path, "default"), found=value, expected=f"a number of {low:g} to {high:g}")
            return low
        return bool(value) if table["takes"] == "boolean" else float(value)

    def _block(self, path: Path, text: str) -> str:
        try:
            return hex_pairs(bytes.fromhex(text))
        except ValueError:
            self._checker.wrong((*path, "default"), found=text, expected="hex pairs")
            return ""

    def _pins(self, path: Path, text: str) -> tuple[int, ...]:
        pins = (self._find_pin((*path, "pins"), pin) for pin in numbers(self._checker, (*path, "pins"), text))
        return tuple(pin for pin in pins if pin is not None)

    def _channels(self, path: Path, text: str) -> tuple[int, ...]:
        return tuple(numbers(self._checker, (*path, "channels"), text))

    def _check_command(self, path: Path, plan: CommandPlan) -> None:
        if plan.does in ("close", "open") and len(plan.pins) != len(plan.channels):
            found = f"{len(plan.pins)} pins"
            self._checker.wrong((*path, "pins"), found=found, expected=f"one for each of {len(plan.channels)} channels")
        if plan.does == "measure" and len(plan.parts) != len(plan.channels):
            found = f"{len(plan.parts)} parts"
            expected = f"one for each of {len(plan.channels)} channels"
            self._checker.wrong((*path, "parts"), found=found, expected=expected)
        for part in plan.parts:
            if self._parts.get(part, {}).get("kind") != "supply":
                supplies = [name for name, table in self._parts.items() if table["kind"] == "supply"]
                expected = f"a supply: {listed(supplies) or 'there is none'}"
                self._checker.wrong((*path, "parts"), found=part, expected=expected)
        suffixes = next((node.high for node in plan.header.nodes if node.high > 1), 1)
        if plan.does == "set" and plan.pins and len(plan.pins) != suffixes:
            found = f"{len(plan.pins)} pins"
            self._checker.wrong((*path, "pins"), found=found, expected=f"one for each of {suffixes} suffixes")
        drives = {PinMode.OUTPUT, PinMode.PWM, PinMode.DAC}
        for pin in plan.pins:
            if plan.mode is not None and not self._profile.pins[pin].can(plan.mode):
                able = listed(self._profile.able(plan.mode), "and") or "no pin"
                self._checker.wrong((*path, "pins"), found=pin, expected=f"pins with {plan.mode.value}: {able}")
            if not drives & self._profile.pins[pin].modes.keys():
                self._checker.wrong((*path, "pins"), found=pin, expected="pins that can be driven")


def value_form(table: dict[str, Any]) -> ValueForm:
    """How a value lies in registers, as its table says."""
    return ValueForm(table["data"], table["word_order"], table["byte_order"], table["length"], table["bit"])


def numbers(checker: Checker, path: Path, text: str) -> Iterable[int]:
    """Read numbers and runs of them: `1-3, 8`."""
    found: list[int] = []
    for word in text.replace(",", " ").split():
        match = re.fullmatch(r"(\d{1,5})(?:-(\d{1,5}))?", word)
        if match is None:
            checker.wrong(path, found=word, expected='numbers and runs of numbers, such as "2-13, 18"')
            continue
        first, last = int(match[1]), int(match[2] or match[1])
        found += [number for number in range(first, min(last, first + MAX_CHANNELS) + 1) if number not in found]
    return found
