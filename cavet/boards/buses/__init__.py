"""Buses of boards, and what hangs on them."""

from cavet.boards.buses._bus import I2cBus, Outcome, Part, Target
from cavet.boards.buses._characters import Controller
from cavet.boards.buses._chips import CHIP, MODE, ShiftRegisters, SpiChip
from cavet.boards.buses._converters import Giving, Measuring
from cavet.boards.buses._device import ADDRESS, BusDevice, map_key
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
)
from cavet.boards.buses._panel import Panel
from cavet.boards.buses._registers import RegisterDevice
from cavet.boards.buses._target import TargetBoard

__all__ = [
    "ADDRESS",
    "ADDRESS_BYTES",
    "BYTE_SECONDS",
    "CHIP",
    "MODE",
    "NEEDED",
    "RESET_SECONDS",
    "AddressCommand",
    "BusDevice",
    "Controller",
    "Expander",
    "Giving",
    "I2cBus",
    "LatchExpander",
    "Lines",
    "Matrix",
    "MatrixChain",
    "Measuring",
    "OneWire",
    "OneWireDevice",
    "Outcome",
    "Panel",
    "Part",
    "RegisterDevice",
    "ShiftRegisters",
    "SpiChip",
    "Target",
    "TargetBoard",
    "map_key",
    "missing_registers",
]
