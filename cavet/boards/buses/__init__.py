"""Buses of boards, and what hangs on them."""

from cavet.boards.buses._bus import I2cBus, Outcome, Part, Target
from cavet.boards.buses._characters import Controller
from cavet.boards.buses._chips import CHIP, MODE, ChipSettings, ShiftRegisters, ShiftRegistersSettings, SpiChip
from cavet.boards.buses._converters import Giving, Measuring, MeasuringSettings
from cavet.boards.buses._device import ADDRESS, MAP, BusDevice, BusSettings, MappedSettings
from cavet.boards.buses._expander import Expander, LatchExpander, missing_registers
from cavet.boards.buses._lines import Lines
from cavet.boards.buses._matrix import NEEDED, Matrix, MatrixChain
from cavet.boards.buses._onewire import (
    ADDRESS_BYTES,
    BYTE_SECONDS,
    RESET_SECONDS,
    AddressCommand,
    OneWire,
    OneWireDevice,
    OneWireDeviceSettings,
)
from cavet.boards.buses._panel import Panel
from cavet.boards.buses._registers import RegisterDevice
from cavet.boards.buses._target import TargetBoard, TargetBoardSettings

__all__ = [
    "ADDRESS",
    "ADDRESS_BYTES",
    "BYTE_SECONDS",
    "CHIP",
    "MAP",
    "MODE",
    "NEEDED",
    "RESET_SECONDS",
    "AddressCommand",
    "BusDevice",
    "BusSettings",
    "ChipSettings",
    "Controller",
    "Expander",
    "Giving",
    "I2cBus",
    "LatchExpander",
    "Lines",
    "MappedSettings",
    "Matrix",
    "MatrixChain",
    "Measuring",
    "MeasuringSettings",
    "OneWire",
    "OneWireDevice",
    "OneWireDeviceSettings",
    "Outcome",
    "Panel",
    "Part",
    "RegisterDevice",
    "ShiftRegisters",
    "ShiftRegistersSettings",
    "SpiChip",
    "Target",
    "TargetBoard",
    "TargetBoardSettings",
    "missing_registers",
]
