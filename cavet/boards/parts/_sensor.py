"""Parts that give a voltage: a gauge on a quantity of the rig, and a lever that a hand moves."""

import random
from typing import Annotated

from cavet.boards.parts._part import Around, AtPin, Part
from cavet.settings import Meaning
from cavet.units import show_steady
from cavet.wording import WrongError

NOISE_COUNTS = 1023
"""What a voltage wavers by is one count of so many: of a ten-bit converter."""


class Noise:
    """What a voltage of so much at full wavers by, repeatably from a seed."""

    def __init__(self, seed: str, full: float) -> None:
        self._random = random.Random(seed).random
        count = full / NOISE_COUNTS
        self._steps = (-count, 0.0, 0.0, count)

    def next(self) -> float:
        return self._steps[int(self._random() * len(self._steps))]


class GaugeSettings(AtPin, kw_only=True):
    """The keys of a gauge."""

    of: Annotated[str, Meaning("the quantity of the rig that it measures", names="quantity")]
    range: Annotated[tuple[float, float], Meaning("the quantity at 0 V and at full voltage", unit="=of")]


class Gauge(Part):
    """A voltage in proportion to a quantity, with a noise of one count of a ten-bit converter."""

    kind = "gauge"
    SETTINGS = GaugeSettings
    senses = True
    by_voltage = True

    def __init__(self, name: str, settings: GaugeSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.measures = settings.of
        self._low, self._high = settings.range
        self._noise = Noise(f"{around.seed}/{name}", self._full)

    def _clean(self) -> float:
        share = (self._rig.value(self.measures) - self._low) / (self._high - self._low)
        return self._full * min(1.0, max(0.0, share))

    def voltage(self, wire: str, now: float) -> float:
        noisy = self._clean() + self._noise.next()
        return self._full if noisy > self._full else max(0.0, noisy)

    def fraction(self, now: float) -> float:
        return self._clean() / self._full

    def stands_as(self, now: float) -> float:
        return self._rig.value(self.measures)

    def state(self, now: float) -> float:
        return self.stands_as(now)

    def tells(self, now: float) -> str:
        return show_steady(self._clean(), "V", 2)


class Lever(Part):
    """A voltage around the middle of its range, −1 to 1; springs back when it is let go."""

    kind = "lever"
    unit = "%"
    senses = True
    by_voltage = True
    actions = ("set", "release")

    def __init__(self, name: str, settings: AtPin, around: Around) -> None:
        super().__init__(name, settings, around)
        self._noise = Noise(f"{around.seed}/{name}", self._full)
        self.position = 0.0
        self._release_at = float("inf")

    def worked(self, do: str, now: float, seconds: float | None, value: float | None) -> None:
        position = value if do == "set" else 0.0
        if position is None or not -1 <= position <= 1:
            found = "no value" if position is None else position
            raise WrongError(self.name, found=found, expected="where to set it, −1 to 1")
        self._put(position)
        self._release_at = now + seconds if do == "set" and seconds is not None else float("inf")

    def _put(self, position: float) -> None:
        self.position = position
        self.sensed(position)

    def advance(self, now: float) -> float:
        if now >= self._release_at:
            self._release_at = float("inf")
            self._put(0.0)
        return self._release_at

    def voltage(self, wire: str, now: float) -> float:
        return min(self._full, max(0.0, self._full * (self.position + 1) / 2 + self._noise.next()))

    def fraction(self, now: float) -> float:
        return self.position

    def stands_as(self, now: float) -> float:
        return self.position

    def state(self, now: float) -> float:
        return 100 * self.position

    def tells(self, now: float) -> str:
        return show_steady(self._full * (self.position + 1) / 2, "V", 2)
