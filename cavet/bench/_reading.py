"""From the tables of a bench file to a plan: what names what, and whether it is there."""

from __future__ import annotations

import re
from collections.abc import Iterable
from math import inf
from typing import Any

import msgspec

from cavet.bench import _schema as schema
from cavet.bench._check import Checker
from cavet.bench._devices import DeviceReader, ModbusPlan, ScpiPlan
from cavet.bench._link_reading import LinkReader
from cavet.bench._messages import StationReader, read_broker, read_client, read_topics
from cavet.bench._places import Path
from cavet.bench._plan import BasinPlan, BoardPlan, HostPlan, LinkPlan, Plan
from cavet.bench._points import PointReader
from cavet.bench._profiles import ProfileReader
from cavet.boards import Defect, PinMode, Profile, Quantity, Reflex
from cavet.boards.firmware.mqtt import StationPlan
from cavet.expressions import Expression
from cavet.hosts import Manners, Point
from cavet.wording import listed, nearest

PIN_KEYS = ("pin", "enable", "ahead", "astern", "speed", "level", "limit")
NAME = re.compile(r"[a-z][a-z0-9_]{0,39}")


def read_plan(data: dict[str, Any], checker: Checker) -> Plan | None:
    """Read everything; what is wrong stands in the checker's errors."""
    top = checker.table(data, schema.FILE, ())
    if top is None:
        return None
    reader = _Reader(top, checker)
    return reader.plan()


class _Reader:
    def __init__(self, top: dict[str, Any], checker: Checker) -> None:
        self._top = top
        self._checker = checker

    def plan(self) -> Plan:
        top = self._top
        rig_tables = self._tables("rig", schema.QUANTITY)
        self._checker.unit_of = lambda name: rig_tables[name]["unit"] if name in rig_tables else None
        rig = {name: self._quantity(name, table) for name, table in rig_tables.items()}
        boards = self._boards()
        link_reader = LinkReader(self._checker, top, self._one_of)
        links = {name: link_reader.read(name, table) for name, table in self._tables("links", schema.LINK).items()}
        links_found = {name: link for name, link in links.items() if link is not None}
        hosts = {name: self._host(name, table) for name, table in self._tables("hosts", schema.HOST).items()}
        profiles = self._profiles_of_hosts(hosts, links_found, boards)
        points = self._points(hosts, profiles)
        self._check_sums(rig, boards)
        return Plan(
            name=top["name"] or "bench",
            seed=top["seed"],
            boards=boards,
            links=links_found,
            rig=rig,
            rig_steps={name: table["step"] for name, table in rig_tables.items() if table.get("step")},
            basins=self._basins(rig_tables, boards),
            defects=self._defects(boards),
            hosts=hosts,
            points=points,
            broker=read_broker(self._checker, top["broker"]),
        )

    def _points(self, hosts: dict[str, HostPlan], profiles: dict[str, Profile]) -> dict[str, Point]:
        bases = self._top["hosts"]
        reader = PointReader(
            self._checker,
            {name: host.protocol for name, host in hosts.items()},
            {name: str(bases[name].get("base", "")) for name in hosts},
            self._resolve_pins,
        )
        found = {}
        for name, table in self._tables("points", schema.POINT).items():
            path: Path = ("points", name, "board")
            if self._one_of(path, table["board"], self._declared("hosts"), "a host") and table["board"] in hosts:
                point = reader.read(name, table, profiles.get(table["board"]))
                if point is not None:
                    found[name] = _unanswered(point) if hosts[table["board"]].manners.unit == 0 else point
        return found

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

    def _one_of(self, path: Path, found: str, names: Iterable[str], what: str) -> bool:
        known = list(names)
        if found in known:
            return True
        expected = f"{what}: {listed(known)}" if known else f"{what}, of which there is none"
        self._checker.wrong(path, found=found, expected=expected, nearest=nearest(found, known))
        return False

    # the truth

    def _quantity(self, name: str, table: dict[str, Any]) -> Quantity:
        low, high = sorted(table["range"]) if table["range"] else (-inf, inf)
        start = table["start"]
        if not low <= start <= high:
            self._checker.wrong(("rig", name, "start"), found=start, expected=f"{low:g} to {high:g}")
        return Quantity(
            name=name, unit=table["unit"], start=start, low=low, high=high, rate=table["rate"], free=table["free"]
        )

    def _basins(self, tables: dict[str, dict[str, Any]], boards: dict[str, BoardPlan]) -> tuple[BasinPlan, ...]:
        parts = self._part_paths(boards)
        basins = []
        for name, table in tables.items():
            path: Path = ("rig", name)
            if table["opening"]:
                self._one_of((*path, "opening"), table["opening"], sorted(parts), "a part")
            if table["gate"]:
                self._one_of((*path, "gate"), table["gate"], self._declared("rig"), "a quantity of the rig")
            if table["basin"] and not table["range"]:
                self._checker.wrong(
                    (*path, "basin"), found=table["basin"], expected="a `range` beside it: how deep it is"
                )
            if table["basin"]:
                basin = BasinPlan(quantity=name, place=table["basin"], opening=table["opening"], gate=table["gate"])
                basins.append(basin)
        return tuple(sorted(basins, key=lambda basin: basin.place))

    def _part_paths(self, boards: dict[str, BoardPlan]) -> set[str]:
        return {f"{board}.{part}" for board in boards for part in self._top["boards"][board].get("parts", {})}

    def _boards(self) -> dict[str, BoardPlan]:
        profiles = ProfileReader(self._checker, self._one_of)
        own = {name: profiles.read(name, table) for name, table in self._tables("profiles", schema.PROFILE).items()}
        boards = {}
        for name, table in self._tables("boards", schema.BOARD).items():
            profile = profiles.find(("boards", name, "profile"), table["profile"], own)
            if profile is None:
                continue
            parts = self._tables("parts", schema.PART, ("boards", name), table["parts"])
            for part, values in parts.items():
                self._resolve_pins(("boards", name, "parts", part), values, profile)
            self._check_wires(name, parts)
            boards[name] = BoardPlan(
                name=name,
                profile=profile,
                firmware=table["firmware"],
                firmware_name=table["firmware_name"] or name,
                failsafe=table["failsafe"],
                parts=parts,
                device=self._device(name, table, profile, parts),
                reflexes=self._reflexes(name, table["reflexes"], profile),
            )
        return boards

    def _device(
        self, name: str, table: dict[str, Any], profile: Profile, parts: dict[str, dict[str, Any]]
    ) -> ModbusPlan | ScpiPlan | StationPlan | None:
        def find_pin(path: Path, raw: Any) -> int | None:
            return self._pin(path, raw, profile)

        if table["firmware"] == "mqtt":
            return StationReader(self._checker, name, table, profile, self._tables_in, find_pin).read()
        return DeviceReader(self._checker, name, table, profile, parts, self._tables_in, find_pin).read()

    def _reflexes(self, board: str, data: dict[str, Any], profile: Profile) -> tuple[Reflex, ...]:
        path: Path = ("boards", board, "reflexes")
        found = []
        for name, table in self._tables("reflexes", schema.REFLEX, path[:2], data).items():
            pin, target = (self._pin((*path, name, key), table[key], profile) for key in ("pin", "target"))
            if pin is None or target is None:
                continue
            mode = PinMode(table["mode"])
            for key, number, needed in (("pin", pin, mode), ("target", target, PinMode.OUTPUT)):
                if needed not in profile.pins[number].modes:
                    able = listed(profile.able(needed)) or "none"
                    self._checker.wrong((*path, name, key), found=number, expected=f"a pin with {needed.value}: {able}")
            found.append(
                Reflex(
                    name=name, pin=pin, target=target, mode=mode, edge=table["edge"], does=table["does"],
                    debounce=table["debounce"],
                )
            )  # fmt: skip
        return tuple(found)

    def _tables_in(self, name: str, section: schema.Section, inside: Path, data: Any) -> dict[str, dict[str, Any]]:
        return self._tables(name, section, inside, data)

    def _resolve_pins(self, path: Path, values: dict[str, Any], profile: Profile | None) -> bool:
        """Put numbers in the place of labels; tell whether all pins are there."""
        good = True
        for key in PIN_KEYS:
            if values.get(key) is not None:
                number = self._pin((*path, key), values[key], profile)
                good &= number is not None
                values[key] = number
        return good

    def _pin(self, path: Path, raw: int | str, profile: Profile | None) -> int | None:
        labels = {pin.label: pin.number for pin in profile.pins.values() if pin.label} if profile else {}
        if isinstance(raw, str) and raw in labels:
            return labels[raw]
        if isinstance(raw, int) and (raw in profile.pins if profile else 0 <= raw <= 127):
            return raw
        expected = "0 to 127"
        if profile is not None:
            numbers = sorted(profile.pins)
            expected = f"{numbers[0]} to {numbers[-1]}"
            if labels:
                expected += f" or {next(iter(labels))} to {list(labels)[-1]}"
        self._checker.wrong(path, found=raw, expected=expected, nearest=nearest(str(raw), labels))
        return None

    def _check_wires(self, board: str, parts: dict[str, dict[str, Any]]) -> None:
        taken: dict[int, str] = {}
        for part, values in parts.items():
            for key in PIN_KEYS:
                pin = values.get(key)
                if pin is None:
                    continue
                if pin in taken:
                    path = ("boards", board, "parts", part, key)
                    self._checker.wrong(path, found=pin, expected=f"a pin of its own: {taken[pin]} hangs on this one")
                taken[pin] = part

    def _check_sums(self, rig: dict[str, Quantity], boards: dict[str, BoardPlan]) -> None:
        parts = self._part_paths(boards)
        quantities = self._declared("rig")
        for name, quantity in rig.items():
            for key, expression in (("rate", quantity.rate), ("free", quantity.free)):
                self._check_names(("rig", name, key), expression, {*quantities, *parts})
        for board in boards.values():
            for part, values in board.parts.items():
                path: Path = ("boards", board.name, "parts", part)
                self._check_names((*path, "closes"), values.get("closes"), {*quantities, *parts})
                for key in ("of", "moves"):
                    if values.get(key):
                        self._one_of((*path, key), values[key], quantities, "a quantity of the rig")
                self._check_guards((*path, "guards"), values, board.parts)
            if isinstance(board.device, ModbusPlan | StationPlan):
                table = "map" if isinstance(board.device, ModbusPlan) else "health"
                for cell, expression in board.device.sums.items():
                    where: Path = ("boards", board.name, table, cell, "of")
                    self._check_names(where, expression, {*quantities, *parts})

    def _check_guards(self, path: Path, values: dict[str, Any], parts: dict[str, dict[str, Any]]) -> None:
        pumps = [name for name, table in parts.items() if table["kind"] == "pump"]
        for name in values.get("guards", ()):
            self._one_of(path, name, pumps, "a pump")

    def _check_names(self, path: Path, expression: Expression | None, known: set[str]) -> None:
        for name in expression.names if expression else ():
            self._one_of(path, name, sorted(known), "a quantity of the rig or a part")

    def _defects(self, boards: dict[str, BoardPlan]) -> dict[str, Defect]:
        defects = {}
        for name, table in self._tables("defects", schema.DEFECT).items():
            path: Path = ("defects", name)
            if not self._one_of((*path, "board"), table["board"], self._declared("boards"), "a simulated board"):
                continue
            if table["board"] not in boards:
                continue
            over_broker = boards[table["board"]].firmware == "mqtt"
            if table["kind"] == ("lossy" if over_broker else "away") or (table["kind"] == "mute" and not over_broker):
                expected = "one that fits: no byte is lost on the way to a broker" if over_broker else (
                    "one that fits: `away` and `mute` are for boards on a broker"
                )  # fmt: skip
                self._checker.wrong((*path, "kind"), found=table["kind"], expected=expected)
            profile = boards[table["board"]].profile
            self._resolve_pins(path, table, profile)
            for place, pin in enumerate(table.get("pins") or ()):
                self._pin((*path, "pins", place), pin, profile)
            fields = {key: table[key] for key in ("pin", "pins", "share", "delay") if key in table}
            defects[name] = Defect(name=name, kind=table["kind"], board=table["board"], on=table["on"], **fields)
        return defects

    # the belief

    def _host(self, name: str, table: dict[str, Any]) -> HostPlan:
        self._one_of(("hosts", name, "link"), table["link"], self._declared("links"), "a link")
        manners = Manners(
            boot_wait=table["boot_wait"],
            reply_within=table["reply_within"],
            retries=table["retries"],
            sampling=table["sampling"],
            reopen=table["reopen"],
            poll=table["poll"],
            in_flight=table["in_flight"],
            repeat_writes=table["repeat_writes"],
            unit=table["unit"],
            turnaround=table["turnaround"],
        )
        path: Path = ("hosts", name)
        return HostPlan(
            name=name,
            link=table["link"],
            protocol=table["protocol"],
            manners=manners,
            client=read_client(self._checker, path, table),
            topics=read_topics(self._checker, path, table),
        )

    def _profiles_of_hosts(
        self, hosts: dict[str, HostPlan], links: dict[str, LinkPlan], boards: dict[str, BoardPlan]
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
