"""Simulated boards: the truth of a bench. Time and causes are handed in; nothing here knows of a host."""

from cavet.boards._board import Board, BoardState, Carried, CauseOf, Client, Firmware, Outgoing
from cavet.boards._cable import Cable
from cavet.boards._circuit import Circuit, PinRefusedError
from cavet.boards._defects import Defect
from cavet.boards._kinds import KINDS
from cavet.boards._pins import Pin, PinMode
from cavet.boards._profile import PinProfile, Profile
from cavet.boards._reflex import DOES, EDGES, Reflex
from cavet.boards._rig import Quantity, Rig
from cavet.boards._world import World

__all__ = [
    "DOES",
    "EDGES",
    "KINDS",
    "Board",
    "BoardState",
    "Cable",
    "Carried",
    "CauseOf",
    "Circuit",
    "Client",
    "Defect",
    "Firmware",
    "Outgoing",
    "Pin",
    "PinMode",
    "PinProfile",
    "PinRefusedError",
    "Profile",
    "Quantity",
    "Reflex",
    "Rig",
    "World",
]
