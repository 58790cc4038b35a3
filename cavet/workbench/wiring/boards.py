"""A new board for a bench: one of those to begin with, under names that the bench has not yet."""

from __future__ import annotations

import tomllib

from cavet.benchfile import START_KINDS, BenchFile, renamed, start_text

TITLES = {
    "firmata": "a board on a serial line, Firmata", "modbus": "a Modbus server on the network",
    "scpi": "an instrument on the network, SCPI", "mqtt": "a station at a broker, MQTT",
    "usb": "a USB device with reports of your own", "i2c": "buses of this machine's own, I2C",
    "plan": "a board on a serial line, frames of your own",
}  # fmt: skip
KINDS = tuple(kind for kind in START_KINDS if kind in TITLES)
TABLES = ("boards", "links", "hosts", "points", "profiles")


def with_board(file: BenchFile, kind: str) -> tuple[BenchFile, str]:
    """A bench with one more board of a kind, and the board's name. What stands there stays as it is."""
    return with_bench(file, start_text(file.path.name, "new", [kind]))


def with_bench(file: BenchFile, text: str) -> tuple[BenchFile, str]:
    """A bench with the board of another one besides, under names that are free; and the board's name."""
    start, there = file.with_text(text), tomllib.loads(file.text)
    for table in TABLES:
        for name in tomllib.loads(start.text).get(table, {}):
            if name in there.get(table, {}):
                taken = there[table].keys() | tomllib.loads(start.text)[table]
                start = renamed(start, (table, name), _free(name, taken))
    new = next(iter(start.setup.links.values())).board
    start = _with_base_of_its_own(start, new)
    text = f"{file.text.rstrip()}\n\n{_tables(start.text)}\n"
    return file.with_text(text), new


def _with_base_of_its_own(start: BenchFile, board: str) -> BenchFile:
    """The same, with the topics of a station behind a base that has the board's name."""
    if all(host.protocol != "mqtt" for host in start.setup.hosts.values()) or board not in start.setup.boards:
        return start
    bases = [("boards", board, "station", "base"), *(("hosts", host, "base") for host in start.setup.hosts)]
    return start.changed_all([(path, f"lock/{board}") for path in bases])


def _tables(text: str) -> str:
    """A file without what stands at its top: from behind its own keys on, with the comments of what follows."""
    lines = text.splitlines()
    first = next(place for place, line in enumerate(lines) if line.startswith("["))
    keys = max(place for place, line in enumerate(lines[:first]) if "=" in line and not line.startswith("#"))
    return "\n".join(lines[keys + 1 :]).strip("\n")


def _free(name: str, names: set[str]) -> str:
    return next(f"{name}_{number}" for number in range(2, 10_000) if f"{name}_{number}" not in names)
