"""A laboratory supply: a voltage, limited in current, on a load that a hand may change."""

import random
from math import inf
from typing import Annotated

from cavet.boards._pins import Pin
from cavet.boards.parts._part import Around, Part, PartSettings
from cavet.settings import Meaning
from cavet.units import decimals_of, show_steady
from cavet.wording import WrongError

PLACES = 3
"""So many places of its voltage are told behind the point, at most: to the millivolt."""


class SupplySettings(PartSettings, kw_only=True):
    """The keys of a supply."""

    enable: Annotated[int, Meaning("the pin that switches it on", kind="pin")]
    level: Annotated[int, Meaning("the pin of its voltage, with a converter", kind="pin")]
    limit: Annotated[int, Meaning("the pin of its greatest current, with a converter", kind="pin")]
    volts: Annotated[float, Meaning("its greatest voltage", unit="V", low=0.1)] = 24.0
    amps: Annotated[float, Meaning("its greatest current", unit="A", low=0.001)] = 2.0
    load: Annotated[float | None, Meaning("what hangs on it; nothing without it", unit="Ohm")] = None


class Supply(Part):
    """Gives its level while it is on; less where the load would draw more than the limit. `load` in Ω, `None` open."""

    kind = "supply"
    SETTINGS = SupplySettings
    unit = "V"
    actions = ("load", "unload")
    action_unit = "Ω"
    NOISE_SHARE = 0.0002
    """Of the full voltage: what a measurement differs by."""

    def __init__(self, name: str, settings: SupplySettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._volts, self._amps = settings.volts, settings.amps
        self._load = settings.load
        self._shares = dict.fromkeys(self.wires, 0.0)
        self._random = random.Random(f"{around.seed}/{name}")
        self._news = False

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        self._shares[wire] = pin.duty
        self._cause = pin.cause
        self._news = True

    def worked(self, do: str, now: float, seconds: float | None, value: float | None) -> None:
        if do == "load" and (value is None or value <= 0):
            raise WrongError(
                self.name, found=value if value is not None else "no value", expected="a load in Ω above 0"
            )
        self._load = value if do == "load" else None

    def advance(self, now: float) -> float:
        if self._news:
            self._news = False
            self.moved(round(self.volts, 3), self.tells(now))
        return inf

    @property
    def on(self) -> bool:
        return self._shares["enable"] > 0.5

    @property
    def limiting(self) -> bool:
        """Whether the load would draw more than the limit."""
        level, limit = self._volts * self._shares["level"], self._amps * self._shares["limit"]
        return self.on and self._load is not None and level / self._load > limit

    @property
    def volts(self) -> float:
        """The voltage at its terminals."""
        if not self.on:
            return 0.0
        limit = self._amps * self._shares["limit"]
        return limit * self._load if self.limiting and self._load is not None else self._volts * self._shares["level"]

    @property
    def amps(self) -> float:
        """The current into the load."""
        return self.volts / self._load if self._load else 0.0

    def measured(self, of: float, full: float) -> float:
        """A measurement of a value: with its noise."""
        return of + self._random.uniform(-1, 1) * self.NOISE_SHARE * full

    def measured_volts(self) -> float:
        """A measurement of the voltage."""
        return self.measured(self.volts, self._volts)

    def measured_amps(self) -> float:
        """A measurement of the current."""
        return self.measured(self.amps, self._amps)

    def fraction(self, now: float) -> float:
        return self.volts / self._volts

    def stands_as(self, now: float) -> bool:
        return self.on

    def stands_by(self, pin: int) -> bool:
        return pin == self.wires["enable"]

    def state(self, now: float) -> float:
        return self.volts

    def tells(self, now: float) -> str:
        if not self.on:
            level = self._volts * self._shares["level"]
            return f"off, {_steady(level)} set" if level else "off"
        volts = _steady(self.volts)
        limited = ", limited" if self.limiting else ""
        return f"{volts}, {show_steady(self.amps, 'A', 2)}{limited}" if self._load else volts


def _steady(volts: float) -> str:
    """A voltage, to the millivolt where it has any."""
    millivolts = round(volts, PLACES)
    return show_steady(millivolts, "V", max(2, decimals_of(millivolts)))
