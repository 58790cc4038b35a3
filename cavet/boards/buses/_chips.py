"""What hangs on SPI: parts at a chip select, and registers that bits are shifted through.

SPI has no standard; modes are counted as the trade does: clock idle low or high (0, 1 or 2, 3), data taken at its first
edge or at its second (even or odd).
"""

from math import inf
from typing import Annotated

from cavet.boards.buses._lines import Lines
from cavet.boards.parts import Around, Part, PartSettings
from cavet.record import Kind, Topic
from cavet.settings import Meaning

RISING = (0, 3)
"""The modes in which data are taken at the rising edge; in the others it is the falling one."""


CHIP = Meaning("its chip select on SPI", low=0, high=15)
MODE = Meaning("the mode in which it is clocked", low=0, high=3)


class ChipSettings(PartSettings, kw_only=True):
    """The keys of a part on SPI."""

    chip: Annotated[int, CHIP] = 0
    mode: Annotated[int, MODE] = 0


class SpiChip(Part):
    """A part at a chip select. Its kind says what it makes of a transfer."""

    lines: Lines | None = None

    on_bus = True

    def __init__(self, name: str, settings: ChipSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.chip = settings.chip
        self.mode = settings.mode

    def transfer(self, data: bytes, at: float, cause: int | None, *, mode: int = 0) -> bytes:
        """A whole transfer, from the chip select's beginning to its end, which is at `at`; give what came back.

        Clocked at the other edge each bit is taken while it changes: the one before it is heard.
        """
        if (mode in RISING) != (self.mode in RISING):
            note = f"clocked in mode {mode}, but it is for mode {self.mode}: every bit comes one place late"
            cause = self._tell(Kind.REMARK, Topic.PART, self.name, mode, cause, note)
            data = (int.from_bytes(data, "big") >> 1).to_bytes(len(data), "big")
        return self.shift(data, at, cause)

    def shift(self, data: bytes, at: float, cause: int | None) -> bytes:
        """Take bits in; give those that come out meanwhile."""
        raise NotImplementedError


class ShiftRegistersSettings(ChipSettings, kw_only=True):
    """The keys of a chain of shift registers."""

    registers: Annotated[int, Meaning("how many registers of eight lines it has", low=1, high=8)] = 1


class ShiftRegisters(SpiChip):
    """Registers of eight bits with outputs, one behind the other: bits go in at the nearest one, on to the farthest.

    The end of the chip select brings all bits to the outputs: line 0 is the lowest bit of the nearest register. What
    comes out at the far end is what went in before.
    """

    kind = "shift"
    SETTINGS = ShiftRegistersSettings

    def __init__(self, name: str, settings: ShiftRegistersSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.registers = settings.registers
        self.lines: Lines = Lines(8 * settings.registers)
        self._held = bytes(settings.registers)

    def shift(self, data: bytes, at: float, cause: int | None) -> bytes:
        stream = self._held + data
        self._held = stream[len(stream) - self.registers :]
        told = self._tell(Kind.DRIVEN, Topic.REGISTER, self.name, self._held, cause, "the farthest register first")
        levels = [bool(byte >> bit & 1) for byte in reversed(self._held) for bit in range(8)]
        changed = [self.lines.drive(line, level, False, at, told) for line, level in enumerate(levels)]
        if not any(changed):
            self.lines.insist(0, len(levels), at, told)
        return stream[: len(data)]

    def advance(self, now: float) -> float:
        return inf

    def tells(self, now: float) -> str:
        return self._held.hex(" ").upper()
