"""What a host believes of a board, by what it speaks: the base of one room for each protocol.

A room declares the keys of its own, reads a host's and its points' tables, makes the session, and tells what a program
of the user's own has to know of a point. What reads, starts and shows a bench asks nothing but the room; rules that
are about one protocol alone, such as remarks on units, look for it themselves.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from math import inf
from pathlib import Path as FilePath
from typing import Any, ClassVar

import msgspec

from cavet.benchfile._check import Checker
from cavet.benchfile._places import Path
from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.boards import Profile
from cavet.colours import parse_colour
from cavet.hosts import Point, PointKind, Session
from cavet.record import Tell
from cavet.settings import Key
from cavet.wording import WrongError

ResolvePins = Callable[[Path, dict[str, Any], Profile | None], bool]
ON_PINS = (PointKind.BRIDGE, PointKind.COLOUR)
"""The kinds that only pins have; a colour can be a field, too."""
STATE = Key("state", "text", "MQTT: the topic that says how it stands; plan: the FRAME.FIELD that tells it", default="")
"""Where boards that report tell of a point."""
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
        self, checker: Checker, host: str, table: dict[str, Any], folder: FilePath | None,
        tables: Callable[..., dict[str, dict[str, Any]]], interrupt_pin: Callable[[Path, Any], int | None],
    ) -> None:  # fmt: skip
        self.checker = checker
        self.path: Path = ("hosts", host)
        self.table = table
        self.folder = folder
        """Where other files are looked for."""
        self.tables = tables
        self.interrupt_pin = interrupt_pin
        """The number of an interrupt line's pin."""


class PointTable:
    """The table of one point; what is wrong stands in the checker's errors."""

    def __init__(
        self, checker: Checker, name: str, table: dict[str, Any], host: HostSetup, profile: Profile | None,
        resolve_pins: ResolvePins,
    ) -> None:  # fmt: skip
        self.checker = checker
        self.name = name
        self.path: Path = ("points", name)
        self.table = table
        self.kind = PointKind(table["kind"])
        self.host = host
        self._profile = profile
        self._resolve_pins = resolve_pins

    def wrong(self, key: str, *, found: object, expected: str, nearest: str | None = None) -> None:
        """Note that a key is wrong."""
        self.checker.wrong((*self.path, key), found=found, expected=expected, nearest=nearest)

    def has(self, key: str, doc: str) -> bool:
        """Whether a key is there; told where it is not."""
        if self.table.get(key) in (None, ""):
            self.wrong(key, found="nothing", expected=f"{doc}; it must be there")
            return False
        return True

    def has_pins(self) -> bool:
        """Whether all pins are there, with numbers in the place of labels."""
        return self._resolve_pins(self.path, self.table, self._profile)

    def has_no_pin_kind(self) -> bool:
        """Whether it is of a kind that not only pins have; told where it is not."""
        if self.kind in ON_PINS:
            self.wrong("kind", found=f"a {self.kind.value}", expected="level, switch, contact or reading")
        return self.kind not in ON_PINS

    def has_colours(self) -> bool:
        """Whether rest and start are colours; they are written as colours are from then on."""
        good = True
        for key in ("rest", "start"):
            try:
                self.table[key] = None if self.table[key] is None else parse_colour(self.table[key], "")
            except WrongError as error:
                self.wrong(key, found=error.found, expected=error.expected, nearest=error.nearest)
                good = False
        return good

    def common(self) -> dict[str, Any]:
        """The fields that points have everywhere."""
        table, kind = self.table, self.kind
        fields: dict[str, Any] = {"name": self.name, "kind": kind, "board": table["board"], "part": table["part"]}
        fields |= {key: table[key] for key in ("unit", "momentary", "step", "confirm", "tolerance") if key in table}
        if kind.is_output and kind is not PointKind.PULSE:
            fields |= {"rest": table["rest"], "start": table["start"]}
        if kind.is_text:
            return fields
        if kind.is_output and kind is not PointKind.PULSE:
            fields |= {key: None if table[key] is None else float(table[key]) for key in ("rest", "start")}
        if kind.is_switch:
            return {**fields, "words": table["words"], "active_low": table["active"] == "low"}
        low, high = table["range"]
        first, last = table.get("wire") or (low, high)
        fields |= {"low": low, "high": high, "wire_low": first, "wire_high": last}
        return {**fields, "step": fields.get("step") or abs(high - low) / 50}


class HostProtocol:
    """A protocol, as a host speaks it."""

    name: ClassVar[str]
    HOST_KEYS: ClassVar[tuple[Key, ...]] = ()
    """Its own keys of the host's table."""
    POINT_KEYS: ClassVar[tuple[Key, ...]] = ()
    """Its own keys of a point's table."""
    PLACES: ClassVar[tuple[str, ...]] = ()
    """The keys that say where a point is."""
    KINDS: ClassVar[tuple[PointKind, ...]] = KINDS
    """The kinds of points that it can have."""
    HAS_BUS: ClassVar[bool] = False
    """Whether its hosts reach devices on a board's bus."""

    def read_host(self, tables: HostTables) -> dict[str, Any]:
        """What a host has besides what all have, as fields of `HostSetup`."""
        return {}

    def read_point(self, table: PointTable) -> Point | None:
        """Read one point; `None` where nothing can be made of it."""
        raise NotImplementedError

    def limits(self, point: Point, host: HostSetup) -> tuple[float, float]:
        """The least and the greatest number that is carried where a point is."""
        return -inf, inf

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

    def point(self, table: PointTable) -> Point | None:
        """Read one point whole, and check it."""
        if table.kind not in self.KINDS:
            table.wrong("kind", found=table.kind.value, expected=f"a kind that {self.name} has")
            return None
        point = self.read_point(table)
        if point is not None:
            self._check_wire(table, point)
            try:
                point.check()
            except WrongError as error:
                where = table.checker.place((*table.path, error.place.rpartition(".")[2]))
                table.checker.errors.append(WrongError(where, found=error.found, expected=error.expected))
        return point

    def _check_wire(self, table: PointTable, point: Point) -> None:
        """Whether the numbers at both ends can stand on the wire."""
        if point.kind.is_text or point.kind.is_switch:
            return
        least, most = self.limits(point, table.host)
        ends = (point.wire_low, point.wire_high)
        if any(not least <= end <= most for end in ends):
            key = "wire" if table.table.get("wire") else "range"
            found = " to ".join(f"{end:g}" for end in ends)
            table.wrong(key, found=found, expected=f"what is carried there: {least:g} to {most:g}")
