"""Boards whose hosts speak of their pins, and of what is on their buses: Firmata, and buses of the host's own."""

from __future__ import annotations

from typing import ClassVar, Self

from cavet.benchfile.boards._device import BoardTables, Device, Making, PlaceKey
from cavet.boards import Firmware
from cavet.boards.firmware import BusesFirmware, FirmataFirmware
from cavet.hosts import PinPoint, Point, StepperPoint


class FirmataDevice(Device, frozen=True, kw_only=True):
    """A board with Firmata: it needs nothing more."""

    @classmethod
    def read(cls, tables: BoardTables) -> Self:
        return cls()

    def firmware(self, making: Making) -> Firmware:
        return FirmataFirmware(making.circuit, making.tell, making.name)

    def places_named(self, point: Point) -> list[PlaceKey]:
        if not isinstance(point, PinPoint):
            return []
        return [("pin", pin) for pin in (point.wires if isinstance(point, StepperPoint) else point.modes())]


class BusesDevice(Device, frozen=True, kw_only=True):
    """Nothing but buses, which are the host's own."""

    LINK: ClassVar[str] = "buses"

    @classmethod
    def read(cls, tables: BoardTables) -> Self:
        return cls()

    def firmware(self, making: Making) -> Firmware:
        return BusesFirmware(making.circuit, making.tell)
