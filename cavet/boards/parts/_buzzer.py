"""A buzzer: it sounds at the pitch that its line gives."""

import math
from math import inf
from typing import Annotated

from cavet.boards._pins import Pin
from cavet.boards.parts._part import Around, AtPin, Part
from cavet.record import Reason
from cavet.settings import Meaning
from cavet.wording import digits, from_to

START_SECONDS = 0.003
"""Until its disc swings."""
CURRENT = 0.015
NOTES = ("A", "A♯", "B", "C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯")
CONCERT_PITCH = 440.0


class BuzzerSettings(AtPin, kw_only=True):
    """The keys of a buzzer."""

    range: Annotated[tuple[float, float], Meaning("the pitches that it can give; others are not heard", unit="Hz")] = (
        50.0,
        10000.0,
    )


class Buzzer(Part):
    """A passive one: a steady level is not heard, a line that swings is, at its own rate."""

    kind = "buzzer"
    by_level = False
    unit = "Hz"
    SETTINGS = BuzzerSettings

    def __init__(self, name: str, settings: BuzzerSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._low, self._high = min(settings.range), max(settings.range)
        self._pitch = 0.0
        self._wanted = 0.0
        self._duty = 0.0
        self._due = inf

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        if self._due < inf:
            self.overtaken(round(self._pitch, 3))
        rate = pin.frequency
        self._wanted = rate if self._low <= rate <= self._high else 0.0
        self._duty, self._cause = pin.duty, pin.cause
        self._due = now + START_SECONDS
        if rate and not self._wanted:
            note = f"{digits(rate)} Hz is not heard: {from_to(self._low, self._high)} Hz are"
            self.refuses(None, note, Reason.NOT_ALLOWED)
            self._due, self._pitch = inf, 0.0

    def advance(self, now: float) -> float:
        if now < self._due:
            return self._due
        self._due = inf
        self._pitch = self._wanted
        self.moved(round(self._pitch, 3), self.tells(now))
        return inf

    def busy(self, now: float) -> bool:
        return now < self._due < inf

    def fraction(self, now: float) -> float:
        """Where its pitch lies between the lowest and the highest, as an ear has it; 0 while it is quiet."""
        if not self._pitch:
            return 0.0
        return max(0.02, math.log(self._pitch / self._low) / math.log(self._high / self._low))

    def stands_as(self, now: float) -> float:
        return 255 * self._duty

    def state(self, now: float) -> float:
        return self._pitch

    def current(self, now: float) -> float:
        return CURRENT if self._pitch else 0.0

    @property
    def greatest_current(self) -> float:
        return CURRENT

    def tells(self, now: float) -> str:
        return f"{self._pitch:.0f} Hz, {note_of(self._pitch)}" if self._pitch else "quiet"


def note_of(pitch: float) -> str:
    """The note that is nearest to a pitch in Hz, with its octave: 440 Hz is A4."""
    semitones = round(12 * math.log2(pitch / CONCERT_PITCH))
    return f"{NOTES[semitones % 12]}{4 + (semitones + 9) // 12}"
