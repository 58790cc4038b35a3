"""The instrument's side of SCPI."""

from cavet.boards.firmware.scpi._commands import MEASURES, CommandPlan, Commands
from cavet.boards.firmware.scpi._firmware import ScpiFirmware
from cavet.boards.firmware.scpi._tree import Pattern

__all__ = ["MEASURES", "CommandPlan", "Commands", "Pattern", "ScpiFirmware"]
