"""From the tables of a bench file to a set-up: what names what, and whether it is there."""

from __future__ import annotations

import re
from math import inf
from pathlib import Path as FilePath
from typing import Any

import msgspec

from cavet.benchfile import _schema as schema
from cavet.benchfile._broker import read_broker
from cavet.benchfile._bus_reading import BusReader, line_of
from cavet.benchfile._check import Checker
from cavet.benchfile._check_reading import CheckSettings, read_checks, read_needs
from cavet.benchfile._defect_reading import fitting_defect
from cavet.benchfile._kernel_reading import check_kernel, read_kernel
from cavet.benchfile._links import LinkReader
from cavet.benchfile._overlaps import check_overlaps
from cavet.benchfile._places import Path
from cavet.benchfile._profiles import ProfileReader
from cavet.benchfile._setup import BasinSettings, BoardSetup, BusWires, HostSetup, LinkSetup, Setup, SupplySettings
from cavet.benchfile._wiring import PIN_KEYS, check_cables, check_converters, check_targets, check_wires
from cavet.benchfile.boards import FIRMWARES, BoardTables, Device
from cavet.benchfile.hosts import PROTOCOLS, HostTables, PointTable, read_point
from cavet.boards import SUPPLIED, Defect, PinMode, Profile, Quantity, Reflex
from cavet.expressions import Expression
from cavet.hosts import Point, SessionSettings
from cavet.settings import made
from cavet.wording import listed

NAME = re.compile(r"[a-z][a-z0-9_]{0,39}")


def read_setup(data: dict[str, Any], checker: Checker, folder: FilePath | None = None) -> Setup | None:
    """Read everything; what is wrong stands in the checker's errors. `folder` is where other files are looked for."""
    top = checker.table(data, schema.FILE, ())
    if top is None:
        return None
    reader = _Reader(top, checker, folder)
    return reader.setup()


class _Reader:
    def __init__(self, top: dict[str, Any], checker: Checker, folder: FilePath | None) -> None:
        self._top = top
        self._checker = checker
        self._folder = folder
        self._profiles: dict[str, Profile] = {}
        """The profiles that boards have, by their names."""

    def setup(self) -> Setup:
        top = self._top
        rig_tables = self._tables("rig", schema.QUANTITY)
        self._checker.unit_of = lambda name: rig_tables[name]["unit"] if name in rig_tables else None
        rig = {name: self._quantity(name, table) for name, table in rig_tables.items()}
        boards = self._boards()
        link_reader = LinkReader(self._checker, top)
        links = {name: link_reader.read(name, table) for name, table in self._tables("links", schema.LINK).items()}
        links_found = {name: link for name, link in links.items() if link is not None}
        hosts = {name: self._host(name, table) for name, table in self._tables("hosts", schema.HOST).items()}
        profiles = self._profiles_of_hosts(hosts, links_found, boards)
        points = self._points(hosts, profiles)
        self._check_expressions(rig, boards)
        defects = self._defects(boards)
        return Setup(
            name=top["name"] or "bench",
            seed=top["seed"],
            boards=boards,
            links=links_found,
            rig=rig,
            rig_steps={name: table["step"] for name, table in rig_tables.items() if table.get("step")},
            basins=self._basins(rig_tables, boards),
            defects=defects,
            hosts=hosts,
            points=points,
            needs=read_needs(self._checker, self._top["points"], points),
            checks=self._checks(points, defects, links_found),
            broker=read_broker(self._checker, top["broker"]),
        )

    def _points(self, hosts: dict[str, HostSetup], profiles: dict[str, Profile]) -> dict[str, Point]:
        found = {}
        for name, table in self._tables("points", schema.POINT).items():
            path: Path = ("points", name, "board")
            if (
                self._checker.one_of(path, table["board"], self._declared("hosts"), "a host")
                and table["board"] in hosts
            ):
                host = hosts[table["board"]]
                asked = PointTable(self._checker, name, table, host, profiles.get(host.name), self._resolve_pins)
                point = read_point(asked)
                if point is not None:
                    found[name] = _unanswered(point) if host.settings.unit == 0 else point
        check_overlaps(self._checker, found.values())
        return found

    def _checks(
        self, points: dict[str, Point], defects: dict[str, Defect], links: dict[str, LinkSetup]
    ) -> dict[str, CheckSettings]:
        words = [word for link in links.values() for word in link.words]
        boards = [link.board for link in links.values()] + self._declared("boards") + self._declared("hosts")
        return read_checks(self._checker, self._tables("checks", schema.CHECK), points, defects, words, boards)

    def _tables(
        self, name: str, section: schema.Section, inside: Path = (), data: Any = None
    ) -> dict[str, dict[str, Any]]:
        """Read all tables below `name`."""
        path = (*inside, name)
        found = {}
        for key, table in (self._top[name] if data is None else data).items():
            if not NAME.fullmatch(key):
                expected = "a name of small letters, digits and _, beginning with a letter"
                self._checker.wrong((*path, key), found=key, expected=expected)
                continue
            values = self._checker.table(table, section, (*path, key))
            if values is not None:
                found[key] = values
        return found

    def _declared(self, section: str) -> list[str]:
        """All names of a section, also those whose tables are wrong: that is told once, at the table."""
        return list(self._top[section])

    # the truth

    def _quantity(self, name: str, table: dict[str, Any]) -> Quantity:
        low, high = sorted(table["range"]) if table["range"] else (-inf, inf)
        start = table["start"]
        if not low <= start <= high:
            self._checker.wrong(("rig", name, "start"), found=start, expected=f"{low:g} to {high:g}")
        return made(Quantity, table, name=name, low=low, high=high)

    def _basins(self, tables: dict[str, dict[str, Any]], boards: dict[str, BoardSetup]) -> tuple[BasinSettings, ...]:
        parts = self._part_paths(boards)
        basins = []
        for name, table in tables.items():
            path: Path = ("rig", name)
            if table["opening"]:
                self._checker.one_of((*path, "opening"), table["opening"], sorted(parts), "a part")
            if table["gate"]:
                self._checker.one_of((*path, "gate"), table["gate"], self._declared("rig"), "a quantity of the rig")
            if table["basin"] and not table["range"]:
                self._checker.wrong(
                    (*path, "basin"), found=table["basin"], expected="a `range` beside it: how deep it is"
                )
            if table["basin"]:
                basins.append(made(BasinSettings, table, quantity=name, place=table["basin"]))
        return tuple(sorted(basins, key=lambda basin: basin.place))

    def _part_paths(self, boards: dict[str, BoardSetup]) -> set[str]:
        return {f"{board}.{part}" for board in boards for part in self._top["boards"][board].get("parts", {})}

    def _boards(self) -> dict[str, BoardSetup]:
        profiles = ProfileReader(self._checker)
        own = {name: profiles.read(name, table) for name, table in self._tables("profiles", schema.PROFILE).items()}
        boards = {}
        for name, table in self._tables("boards", schema.BOARD).items():
            profile = profiles.find(("boards", name, "profile"), table["profile"], own)
            if profile is None:
                continue
            if FIRMWARES[table["firmware"]].IS_THERE_AT_ONCE:
                profile = msgspec.structs.replace(profile, resets=False, boot=0.0)
            parts = self._tables("parts", schema.PART, ("boards", name), table["parts"])
            bus = BusReader(self._checker, name, parts, self._folder)
            bus.read()
            for part, values in parts.items():
                self._resolve_pins(("boards", name, "parts", part), values, profile, bus)
            check_wires(self._checker, name, parts)
            check_converters(self._checker, name, parts, profile)
            self._profiles[table["profile"]] = profile
            bus_table = self._checker.table(table["bus"], schema.BUS, ("boards", name, "bus"))
            boards[name] = made(
                BoardSetup,
                table,
                name=name,
                profile=profile,
                firmware_name=table["firmware_name"] or name,
                parts=parts,
                device=self._device(name, table, profile, parts),
                reflexes=self._reflexes(name, table["reflexes"], profile),
                bus=made(BusWires, bus_table or {}),
                supplies=self._supplies(name, table["supplies"], parts),
                kernel=read_kernel(self._checker, name, table, profile, self._top["links"]),
            )
        check_targets(self._checker, boards)
        check_cables(self._checker, boards)
        check_kernel(self._checker, {name: board.kernel for name, board in boards.items()})
        return boards

    def _supplies(
        self, board: str, data: dict[str, Any], parts: dict[str, dict[str, Any]]
    ) -> dict[str, SupplySettings]:
        found = self._tables("supplies", schema.SUPPLY, ("boards", board), data)
        for part, values in parts.items():
            if values.get("supply") not in (None, *SUPPLIED):
                path: Path = ("boards", board, "parts", part, "supply")
                self._checker.one_of(path, values["supply"], [*SUPPLIED, *data], "a supply")
        return {name: SupplySettings(**table) for name, table in found.items()}

    def _device(self, name: str, table: dict[str, Any], profile: Profile, parts: dict[str, dict[str, Any]]) -> Device:
        def find_pin(path: Path, raw: Any) -> int | None:
            return self._pin(path, raw, profile)

        tables = BoardTables(self._checker, name, table, profile, parts, self._folder, self._tables, find_pin)
        return FIRMWARES[table["firmware"]].read(tables) or Device()

    def _reflexes(self, board: str, data: dict[str, Any], profile: Profile) -> tuple[Reflex, ...]:
        path: Path = ("boards", board, "reflexes")
        found = []
        for name, table in self._tables("reflexes", schema.REFLEX, path[:2], data).items():
            pin, target = (self._pin((*path, name, key), table[key], profile) for key in ("pin", "target"))
            if pin is None or target is None:
                continue
            mode = PinMode(table["mode"])
            for key, number, needed in (("pin", pin, mode), ("target", target, PinMode.OUTPUT)):
                if not profile.pins[number].can(needed):
                    able = listed(profile.able(needed)) or "none"
                    self._checker.wrong((*path, name, key), found=number, expected=f"a pin with {needed.value}: {able}")
            found.append(made(Reflex, table, name=name, pin=pin, target=target, mode=mode))
        return tuple(found)

    def _resolve_pins(
        self, path: Path, values: dict[str, Any], profile: Profile | None, bus: BusReader | None = None
    ) -> bool:
        """Put numbers in the place of labels; tell whether all pins are there."""
        good = True
        for key in PIN_KEYS:
            if values.get(key) is not None:
                line = line_of(values[key]) if bus is not None else None
                if line is not None and bus is not None:
                    number = self._line((*path, key), values, line, bus)
                else:
                    number = self._pin((*path, key), values[key], profile)
                good &= number is not None
                values[key] = number
        return good

    def _line(self, path: Path, values: dict[str, Any], line: tuple[str, str], bus: BusReader) -> int | None:
        """The line of an expander at which a part hangs; all its wires end at the same one."""
        if values.setdefault("hangs_on", line[0]) != line[0]:
            self._checker.wrong(path, found=line[0], expected=f"lines of one part only: {values['hangs_on']}")
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
        quantities = self._declared("rig")
        for name, quantity in rig.items():
            for key, expression in (("rate", quantity.rate), ("free", quantity.free)):
                self._check_names(("rig", name, key), expression, {*quantities, *parts})
        for board in boards.values():
            for part, values in board.parts.items():
                path: Path = ("boards", board.name, "parts", part)
                for key in ("closes", "follows", "alarm"):
                    self._check_names((*path, key), values.get(key), {*quantities, *parts})
                for key in ("of", "moves"):
                    if values.get(key):
                        self._checker.one_of((*path, key), values[key], quantities, "a quantity of the rig")
                self._check_guards((*path, "guards"), values, board.parts)
                for channel, expression in (values.get("channels") or {}).items():
                    self._check_channel((*path, "channels", channel), channel, values)
                    self._check_names((*path, "channels", channel), expression, {*quantities, *parts})
            for name, expression in board.device.expressions.items():
                where: Path = ("boards", board.name, *board.device.path_of_expression(name))
                self._check_names(where, expression, {*quantities, *parts})

    def _check_channel(self, path: Path, channel: str, values: dict[str, Any]) -> None:
        known = [register.name for register in values["map"].registers] if values["map"] is not None else [channel]
        self._checker.one_of(path, channel, known, "a register of its map")

    def _check_guards(self, path: Path, values: dict[str, Any], parts: dict[str, dict[str, Any]]) -> None:
        pumps = [name for name, table in parts.items() if table["kind"] == "pump"]
        for name in values.get("guards", ()):
            self._checker.one_of(path, name, pumps, "a pump")

    def _check_names(self, path: Path, expression: Expression | None, known: set[str]) -> None:
        for name in expression.names if expression else ():
            self._checker.one_of(path, name, sorted(known), "a quantity of the rig or a part")

    def _defects(self, boards: dict[str, BoardSetup]) -> dict[str, Defect]:
        defects = {}
        for name, table in self._tables("defects", schema.DEFECT).items():
            path: Path = ("defects", name)
            if not self._checker.one_of(
                (*path, "board"), table["board"], self._declared("boards"), "a simulated board"
            ):
                continue
            if table["board"] not in boards:
                continue
            links = [link for link in self._tables("links", schema.LINK).values() if link["board"] == table["board"]]
            made = fitting_defect(self._checker, path, table, boards[table["board"]], links)
            profile = boards[table["board"]].profile
            self._resolve_pins(path, table, profile)
            for place, pin in enumerate(table.get("pins") or ()):
                self._pin((*path, "pins", place), pin, profile)
            fields = {key.name: table.get(key.name) for key in made.SETTINGS}
            defects[name] = made(name=name, board=table["board"], on=table["on"], **fields)
        return defects

    # the belief

    def _host(self, name: str, table: dict[str, Any]) -> HostSetup:
        self._checker.one_of(("hosts", name, "link"), table["link"], self._declared("links"), "a link")
        link = self._top["links"].get(table["link"])
        board = self._top["boards"].get(link.get("board")) if isinstance(link, dict) else None

        def interrupt_pin(path: Path, raw: Any) -> int | None:
            return self._interrupt_pin(path, raw, board)

        tables = HostTables(self._checker, name, table, self._folder, self._tables, interrupt_pin)
        devices, known = table["devices"], [each.name for each in PROTOCOLS.values() if each.HAS_BUS]
        if devices and table["protocol"] not in known:
            expected = f"a protocol with buses: {listed(known)}"
            self._checker.wrong(("hosts", name, "devices"), found=table["protocol"], expected=expected)
        return HostSetup(
            name=name,
            link=table["link"],
            protocol=table["protocol"],
            settings=made(SessionSettings, table),
            **PROTOCOLS[table["protocol"]].read_host(tables),
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
