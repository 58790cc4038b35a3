"""From the tables of a bench file to a set-up: what names what, and whether it is there."""

from __future__ import annotations

import re
from math import inf
from pathlib import Path as FilePath
from typing import Any, TypeVar

import msgspec

from cavet.benchfile import _schema as schema
from cavet.benchfile._broker import read_broker
from cavet.benchfile._bus_reading import BusReader, line_of
from cavet.benchfile._check import Checker
from cavet.benchfile._check_reading import CheckSettings, read_checks, read_needs
from cavet.benchfile._defect_reading import check_defect
from cavet.benchfile._file_table import name_of
from cavet.benchfile._kernel_reading import check_kernel, read_kernel
from cavet.benchfile._links import LinkReader
from cavet.benchfile._overlaps import check_overlaps
from cavet.benchfile._places import Path
from cavet.benchfile._profiles import ProfileReader
from cavet.benchfile._setup import BasinSettings, BoardSetup, HostSetup, LinkSetup, Setup
from cavet.benchfile._wiring import check_cables, check_converters, check_targets, check_wires
from cavet.benchfile.boards import FIRMWARES, BoardTables, Device
from cavet.benchfile.hosts import PROTOCOLS, HostTables, PointTables, read_point
from cavet.boards import KINDS, SUPPLIED, Defect, PartSettings, PinMode, Profile, Quantity, Reflex, Swapped
from cavet.boards.buses import MeasuringSettings, OneWireDeviceSettings
from cavet.boards.parts import MotorSettings, OverloadSettings, Part, Pump, ServoSettings
from cavet.expressions import Expression
from cavet.hosts import Point
from cavet.settings import Table, keys_of, made
from cavet.wording import from_to, listed, with_article

T = TypeVar("T", bound=Table)
NAME = re.compile(r"[a-z][a-z0-9_]{0,39}")


def read_setup(data: dict[str, Any], checker: Checker, folder: FilePath | None = None) -> Setup | None:
    """Read everything; what is wrong stands in the checker's errors. `folder` is where other files are looked for."""
    top = checker.read(data, schema.FileTable, ())
    if top is None:
        return None
    reader = _Reader(top, checker, folder)
    return reader.setup()


class _Reader:
    def __init__(self, top: schema.FileTable, checker: Checker, folder: FilePath | None) -> None:
        self._top = top
        self._checker = checker
        self._folder = folder
        self._profiles: dict[str, Profile] = {}
        """The profiles that boards have, by their names."""

    def setup(self) -> Setup:
        top = self._top
        rig_tables = self._tables("rig", schema.QuantityTable, (), top.rig)
        self._checker.unit_of = lambda name: rig_tables[name].unit if name in rig_tables else None
        rig = {name: self._quantity(name, table) for name, table in rig_tables.items()}
        boards = self._boards()
        link_reader = LinkReader(self._checker, top)
        link_tables = self._tables("links", schema.LinkTable, (), top.links)
        links = link_reader.read_all(link_tables)
        host_tables = self._tables("hosts", schema.HostTable, (), top.hosts)
        hosts = {name: self._host(name, table) for name, table in host_tables.items()}
        link_reader.check_hosts(hosts.values(), links)
        profiles = self._profiles_of_hosts(hosts, links, boards)
        points = self._points(hosts, profiles)
        self._check_expressions(rig, boards)
        defects = self._defects(boards, list(link_tables.values()))
        return Setup(
            name=top.name or name_of(self._checker.file),
            seed=top.seed,
            boards=boards,
            links=links,
            rig=rig,
            rig_steps={name: table.step for name, table in rig_tables.items() if table.step},
            basins=self._basins(rig_tables, boards),
            defects=defects,
            hosts=hosts,
            points=points,
            needs=read_needs(self._checker, top.points, points),
            checks=self._checks(points, defects, links),
            broker=read_broker(self._checker, top.broker),
        )

    def _points(self, hosts: dict[str, HostSetup], profiles: dict[str, Profile]) -> dict[str, Point]:
        found = {}
        data = self._top.points
        for name, table in self._tables("points", schema.PointTable, (), data).items():
            path: Path = ("points", name, "board")
            if self._checker.one_of(path, table.board, self._top.hosts, "a host") and table.board in hosts:
                host = hosts[table.board]
                profile = profiles.get(host.name)
                asked = PointTables(self._checker, name, table, data[name], host, profile, self._resolve_pins)
                point = read_point(asked)
                if point is not None:
                    found[name] = _unanswered(point) if host.settings.unit == 0 else point
        check_overlaps(self._checker, found.values())
        return found

    def _checks(
        self, points: dict[str, Point], defects: dict[str, Defect], links: dict[str, LinkSetup]
    ) -> dict[str, CheckSettings]:
        words = [word for link in links.values() for word in link.words]
        boards = [*(link.board for link in links.values()), *self._top.boards, *self._top.hosts]
        tables = self._tables("checks", schema.CheckTable, (), self._top.checks)
        return read_checks(self._checker, tables, points, defects, words, boards)

    def _tables(self, name: str, of: type[T], inside: Path, data: dict[str, Any]) -> dict[str, T]:
        """Read all tables below `name`."""
        path = (*inside, name)
        found = {}
        for key, table in data.items():
            if not NAME.fullmatch(key):
                expected = "a name of small letters, digits and _, beginning with a letter"
                self._checker.wrong((*path, key), found=key, expected=expected)
                continue
            values = self._checker.read(table, of, (*path, key))
            if values is not None:
                found[key] = values
        return found

    # the truth

    def _quantity(self, name: str, table: schema.QuantityTable) -> Quantity:
        low, high = sorted(table.range) if table.range else (-inf, inf)
        start = table.start
        if not low <= start <= high:
            self._checker.wrong(("rig", name, "start"), found=start, expected=from_to(low, high))
        return made(Quantity, table, name=name, low=low, high=high)

    def _basins(
        self, tables: dict[str, schema.QuantityTable], boards: dict[str, BoardSetup]
    ) -> tuple[BasinSettings, ...]:
        parts = self._part_paths(boards)
        basins = []
        for name, table in tables.items():
            path: Path = ("rig", name)
            if table.opening:
                self._checker.one_of((*path, "opening"), table.opening, sorted(parts), "a part")
            if table.gate:
                self._checker.one_of((*path, "gate"), table.gate, self._top.rig, "a quantity of the rig")
            if table.basin and not table.range:
                self._checker.wrong((*path, "basin"), found=table.basin, expected="a `range` beside it: how deep it is")
            if table.basin:
                basins.append(made(BasinSettings, table, quantity=name, place=table.basin))
        return tuple(sorted(basins, key=lambda basin: basin.place))

    def _part_paths(self, boards: dict[str, BoardSetup]) -> set[str]:
        return {f"{board}.{part}" for board in boards for part in self._top.boards[board].get("parts", {})}

    def _boards(self) -> dict[str, BoardSetup]:
        profiles = ProfileReader(self._checker)
        tables = self._tables("profiles", schema.ProfileTable, (), self._top.profiles)
        own = {name: profiles.read(name, table) for name, table in tables.items()}
        boards = {}
        for name, table in self._tables("boards", schema.BoardTable, (), self._top.boards).items():
            place: Path = ("boards", name)
            self._checker.check_spoken(self._top.boards[name], schema.BoardTable, place, table.firmware, "the board")
            profile = profiles.find(("boards", name, "profile"), table.profile, own)
            if profile is None:
                continue
            if FIRMWARES[table.firmware].IS_THERE_AT_ONCE:
                profile = msgspec.structs.replace(profile, resets=False, boot=0.0)
            parts = self._tables("parts", PartSettings, ("boards", name), table.parts)
            bus = BusReader(self._checker, name, parts, self._folder)
            bus.read()
            for part, values in parts.items():
                self._resolve_pins(("boards", name, "parts", part), values, profile, bus)
            check_wires(self._checker, name, parts)
            check_converters(self._checker, name, parts, profile)
            self._profiles[table.profile] = profile
            wires = self._checker.read(table.bus, schema.BusWires, ("boards", name, "bus"))
            boards[name] = made(
                BoardSetup,
                table,
                name=name,
                profile=profile,
                firmware_name=table.firmware_name or name,
                parts=parts,
                device=self._device(name, table.firmware, profile, parts),
                reflexes=self._reflexes(name, table.reflexes, profile, parts),
                bus=wires or schema.BusWires(),
                supplies=self._supplies(name, table.supplies, parts),
                kernel=read_kernel(self._checker, name, table, profile, self._top.links),
            )
        check_targets(self._checker, boards)
        check_cables(self._checker, boards)
        check_kernel(self._checker, {name: board.kernel for name, board in boards.items()})
        return boards

    def _supplies(
        self, board: str, data: dict[str, Any], parts: dict[str, PartSettings]
    ) -> dict[str, schema.SupplyTable]:
        for part, settings in parts.items():
            if isinstance(settings, MotorSettings | ServoSettings) and settings.supply not in SUPPLIED:
                path: Path = ("boards", board, "parts", part, "supply")
                self._checker.one_of(path, settings.supply, [*SUPPLIED, *data], "a supply")
        return self._tables("supplies", schema.SupplyTable, ("boards", board), data)

    def _device(self, name: str, firmware: str, profile: Profile, parts: dict[str, PartSettings]) -> Device:
        def find_pin(path: Path, raw: Any) -> int | None:
            return self._pin(path, raw, profile)

        data = self._top.boards[name]
        tables = BoardTables(self._checker, name, firmware, data, profile, parts, self._folder, self._tables, find_pin)
        return FIRMWARES[firmware].read(tables) or Device()

    def _reflexes(
        self, board: str, data: dict[str, Any], profile: Profile, parts: dict[str, PartSettings]
    ) -> tuple[Reflex, ...]:
        path: Path = ("boards", board, "reflexes")
        found = []
        for name, table in self._tables("reflexes", schema.ReflexTable, path[:2], data).items():
            pin = self._pin((*path, name, "pin"), table.pin, profile)
            target = self._pin((*path, name, "target"), table.target, profile)
            if pin is None or target is None:
                continue
            mode = PinMode(table.mode)
            for key, number, needed in (("pin", pin, mode), ("target", target, PinMode.OUTPUT)):
                if not profile.pins[number].can(needed):
                    able = listed(profile.able(needed)) or "none"
                    self._checker.wrong((*path, name, key), found=number, expected=f"a pin with {needed.value}: {able}")
                for part, settings in parts.items():
                    does = _unfit_for(key, KINDS[settings.kind])
                    if does and number in settings.wires.values() and not settings.hangs_on:
                        what = f"another pin: {part}, {with_article(settings.kind)}, {does}"
                        self._checker.wrong((*path, name, key), found=number, expected=what)
            found.append(made(Reflex, table, name=name, pin=pin, target=target, mode=mode))
        return tuple(found)

    def _resolve_pins(self, path: Path, table: Table, profile: Profile | None, bus: BusReader | None = None) -> bool:
        """Put numbers in the place of labels; tell whether all pins are there."""
        good = True
        for key in keys_of(type(table)):
            raw = getattr(table, key.field)
            if key.kind != "pin" or raw is None:
                continue
            line = line_of(raw)
            if bus is not None and isinstance(table, PartSettings) and line is not None:
                number = self._line((*path, key.name), table, line, bus)
            else:
                number = self._pin((*path, key.name), raw, profile)
            good &= number is not None
            setattr(table, key.field, number)
        return good

    def _line(self, path: Path, settings: PartSettings, line: tuple[str, str], bus: BusReader) -> int | None:
        """The line of an expander at which a part hangs; all its wires end at the same one."""
        settings.hangs_on = settings.hangs_on or line[0]
        if settings.hangs_on != line[0]:
            self._checker.wrong(path, found=line[0], expected=f"lines of one part only: {settings.hangs_on}")
        return bus.line(path, *line)

    def _pin(self, path: Path, raw: int | str, profile: Profile | None) -> int | None:
        labels = {pin.label: pin.number for pin in profile.pins.values() if pin.label} if profile else {}
        if isinstance(raw, str) and raw in labels:
            return labels[raw]
        if isinstance(raw, int) and (raw in profile.pins if profile else 0 <= raw <= 127):
            return raw
        expected = "0 to 127"
        if profile is not None:
            numbers = sorted(profile.pins)
            expected = (
                f"{numbers[0]} to {numbers[-1]}" if numbers else 'the line of a device, as "NAME.LINE": no own pins'
            )
            if labels:
                expected += f" or {next(iter(labels))} to {list(labels)[-1]}"
        self._checker.wrong(path, found=raw, expected=expected, nearest=self._checker.nearest(str(raw), labels))
        return None

    def _check_expressions(self, rig: dict[str, Quantity], boards: dict[str, BoardSetup]) -> None:
        parts = self._part_paths(boards)
        quantities = self._top.rig
        for name, quantity in rig.items():
            for key, expression in (("rate", quantity.rate), ("free", quantity.free)):
                self._check_names(("rig", name, key), expression, {*quantities, *parts})
        for board in boards.values():
            for part, settings in board.parts.items():
                self._check_part(("boards", board.name, "parts", part), settings, board, {*quantities, *parts})
            for name, expression in board.device.expressions.items():
                where: Path = ("boards", board.name, *board.device.path_of_expression(name))
                self._check_names(where, expression, {*quantities, *parts})

    def _check_part(self, path: Path, settings: PartSettings, board: BoardSetup, known: set[str]) -> None:
        """What a part names is there: quantities, channels, other parts."""
        for keys, expression in settings.expressions.items():
            self._check_names((*path, *keys), expression, known)
        for key in keys_of(type(settings)):
            if key.names == "quantity" and (name := getattr(settings, key.field)):
                self._checker.one_of((*path, key.name), name, self._top.rig, "a quantity of the rig")
        if isinstance(settings, OverloadSettings):
            pumps = [name for name, other in board.parts.items() if other.kind == Pump.kind]
            for name in settings.guards:
                self._checker.one_of((*path, "guards"), name, pumps, "a pump")
        if isinstance(settings, MeasuringSettings | OneWireDeviceSettings) and settings.register_map is not None:
            registers = [register.name for register in settings.register_map.registers]
            for channel in settings.channels:
                self._checker.one_of((*path, "channels", channel), channel, registers, "a register of its map")

    def _check_names(self, path: Path, expression: Expression | None, known: set[str]) -> None:
        for name in expression.names if expression else ():
            self._checker.one_of(path, name, sorted(known), "a quantity of the rig or a part")

    def _defects(self, boards: dict[str, BoardSetup], links: list[schema.LinkTable]) -> dict[str, Defect]:
        defects = {}
        for name, defect in self._tables("defects", Defect, (), self._top.defects).items():
            path: Path = ("defects", name)
            known = self._checker.one_of((*path, "board"), defect.board, self._top.boards, "a simulated board")
            if not known or defect.board not in boards:
                continue
            board = boards[defect.board]
            check_defect(self._checker, path, defect, board, [link for link in links if link.board == board.name])
            self._resolve_pins(path, defect, board.profile)
            if isinstance(defect, Swapped):
                for place, pin in enumerate(defect.pins):
                    self._pin((*path, "pins", place), pin, board.profile)
            defect.name = name
            defects[name] = defect
        return defects

    # the belief

    def _host(self, name: str, table: schema.HostTable) -> HostSetup:
        self._checker.one_of(("hosts", name, "link"), table.link, self._top.links, "a link")
        link = self._top.links.get(table.link)
        board = self._top.boards.get(str(link.get("board"))) if isinstance(link, dict) else None

        def interrupt_pin(path: Path, raw: Any) -> int | None:
            return self._interrupt_pin(path, raw, board)

        data, protocol = self._top.hosts[name], PROTOCOLS[table.protocol]
        self._checker.check_spoken(data, schema.HostTable, ("hosts", name), table.protocol, "the host")
        tables = HostTables(self._checker, name, data, self._folder, self._tables, interrupt_pin)
        return HostSetup(
            name=name, link=table.link, protocol=table.protocol, settings=table, **protocol.read_host(tables)
        )

    def _interrupt_pin(self, path: Path, raw: int | str, board: object) -> int | None:
        """The pin of an interrupt line; its label is known where its board is described."""
        profile = None
        if isinstance(board, dict) and isinstance(board.get("profile"), str):
            profile = self._profiles.get(board["profile"])
        return self._pin(path, raw, profile)

    def _profiles_of_hosts(
        self, hosts: dict[str, HostSetup], links: dict[str, LinkSetup], boards: dict[str, BoardSetup]
    ) -> dict[str, Profile]:
        """The profile behind each host name, where it is known: a real board's is not, unless it is described."""
        found = {}
        for host in hosts.values():
            link = links.get(host.link)
            if link is not None and link.board in boards:
                found[host.name] = boards[link.board].profile
        return found


def _unanswered(point: Point) -> Point:
    """A point of which all devices are told at once: none reads it back."""
    return msgspec.structs.replace(point, confirm=False)


def _unfit_for(key: str, kind: type[Part]) -> str:
    """What a kind of part does that can't hang at the `pin`, or at the `target`, of a reflex; "" where it can."""
    if key == "pin":
        return "" if kind.senses else "is driven there"
    return "senses there" if kind.senses else "" if kind.by_level else "wants more than a level"
