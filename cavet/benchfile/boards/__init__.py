"""What each firmware needs of a board's tables: one room for each, and the table of them all."""

from cavet.benchfile.boards._device import BoardTables, Device, Making, Place, PlaceKey, PlaceKind, ReadTables, Row
from cavet.benchfile.boards._formats import FormatDevice, TargetDevice, UsbDevice
from cavet.benchfile.boards._modbus import ModbusDevice
from cavet.benchfile.boards._pins import BusesDevice, FirmataDevice
from cavet.benchfile.boards._scpi import ScpiDevice
from cavet.benchfile.boards._station import StationDevice

FIRMWARES: dict[str, type[Device]] = {
    "firmata": FirmataDevice,
    "modbus": ModbusDevice,
    "scpi": ScpiDevice,
    "mqtt": StationDevice,
    "plan": FormatDevice,
    "usb": UsbDevice,
    "target": TargetDevice,
    "buses": BusesDevice,
}
"""By what the board's key `firmware` says."""

__all__ = [
    "FIRMWARES",
    "BoardTables",
    "Device",
    "FormatDevice",
    "Making",
    "ModbusDevice",
    "Place",
    "PlaceKey",
    "PlaceKind",
    "ReadTables",
    "Row",
    "ScpiDevice",
    "StationDevice",
    "UsbDevice",
]
