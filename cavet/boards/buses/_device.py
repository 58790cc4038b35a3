"""What all devices on a bus have in common: they are parts on its two wires, with an address."""

from __future__ import annotations

from cavet.boards.buses._lines import Lines
from cavet.boards.parts import Part, Wires


class BusDevice(Part):
    """A part that hangs on a bus; its kind says what its bytes do."""

    kind = "device"

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
