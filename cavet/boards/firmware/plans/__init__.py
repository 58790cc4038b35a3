"""Boards that speak a format of the user's own, described by a plan."""

from cavet.boards.firmware.plans._engine import Answer, Engine, Given, PlanBoard, Taken
from cavet.boards.firmware.plans._firmware import PlanFirmware
from cavet.boards.firmware.plans._target import TargetFirmware

__all__ = ["Answer", "Engine", "Given", "PlanBoard", "PlanFirmware", "Taken", "TargetFirmware"]
