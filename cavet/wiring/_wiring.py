"""A board with what the host believes of it on one side, and what hangs on it on the other."""

from __future__ import annotations

import re
from functools import cached_property

import msgspec

from cavet.bench import BoardPlan, HostPlan, LinkPlan, Plan, ScpiPlan
from cavet.boards import PinMode, Swapped
from cavet.hosts import (
    DevicePoint,
    FieldPoint,
    HeaderPoint,
    PinPoint,
    Point,
    RegisterPoint,
    StepperPoint,
    TopicPoint,
)
from cavet.protocols import FieldError, Message, Side, codec, read_whole
from cavet.protocols.scpi import FaultError
from cavet.wiring._place import Place, PlaceKind, pins_of, places_of

CHANNELS = re.compile(r"\(@(\d+)")
ON_SPI = ("chain", "shift", "latch", "dac")


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

    def __init__(self, plan: Plan, board: str, swapped: dict[int, int] | None = None) -> None:
        self.plan = plan
        self.name = board
        self.swapped = swapped if swapped is not None else _swapped_in(plan, board)
        self.board: BoardPlan | None = plan.boards.get(board)
        self.links: list[LinkPlan] = [link for link in plan.links.values() if link.board == board]
        names = {link.name for link in self.links}
        self.hosts: list[HostPlan] = [host for host in plan.hosts.values() if host.link in names]
        hosts = {host.name for host in self.hosts}
        self.points: list[Point] = [point for point in plan.points.values() if point.board in hosts]

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
        if any("address" in table for table in self.board.parts.values()):
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
        host = self.plan.hosts[point.board]
        device = host.devices.get(point.device)
        if device is None or self.board is None:
            return None
        for name, table in self.board.parts.items():
            if device.kind in ("chain", "shift"):
                if table["kind"] in ON_SPI and table.get("chip", 0) == device.spi.chip:
                    return name
            elif table.get("address") == device.address and bool(table.get("ten_bit")) == device.ten_bit:
                return name
        return None

    def keys_of(self, point: Point) -> list[tuple[str | int, ...]]:
        """The places that a point names."""
        if isinstance(point, StepperPoint):
            return [("pin", pin) for pin in point.wires]
        if isinstance(point, PinPoint):
            return [("pin", pin) for pin in point.modes()]
        if isinstance(point, RegisterPoint):
            return self._cells(point)
        if isinstance(point, HeaderPoint):
            return self._headers(point)
        if isinstance(point, TopicPoint):
            return self._topics(point)
        if isinstance(point, FieldPoint):
            bit = -1 if point.bit is None else point.bit
            keys: list[tuple[str | int, ...]] = []
            if point.frame:
                keys += [("field", point.frame, point.field, bit), ("field", point.frame, point.field, -1)]
            if point.state_frame and not point.frame:
                keys += [("told", point.state_frame, point.state_field, each) for each in (bit, -1)]
            return keys
        if isinstance(point, DevicePoint):
            device = self.device_at(point)
            if device is None:
                return []
            return [("line", device, point.line_name)] if point.line_name else [("device", device)]
        return []

    def _cells(self, point: RegisterPoint) -> list[tuple[str | int, ...]]:
        """The cell at its address, or that which holds it in its middle."""
        for address in range(point.address, max(-1, point.address - 125), -1):
            key: tuple[str | int, ...] = ("cell", point.table, address)
            place = self.by_key.get(key)
            if place is not None:
                return [key] if point.address - address < self._size_of(key) else []
        return []

    def _size_of(self, key: tuple[str | int, ...]) -> int:
        device = self.board.device if self.board is not None else None
        cells = getattr(device, "cells", ())
        return next((len(cell.addresses) for cell in cells if (cell.table, cell.address) == key[1:]), 1)

    def _topics(self, point: TopicPoint) -> list[tuple[str | int, ...]]:
        keys: list[tuple[str | int, ...]] = [("topic", point.command)] if point.command else []
        if point.state and not point.command:
            keys.append(("health", point.state, point.form.path))
        for topic in getattr(self.board.device if self.board is not None else None, "topics", ()):
            if point.state and point.state == topic.state and not point.command:
                keys.append(("topic", topic.command))
        return keys

    def _headers(self, point: HeaderPoint) -> list[tuple[str | int, ...]]:
        texts = [point.set.replace("{}", "0"), point.turn_on] if point.kind.is_output else [point.query]
        return [key for text in texts if text for key in self._behind_header(text)]

    def _behind_header(self, text: str) -> list[tuple[str | int, ...]]:
        """The places that a program message is about."""
        device = self.board.device if self.board is not None else None
        if not isinstance(device, ScpiPlan):
            return []
        channels = [int(number) for number in CHANNELS.findall(text)]
        for frame in read_whole(codec("scpi"), f"{text}\n".encode(), Side.HOST):
            if frame.readable:
                return self._of_command(device, frame.message, channels)
        return []

    def _of_command(self, device: ScpiPlan, message: Message, channels: list[int]) -> list[tuple[str | int, ...]]:
        nodes = [str(node).upper() for node in getattr(message, "nodes", ())]
        suffixes = list(getattr(message, "suffixes", ()))
        for command in device.commands:
            try:
                found = command.header.match(nodes, suffixes)
            except (FaultError, FieldError):
                continue
            if found is None:
                continue
            if command.channels and command.pins:
                return [("channel", number) for number in channels if number in command.channels]
            if command.channels:
                return [("header", command.name, number) for number in channels]
            lows = [node.low for node in command.header.nodes if node.high > 1]
            return [("header", command.name, found[0] - lows[0] if found else 0)]
        return []


def _swapped_in(plan: Plan, board: str) -> dict[int, int]:
    """The wires that the file says are swapped."""
    found: dict[int, int] = {}
    for defect in plan.defects.values():
        if defect.board == board and defect.on and isinstance(defect, Swapped):
            first, second = defect.pins
            found |= {first: second, second: first}
    return found


def wirings(plan: Plan) -> dict[str, Wiring]:
    """The wiring of each board that a bench knows, simulated or real."""
    names = [*plan.boards, *(link.board for link in plan.links.values())]
    return {name: Wiring(plan, name) for name in dict.fromkeys(names)}


__all__ = ["Place", "PlaceKind", "Wire", "Wiring", "wirings"]
