"""Buses of the host's own: points at the devices on them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar

from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.benchfile.hosts._devices import (
    BusHost,
    BusPlace,
    constants_at_device,
    limits_at_device,
    read_devices,
    read_point_at_device,
)
from cavet.benchfile.hosts._protocol import Constant, HostProtocol, HostTables, PointTables
from cavet.hosts import BusesSession, DevicePoint, Point
from cavet.record import Tell
from cavet.settings import Table


class BusesProtocol(HostProtocol):
    """I2C and SPI, with nothing between."""

    name: ClassVar[str] = "buses"
    HOST: ClassVar[type[Table]] = BusHost
    POINT: ClassVar[type[Table]] = BusPlace
    HAS_BUS: ClassVar[bool] = True

    def read_host(self, tables: HostTables) -> dict[str, Any]:
        return {"devices": read_devices(tables)}

    def session(self, host: HostSetup, link: LinkSetup, points: Sequence[DevicePoint], tell: Tell) -> BusesSession:
        return BusesSession(host.name, points, host.settings, tell, host.devices)

    def read_point(self, tables: PointTables) -> Point | None:
        return read_point_at_device(tables)

    def limits(self, point: Point, host: HostSetup) -> tuple[float, float]:
        assert isinstance(point, DevicePoint)
        return limits_at_device(point)

    def constants_of(self, point: DevicePoint, about: str) -> list[Constant]:
        return constants_at_device(point, about)
