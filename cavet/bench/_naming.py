"""What the addresses in Modbus messages are called on a bench, and what the words there stand for."""

from __future__ import annotations

from typing import Any

from cavet.benchfile import ModbusDevice
from cavet.benchfile._setup import Setup
from cavet.hosts import RegisterPoint
from cavet.protocols import Message, modbus
from cavet.wording import WrongError, listed

TABLES = {
    modbus.ReadCoils.FUNCTION: "coils",
    modbus.ReadDiscreteInputs.FUNCTION: "discrete-inputs",
    modbus.ReadHoldingRegisters.FUNCTION: "holding-registers",
    modbus.ReadInputRegisters.FUNCTION: "input-registers",
    modbus.WriteSingleCoil.FUNCTION: "coils",
    modbus.WriteSingleRegister.FUNCTION: "holding-registers",
    modbus.WriteMultipleCoils.FUNCTION: "coils",
    modbus.WriteMultipleRegisters.FUNCTION: "holding-registers",
    modbus.MaskWriteRegister.FUNCTION: "holding-registers",
    modbus.ReadWriteMultipleRegisters.FUNCTION: "holding-registers",
}
"""The table that each function is about."""


class AddressNames:
    """The address map of a bench, or of one board: its points, and what of a board's own map no point is on."""

    def __init__(self, setup: Setup, board: str = "") -> None:
        self._points: dict[tuple[int, str], list[RegisterPoint]] = {}
        board = setup.board_of(board)
        for point in setup.points.values() if not board else setup.points_on(board):
            if isinstance(point, RegisterPoint):
                unit = setup.hosts[point.board].settings.unit
                self._points.setdefault((unit, point.table), []).append(point)
        self._cells = {
            (each.device.identity.unit, cell.table, at): cell.name
            for each in setup.boards.values()
            if isinstance(each.device, ModbusDevice) and board in ("", each.name)
            for cell in each.device.cells
            for at in cell.addresses
        }
        if not self._points and not self._cells:
            raise WrongError("--bench", found=setup.name, expected="a bench with Modbus points or boards")

    def of(self, message: Message, address: int | None = None) -> dict[str, Any]:
        """Name what a message is about: each name with its value, or with `None` where none is in the message.

        `address` is where the answer to a read begins: the answer itself does not tell.
        """
        if not isinstance(message, modbus.ModbusMessage) or not hasattr(message, "FUNCTION"):
            return {}
        table = TABLES.get(message.FUNCTION)
        if table is None:
            return {}
        if isinstance(message, modbus.ReadWriteMultipleRegisters):
            read = self._named(message.unit, table, message.read_address, (None,) * message.read_quantity)
            return read | self._named(message.unit, table, message.write_address, message.values)
        if isinstance(message, modbus.MaskWriteRegister):
            return self._masked(message)
        begin = getattr(message, "address", address)
        return self._named(message.unit, table, begin, _words(message)) if begin is not None else {}

    def _named(self, unit: int, table: str, begin: int, words: tuple[int | None, ...]) -> dict[str, Any]:
        named: dict[str, Any] = {}
        covered: set[int] = set()
        for point in self._points.get((unit, table), []):
            first = point.address - begin
            if first >= 0 and first + point.size <= len(words):
                found = words[first : first + point.size]
                known = tuple(word for word in found if word is not None)
                named[point.name] = self._shown(point, known) if len(known) == point.size else None
                covered |= set(range(point.address, point.address + point.size))
        for place, word in enumerate(words):
            if begin + place not in covered:
                name = self._cells.get((unit, table, begin + place), f"{table.removesuffix('s')} {begin + place}")
                named[name] = word
        return named

    def _masked(self, message: modbus.MaskWriteRegister) -> dict[str, Any]:
        """Of the points at a register's bits those whose bits are meant; without any, what the register is called."""
        here = [
            point for point in self._points.get((message.unit, "holding-registers"), [])
            if point.address == message.address and point.form.kind == "bit"
        ]  # fmt: skip
        points = [point for point in here if not message.and_mask >> point.form.bit & 1]
        if points:
            return {point.name: self._shown(point, (message.or_mask,)) for point in points}
        return self._named(message.unit, "holding-registers", message.address, (None,))

    def _shown(self, point: RegisterPoint, words: tuple[int, ...]) -> str:
        return point.show(point.unpack(words))


def _words(message: modbus.ModbusMessage) -> tuple[int | None, ...]:
    """The words (or bits) in a message; a `None` for each that it only asks for or counts."""
    if hasattr(message, "values"):
        return tuple(message.values)
    if hasattr(message, "value"):
        return (int(message.value),)
    return (None,) * int(getattr(message, "quantity", 1))


def address_names(setup: Setup, protocol: str) -> AddressNames:
    """Give the address map for a protocol. Raises `WrongError` for one that has no addresses."""
    if not protocol.startswith("modbus-"):
        known = listed(("modbus-tcp", "modbus-rtu", "modbus-ascii"))
        raise WrongError("--bench", found=protocol, expected=f"a protocol with addresses: {known}")
    return AddressNames(setup)
