"""A wire from one pin to another of the same board: what one end drives, the other reads."""

from typing import Annotated

from cavet.boards._pins import Pin
from cavet.boards.parts._part import Around, AtPin, Part
from cavet.settings import Meaning

ENDS = {"pin": "to", "to": "pin"}


class JumperSettings(AtPin, kw_only=True):
    """The keys of a jumper."""

    to: Annotated[int, Meaning("the pin at its other end", kind="pin")]


class Jumper(Part):
    """It has no direction of its own, and no time: the level is there at once, as high while a line swings."""

    kind = "jumper"
    SETTINGS = JumperSettings
    senses = True

    def __init__(self, name: str, settings: JumperSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._pins: dict[str, Pin] = {}
        """Of each end, the pin there, once that was driven."""

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        self._pins[wire] = pin
        self.cause = pin.cause
        self._stir()

    def level(self, wire: str) -> bool | None:
        pin = self._pins.get(ENDS[wire])
        return pin.line > 0 if pin is not None and pin.mode.drives else None

    def fraction(self, now: float) -> float:
        return float(any(self.level(wire) for wire in ENDS))

    def stands_as(self, now: float) -> bool:
        return bool(self.fraction(now))

    def tells(self, now: float) -> str:
        if not any(pin.mode.drives for pin in self._pins.values()):
            return "open"
        return "high" if self.fraction(now) else "low"
