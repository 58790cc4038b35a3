"""The keys of a table of the file, as its schema has them: what each is now, what it may be, what it means."""

from __future__ import annotations

import tomllib
from typing import Any

import msgspec

from cavet.benchfile import BenchFile, Setup, section_of, sort_of
from cavet.boards import PinMode
from cavet.expressions import Expression
from cavet.settings import Key
from cavet.units import show
from cavet.wiring import Wiring
from cavet.wording import WrongError

AS_TEXT = ("text", "word", "unit", "expression")
"""Kinds of keys whose values are texts, whatever they look like."""
SMALL, IN_THOUSANDTHS = 0.5, ("A", "V", "s")
"""Less than this of such a unit is told in thousandths: 15 mA."""
BUS_ADDRESSES = (0x7F, 0x3FF)
"""The greatest address on a bus, by which such a key is known."""
NAME = "name"
"""The kind of the row that says what a table is called."""


class KeyRow(msgspec.Struct, frozen=True, kw_only=True):
    """A key: its name, its value as it stands in the file ("" where it is left out), what fits, what it means."""

    name: str
    value: str
    usual: str
    fits: tuple[str, ...]
    doc: str
    kind: str


def raw_table(file: BenchFile, path: tuple[str, ...]) -> dict[str, Any]:
    """A table as it stands in the file; empty where it is not there."""
    table: Any = tomllib.loads(file.text)
    for name in path:
        table = table.get(name, {}) if isinstance(table, dict) else {}
    return table if isinstance(table, dict) else {}


def keys_of(file: BenchFile, path: tuple[str, ...]) -> list[KeyRow]:
    """All keys of a table, those that are set first."""
    section = section_of(path)
    if section is None:
        return []
    table = raw_table(file, path)
    keys: list[Key] = [*section.keys]
    kind = table.get("kind")
    if kind in section.variants:
        keys += section.variants[kind]
    spoken = _protocol_at(file, path, table)
    rows = [
        KeyRow(
            name=key.name, value=written(table[key.name]) if key.name in table else "",
            usual="" if key.default in (None, "", (), {}) else shown_value(key, key.default),
            fits=fitting(file, key, path, table), doc=key.doc, kind=key.kind,
        )
        for key in keys
        if key.kind != "table" and (key.name in table or _has_meaning(key, spoken, table, keys))
    ]  # fmt: skip
    called = KeyRow(
        name="name", value=path[-1], usual="", fits=(), kind=NAME,
        doc="what it is called: changed wherever the file speaks of it",
    )  # fmt: skip
    return [*([called] if sort_of(path) else []), *sorted(rows, key=lambda row: not row.value)]


def _protocol_at(file: BenchFile, path: tuple[str, ...], table: dict[str, Any]) -> str:
    """What is spoken with what a table is about."""
    if path[0] == "points":
        host = file.setup.hosts.get(str(table.get("board")))
        return host.protocol if host is not None else ""
    if path[0] == "hosts":
        return str(table.get("protocol", ""))
    return file.setup.boards[path[1]].firmware if path[0] == "boards" and path[1] in file.setup.boards else ""


def _has_meaning(key: Key, protocol: str, table: dict[str, Any], keys: list[Key]) -> bool:
    """Whether a key has a meaning for what is spoken, and beside what the others say."""
    if protocol and key.concerns and protocol not in key.concerns:
        return False
    if key.beside is None:
        return True
    name, known = key.beside
    said = table.get(name, next((other.default for other in keys if other.name == name), None))
    return said in known if known else bool(said)


def shown_value(key: Key, value: object) -> str:
    """A key's value as a person says it: with its unit, switches as on or off, an address on a bus in hex."""
    if isinstance(value, bool):
        return "on" if value else "off"
    unit = "" if key.unit.startswith("=") else key.unit
    if isinstance(value, float) and unit:
        is_small = 0 < abs(value) < SMALL and unit in IN_THOUSANDTHS
        return show(1000 * value, f"m{unit}") if is_small else show(value, unit)
    if isinstance(value, tuple) and len(value) == 2 and isinstance(value[0], float):
        return f"{show(value[0], '')} to {show(value[1], unit)}"
    if isinstance(value, Expression):
        return value.text
    if key.name == "address" and key.high in BUS_ADDRESSES and isinstance(value, int):
        return f"0x{value:02X}"
    return written(value)


def fitting(file: BenchFile, key: Key, path: tuple[str, ...], table: dict[str, Any]) -> tuple[str, ...]:
    """What a key may be, where that can be listed."""
    if key.choices:
        return tuple(key.choices)
    if key.kind == "switch":
        return ("true", "false")
    if key.kind == "pin":
        return _pins(file, path, table)
    setup, board = file.setup, _board_of(file, path, table)
    there, host = setup.boards.get(board), setup.hosts.get(str(table.get("board")))
    return {
        "board": lambda: tuple(setup.boards), "link": lambda: _links(setup, path), "host": lambda: tuple(setup.hosts),
        "part": lambda: tuple(there.parts) if there is not None else (), "quantity": lambda: tuple(setup.rig),
        "device": lambda: tuple(host.devices) if host is not None else (),
    }.get(key.names, tuple)()  # fmt: skip


def _links(setup: Setup, path: tuple[str, ...]) -> tuple[str, ...]:
    """The links that a host can open; those on whose lines another board can hang."""
    if path[0] == "links":
        able = [link for link in setup.links.values() if not link.shares and link.protocol.startswith("modbus")]
        return tuple(link.name for link in able if link.name != path[1])
    taken = {host.link for host in setup.hosts.values() if host.name != path[1]}
    return tuple(link.name for link in setup.links.values() if link.admits_several or link.name not in taken)


def _board_of(file: BenchFile, path: tuple[str, ...], table: dict[str, Any]) -> str:
    """The board that a table is about."""
    setup = file.setup
    if path[0] in ("boards", "defects", "links"):
        return path[1] if path[0] == "boards" else str(table.get("board"))
    host = setup.hosts.get(str(table.get("board")) if path[0] == "points" else path[1])
    return setup.links[host.link].board if host is not None else ""


def _pins(file: BenchFile, path: tuple[str, ...], table: dict[str, Any]) -> tuple[str, ...]:
    """The pins that are free there, and can do what the table wants."""
    board = _board_of(file, path, table)
    there = file.setup.boards.get(board)
    if there is None:
        return ()
    point = file.setup.points.get(path[1]) if path[0] == "points" else None
    mode = PinMode(table["mode"]) if table.get("mode") in [mode.value for mode in PinMode] else PinMode.OUTPUT
    if point is not None:
        mode = PinMode(next(iter(point.modes().values()), mode.value))
    pins = there.profile.pins
    return tuple(pins[number].label or str(number) for number in Wiring(file.setup, board).free_pins(mode))


def written(value: object) -> str:
    """A value as a person types it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, list | tuple):
        return "[" + ", ".join(f'"{each}"' if isinstance(each, str) else str(each) for each in value) + "]"
    return str(value)


def read_value(text: str, kind: str) -> object:
    """What was typed as a value of the file; `None` for nothing, which takes the key away. Raises `WrongError`."""
    text = text.strip()
    if not text:
        return None
    if kind in AS_TEXT:
        return text.strip('"')
    try:
        return tomllib.loads(f"value = {text}")["value"]
    except tomllib.TOMLDecodeError:
        if text.startswith(("[", "{", '"')):
            raise WrongError("value", found=text, expected='a number, a text, or a list as ["0 %", "100 %"]') from None
        return text
