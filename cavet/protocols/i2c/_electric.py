"""The sums of the bus's wires: which pull-up fits.

Source: I2C-bus specification 7.0, section 7.1 (pull-up resistor sizing) and table 10 (rise times).
"""

from __future__ import annotations

import msgspec

from cavet.units import show
from cavet.wording import WrongError

RISE_SECONDS = ((100e3, 1000e-9), (400e3, 300e-9), (1e6, 120e-9))
"""The longest rise of a line, by the highest rate at which it holds."""
RISE_FACTOR = 0.8473
"""How many time constants a line takes from 0.3 to 0.7 of the supply."""
LOW_VOLTS = 0.4
"""What a device may leave on a line that it pulls low."""
SINK_AMPERES, FAST_SINK_AMPERES = 3e-3, 20e-3
"""What a device can sink: up to 400 kHz, and above."""


class PullUp(msgspec.Struct, frozen=True):
    """Between which values a pull-up must lie, in ohms, and what is wrong if none does."""

    min_ohm: float
    max_ohm: float
    problems: tuple[str, ...] = ()


def rise_limit(rate: float) -> float:
    """The longest rise of a line, in s, at a clock of so many hertz, 1 MHz at most."""
    return next(seconds for top, seconds in RISE_SECONDS if rate <= top)


def pull_up(capacitance: float, supply: float, rate: float, sink: float | None = None) -> PullUp:
    """Reckon the pull-up for a bus of `capacitance` (F) at `supply` (V) and `rate` (Hz), with `sink` in A."""
    if not capacitance > 0:
        raise WrongError("pull-up.capacitance", found=show(capacitance, "F"), expected="more than 0 pF")
    if not supply > LOW_VOLTS:
        raise WrongError("pull-up.supply", found=show(supply, "V"), expected=f"more than {LOW_VOLTS} V")
    if not 0 < rate <= RISE_SECONDS[-1][0]:
        raise WrongError("pull-up.rate", found=show(rate, "Hz"), expected="more than 0, up to 1 MHz")
    if sink is not None and not sink > 0:
        raise WrongError("pull-up.sink", found=show(sink, "A"), expected="more than 0 mA")
    rise = rise_limit(rate)
    amperes = sink or (SINK_AMPERES if rate <= RISE_SECONDS[1][0] else FAST_SINK_AMPERES)
    least = (supply - LOW_VOLTS) / amperes
    most = rise / (RISE_FACTOR * capacitance)
    if least <= most:
        return PullUp(least, most)
    problem = (
        f"no resistor fits: found {show(least, 'Ohm')} at least for the sink current, "
        f"expected no more than {show(most, 'Ohm')} for the rise time"
    )
    return PullUp(least, most, (problem,))
