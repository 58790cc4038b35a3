"""Parts that give a voltage: a gauge on a quantity of the rig, and a lever that a hand moves."""

import random
from typing import Annotated

from cavet.boards.parts._part import Around, AtPin, Part
from cavet.record import Kind, Topic
from cavet.settings import Meaning
from cavet.wording import WrongError

NOISE_VOLTS = 5 / 1023
"""One count of a ten-bit converter."""
NOISE = (-NOISE_VOLTS, 0.0, 0.0, NOISE_VOLTS)

FULL_VOLTS = 5.0
"""What is given at full."""


class Noise:
    """What a voltage wavers by, repeatably from a seed; one of `NOISE` at a time."""

    def __init__(self, seed: str) -> None:
        self._random = random.Random(seed).random

    def next(self) -> float:
        return NOISE[int(self._random() * len(NOISE))]


class GaugeSettings(AtPin, kw_only=True):
    """The keys of a gauge."""

    of: Annotated[str, Meaning("the quantity of the rig that it measures", names="quantity")]
    range: Annotated[tuple[float, float], Meaning("the quantity at 0 V and at full voltage", unit="=of")]


class Gauge(Part):
    """A voltage in proportion to a quantity, with a noise of one count of a ten-bit converter."""

    kind = "gauge"
    SETTINGS = GaugeSettings
    senses = True

    def __init__(self, name: str, settings: GaugeSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.measures = settings.of
        self._low, self._high = settings.range
        self._noise = Noise(f"{around.seed}/{name}")

    def _clean(self) -> float:
        share = (self._rig.value(self.measures) - self._low) / (self._high - self._low)
        return FULL_VOLTS * min(1.0, max(0.0, share))

    def voltage(self, wire: str, now: float) -> float:
        noisy = self._clean() + self._noise.next()
        return FULL_VOLTS if noisy > FULL_VOLTS else max(0.0, noisy)

    def fraction(self, now: float) -> float:
        return self._clean() / FULL_VOLTS

    def stands_as(self, now: float) -> float:
        return self._rig.value(self.measures)

    def state(self, now: float) -> float:
        return self.stands_as(now)

    def tells(self, now: float) -> str:
        return f"{self._clean():.2f} V"


class Lever(Part):
    """A voltage around the middle of its range, −1 to 1; springs back when it is let go."""

    kind = "lever"
    unit = "%"
    senses = True
    actions = ("set", "release")

    def __init__(self, name: str, settings: AtPin, around: Around) -> None:
        super().__init__(name, settings, around)
        self._noise = Noise(f"{around.seed}/{name}")
        self.position = 0.0
        self._release_at = float("inf")

    def act(self, do: str, now: float, *, seconds: float | None = None, value: float | None = None) -> None:
        if do not in self.actions:
            super().act(do, now)
        if do == "set" and value is None:
            raise WrongError(self.name, found="no value", expected="where to set it, −1 to 1")
        self._put(min(1.0, max(-1.0, value or 0.0)) if do == "set" else 0.0)
        self._release_at = now + seconds if do == "set" and seconds is not None else float("inf")

    def _put(self, position: float) -> None:
        self.position = position
        self._tell(Kind.SENSED, Topic.PART, self.name, position)

    def advance(self, now: float) -> float:
        if now >= self._release_at:
            self._release_at = float("inf")
            self._put(0.0)
        return self._release_at

    def voltage(self, wire: str, now: float) -> float:
        return min(FULL_VOLTS, max(0.0, FULL_VOLTS * (self.position + 1) / 2 + self._noise.next()))

    def fraction(self, now: float) -> float:
        return self.position

    def stands_as(self, now: float) -> float:
        return self.position

    def state(self, now: float) -> float:
        return 100 * self.position

    def tells(self, now: float) -> str:
        return f"{FULL_VOLTS * (self.position + 1) / 2:.2f} V"
