"""What a board's firmware has in front of its pins, as its tables say: the base of one room for each firmware.

A room declares the tables of its own, reads them, makes the firmware of them, and tells at which places a host may find
something: addresses, headers, topics, fields. What reads, starts and shows a bench asks nothing but the room; rules
that are about one firmware alone, such as remarks on units, look for it themselves. The one thing of the host's that is
known here is a point, as something that names places: whether they are there is what the wiring asks.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from enum import Enum
from pathlib import Path as FilePath
from typing import Any, ClassVar, Protocol, Self, TypeVar

import msgspec

from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.boards import Circuit, Firmware, PartSettings, PinMode, Profile
from cavet.boards.buses import TargetBoard
from cavet.expressions import Expression
from cavet.hosts import Point
from cavet.record import Tell
from cavet.settings import Table
from cavet.wording import listed

T = TypeVar("T", bound=Table)
Row = dict[str, Any]
PlaceKey = tuple[str | int, ...]
"""Tells a place from others of its board."""
PartsAt = Callable[..., tuple[str, ...]]
"""The parts that hang on some pins."""


class ReadTables(Protocol):
    """Reads all tables below a key."""

    def __call__(self, name: str, of: type[T], inside: Path, data: Any) -> dict[str, T]: ...


FindPin = Callable[[Path, Any], int | None]


class PlaceKind(Enum):
    """What kind of place it is."""

    PIN = "pin"
    CELL = "cell"
    """An address of a Modbus table."""
    HEADER = "header"
    CHANNEL = "channel"
    """A channel that is named in the list of a SCPI command."""
    TOPIC = "topic"
    FIELD = "field"
    """A field of a frame of one's own, or a bit of it."""
    DEVICE = "device"
    LINE = "line"
    """A line of a device on a bus."""


class Place(msgspec.Struct, frozen=True, kw_only=True):
    """A place: what it is called, what it is, the pins that it works, the parts that hang there."""

    kind: PlaceKind
    key: PlaceKey
    name: str
    note: str = ""
    pins: tuple[int, ...] = ()
    parts: tuple[str, ...] = ()
    table: tuple[str, ...] = ()
    """Where it stands in the board's table of the file: `("map", "pump_a")`; () for nowhere."""
    mode: PinMode | None = None
    """How its pin is used, where that is said of the place itself."""
    mode_at: tuple[str, ...] = ()
    """Where that is said in the board's table of the file."""
    scale: float = 1.0
    """How much one count of what it tells is."""
    unit: str = ""
    """What its numbers are in, where that is known."""


class BoardTables:
    """The tables of one board, and what reads them; what is wrong stands in the checker's errors."""

    def __init__(
        self, checker: Checker, board: str, firmware: str, data: dict[str, Any], profile: Profile,
        parts: dict[str, PartSettings], folder: FilePath | None, tables: ReadTables, find_pin: FindPin,
    ) -> None:  # fmt: skip
        self.checker = checker
        self.board = board
        self.path: Path = ("boards", board)
        self.firmware = firmware
        self.identity: dict[str, Any] = data.get("identity", {})
        self._data = data
        self.profile = profile
        self.parts = parts
        self.folder = folder
        """Where other files are looked for."""
        self._tables = tables
        self.find_pin = find_pin
        self.driven: dict[int, tuple[PinMode, str]] = {}
        """The pins that something drives, with the mode that they have for that, and what drives them."""

    def own(self, of: type[T]) -> T | None:
        """The keys of the board's table that are its firmware's own."""
        return self.checker.read(self._data, of, self.path, is_room=True)

    def read(self, name: str, of: type[T], data: dict[str, Any]) -> dict[str, T]:
        """All tables below one of its keys."""
        return self._tables(name, of, self.path, data)

    def one(self, name: str, of: type[T], data: dict[str, Any]) -> T | None:
        """A table that there is one of."""
        return self.checker.read(data, of, (*self.path, name))

    def can(self, path: Path, pin: int, mode: PinMode, what: str = "a pin") -> bool:
        """Whether a pin has a mode; told where it has not."""
        if self.profile.pins[pin].can(mode):
            return True
        able = listed(self.profile.able(mode), "and") or "no pin"
        self.checker.wrong(path, found=pin, expected=f"{what} with {mode.value}: {able}")
        return False

    def drives(self, path: Path, name: str, pin: int, mode: PinMode, what: str = "a pin") -> bool:
        """Whether something of this name can drive a pin in a mode; told where the pin has not got that, or is driven
        in another one already."""
        if not self.can(path, pin, mode, what):
            return False
        there, by = self.driven.setdefault(pin, (mode, name))
        if there is not mode:
            self.checker.wrong(path, found=mode.value, expected=f"{there.value}, as {by} drives it")
        return there is mode


class Making(msgspec.Struct, frozen=True, kw_only=True):
    """What a board's firmware is made with."""

    circuit: Circuit
    tell: Tell
    name: str
    """How it announces itself."""
    read: Callable[[dict[str, Expression]], dict[str, Callable[[], float]]]
    """From expressions to what reads them off the rig, by the same names."""
    target: TargetBoard | None = None
    """The part of another board's that it stands for, on a bus."""


class Device(msgspec.Struct, frozen=True, kw_only=True):
    """What a board's firmware needs of the file. As it stands here it has nothing but pins."""

    KEYS: ClassVar[type[Table]] = Table
    """Its own keys of the board's table."""
    TABLES: ClassVar[tuple[type[Table], ...]] = ()
    """The tables of its own."""
    FORM: ClassVar[tuple[str, str, str] | None] = None
    """What people add to such a board besides parts: what that is, its table, and what one may be called."""
    LINK: ClassVar[str] = ""
    """The kind of link that it alone can have; "" for one that others have as well."""
    IS_THERE_AT_ONCE: ClassVar[bool] = False
    """Whether no link wakes it: it is there once it is plugged in."""

    @classmethod
    def read(cls, tables: BoardTables) -> Self | None:
        """Read it from the tables of its board; `None` where nothing can be made of them."""
        raise NotImplementedError

    @classmethod
    def speaks(cls, firmware: str, kind: str, framing: str | None) -> str:
        """What is spoken on a link of such a board, of this kind, and with this framing where one is said."""
        return firmware

    @property
    def listens_to(self) -> tuple[str, ...]:
        """The topics at which it takes commands."""
        return ()

    @property
    def expressions(self) -> dict[str, Expression]:
        """What it measures of the rig, by names."""
        return {}

    def path_of_expression(self, name: str) -> Path:
        """Where one of these stands in the board's table."""
        raise NotImplementedError

    def firmware(self, making: Making) -> Firmware:
        """Make the firmware."""
        raise NotImplementedError

    def places(self, profile: Profile, parts_at: PartsAt) -> Iterator[Place]:
        """The places that its host can speak of, in their order: as it stands here its pins."""
        for pin in profile.pins.values():
            label = f" {pin.label}" if pin.label else ""
            yield Place(
                kind=PlaceKind.PIN, key=("pin", pin.number), name=f"{pin.number}{label}", note=pin.reserved,
                pins=(pin.number,), parts=parts_at(pin.number),
            )  # fmt: skip

    def places_named(self, point: Point) -> list[PlaceKey]:
        """The keys of the places that a point names; none where it speaks otherwise."""
        return []

    def begins_with(self, point: Point, place: Place) -> float | bool | str | None:
        """The value that the board begins with at a place, as the point has it; `None` where that is not known."""
        return None

    def rows(self, points: Sequence[Point]) -> dict[str, list[Row]]:
        """What there is besides its pins, as tables for people."""
        return {}
