"""Rules about buses: addresses, pull-ups, clocks."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from cavet.benchfile import BoardSetup
from cavet.boards.buses import BusSettings
from cavet.protocols.i2c import RISE_FACTOR, pull_up, rise_limit
from cavet.remarks._around import Around, part_key
from cavet.remarks._mending import Edit, Mend
from cavet.remarks._remark import Remark, Weight
from cavet.units import show
from cavet.wording import digits, listed

E12 = (1.0, 1.2, 1.5, 1.8, 2.2, 2.7, 3.3, 3.9, 4.7, 5.6, 6.8, 8.2)
"""The steps of the row of resistors that everybody has. Source: IEC 60063."""
RATES = (400e3, 100e3, 50e3, 10e3)


def addresses_twice(around: Around) -> Iterator[Remark]:
    """Two devices of a bus with one address; and two beliefs in one."""
    for board, _ in around.simulated():
        there: dict[tuple[Any, bool], str] = {}
        for name, table in board.parts.items():
            if not isinstance(table, BusSettings):
                continue
            key = (table.address, table.ten_bit)
            if key in there:
                yield _twice(part_key(board.name, name, "address"), there[key], name, table.address, board.name)
            there.setdefault(key, name)
    for host in around.setup.hosts.values():
        believed: dict[tuple[int, bool], str] = {}
        for name, device in host.devices.items():
            if device.kind in ("chain", "shift"):
                continue
            address = (device.address, device.ten_bit)
            if address in believed:
                keys = ("hosts", host.name, "devices", name, "address")
                yield _twice(keys, believed[address], name, device.address, "")
            believed.setdefault(address, name)


def _twice(keys: tuple[str, ...], first: str, second: str, address: int, board: str) -> Remark:
    return Remark(
        name="bus-address-twice", keys=keys, weight=Weight.WRONG,
        what=f"{first} and {second} both have the address 0x{address:02X}",
        why="both acknowledge and both answer: what is read is the two laid over each other, bit by bit, and a write "
        "changes both",
        subjects=(f"{board}.{first}", f"{board}.{second}") if board else (first, second),
    )  # fmt: skip


def pull_ups(around: Around) -> Iterator[Remark]:
    """Pull-ups outside of what fits the bus, and clocks that its edges are too slow for."""
    for board, _ in around.simulated():
        bus = board.bus
        if bus.pull_up is None or bus.capacitance is None:
            continue
        fits = pull_up(bus.capacitance, board.profile.supply, bus.rate)
        found, least, most = bus.pull_up, fits.min_ohm, fits.max_ohm
        rise = RISE_FACTOR * found * bus.capacitance
        if not least <= found <= most:
            yield _out_of_range(board, found, least, most)
        if rise > rise_limit(bus.rate):
            yield _too_slow(board, rise)


def _out_of_range(board: BoardSetup, found: float, least: float, most: float) -> Remark:
    keys = ("boards", board.name, "bus", "pull_up")
    ends = f"{_ohm(least)} to {_ohm(most)}" if least <= most else f"none: {_ohm(least)} at least, {_ohm(most)} at most"
    mend = None
    fitting = [ohm for ohm in _row(least, most) if ohm]
    if fitting:
        chosen = min(fitting, key=lambda ohm: abs(ohm - found))
        mend = Mend(f"pull-ups of {_ohm(chosen)}", (Edit(keys, show(chosen, "Ohm")),))
    why = (
        "too small a resistor asks more of a device than it can sink: its low is none any more"
        if found < least
        else "too great a resistor lifts the line so slowly that the next edge comes before it is high"
    )
    return Remark(
        name="pull-up-range", keys=keys, weight=Weight.WRONG,
        what=f"pull-ups of {_ohm(found)} on the {board.name}'s bus; what fits is {ends}", why=why, mend=mend,
    )  # fmt: skip


def _too_slow(board: BoardSetup, rise: float) -> Remark:
    bus = board.bus
    keys = ("boards", board.name, "bus", "rate")
    slower = next((rate for rate in RATES if rate < bus.rate and rise <= rise_limit(rate)), None)
    mend = Mend(f"a clock of {_hertz(slower)}", (Edit(keys, show(slower, "Hz")),)) if slower is not None else None
    return Remark(
        name="bus-too-slow", keys=keys, weight=Weight.WRONG,
        what=f"an edge on the {board.name}'s bus takes {_micro(rise)}, and at {_hertz(bus.rate)} it may take "
        f"{_micro(rise_limit(bus.rate))}",
        why="a line that is not high yet when it is looked at reads low: bits change, and acknowledges are seen that "
        "nobody gave",
        mend=mend,
    )  # fmt: skip


def _row(least: float, most: float) -> list[float]:
    decades = (10.0**power for power in range(1, 6))
    return [step * decade for decade in decades for step in E12 if least <= step * decade <= most]


def _ohm(ohm: float) -> str:
    return f"{ohm / 1000:.3g} kΩ" if ohm >= 1000 else f"{ohm:.3g} Ω"


def _micro(seconds: float) -> str:
    return f"{seconds * 1e6:.2g} µs"


def _hertz(rate: float) -> str:
    return f"{digits(rate / 1000)} kHz"


def devices_at_nothing(around: Around) -> Iterator[Remark]:
    """Devices that a host believes in, and nobody has their address."""
    for board, wiring in around.simulated():
        for host in wiring.hosts:
            for name, device in host.devices.items():
                if device.kind in ("chain", "shift"):
                    continue
                there = {
                    table.address: part for part, table in board.parts.items() if isinstance(table, BusSettings)
                }  # fmt: skip
                if device.address in there:
                    continue
                keys = ("hosts", host.name, "devices", name, "address")
                known = [address for address, part in there.items() if part == name]
                mend = Mend(f"0x{known[0]:02X}, where {name} is", (Edit(keys, known[0]),)) if known else None
                found = listed([f"0x{address:02X}" for address in there], "and") or "nothing"
                yield Remark(
                    name="point-at-nothing", keys=keys, weight=Weight.WRONG,
                    what=f"{name} is believed to be at 0x{device.address:02X}, and nobody answers there: {found} "
                    "would",
                    why="a transaction to an address that nobody has ends at its first byte, unacknowledged",
                    mend=mend, subjects=(name,),
                )  # fmt: skip
