"""The board's side of Modbus."""

from cavet.boards.firmware.modbus._firmware import ModbusFirmware
from cavet.boards.firmware.modbus._map import COILS, DISCRETE, HOLDING, INPUT, TABLES, UPTIME, CellSettings, DeviceMap
from cavet.boards.firmware.modbus._server import Identity, Server

__all__ = [
    "COILS",
    "DISCRETE",
    "HOLDING",
    "INPUT",
    "TABLES",
    "UPTIME",
    "CellSettings",
    "DeviceMap",
    "Identity",
    "ModbusFirmware",
    "Server",
]
