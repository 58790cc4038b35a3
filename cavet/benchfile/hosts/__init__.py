"""What each protocol needs of the tables of hosts and points: one room for each, and the table of them all."""

from cavet.benchfile.hosts._buses import BusesProtocol
from cavet.benchfile.hosts._devices import DEVICE
from cavet.benchfile.hosts._firmata import FirmataProtocol
from cavet.benchfile.hosts._formats import FormatProtocol
from cavet.benchfile.hosts._modbus import ModbusProtocol
from cavet.benchfile.hosts._mqtt import MqttProtocol
from cavet.benchfile.hosts._protocol import Constant, HostProtocol, HostTables, PointTable
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


def read_point(table: PointTable) -> Point | None:
    """Read one point, as its host speaks; `None` where nothing can be made of it."""
    return PROTOCOLS[table.host.protocol].point(table) if _is_only_its_own(table) else None


def _is_only_its_own(table: PointTable) -> bool:
    """Whether it says where it is in the way that its host understands, and in no other."""
    own = PROTOCOLS[table.host.protocol]
    others = {key: None for protocol in PROTOCOLS.values() for key in protocol.PLACES if key not in own.PLACES}
    wrong = [key for key in others if table.table.get(key) not in (None, "")]
    for key in wrong:
        table.wrong(key, found=table.table[key], expected=f"none: its host speaks {own.name}")
    return not wrong


__all__ = ["DEVICE", "PROTOCOLS", "Constant", "HostProtocol", "HostTables", "PointTable", "read_point"]
