"""What sounds while its pin is high: a horn, a bell."""

from __future__ import annotations

from math import inf
from typing import ClassVar

from cavet.boards._pins import Pin
from cavet.boards.parts._part import Around, AtPin, Part

CURRENT = 0.012


class Sounder(Part):
    """Sounds while its pin is high."""

    START_SECONDS: ClassVar[float]
    """Until its membrane or its hammer moves."""
    WORDS: ClassVar[tuple[str, str]]
    """What it is called while it is quiet, and while it sounds."""

    def __init__(self, name: str, settings: AtPin, around: Around) -> None:
        super().__init__(name, settings, around)
        self._sounds = False
        self._due = inf
        self._wanted = False

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        if self._due < inf:
            self.overtaken(self._sounds)
        self._wanted = pin.duty > 0
        self._cause = pin.cause
        self._due = now + self.START_SECONDS

    def advance(self, now: float) -> float:
        if now < self._due:
            return self._due
        self._due = inf
        self._sounds = self._wanted
        self.moved(self._sounds, self.tells(now))
        return inf

    def busy(self, now: float) -> bool:
        return now < self._due < inf

    def fraction(self, now: float) -> float:
        return float(self._sounds)

    def stands_as(self, now: float) -> bool:
        return self._sounds

    def current(self, now: float) -> float:
        return CURRENT if self._sounds else 0.0

    @property
    def greatest_current(self) -> float:
        return CURRENT

    def tells(self, now: float) -> str:
        return self.WORDS[self._sounds]


class Horn(Sounder):
    """A horn: a millisecond for its membrane to start."""

    kind = "horn"
    START_SECONDS = 0.001
    WORDS = ("quiet", "sounds")


class Bell(Sounder):
    """A bell: its hammer needs some milliseconds to the first stroke."""

    kind = "bell"
    START_SECONDS = 0.008
    WORDS = ("still", "rings")
