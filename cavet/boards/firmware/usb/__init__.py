"""USB devices, exported over IP."""

from cavet.boards.firmware.usb._device import Identity, StallError, UsbDevice
from cavet.boards.firmware.usb._firmware import BUS_ID, UsbFirmware

__all__ = ["BUS_ID", "Identity", "StallError", "UsbDevice", "UsbFirmware"]
