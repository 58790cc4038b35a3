"""What boards run: for each protocol the board's side, acting on the circuit."""

from cavet.boards.firmware._firmata import FirmataFirmware

__all__ = ["FirmataFirmware"]
