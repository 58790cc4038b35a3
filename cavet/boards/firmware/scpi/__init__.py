"""The instrument's side of SCPI."""

from cavet.boards.firmware.scpi._commands import MEASURES, Commands, CommandSettings
from cavet.boards.firmware.scpi._firmware import ScpiFirmware
from cavet.boards.firmware.scpi._tree import Pattern

__all__ = ["MEASURES", "CommandSettings", "Commands", "Pattern", "ScpiFirmware"]
