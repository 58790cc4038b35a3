"""The board's side of Firmata: pins in one room, each further feature in its own."""

from cavet.boards.firmware.firmata._firmware import FirmataFirmware

__all__ = ["FirmataFirmware"]
