"""The board's side of Modbus."""

from cavet.boards.firmware.modbus._firmware import ModbusFirmware
from cavet.boards.firmware.modbus._map import UPTIME, CellSettings, DeviceMap
from cavet.boards.firmware.modbus._server import Identity, Server

__all__ = [
    "UPTIME",
    "CellSettings",
    "DeviceMap",
    "Identity",
    "ModbusFirmware",
    "Server",
]
