"""A character panel behind an expander of eight lines."""

from collections.abc import Callable
from math import inf
from typing import Annotated

from cavet.boards._rig import Rig
from cavet.boards.buses._characters import Controller
from cavet.boards.buses._device import BusDevice, BusSettings
from cavet.boards.parts import Around
from cavet.record import Kind, Tell, Topic
from cavet.settings import Meaning

REGISTER_SELECT, READ, ENABLE, LIGHT = 0x01, 0x02, 0x04, 0x08
"""The expander's lines 0 to 3; 4 to 7 are the controller's upper four data lines."""
SETTLE_SECONDS = 2e-3
"""The text counts as arrived when so long nothing has changed it."""


class PanelSettings(BusSettings, kw_only=True):
    """The keys of a panel."""

    columns: Annotated[int, Meaning("how many characters a line has", low=1, high=40)] = 16
    rows: Annotated[int, Meaning("how many lines it has", low=1, high=4)] = 2


class Panel(BusDevice):
    """Shows text, as its controller is told to nibble by nibble, with a strobe of the enable line for each.

    The byte written is the expander's lines; a read gives them, with what the controller puts on its own.
    """

    kind = "panel"
    SETTINGS = PanelSettings

    def __init__(self, name: str, settings: PanelSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._is_joined = False
        self.columns = settings.columns
        self.rows = settings.rows
        self.value = 0xFF
        self.controller: Controller
        self._presented = 0xF
        self._told: tuple[str, bool, int | None] = ("", True, None)
        """Text, light, and by which event they were told last: also what leaves it as it was has done its work."""
        self._settles_at = inf
        self._last: int | None = None

    def join(self, rig: Rig, tell: Tell, stir: Callable[[], None]) -> None:
        super().join(rig, tell, stir)
        if not self._is_joined:  # else it goes on in another rig, and shows what it showed
            self._is_joined = True
            self.controller = Controller(self.name, tell, self.columns, self.rows)

    def write(self, byte: int, at: float) -> bool:
        before, self.value = self.value, byte
        self._last = self._from
        rises, falls = ~before & byte & ENABLE, before & ~byte & ENABLE
        if rises and byte & READ:
            self._presented = self.controller.present(bool(byte & REGISTER_SELECT), at)
        if falls:
            self._presented = 0xF
            if not before & READ:
                self.controller.strobe(byte >> 4, bool(byte & REGISTER_SELECT), at, self._from)
        return True

    def stop(self, at: float) -> None:
        """One event a transaction is enough: a text takes hundreds of bytes."""
        self._tell(Kind.DRIVEN, Topic.REGISTER, f"{self.name}.lines", self.value, self._from)
        self._settles_at = at + SETTLE_SECONDS
        self.call_by(at)

    def read(self, at: float) -> int:
        presents = self.value & READ and self.value & ENABLE
        return self.value & (self._presented << 4 | 0xF) if presents else self.value

    @property
    def light(self) -> bool:
        """Whether its light is on."""
        return bool(self.value & LIGHT)

    def advance(self, now: float) -> float:
        if now < self._settles_at:
            return self._settles_at
        self._settles_at = inf
        text = self.controller.shown()
        if (text, self.light, self._last) != self._told:
            self._told = (text, self.light, self._last)
            self.moved_to(text)
        return inf

    def moved_to(self, text: str) -> None:
        """Tell what it shows."""
        note = text.replace("\n", " / ") or "blank"
        note += "" if self.light else ", but its light is off"
        self._tell(Kind.MOVED, Topic.PART, self.name, text, self._last, note)

    def busy(self, now: float) -> bool:
        return self._settles_at < inf

    def shows(self, now: float) -> str:
        """The text on it."""
        return self.controller.shown()

    def fraction(self, now: float) -> float:
        return float(bool(self.controller.shown()))

    def tells(self, now: float) -> str:
        if not self.controller.display_on:
            return "display off"
        return self.controller.shown().replace("\n", " / ") or "blank"
