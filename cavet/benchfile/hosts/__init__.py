"""What each protocol needs of the tables of hosts and points: one room for each, and the table of them all."""

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
    return PROTOCOLS[tables.host.protocol].point(tables) if _is_only_its_own(tables) else None


def _is_only_its_own(tables: PointTables) -> bool:
    """Whether it says where it is in the way that its host understands, and in no other."""
    own = PROTOCOLS[tables.host.protocol]
    others = {key: None for protocol in PROTOCOLS.values() for key in protocol.PLACES if key not in own.PLACES}
    wrong = [key for key in others if tables.data.get(key) not in (None, "")]
    for key in wrong:
        tables.wrong(key, found=tables.data[key], expected=f"none: its host speaks {own.name}")
    return not wrong


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
