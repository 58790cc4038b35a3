"""Simulated boards: the truth of a bench. Time and causes are handed in; nothing here knows of a host."""

from cavet.boards._board import Board, BoardState
from cavet.boards._cable import Cable, CableSettings
from cavet.boards._circuit import Circuit, PinRefusedError
from cavet.boards._kinds import KINDS
from cavet.boards._pins import FULL_DUTY, Pin, PinMode, driven_words
from cavet.boards._profile import PinProfile, Profile
from cavet.boards._reflex import DOES, EDGES, Reflex
from cavet.boards._rig import Quantity, Rig
from cavet.boards._rules import Hands, Rule
from cavet.boards._running import Carried, CauseOf, Client, Firmware, Outgoing
from cavet.boards._signal import Signal
from cavet.boards._travel import stop, travel
from cavet.boards._world import World
from cavet.boards.defects import (
    DEFECTS,
    Away,
    DeadPin,
    Defect,
    Late,
    Lossy,
    Mute,
    SilentDevice,
    Spoiled,
    StuckBus,
    Swapped,
)
from cavet.boards.parts import BOARD_SUPPLY, OWN_SUPPLY, SUPPLIED, Around, PartSettings

__all__ = [
    "BOARD_SUPPLY",
    "DEFECTS",
    "DOES",
    "EDGES",
    "FULL_DUTY",
    "KINDS",
    "OWN_SUPPLY",
    "SUPPLIED",
    "Around",
    "Away",
    "Board",
    "BoardState",
    "Cable",
    "CableSettings",
    "Carried",
    "CauseOf",
    "Circuit",
    "Client",
    "DeadPin",
    "Defect",
    "Firmware",
    "Hands",
    "Late",
    "Lossy",
    "Mute",
    "Outgoing",
    "PartSettings",
    "Pin",
    "PinMode",
    "PinProfile",
    "PinRefusedError",
    "Profile",
    "Quantity",
    "Reflex",
    "Rig",
    "Rule",
    "Signal",
    "SilentDevice",
    "Spoiled",
    "StuckBus",
    "Swapped",
    "World",
    "driven_words",
    "stop",
    "travel",
]
