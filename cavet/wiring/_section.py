"""A board in cross-section: what the host believes, the link, the board's places, what hangs there; as plain values."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import msgspec

from cavet.benchfile import Place, PlaceKind
from cavet.boards import KINDS
from cavet.hosts import DevicePoint, PinPoint, Point
from cavet.units import decimals_of, show
from cavet.wiring._wiring import Wiring

MOST_NAMED = 2
"""So many names stand in a row; of more, the first, and how many there are besides."""


class Believed(msgspec.Struct, frozen=True, kw_only=True):
    """The points at a place: their names, what can be asked of the first, whether it is an output."""

    names: tuple[str, ...]
    note: str = ""
    is_output: bool = True
    is_wrong: bool = False

    @property
    def text(self) -> str:
        if len(self.names) <= MOST_NAMED:
            return ", ".join(self.names)
        return f"{self.names[0]} and {len(self.names) - 1} more"


class Hanging(msgspec.Struct, frozen=True, kw_only=True):
    """What hangs at a place: its name, what it is, how it stands; `elsewhere` where it really hangs at another one."""

    name: str
    note: str = ""
    state: str = ""
    is_wrong: bool = False
    is_lit: bool = False


class SectionRow(msgspec.Struct, frozen=True, kw_only=True):
    """A place with what is on both sides of it. `crosses` is the row whose place really leads to what hangs here."""

    key: tuple[str | int, ...]
    place: str = ""
    note: str = ""
    level: str = ""
    believed: Believed | None = None
    hanging: Hanging | None = None
    crosses: int | None = None
    is_missing: bool = False
    """Whether there is no such place: the point is at nothing."""
    is_device: bool = False
    is_wrong: bool = False
    """Whether how the place stands is wrong."""
    is_lit: bool = False
    """Whether it is anything but at rest."""


class Section(msgspec.Struct, frozen=True, kw_only=True):
    """A board in cross-section."""

    board: str
    title: str
    link: tuple[tuple[str, str], ...] = ()
    """What is to be said of its link: words, each with the role of its colour."""
    rows: tuple[SectionRow, ...] = ()


class Told(NamedTuple):
    """How something stands, in a word or two; whether that is wrong, and whether it is anything but at rest."""

    text: str = ""
    is_wrong: bool = False
    is_lit: bool = False


Live = Callable[[Place], Told]
State = Callable[[str], Told]
NOTHING = Told()


def section_of(
    wiring: Wiring, title: str = "", link: tuple[tuple[str, str], ...] = (), *, device: str = "",
    level: Live = lambda place: NOTHING, state: State = lambda part: NOTHING,
) -> Section:  # fmt: skip
    """The cross-section of a board; of the lines of one of its devices, where that is named. `level` tells how a place
    stands, `state` how a part does."""
    rows = _rows(wiring, device, level, state)
    return Section(board=wiring.name, title=title or title_of(wiring), link=link, rows=tuple(_crossed(wiring, rows)))


def title_of(wiring: Wiring) -> str:
    """What kind of board it is, and what it speaks."""
    board = wiring.board
    spoken = ", ".join(dict.fromkeys(link.protocol for link in wiring.links))
    return f"{board.profile.name} · {spoken}" if board is not None else f"a real one · {spoken}"


def _rows(wiring: Wiring, device: str, level: Live, state: State) -> list[SectionRow]:
    at: dict[tuple[str | int, ...], list[Point]] = {}
    nothing: list[Point] = []
    for wire in wiring.wires:
        if wire.place is None:
            nothing.append(wire.point)
        else:
            at.setdefault(wire.place.key, []).append(wire.point)
    rows = []
    shown: set[str] = set()
    for place in wiring.places:
        if (place.kind is PlaceKind.LINE) != bool(device) or (device and place.key[1] != device):
            continue
        points = at.get(place.key, [])
        if place.kind is PlaceKind.DEVICE:
            points = [*points, *_at_lines(wiring, at, str(place.key[1]))]
        if place.kind is PlaceKind.FIELD and place.key[0] == "told" and not points:
            continue  # what is told of a place that is there already
        parts = [name for name in place.parts if name not in shown or place.kind is PlaceKind.FIELD]
        again = [name for name in place.parts if name in shown]
        if place.kind is not PlaceKind.DEVICE and any(_is_device(wiring, name) for name in place.parts):
            parts, again = [], list(place.parts)  # its interrupt line: the device itself stands below
        shown.update(parts)
        rows.append(_row(wiring, place, points, parts, again, level(place), state))
    if not device:
        rows += [_at_nothing(point) for point in nothing]
    if wiring.board is None:
        rows = [_at_nothing(point, real=True) for point in wiring.points]
    return rows


def _is_device(wiring: Wiring, part: str) -> bool:
    return wiring.board is not None and KINDS[wiring.board.parts[part].kind].on_bus


def _at_lines(wiring: Wiring, at: dict[tuple[str | int, ...], list[Point]], device: str) -> list[Point]:
    """The points at the lines of a device."""
    return [point for key, points in at.items() if key[0] == "line" and key[1] == device for point in points]


def _row(
    wiring: Wiring, place: Place, points: list[Point], parts: list[str], again: list[str], level: Told, state: State
) -> SectionRow:
    believed, note = None, place.note
    if points:
        believed, note = _believed(points, place)
    hanging = None
    if parts:
        told = state(parts[0])
        kind = _note_of(wiring, parts[0])
        hanging = Hanging(
            name=parts[0], note=kind.partition(",")[0] if told.text else kind, state=told.text,
            is_wrong=told.is_wrong, is_lit=told.is_lit,
        )  # fmt: skip
        if len(parts) > 1:
            hanging = msgspec.structs.replace(hanging, note=f"and {', '.join(parts[1:])}", state="", is_wrong=True)
    elif again:
        hanging = Hanging(name="", note=f"{again[0]}, {_wire_of(wiring, again[0], place)}")
    return SectionRow(
        key=place.key, place=_place_name(wiring, place), note="" if place.kind is PlaceKind.DEVICE else note,
        level=level.text, is_wrong=level.is_wrong, is_lit=level.is_lit, believed=believed, hanging=hanging,
        is_device=place.kind is PlaceKind.DEVICE,
    )  # fmt: skip


def _believed(points: list[Point], place: Place) -> tuple[Believed, str]:
    """The points at a place; and how the first of them wants it, where that is a pin."""
    first = points[0]
    names = tuple(point.name for point in points)
    note = range_of(first)
    wanted = place.note
    if isinstance(first, PinPoint) and place.pins:
        wanted = first.modes().get(place.pins[0], wanted)
        if place.pins[0] in (first.ahead, first.astern):
            note = "ahead" if place.pins[0] == first.ahead else "astern"
    return Believed(names=names, note=note, is_output=first.kind.is_output), wanted


def _place_name(wiring: Wiring, place: Place) -> str:
    """A topic without what all of its board's begin with."""
    base = wiring.hosts[0].topics.base if wiring.hosts else ""
    return place.name.removeprefix(f"{base}/") if base else place.name


def _wire_of(wiring: Wiring, part: str, place: Place) -> str:
    """The name of a part's wire at a place."""
    assert wiring.board is not None  # it has places
    wires = wiring.board.parts[part].wires
    return next((wire for wire, pin in wires.items() if pin in place.pins), place.note).replace("_", " ")


def _note_of(wiring: Wiring, part: str) -> str:
    assert wiring.board is not None  # it has parts
    settings = wiring.board.parts[part]
    current = getattr(settings, "current", 0.0)
    return f"{settings.kind}, {show(round(1000 * current, 3), 'mA')}" if current else settings.kind


def range_of(point: Point) -> str:
    """Between which values a point can be asked, or what its two are called."""
    if point.kind.is_switch:
        return ", ".join(point.words)
    if point.kind.is_text:
        size = f", {point.width} × {point.height}" if isinstance(point, DevicePoint) and point.width else ""
        return f"{point.kind.value}{size}"
    low, high = show(point.low, "", decimals_of(point.low)), show(point.high, point.unit, decimals_of(point.high))
    return f"{low} to {high}"


def _at_nothing(point: Point, *, real: bool = False) -> SectionRow:
    believed = Believed(names=(point.name,), note=range_of(point), is_output=point.kind.is_output, is_wrong=not real)
    return SectionRow(key=("point", point.name), place=point.where, believed=believed, is_missing=not real)


def _crossed(wiring: Wiring, rows: list[SectionRow]) -> list[SectionRow]:
    """Rows whose points name each other's parts: each part stands at the point that names it, and the lines cross."""
    wanted: dict[int, str] = {}
    for number, row in enumerate(rows):
        if row.believed is None or row.hanging is None or len(row.believed.names) != 1 or not row.hanging.name:
            continue
        point = wiring.setup.points[row.believed.names[0]]
        named = point.part or point.name
        if wiring.board is not None and named in wiring.board.parts and named != row.hanging.name:
            wanted[number] = named
    found = list(rows)
    for number, named in wanted.items():
        for other, other_named in wanted.items():
            mine, theirs = rows[number].hanging, rows[other].hanging
            if other == number or mine is None or theirs is None:
                continue
            if theirs.name == named and mine.name == other_named:
                note = f"hangs on {rows[other].place.split(' ')[0]}"
                hanging = msgspec.structs.replace(theirs, note=note, state="", is_wrong=True)
                found[number] = msgspec.structs.replace(rows[number], hanging=hanging, crosses=other)
    for number, named in wanted.items():
        row = found[number]
        if row.crosses is None and row.believed is not None:
            believed = msgspec.structs.replace(row.believed, is_wrong=True, note=f"means {named}")
            found[number] = msgspec.structs.replace(row, believed=believed)
    return found
