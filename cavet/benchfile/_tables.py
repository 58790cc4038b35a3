"""A bench as tables: boards, links, points, parts; a board pin by pin, with its map, headers, topics, frames, devices;
and what the host's own program needs of it, as constants."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from cavet.benchfile._setup import BoardSetup, Setup
from cavet.benchfile.boards import Row
from cavet.benchfile.hosts import PROTOCOLS, Constant
from cavet.boards import PartSettings
from cavet.boards.buses import BusSettings
from cavet.hosts import PinPoint, Point
from cavet.protocols.registers import RegisterMap
from cavet.units import show
from cavet.wording import from_to, unknown


def bench_rows(setup: Setup) -> dict[str, list[Row]]:
    """Boards, links, points and parts of a bench, a row each."""
    has_lines = any(link.shares for link in setup.links.values())
    return {
        "boards": [_board_row(setup, board) for board in setup.boards.values()],
        "links": [
            {
                "link": link.name, "board": link.board, "kind": link.kind, "protocol": link.protocol,
                "address": link.broker or link.address,
                "settings": f"{link.settings.rate} {link.settings.form}" if link.kind == "serial" else "",
                **({"line": link.line} if has_lines else {}),
            }
            for link in setup.links.values()
        ],
        "points": [_point_row(point) for point in setup.points.values()],
        "parts": [
            {"part": name, "board": board.name, "kind": part.kind, "pins": _pins_of(part)}
            for board in setup.boards.values() for name, part in board.parts.items()
        ],
    }  # fmt: skip


def _board_row(setup: Setup, board: BoardSetup) -> Row:
    host = next((host for name, host in setup.hosts.items() if setup.board_of(name) == board.name), None)
    return {
        "board": board.name, "profile": board.profile.name, "firmware": board.firmware,
        "unit": host.settings.unit if host is not None and host.protocol == "modbus" else None,
        "parts": len(board.parts), "points": len(setup.points_on(board.name)),
    }  # fmt: skip


def _point_row(point: Point) -> Row:
    plain = not (point.kind.is_switch or point.kind.is_text)
    return {
        "point": point.name, "board": point.board, "kind": point.kind.value, "where": point.where,
        "low": point.low if plain else None, "high": point.high if plain else None, "unit": point.unit,
        "rest": point.show(point.rest if plain or point.kind.is_text else bool(point.rest)) if point.rests else None,
        "part": point.part or None,
    }  # fmt: skip


def _pins_of(part: PartSettings) -> list[int]:
    """The pins, or the lines, that a part hangs on."""
    return sorted(set(part.wires.values()))


def board_rows(setup: Setup, name: str) -> dict[str, list[Row]]:
    """A board: its pins, and what is spoken with it. Raises `WrongError`."""
    board = setup.boards.get(name)
    if board is None:
        raise unknown("show", name, setup.boards)
    points = setup.points_on(name)
    rows: dict[str, list[Row]] = {"pins": _pin_rows(board, points)}
    rows |= board.device.rows(points)
    devices = [
        {"device": part, "kind": table.kind, "address": table.address, "hex": f"0x{table.address:02X}"}
        for part, table in board.parts.items() if isinstance(table, BusSettings)
    ]  # fmt: skip
    if devices:
        rows["devices"] = devices
    return rows


def _pin_rows(board: BoardSetup, points: Sequence[Point]) -> list[Row]:
    hangs: dict[int, list[str]] = {}
    for name, part in board.parts.items():
        if not part.hangs_on:  # what hangs on a device is at that device's lines
            for number in _pins_of(part):
                hangs.setdefault(number, []).append(name)
    return [
        {
            "pin": pin.number, "label": pin.label, "modes": {mode.value: bits for mode, bits in pin.modes.items()},
            "channel": pin.channel, "kept_for": pin.reserved, "parts": hangs.get(pin.number, []),
            "points": [point.name for point in points if isinstance(point, PinPoint) and pin.number in point.modes()],
        }
        for pin in board.profile.pins.values()
    ]  # fmt: skip


def register_rows(registers: RegisterMap) -> list[Row]:
    """A register map: registers, bits, resets."""
    rows = []
    for register in registers.registers:
        rows.append({
            "register": register.name, "at": register.at, "hex": f"0x{register.at:02X}", "size": register.size,
            "reset": register.reset, "access": register.access,
            "fields": [{"name": field.name, "bit": field.low, "bits": field.bits} for field in register.fields],
        })  # fmt: skip
    return rows


# the host's map


def constants(setup: Setup, board: str | None = None) -> list[Constant]:
    """What the host's program has to know of a bench, or of one board."""
    hosts = [host for host in setup.hosts.values() if board in (None, host.name)]
    found = [
        msgspec.structs.replace(each, name=f"{_upper(host.name)}_{each.name}")
        for host in hosts
        for each in PROTOCOLS[host.protocol].constants(host)
    ]
    found += [
        msgspec.structs.replace(each, name=f"{_upper(point.name)}_{each.name}")
        for point in setup.points.values()
        if board in (None, point.board)
        for each in PROTOCOLS[setup.hosts[point.board].protocol].constants_of(point, _about(point))
    ]
    return found


def _about(point: Point) -> str:
    if point.kind.is_text:
        return "a text"
    if point.kind.is_switch:
        return f"{point.words[0]}, {point.words[1]}"
    ends = f"{show(point.low, point.unit)} to {show(point.high, point.unit)}"
    return f"{from_to(point.wire_low, point.wire_high)} for {ends}"


def _upper(name: str) -> str:
    return "".join(character if character.isalnum() else "_" for character in name).upper()
