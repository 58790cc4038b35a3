"""Sums about what is driven: pulses for servos, resistors for lamps."""

from __future__ import annotations

from cavet.reckoning._sum import Given, Reckoned, Sum, number_with_unit, quantity, whole
from cavet.units import parse, show
from cavet.wording import WrongError

E24 = (10, 11, 12, 13, 15, 16, 18, 20, 22, 24, 27, 30, 33, 36, 39, 43, 47, 51, 56, 62, 68, 75, 82, 91)
"""The preferred values. Source: IEC 60063."""


def _span(place: str, text: str, unit: str) -> tuple[float, float]:
    """Read `0..180deg`: a unit behind the second end stands for both."""
    low, dots, high = text.partition("..")
    if not dots:
        raise WrongError(place, found=text, expected="two ends: 0..180deg")
    _, second = number_with_unit(high, place)
    number, first = number_with_unit(low, place)
    ends = parse(f"{number} {first or second}" if first or second else low, unit, place), parse(high, unit, place)
    if ends[0] == ends[1]:
        raise WrongError(place, found=text, expected="two different ends")
    return ends


def _pulse(given: Given) -> Reckoned:
    angle = quantity(given["angle"], "deg", "pulse.angle")
    low, high = _span("pulse.range", given.get("range", "0..180deg"), "deg")
    shortest, longest = _span("pulse.pulse", given.get("pulse", "544us..2400us"), "us")
    rate = quantity(given.get("rate", "50Hz"), "Hz", "pulse.rate")
    if not rate > 0:
        raise WrongError("pulse.rate", found=given["rate"], expected="more than 0 Hz")
    bits = whole("pulse.bits", given.get("bits", "14"), 1, 32)
    width = shortest + (angle - low) / (high - low) * (longest - shortest)
    period = 1e6 / rate
    share = width / period
    counts = round(share * (1 << bits))
    problems = []
    if not min(low, high) <= angle <= max(low, high):
        problems.append(f"angle: found {show(angle, 'deg')}, expected {show(low, 'deg')} to {show(high, 'deg')}")
    if not 0 <= share <= 1:
        problems.append(f"pulse: {width:.1f} µs do not fit into a period of {period:.1f} µs")
    way = f"{width:.1f} µs of {period:.0f} µs: {100 * share:.3f} %, {counts} of {1 << bits}"
    return Reckoned({"us": round(width, 3), "duty": round(100 * share, 4), "counts": counts}, way, tuple(problems))


def _lamp(given: Given) -> Reckoned:
    supply, drop = quantity(given["supply"], "V", "lamp.supply"), quantity(given["drop"], "V", "lamp.drop")
    current = quantity(given["current"], "A", "lamp.current")
    if not current > 0:
        raise WrongError("lamp.current", found=given["current"], expected="more than 0 A")
    if drop < 0:
        raise WrongError("lamp.drop", found=given["drop"], expected="0 V and more")
    if supply <= drop:
        problem = f"supply: {show(supply, 'V')} is not more than the {show(drop, 'V')} that the lamp takes"
        return Reckoned({"ohm": None, "next_ohm": None, "current": None, "power": None}, "", (problem,))
    ohm = (supply - drop) / current
    chosen = next_e24(ohm)
    flows = (supply - drop) / chosen
    power = flows * flows * chosen
    way = (
        f"({show(supply, 'V')} − {show(drop, 'V')}) / {show(1000 * current, 'mA')} = {ohm:.1f} Ω; the next of E24 is "
        f"{show(chosen, 'Ω')}: {show(1000 * flows, 'mA')}, {show(1000 * power, 'mW')} in it"
    )
    values = {"ohm": round(ohm, 3), "next_ohm": chosen, "current": round(flows, 6), "power": round(power, 6)}
    return Reckoned(values, way)


def next_e24(ohm: float) -> float:
    """The least preferred value of E24 that is not below `ohm`."""
    decade = 0
    while E24[-1] * 10.0**decade < ohm:
        decade += 1
    while decade > -6 and E24[-1] * 10.0 ** (decade - 1) >= ohm:
        decade -= 1
    return next(round(value * 10.0**decade, 9) for value in E24 if value * 10.0**decade >= ohm * (1 - 1e-9))


SUMS = {
    "pulse": Sum(
        ("angle", "range", "pulse", "rate", "bits"), ("angle",),
        "a servo's pulse: angle=105deg [range=0..180deg] [pulse=544us..2400us] [rate=50Hz] [bits=14]", _pulse,
    ),
    "lamp": Sum(
        ("supply", "drop", "current"), ("supply", "drop", "current"),
        "the resistor of a lamp: supply=5V drop=2.1V current=15mA", _lamp,
    ),
}  # fmt: skip
