"""A new table of any sort for a bench's file: its keys are asked for as the schema has them, until it is whole."""

from __future__ import annotations

import tomllib
from typing import Any

import msgspec

from cavet.benchfile import PROTOCOLS, BenchFile, section_of
from cavet.settings import Key
from cavet.wording import WrongError
from cavet.workbench.wiring.changing import changed
from cavet.workbench.wiring.keys import fitting, read_value

NEW = "NAME"
"""Stands in a path for the name that is to be chosen."""


class Form(msgspec.Struct, frozen=True):
    """A sort of table: what it is to a person, and where it stands."""

    title: str
    path: tuple[str, ...]
    name: str
    """What it may be called."""


REGISTERS = ("holding-registers", "input-registers")
TABLES_OF = {
    "switch": ("coils", "holding-registers"), "pulse": ("coils", "holding-registers"),
    "contact": ("discrete-inputs", "coils", "holding-registers", "input-registers"),
    "": ("coils", "discrete-inputs", *REGISTERS),
}  # fmt: skip
"""The tables of Modbus in which a kind of point can be; "" is for entries of a board's map."""
OF_EVERY_BOARD = (
    ("a part", "parts", "part"), ("a supply for what it drives", "supplies", "supply"),
    ("a rule that it follows by itself", "reflexes", "rule"),
)  # fmt: skip
BESIDE = (
    Form("a link", ("links", NEW), "link"), Form("a host: who talks over a link", ("hosts", NEW), "host"),
    Form("a quantity of the world around", ("rig", NEW), "quantity"),
)  # fmt: skip


def forms_for(file: BenchFile, board: str) -> list[Form]:
    """What may be added to a file, at a board of it."""
    there = file.setup.boards.get(board)
    hosts = [host for host in file.setup.hosts.values() if file.setup.links[host.link].board == board]
    forms: list[Form] = []
    if there is not None:
        made = [*OF_EVERY_BOARD, *([there.device.FORM] if there.device.FORM is not None else [])]
        forms += [Form(title, ("boards", board, table, NEW), name) for title, table, name in made]
        forms += [Form("a defect, made on purpose", ("defects", NEW), "defect")]
    if hosts:
        forms += [Form("a point: an output or input that the host speaks of", ("points", NEW), "point")]
    forms += [
        Form("a device that the host believes on its bus", ("hosts", host.name, "devices", NEW), "device")
        for host in hosts
        if PROTOCOLS[host.protocol].HAS_BUS
    ]
    return [*forms, *BESIDE]


class Making:
    """A table that is being made: what is known of it, and which key is asked for next."""

    def __init__(self, file: BenchFile, form: Form, board: str) -> None:
        self._file = file
        self._form = form
        self.values: dict[str, Any] = {}
        self.name = ""
        hosts = [host.name for host in file.setup.hosts.values() if file.setup.links[host.link].board == board]
        near = {"board": hosts[:1] if form.path[0] == "points" else [board], "link": [], "host": hosts[:1]}
        self._near = {key: names[0] for key, names in near.items() if names}
        """What is chosen first where a board or a host is asked for: the one at hand."""

    @property
    def path(self) -> tuple[str, ...]:
        """Where it will stand."""
        return (*self._form.path[:-1], self.name)

    def free_name(self) -> str:
        """A name that is not taken yet."""
        there = self._beside()
        numbers = range(1, 10_000)
        return next(name for number in numbers if (name := f"{self._form.name}_{number}") not in there)

    def call(self, name: str) -> None:
        """Say what it is called. Raises `WrongError` for a name that is taken."""
        if name in self._beside():
            raise WrongError("name", found=name, expected="another one: there is one of that name")
        if not name or not name.replace("_", "").replace("-", "").isalnum():
            raise WrongError("name", found=name or "nothing", expected="letters, digits, _ and -")
        self.name = name

    def _beside(self) -> dict[str, Any]:
        table: Any = tomllib.loads(self._file.text)
        for step in self._form.path[:-1]:
            table = table.get(step, {})
        return dict(table)

    def keys(self) -> list[Key]:
        """All its keys, as far as its kind is known."""
        section = section_of(self.path)
        assert section is not None  # forms are tables of the schema
        return [*section.keys, *section.variants.get(self.values.get("kind", ""), ())]

    def missing(self) -> Key | None:
        """The next key that must be there."""
        return next((key for key in self.keys() if key.required and key.name not in self.values), None)

    def fits(self, key: Key) -> list[str]:
        """What a key may be; what is at hand comes first."""
        fits = list(fitting(self._file, key, self.path, self.values))
        if key.name == "table":
            fits = list(TABLES_OF.get(str(self.values.get("kind", "")), REGISTERS))
        near = self._near.get(key.name)
        return [near, *(name for name in fits if name != near)] if near in fits else fits

    def answer(self, key: Key, text: str) -> None:
        """Take a value. Raises `WrongError` for one that can't be read."""
        value = read_value(text, key.kind)
        if value is None:
            raise WrongError(key.name, found="nothing", expected=key.doc)
        self.values[key.name] = value

    def take_back(self, key: Key) -> None:
        """As if it had not been answered."""
        self.values.pop(key.name, None)

    def made(self) -> BenchFile:
        """The file with it. Raises `WrongError`."""
        return changed(self._file, [(self.path, dict(self.values))])

    def asked_by(self, error: WrongError) -> Key | None:
        """The key that is missing by what the check of the whole says, where it is one of this table's."""
        dotted = error.place.rpartition(" ")[2]
        prefix = ".".join(self.path)
        name = dotted.removeprefix(f"{prefix}.")
        found = next((key for key in self.keys() if key.name == name), None)
        return found if dotted.startswith(prefix) and found is not None and name not in self.values else None
