"""What each protocol needs of the tables of hosts and points: one room for each, and the table of them all."""

from cavet.benchfile._point_tables import PointTable
from cavet.benchfile._setup import Setup
from cavet.benchfile.hosts._buses import BusesProtocol
from cavet.benchfile.hosts._devices import DeviceTable
from cavet.benchfile.hosts._firmata import FirmataProtocol
from cavet.benchfile.hosts._formats import FormatProtocol
from cavet.benchfile.hosts._modbus import ModbusProtocol
from cavet.benchfile.hosts._mqtt import MqttProtocol
from cavet.benchfile.hosts._protocol import Constant, HostProtocol, HostTables, PointTables
from cavet.benchfile.hosts._scpi import ScpiProtocol
from cavet.hosts import Point

PROTOCOLS: dict[str, HostProtocol] = {
    protocol.name: protocol
    for protocol in (
        FirmataProtocol(),
        ModbusProtocol(),
        ScpiProtocol(),
        MqttProtocol(),
        FormatProtocol(),
        BusesProtocol(),
    )
}
"""By what the host's key `protocol` says."""


def line_share(setup: Setup, host: str) -> float:
    """What share of a serial line is taken by what a board reports by itself: 1 is all of it, 0 is nothing."""
    there = setup.hosts[host]
    points = [point for point in setup.points.values() if point.board == host]
    return PROTOCOLS[there.protocol].reported(there, points) * setup.links[there.link].byte_seconds


def read_point(tables: PointTables) -> Point | None:
    """Read one point, as its host speaks; `None` where nothing can be made of it."""
    spoken = tables.host.protocol
    is_its_own = tables.checker.check_spoken(tables.data, PointTable, tables.path, spoken, "its host")
    return PROTOCOLS[spoken].point(tables) if is_its_own else None


__all__ = [
    "PROTOCOLS",
    "Constant",
    "DeviceTable",
    "HostProtocol",
    "HostTables",
    "PointTables",
    "line_share",
    "read_point",
]
