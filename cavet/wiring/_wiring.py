"""A board with what the host believes of it on one side, and what hangs on it on the other."""

from __future__ import annotations

from functools import cached_property

import msgspec

from cavet.benchfile import BoardSetup, HostSetup, LinkSetup, Place, PlaceKey, Setup
from cavet.boards import PinMode, Swapped
from cavet.boards.buses import BusSettings, ChipSettings, MappedSettings
from cavet.hosts import DevicePoint, Point
from cavet.wiring._place import pins_of, places_of


class Wire(msgspec.Struct, frozen=True, kw_only=True):
    """From a point to a place, and what hangs there. `place` is `None` where the point is at nothing; `leads` whether
    the part that the point means hangs there."""

    point: Point
    place: Place | None
    leads: bool
    named: str
    """The part that the point means."""


class Wiring:
    """One board: its host, its link, its places, its parts. `swapped` says which wires are swapped just now."""

    def __init__(self, setup: Setup, board: str, swapped: dict[int, int] | None = None) -> None:
        self.setup = setup
        self.name = board
        self.swapped = swapped if swapped is not None else _swapped_in(setup, board)
        self.board: BoardSetup | None = setup.boards.get(board)
        self.links: list[LinkSetup] = [link for link in setup.links.values() if link.board == board]
        names = {link.name for link in self.links}
        self.hosts: list[HostSetup] = [host for host in setup.hosts.values() if host.link in names]
        hosts = {host.name for host in self.hosts}
        self.points: list[Point] = [point for point in setup.points.values() if point.board in hosts]

    @cached_property
    def places(self) -> list[Place]:
        """Its places, in their order; none where the board is a real one."""
        return list(places_of(self.board, self.swapped)) if self.board is not None else []

    @cached_property
    def by_key(self) -> dict[tuple[str | int, ...], Place]:
        """The places by their keys."""
        return {place.key: place for place in self.places}

    @cached_property
    def on_pins(self) -> dict[int, list[tuple[str, str]]]:
        """What hangs on each pin: parts, with their wires' names."""
        return pins_of(self.board, self.swapped) if self.board is not None else {}

    def free_pins(self, mode: PinMode) -> list[int]:
        """The pins that have a mode, at which nothing hangs and no point is; not those of a bus that is in use."""
        if self.board is None:
            return []
        taken = set(self.on_pins) | {pin for point in self.points for pin in point.modes()}
        if any(isinstance(table, BusSettings) for table in self.board.parts.values()):
            taken |= set(self.board.profile.able(PinMode.BUS))
        pins = self.board.profile.pins
        return [pin for pin in self.board.profile.able(mode) if pin not in taken and not pins[pin].reserved]

    @cached_property
    def wires(self) -> list[Wire]:
        """All points with the places that they are at."""
        return [wire for point in self.points for wire in self.wires_of(point)]

    def wires_of(self, point: Point) -> list[Wire]:
        """The places that a point is at; one wire to nothing where there is none of them."""
        named = point.part or point.name
        keys = self.keys_of(point)
        found = [self.by_key[key] for key in keys if key in self.by_key]
        if not found:
            return [Wire(point=point, place=None, leads=False, named=named)]
        return [Wire(point=point, place=place, leads=named in place.parts, named=named) for place in found]

    def reached(self, point: Point) -> tuple[str, ...]:
        """The parts that a point leads to, however it is called: none for what keeps a value, or measures the rig."""
        return tuple(dict.fromkeys(name for wire in self.wires_of(point) if wire.place for name in wire.place.parts))

    def device_at(self, point: DevicePoint) -> str | None:
        """The part that really is at the address at which the host believes a point's device to be."""
        host = self.setup.hosts[point.board]
        device = host.devices.get(point.device)
        if device is None or self.board is None:
            return None
        for name, table in self.board.parts.items():
            if device.kind in ("chain", "shift"):
                if isinstance(table, ChipSettings) and table.chip == device.spi.chip:
                    return name
            elif isinstance(table, BusSettings) and (table.address, table.ten_bit) == (device.address, device.ten_bit):
                return name
        return None

    def keys_of(self, point: Point) -> list[PlaceKey]:
        """The places that a point names."""
        if isinstance(point, DevicePoint):
            device = self.device_at(point)
            if device is None or (point.register and not self._has_register(device, point)):
                return []
            if point.register:
                return [("device", device)]
            return [("line", device, point.line_name)] if point.line_name else [("device", device)]
        return self.board.device.places_named(point) if self.board is not None else []

    def _has_register(self, device: str, point: DevicePoint) -> bool:
        """Whether the part has a register where the host believes that a point's is."""
        believed = self.setup.hosts[point.board].devices[point.device].registers
        part = self.board.parts[device] if self.board is not None else None
        if believed is None or not isinstance(part, MappedSettings) or part.register_map is None:
            return False
        wanted = believed.register(point.register)
        return any((each.at, each.bank) == (wanted.at, wanted.bank) for each in part.register_map.registers)


def _swapped_in(setup: Setup, board: str) -> dict[int, int]:
    """The wires that the file says are swapped."""
    found: dict[int, int] = {}
    for defect in setup.defects.values():
        if defect.board == board and defect.on and isinstance(defect, Swapped):
            first, second = defect.pins
            found |= {first: second, second: first}
    return found


def wirings(setup: Setup) -> dict[str, Wiring]:
    """The wiring of each board that a bench knows, simulated or real."""
    return {name: Wiring(setup, name) for name in setup.known_boards}


__all__ = ["Place", "Wire", "Wiring", "wirings"]
