"""What all devices on a bus have in common: they are parts on its two wires, with an address."""

from __future__ import annotations

from typing import ClassVar

from cavet.boards.buses._lines import Lines
from cavet.boards.parts import Around, Part, Settings, Wires
from cavet.settings import Key

ADDRESS = Key("address", "whole", "its address on the bus", required=True, low=0, high=0x3FF)
STRETCH = Key(
    "stretch", "quantity", "how long it holds the clock behind each byte", unit="s", default=0.0, low=0, high=0.03
)


def map_key(shipped: str) -> Key:
    """The key for a device's register map: of one that ships, or, with "", of the user's own."""
    doc = "its register map: the name of one that ships, or FILE#NAME of a plan file beside the bench"
    return Key("map", "text", doc, required=not shipped, default=shipped or None)


class BusDevice(Part):
    """A part that hangs on a bus; its kind says what its bytes do."""

    kind = "device"
    SETTINGS: ClassVar[tuple[Key, ...]] = (ADDRESS, STRETCH)
    on_bus = True

    def __init__(self, name: str, wires: Wires, *, address: int, ten_bit: bool = False, stretch: float = 0.0) -> None:
        super().__init__(name, wires)
        self.address = address
        self.ten_bit = ten_bit
        self.stretch = stretch
        self.silent = False
        """Whether a defect keeps it from acknowledging its address."""
        self.lines: Lines | None = None
        """The lines that it works, where it has any."""
        self._from: int | None = None
        """The event that the present transaction follows from."""

    @classmethod
    def make(cls, name: str, settings: Settings, around: Around) -> Part:
        arguments = cls.arguments(settings, around)
        map_ = (arguments.pop("map"),) if "map" in arguments else ()
        return cls(name, {**around.bus, **cls.wires_in(settings)}, *map_, **arguments)

    @property
    def answers(self) -> bool:
        """Whether it acknowledges its address."""
        return not self.silent

    def begin(self, read: bool, at: float, cause: int | None) -> None:
        self._from = cause

    def write(self, byte: int, at: float) -> bool:
        return True

    def read(self, at: float) -> int:
        return 0xFF

    def stop(self, at: float) -> None:
        """Nothing is left to do."""
