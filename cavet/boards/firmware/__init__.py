"""What boards run: for each protocol the board's side, acting on the circuit."""

from cavet.boards.firmware._firmata import FirmataFirmware
from cavet.boards.firmware.modbus import ModbusFirmware
from cavet.boards.firmware.mqtt import Broker, Station
from cavet.boards.firmware.scpi import ScpiFirmware

__all__ = ["Broker", "FirmataFirmware", "ModbusFirmware", "ScpiFirmware", "Station"]
