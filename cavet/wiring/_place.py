"""The places of a board at which something may be: its pins, or what its firmware has in front of them."""

from __future__ import annotations

from collections.abc import Iterator

from cavet.benchfile import BoardSetup, Place, PlaceKind, line_names
from cavet.boards.buses import BusSettings, ChipSettings, ShiftRegistersSettings


def pins_of(board: BoardSetup, swapped: dict[int, int]) -> dict[int, list[tuple[str, str]]]:
    """What hangs on each pin: parts, with their wires' names. `swapped` says at which pin a wire ends instead."""
    found: dict[int, list[tuple[str, str]]] = {}
    for name, table in board.parts.items():
        for wire, pin in table.wires.items() if not table.hangs_on else ():
            found.setdefault(swapped.get(pin, pin), []).append((name, wire))
    return found


def places_of(board: BoardSetup, swapped: dict[int, int]) -> Iterator[Place]:
    """The places of a board that its host can speak of, in their order; then the devices of its buses with their
    lines."""
    on_pins = pins_of(board, swapped)

    def parts_at(*pins: int) -> tuple[str, ...]:
        return tuple(dict.fromkeys(name for pin in pins for name, _ in on_pins.get(pin, ())))

    yield from board.device.places(board.profile, parts_at)
    yield from _devices(board)


def _devices(board: BoardSetup) -> Iterator[Place]:
    """What is on the board's buses, each with its lines at which something hangs."""
    for name, table in board.parts.items():
        if not isinstance(table, BusSettings | ChipSettings):
            continue
        where = f"0x{table.address:02X}" if isinstance(table, BusSettings) else f"chip {table.chip}"
        yield Place(
            kind=PlaceKind.DEVICE, key=("device", name), name=where, note=table.kind, parts=(name,),
            table=("parts", name),
        )  # fmt: skip
        lines = line_names(table.kind, table.registers if isinstance(table, ShiftRegistersSettings) else None)
        hangs: dict[int, list[str]] = {}
        for part, other in board.parts.items():
            if other.hangs_on == name:
                for number in other.wires.values():
                    hangs.setdefault(number, []).append(part)
        for number, line in enumerate(lines):
            yield Place(
                kind=PlaceKind.LINE, key=("line", name, line), name=f"{name}.{line}", note="line",
                parts=tuple(hangs.get(number, ())), table=("parts", name),
            )  # fmt: skip
