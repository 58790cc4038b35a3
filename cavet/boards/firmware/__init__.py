"""What boards run: for each protocol the board's side, acting on the circuit."""

from cavet.boards.firmware._buses import BusesFirmware
from cavet.boards.firmware.firmata import FirmataFirmware
from cavet.boards.firmware.modbus import ModbusFirmware
from cavet.boards.firmware.mqtt import Broker, Station
from cavet.boards.firmware.scpi import ScpiFirmware

__all__ = ["Broker", "BusesFirmware", "FirmataFirmware", "ModbusFirmware", "ScpiFirmware", "Station"]
