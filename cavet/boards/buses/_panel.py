"""A character panel behind an expander of eight lines."""

from collections.abc import Callable
from typing import Annotated

from cavet.boards._rig import Rig
from cavet.boards.buses._characters import Controller
from cavet.boards.buses._device import BusDevice, BusSettings
from cavet.boards.buses._settling import Settling
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
        self._shown = Settling(SETTLE_SECONDS, ("", True))
        """Text and light."""

    def join(self, rig: Rig, tell: Tell, stir: Callable[[], None]) -> None:
        super().join(rig, tell, stir)
        if not self._is_joined:  # else it goes on in another rig, and shows what it showed
            self._is_joined = True
            self.controller = Controller(self.name, tell, self.columns, self.rows)

    def write(self, byte: int, at: float) -> bool:
        before, self.value = self.value, byte
        self._shown.cause = self._from
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
        self._shown.written(at)
        self.call_by(at)

    def read(self, at: float) -> int:
        presents = self.value & READ and self.value & ENABLE
        return self.value & (self._presented << 4 | 0xF) if presents else self.value

    @property
    def light(self) -> bool:
        """Whether its light is on."""
        return bool(self.value & LIGHT)

    def advance(self, now: float) -> float:
        return self._shown.advance(now, lambda: (self.controller.shown(), self.light), self._tell_shown)

    def _tell_shown(self, shown: tuple[str, bool]) -> None:
        text, _ = shown
        note = text.replace("\n", " / ") or "blank"
        note += "" if self.light else ", but its light is off"
        self._tell(Kind.MOVED, Topic.PART, self.name, text, self._shown.cause, note)

    def busy(self, now: float) -> bool:
        return self._shown.is_under_way

    def shows(self, now: float) -> str:
        """The text on it."""
        return self.controller.shown()

    def fraction(self, now: float) -> float:
        return float(bool(self.controller.shown()))

    def tells(self, now: float) -> str:
        if not self.controller.display_on:
            return "display off"
        return self.controller.shown().replace("\n", " / ") or "blank"
