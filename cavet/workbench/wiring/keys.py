"""The keys of a table of the file, as its schema has them: what each is now, what it may be, what it means."""

from __future__ import annotations

import tomllib
from typing import Any

import msgspec

from cavet.bench import SECTIONS, BenchFile, Key, Section
from cavet.units import show
from cavet.wording import WrongError

TITLES = {
    "points": "[points.NAME]", "links": "[links.NAME]", "hosts": "[hosts.NAME]", "parts": "[boards.NAME.parts.NAME]",
    "map": "[boards.NAME.map.NAME]", "commands": "[boards.NAME.commands.NAME]", "topics": "[boards.NAME.topics.NAME]",
}  # fmt: skip
PROTOCOLS = ("firmata", "modbus", "scpi", "mqtt", "plan", "usb", "buses")
OF_REGISTERS = ("data", "word_order", "byte_order", "length", "bit")
"""Keys of values in registers."""
AS_TEXT = ("text", "word", "unit", "sum")
"""Kinds of keys whose values are texts, whatever they look like."""


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


def section_of_table(path: tuple[str, ...]) -> Section | None:
    """The schema of a table."""
    kind = path[0] if path[0] != "boards" else path[2] if len(path) > 2 else "boards"
    title = TITLES.get(kind, "")
    return next((section for section in SECTIONS if section.title == title), None)


def keys_of(file: BenchFile, path: tuple[str, ...]) -> list[KeyRow]:
    """All keys of a table, those that are set first."""
    section = section_of_table(path)
    if section is None:
        return []
    table = raw_table(file, path)
    keys: list[Key] = [*section.keys]
    kind = table.get("kind")
    if kind in section.variants:
        keys += section.variants[kind]
    rows = [
        KeyRow(
            name=key.name, value=written(table[key.name]) if key.name in table else "",
            usual="" if key.default in (None, "", (), {}) else _usual(key), fits=_fits(file, key, table),
            doc=key.doc, kind=key.kind,
        )
        for key in keys
        if key.kind != "table" and (key.name in table or _concerns(key, _protocol_at(file, path, table), table))
    ]  # fmt: skip
    return sorted(rows, key=lambda row: not row.value)


def _protocol_at(file: BenchFile, path: tuple[str, ...], table: dict[str, Any]) -> str:
    """What is spoken with what a table is about."""
    if path[0] == "points":
        host = file.plan.hosts.get(str(table.get("board")))
        return host.protocol if host is not None else ""
    if path[0] == "hosts":
        return str(table.get("protocol", ""))
    return file.plan.boards[path[1]].firmware if path[0] == "boards" and path[1] in file.plan.boards else ""


def _concerns(key: Key, protocol: str, table: dict[str, Any]) -> bool:
    """Whether a key has a meaning for what is spoken: its own words say for which it has."""
    if key.name in OF_REGISTERS:
        return protocol == "modbus"
    head, colon, _ = key.doc.partition(":")
    if not colon or not protocol:
        return key.name != "device" or protocol in ("firmata", "buses")
    words = head.lower().replace(" with tls", "").split(", ")
    if "stepper" in head:
        return table.get("mode") == "stepper"
    known = [word.partition(" ")[0] for word in words]
    return protocol in known or not any(word in PROTOCOLS for word in known)


def _usual(key: Key) -> str:
    if isinstance(key.default, bool):
        return "on" if key.default else "off"
    if isinstance(key.default, float) and key.unit and not key.unit.startswith("="):
        return show(key.default, key.unit)
    return written(key.default)


def _fits(file: BenchFile, key: Key, table: dict[str, Any]) -> tuple[str, ...]:
    """What a key may be, where that can be listed."""
    if key.choices:
        return tuple(key.choices)
    if key.kind == "switch":
        return ("true", "false")
    if key.name == "board" and "link" not in table:
        return tuple(file.plan.hosts)
    return ()


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
