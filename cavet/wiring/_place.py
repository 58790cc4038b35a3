"""The places of a board at which something may be: its pins, or what its firmware has in front of them."""

from __future__ import annotations

from collections.abc import Iterator
from enum import Enum
from typing import Any

import msgspec

from cavet.bench import BoardPlan, FormatPlan, ModbusPlan, ScpiPlan, line_names
from cavet.boards import KINDS
from cavet.boards.firmware.mqtt import StationPlan
from cavet.boards.firmware.plans import PlanBoard
from cavet.boards.firmware.scpi import CommandPlan


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
    key: tuple[str | int, ...]
    """Tells it from others of its board."""
    name: str
    note: str = ""
    pins: tuple[int, ...] = ()
    parts: tuple[str, ...] = ()
    table: tuple[str, ...] = ()
    """Where it stands in the board's table of the file: `("map", "pump_a")`; () for nowhere."""


def pins_of(board: BoardPlan, swapped: dict[int, int]) -> dict[int, list[tuple[str, str]]]:
    """What hangs on each pin: parts, with their wires' names. `swapped` says at which pin a wire ends instead."""
    found: dict[int, list[tuple[str, str]]] = {}
    for name, table in board.parts.items():
        if table.get("hangs_on"):
            continue
        for wire, pin in KINDS[table["kind"]].wires_in(table).items():
            found.setdefault(swapped.get(pin, pin), []).append((name, wire))
    return found


def places_of(board: BoardPlan, swapped: dict[int, int]) -> Iterator[Place]:
    """The places of a board that its host can speak of, in their order; then the devices of its buses with their
    lines."""
    on_pins = pins_of(board, swapped)

    def parts_at(*pins: int) -> tuple[str, ...]:
        return tuple(dict.fromkeys(name for pin in pins for name, _ in on_pins.get(pin, ())))

    device = board.device
    if isinstance(device, ModbusPlan):
        for cell in device.cells:
            pins = (cell.pin,) if cell.pin is not None else ()
            note = "bit" if cell.table in ("coils", "discrete-inputs") else cell.form.kind
            yield Place(
                kind=PlaceKind.CELL, key=("cell", cell.table, cell.address),
                name=f"{cell.table.removesuffix('s')} {cell.address}", note=note, pins=pins, parts=parts_at(*pins),
                table=("map", cell.name),
            )  # fmt: skip
    elif isinstance(device, ScpiPlan):
        yield from _headers(device, parts_at)
    elif isinstance(device, StationPlan):
        for topic in device.topics:
            yield Place(
                kind=PlaceKind.TOPIC, key=("topic", topic.command), name=topic.command, note=topic.does,
                pins=(topic.pin,), parts=parts_at(topic.pin), table=("topics", topic.name),
            )  # fmt: skip
        for name in device.fields:
            yield Place(
                kind=PlaceKind.TOPIC, key=("health", device.health, name), name=f"{device.health} {name}", note="told",
                table=("health", name),
            )  # fmt: skip
    elif isinstance(device, FormatPlan):
        yield from _fields(device.board, parts_at)
    else:
        for pin in board.profile.pins.values():
            label = f" {pin.label}" if pin.label else ""
            yield Place(
                kind=PlaceKind.PIN, key=("pin", pin.number), name=f"{pin.number}{label}", note=pin.reserved,
                pins=(pin.number,), parts=parts_at(pin.number),
            )  # fmt: skip
    yield from _devices(board)


def _headers(device: ScpiPlan, parts_at: Any) -> Iterator[Place]:
    """One for each suffix of a header that sets a value, and one for each channel that is switched."""
    channels: set[int] = set()
    for command in device.commands:
        table = ("commands", command.name)
        if command.channels and command.pins:
            for channel, pin in zip(command.channels, command.pins, strict=False):
                if channel not in channels:
                    channels.add(channel)
                    yield Place(
                        kind=PlaceKind.CHANNEL, key=("channel", channel), name=f"(@{channel})", note="channel",
                        pins=(pin,), parts=parts_at(pin), table=table,
                    )  # fmt: skip
        elif command.channels:
            for number, part in zip(command.channels, command.parts, strict=False):
                yield Place(
                    kind=PlaceKind.HEADER, key=("header", command.name, number), note=command.measures,
                    name=f"{_short(command, None)}? (@{number})", parts=(part,), table=table,
                )  # fmt: skip
        elif command.does == "set":
            for place, works in enumerate(command.pins or (None,)):
                yield Place(
                    kind=PlaceKind.HEADER, key=("header", command.name, place), name=_short(command, place),
                    note=command.takes, pins=() if works is None else (works,),
                    parts=() if works is None else parts_at(works), table=table,
                )  # fmt: skip


def _short(command: CommandPlan, place: int | None) -> str:
    """A header in its short form, with its suffix."""
    words = []
    for node in command.header.nodes:
        if not node.optional:
            suffix = str(node.low + place) if place is not None and node.high > 1 else ""
            words.append(node.short + suffix)
    return ":".join(words)


def _fields(board: PlanBoard, parts_at: Any) -> Iterator[Place]:
    for frame, fields in board.takes.items():
        for taken in fields:
            for bit, pin in enumerate(taken.pins):
                several = len(taken.pins) > 1
                yield Place(
                    kind=PlaceKind.FIELD, key=("field", frame, taken.field, bit if several else -1),
                    name=f"{frame}.{taken.field}" + (f" bit {bit}" if several else ""), note=taken.does,
                    pins=(pin,), parts=parts_at(pin), table=("takes", frame),
                )  # fmt: skip
    for answer in board.gives:
        for given in answer.fields:
            several = len(given.pins) > 1
            for bit, pin in enumerate(given.pins):
                yield Place(
                    kind=PlaceKind.FIELD, key=("told", answer.frame, given.field, bit if several else -1),
                    name=f"{answer.frame}.{given.field}" + (f" bit {bit}" if several else ""), note="told",
                    pins=(pin,), parts=parts_at(pin), table=("gives", answer.frame),
                )  # fmt: skip
            if not given.pins:
                yield Place(
                    kind=PlaceKind.FIELD, key=("told", answer.frame, given.field, -1),
                    name=f"{answer.frame}.{given.field}", note="told", table=("gives", answer.frame),
                )  # fmt: skip


def _devices(board: BoardPlan) -> Iterator[Place]:
    """What is on the board's buses, each with its lines at which something hangs."""
    for name, table in board.parts.items():
        if not KINDS[table["kind"]].on_bus and table["kind"] not in ("chain", "shift", "latch", "dac"):
            continue
        address = table.get("address")
        where = f"0x{address:02X}" if isinstance(address, int) else f"chip {table.get('chip', 0)}"
        yield Place(
            kind=PlaceKind.DEVICE, key=("device", name), name=where, note=table["kind"], parts=(name,),
            table=("parts", name),
        )  # fmt: skip
        lines = line_names(table["kind"], table.get("registers"))
        hangs: dict[int, list[str]] = {}
        for part, other in board.parts.items():
            if other.get("hangs_on") == name:
                for number in KINDS[other["kind"]].wires_in(other).values():
                    hangs.setdefault(number, []).append(part)
        for number, line in enumerate(lines):
            yield Place(
                kind=PlaceKind.LINE, key=("line", name, line), name=f"{name}.{line}", note="line",
                parts=tuple(hangs.get(number, ())), table=("parts", name),
            )  # fmt: skip
