"""Which requests read a set of points: neighbouring addresses in one, within the standard's limits."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import msgspec

from cavet.hosts._points import RegisterPoint
from cavet.protocols import modbus

REQUESTS: Mapping[str, tuple[type[modbus.ModbusMessage], int]] = {
    "coils": (modbus.ReadCoils, 2000),
    "discrete-inputs": (modbus.ReadDiscreteInputs, 2000),
    "holding-registers": (modbus.ReadHoldingRegisters, 125),
    "input-registers": (modbus.ReadInputRegisters, 125),
}
"""For each table the function that reads it, and how much it reads at once. Source: 1.1b3, sections 6.1 to 6.4."""


class Read(msgspec.Struct, frozen=True):
    """One request's worth: a run of addresses of a table, and the points that lie in it."""

    table: str
    address: int
    quantity: int
    points: tuple[RegisterPoint, ...]

    def request(self) -> modbus.ModbusMessage:
        """The request that reads it."""
        fields = {"address": self.address, "quantity": self.quantity}
        return REQUESTS[self.table][0](**fields)

    def words(self, point: RegisterPoint, values: tuple[int, ...]) -> tuple[int, ...]:
        """A point's own words among those that were read."""
        first = point.address - self.address
        return values[first : first + point.size]

    def split(self) -> list[Read]:
        """The same points, each in a request of its own."""
        return [Read(point.table, point.address, point.size, (point,)) for point in self.points]


def group(points: Iterable[RegisterPoint]) -> list[Read]:
    """Gather points into as few requests as their tables and addresses allow; gaps are not read."""
    reads: list[Read] = []
    for point in sorted(points, key=lambda point: (point.table, point.address)):
        last = reads[-1] if reads else None
        if last is not None and last.table == point.table and point.address <= last.address + last.quantity:
            quantity = max(last.quantity, point.address + point.size - last.address)
            if quantity <= REQUESTS[point.table][1]:
                reads[-1] = Read(last.table, last.address, quantity, (*last.points, point))
                continue
        reads.append(Read(point.table, point.address, point.size, (point,)))
    return reads
