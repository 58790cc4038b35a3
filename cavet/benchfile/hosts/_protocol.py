"""What a host believes of a board, by what it speaks: the base of one room for each protocol.

A room declares the keys of its own, reads a host's and its points' tables, makes the session, and tells what a program
of the user's own has to know of a point. What reads, starts and shows a bench asks nothing but the room; rules that
are about one protocol alone, such as remarks on units, look for it themselves.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from math import inf
from pathlib import Path as FilePath
from typing import Any, ClassVar, TypeVar

import msgspec

from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.benchfile._point_tables import ColourTable, PointTable
from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.benchfile.boards import ReadTables
from cavet.boards import PinMode, Profile
from cavet.colours import parse_colour
from cavet.hosts import Point, PointKind, Session
from cavet.record import Tell
from cavet.settings import Table
from cavet.wording import WrongError, digits, from_to, with_article

T = TypeVar("T", bound=Table)
ResolvePins = Callable[[Path, Table, Profile | None], bool]
ON_PINS = (PointKind.BRIDGE, PointKind.COLOUR)
"""The kinds that only pins have; a colour can be a field, too."""
KINDS = tuple(kind for kind in PointKind if kind is not PointKind.PULSE)
"""The kinds that all protocols have, as far as their places can carry them."""


class Constant(msgspec.Struct, frozen=True):
    """Something that a program of the user's own has to know: a name, its number or text, what it is."""

    name: str
    value: int | str
    about: str


class HostTables:
    """The table of a host; what is wrong stands in the checker's errors."""

    def __init__(
        self, checker: Checker, host: str, data: dict[str, Any], folder: FilePath | None, tables: ReadTables,
        interrupt_pin: Callable[[Path, Any], int | None],
    ) -> None:  # fmt: skip
        self.checker = checker
        self.path: Path = ("hosts", host)
        self._data = data
        self.folder = folder
        """Where other files are looked for."""
        self.tables = tables
        self.interrupt_pin = interrupt_pin
        """The number of an interrupt line's pin."""

    def own(self, of: type[T]) -> T | None:
        """The keys that are the protocol's own."""
        return self.checker.read(self._data, of, self.path, is_room=True)


class PointTables:
    """The table of one point; what is wrong stands in the checker's errors."""

    def __init__(
        self, checker: Checker, name: str, table: PointTable, data: dict[str, Any], host: HostSetup,
        profile: Profile | None, resolve_pins: ResolvePins,
    ) -> None:  # fmt: skip
        self.checker = checker
        self.name = name
        self.path: Path = ("points", name)
        self.table = table
        self.kind = PointKind(table.kind)
        self.host = host
        self.data = data
        """The same as it stands in the file."""
        self._profile = profile
        self._resolve_pins = resolve_pins

    def own(self, of: type[T]) -> T | None:
        """The keys that are the protocol's own: where the point is."""
        return self.checker.read(self.data, of, self.path, is_room=True)

    def wrong(self, key: str, *, found: object, expected: str, nearest: str | None = None) -> None:
        """Note that a key is wrong."""
        self.checker.wrong((*self.path, key), found=found, expected=expected, nearest=nearest)

    def note(self, key: str, error: WrongError) -> None:
        """Note an error of what a key says."""
        self.checker.note((*self.path, key), error)

    def has(self, key: str, value: object, doc: str) -> bool:
        """Whether a key is there; told where it is not."""
        if value in (None, ""):
            self.wrong(key, found="nothing", expected=f"{doc}; it must be there")
            return False
        return True

    def refuse_of_inputs(self, place: Table, *keys: str) -> None:
        """Note those of these keys, which say how something is set, where it is an input."""
        for key in () if self.kind.is_output else keys:
            if value := getattr(place, key):
                self.wrong(key, found=value, expected=f"none: {with_article(self.kind.value)} is not set")

    def has_pins(self, *tables: Table) -> bool:
        """Whether all pins of these tables are there, with numbers in the place of labels."""
        good = [self._resolve_pins(self.path, table, self._profile) for table in tables]
        return all(good)

    def bits(self, pin: int, mode: PinMode) -> int | None:
        """How many bits a pin has in a mode, where it is known what kind of board it is on."""
        known = self._profile.pins.get(pin) if self._profile is not None else None
        return known.modes.get(mode) if known is not None else None

    def has_no_pin_kind(self) -> bool:
        """Whether it is of a kind that not only pins have; told where it is not."""
        if self.kind in ON_PINS:
            self.wrong("kind", found=f"a {self.kind.value}", expected="level, switch, contact or reading")
        return self.kind not in ON_PINS

    def has_colours(self, table: ColourTable) -> bool:
        """Whether rest and start are colours; they are written as colours are from then on."""
        good = True
        for key in ("rest", "start"):
            try:
                said = getattr(table, key)
                setattr(table, key, None if said is None else parse_colour(said, ""))
            except WrongError as error:
                self.note(key, error)
                good = False
        return good

    def common(self) -> dict[str, Any]:
        """The fields that points have everywhere."""
        return {"name": self.name, **self.table.fields()}


class HostProtocol:
    """A protocol, as a host speaks it."""

    name: ClassVar[str]
    HOST: ClassVar[type[Table]] = Table
    """Its own keys of the host's table."""
    POINT: ClassVar[type[Table]] = Table
    """Its own keys of a point's table."""
    KINDS: ClassVar[tuple[PointKind, ...]] = KINDS
    """The kinds of points that it can have."""
    HAS_BUS: ClassVar[bool] = False
    """Whether its hosts reach devices on a board's bus."""

    def read_host(self, tables: HostTables) -> dict[str, Any]:
        """What a host has besides what all have, as fields of `HostSetup`."""
        return {}

    def read_point(self, tables: PointTables) -> Point | None:
        """Read one point; `None` where nothing can be made of it."""
        raise NotImplementedError

    def limits(self, point: Point, host: HostSetup) -> tuple[float, float]:
        """The least and the greatest number that is carried where a point is."""
        return -inf, inf

    def reported(self, host: HostSetup, points: Sequence[Any]) -> float:
        """How many bytes a second its board tells by itself, again and again, whatever happens."""
        return 0.0

    def session(self, host: HostSetup, link: LinkSetup, points: Sequence[Any], tell: Tell) -> Session[Any]:
        """Make the session of a host with its points."""
        raise NotImplementedError

    def constants_of(self, point: Any, about: str) -> list[Constant]:
        """What a program of the user's own has to know of a point, `about` being what that is to people; each name
        without that of the point."""
        return []

    def constants(self, host: HostSetup) -> list[Constant]:
        """The same of its board, each name without the board's."""
        return []

    # what all points go through

    def point(self, tables: PointTables) -> Point | None:
        """Read one point whole, and check it."""
        if tables.kind not in self.KINDS:
            tables.wrong("kind", found=tables.kind.value, expected=f"a kind that {self.name} has")
            return None
        point = self.read_point(tables)
        if point is not None:
            self._check_wire(tables, point)
            try:
                point.check()
            except WrongError as error:
                tables.note(error.place.rpartition(".")[2], error)
        return point

    def _check_wire(self, tables: PointTables, point: Point) -> None:
        """Whether the numbers at both ends can stand on the wire."""
        if point.kind.is_text or point.kind.is_switch:
            return
        least, most = self.limits(point, tables.host)
        ends = (point.wire_low, point.wire_high)
        if any(not least <= end <= most for end in ends):
            key = "wire" if tables.data.get("wire") else "range"
            found = " to ".join(digits(end) for end in ends)
            tables.wrong(key, found=found, expected=f"what is carried there: {from_to(least, most)}")
