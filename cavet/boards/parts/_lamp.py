"""A lamp on an output or a PWM pin."""

from math import inf
from typing import Annotated

from cavet.boards._pins import Pin
from cavet.boards.parts._motion import Ramp
from cavet.boards.parts._part import Around, AtPin, Part
from cavet.settings import Meaning
from cavet.units import show_share

FADE_SECONDS = 0.04
"""From dark to full and back; a filament's afterglow."""


class LampSettings(AtPin, kw_only=True):
    """The keys of a lamp."""

    current: Annotated[float, Meaning("what it draws at full glow", unit="A", low=0)] = 0.015


class Lamp(Part):
    """Glows as much as its pin's duty, after a short fade."""

    kind = "lamp"
    SETTINGS = LampSettings
    unit = "%"

    def __init__(self, name: str, settings: LampSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._full_current = settings.current
        self._fade = Ramp(0.0, 0.0, 0.0, 0.0)
        self._fading = False

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        if self._fading:
            self.overtaken(round(100 * self.fraction(now), 1))
        glow, duty = self._fade.at(now), pin.duty
        self._fade = Ramp(glow, duty, now, now + FADE_SECONDS * abs(duty - glow))
        self._cause = pin.cause
        self._fading = True

    def advance(self, now: float) -> float:
        if not self._fading:
            return inf
        if now < self._fade.arrives:
            return self._fade.arrives
        self._fading = False
        self.moved(round(100 * self._fade.target, 1), self.tells(now))
        return inf

    def busy(self, now: float) -> bool:
        return now < self._fade.arrives

    def fraction(self, now: float) -> float:
        return self._fade.at(now)

    def stands_as(self, now: float) -> float:
        return 255 * self.fraction(now)

    def current(self, now: float) -> float:
        return self._full_current * self.fraction(now)

    @property
    def greatest_current(self) -> float:
        return self._full_current

    def state(self, now: float) -> float:
        return 100 * self.fraction(now)

    def tells(self, now: float) -> str:
        glow = self.fraction(now)
        return show_share(glow) if glow else "off"
