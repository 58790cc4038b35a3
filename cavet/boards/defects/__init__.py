"""Things made wrong on purpose: each kind is a class, and says what it spoils."""

from cavet.boards.defects._base import Defect, Spoiled
from cavet.boards.defects._boards import Drifting, OtherStart, Sagging, Seized, SilentDevice, StuckBus
from cavet.boards.defects._broker import Forgetful, Renamed
from cavet.boards.defects._links import Away, Doubled, Late, Lossy, Mute, SmallQueue, Stale
from cavet.boards.defects._wires import DeadPin, Floating, Inverted, Swapped

DEFECTS: dict[str, type[Defect]] = {
    each.KIND: each
    for each in (
        DeadPin,
        Swapped,
        Inverted,
        Floating,
        Lossy,
        Late,
        Stale,
        Doubled,
        SmallQueue,
        Mute,
        Away,
        Forgetful,
        Renamed,
        StuckBus,
        SilentDevice,
        Seized,
        Sagging,
        OtherStart,
        Drifting,
    )
}
"""All kinds: a new one is its class, and its name here."""
Defect.VARIANTS = DEFECTS

__all__ = [
    "DEFECTS",
    "Away",
    "DeadPin",
    "Defect",
    "Doubled",
    "Drifting",
    "Floating",
    "Forgetful",
    "Inverted",
    "Late",
    "Lossy",
    "Mute",
    "OtherStart",
    "Renamed",
    "Sagging",
    "Seized",
    "SilentDevice",
    "SmallQueue",
    "Spoiled",
    "Stale",
    "StuckBus",
    "Swapped",
]
