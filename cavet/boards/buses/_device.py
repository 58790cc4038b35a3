"""What all devices on a bus have in common: they are parts on its two wires, with an address."""

from typing import Annotated, ClassVar

from cavet.boards.buses._lines import Lines
from cavet.boards.parts import Around, Part, PartSettings
from cavet.protocols.registers import RegisterMap
from cavet.settings import Meaning

ADDRESS = Meaning("its address on the bus", low=0, high=0x3FF)
MAP = Meaning("its register map: the name of one that ships, or FILE#NAME of a plan file beside the bench")


class BusSettings(PartSettings, kw_only=True):
    """The keys of a device on a bus."""

    address: Annotated[int, ADDRESS]
    stretch: Annotated[float, Meaning("how long it holds the clock behind each byte", unit="s", low=0, high=0.03)] = 0.0
    ten_bit: bool = False
    """Whether its address has ten bits."""


class MappedSettings(BusSettings, kw_only=True):
    """The keys of a device with registers."""

    map: Annotated[str, MAP]
    register_map: RegisterMap | None = None
    """What that name stands for, once it was looked up."""


class BusDevice(Part):
    """A part that hangs on a bus; its kind says what its bytes do."""

    kind = "device"
    SETTINGS: ClassVar[type[PartSettings]] = BusSettings
    on_bus = True

    def __init__(self, name: str, settings: BusSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.wires = {**around.bus, **self.wires}
        self.address = settings.address
        self.ten_bit = settings.ten_bit
        self.stretch = settings.stretch
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
