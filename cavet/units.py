"""Quantities: the one parser and the one printer for numbers with units.

What a person typed is converted here, once, into a float in the unit that the place wants; inside there are only
floats in units that the names tell.
"""

from __future__ import annotations

import math
import re

from cavet.wording import WrongError, digits, listed, nearest, plain

DIMENSIONS: dict[str, dict[str, float]] = {
    "ratio": {"": 1.0, "%": 0.01},
    "time": {"s": 1.0, "ms": 1e-3, "us": 1e-6, "µs": 1e-6, "ns": 1e-9, "min": 60.0, "h": 3600.0},
    "length": {"mm": 1e-3, "cm": 1e-2, "m": 1.0, "µm": 1e-6, "um": 1e-6},
    "angle": {"deg": 1.0, "°": 1.0, "rad": 180 / math.pi, "turn": 360.0},
    "voltage": {"V": 1.0, "mV": 1e-3, "kV": 1e3, "µV": 1e-6, "uV": 1e-6},
    "current": {"A": 1.0, "mA": 1e-3, "µA": 1e-6, "uA": 1e-6},
    "frequency": {"Hz": 1.0, "kHz": 1e3, "MHz": 1e6},
    "resistance": {"Ohm": 1.0, "ohm": 1.0, "Ω": 1.0, "kOhm": 1e3, "kohm": 1e3, "kΩ": 1e3, "MΩ": 1e6, "MOhm": 1e6},
    "charge": {"Ah": 1.0, "mAh": 1e-3},
    "capacitance": {"F": 1.0, "µF": 1e-6, "uF": 1e-6, "nF": 1e-9, "pF": 1e-12},
    "power": {"W": 1.0, "mW": 1e-3, "kW": 1e3},
    "energy": {"J": 1.0, "kJ": 1e3, "Wh": 3600.0, "kWh": 3.6e6},
    "mass": {"g": 1.0, "mg": 1e-3, "kg": 1e3, "t": 1e6},
    "force": {"N": 1.0, "mN": 1e-3, "kN": 1e3},
    "torque": {"Nm": 1.0, "mNm": 1e-3},
    "pressure": {"Pa": 1.0, "hPa": 100.0, "mbar": 100.0, "kPa": 1e3, "bar": 1e5, "MPa": 1e6},
    "volume": {"l": 1.0, "ml": 1e-3, "m³": 1e3},
    "light": {"lx": 1.0, "klx": 1e3},
    "level of sound": {"dB": 1.0},
    "level of power": {"dBm": 1.0},
    "humidity": {"%RH": 1.0},
    "acidity": {"pH": 1.0},
    "acceleration": {"m/s²": 1.0},
    "field": {"T": 1.0, "mT": 1e-3, "µT": 1e-6},
    "conductivity": {"S/m": 1.0, "mS/cm": 0.1, "µS/cm": 1e-4},
    "share of a million": {"ppm": 1.0, "ppb": 1e-3},
    "temperature": {"°C": 1.0, "degC": 1.0},
    "absolute temperature": {"K": 1.0, "mK": 1e-3},
    "flow": {"l/min": 1.0, "l/s": 60.0, "l/h": 1 / 60, "m³/h": 1000 / 60},
    "speed": {"mm/s": 1.0, "m/s": 1e3},
    "turning": {"deg/s": 1.0, "°/s": 1.0, "rpm": 6.0},
    "bit rate": {"Bd": 1.0, "baud": 1.0, "kBd": 1e3},
    "size": {"byte": 1.0, "bytes": 1.0, "kB": 1000.0, "MB": 1e6},
    "count": {"px": 1.0, "step": 1.0, "steps": 1.0, "count": 1.0, "counts": 1.0, "pulses": 1.0},
}
"""Every unit that Cavet knows, by dimension, with its factor to that dimension's first unit of factor 1."""

_DIMENSION_OF = {unit: name for name, units in DIMENSIONS.items() for unit in units}

_SUFFIXES = {"CEL": "degC", "PCT": "%", "HR": "h", "H": "H"}
"""Units that SCPI writes in its own way; its H is the henry, and no hour. Source: IEEE 488.2, table 7-1."""

_NUMBER = re.compile(
    r"""\s*(?P<sign>[+\-−]?)\s*
    (?P<digits>\d{1,3}(?:[ \u00a0\u202f]\d{3})+(?!\d)|\d+)?
    (?P<fraction>\.\d*)?
    (?P<exponent>[eE][+\-]?\d{1,3})?""",
    re.VERBOSE,
)

_WHOLE = re.compile(r"[+-]?(?:0[xX][0-9a-fA-F]+|0[bB][01]+|[0-9]+)")

ON_WORDS = {"on": True, "off": False}
OWN_WORDS = ("off", "on")
"""What the two values of a switch are called that has no words of its own."""
MOST_PLACES, MOST_WITH_STEP = 12, 2
"""So many places behind the point are printed, at most; and where a coarse step is given."""
MOST_WORD = 40
"""So long is what a value of a switch is called, at most."""


def whole_number(text: str) -> int:
    """A whole number as it is written: decimal, 0x hex or 0b binary, with or without a sign, in ASCII; with white space
    around it, as in lists. Raises `ValueError`."""
    word = text.strip()
    if _WHOLE.fullmatch(word) is None:
        raise ValueError(text)
    return int(word, 10 if word.lstrip("+-").isdecimal() else 0)


def known(unit: str) -> bool:
    """Whether `unit` is one that Cavet can convert."""
    return unit in _DIMENSION_OF


def are_alike(unit: str, other: str) -> bool:
    """Whether two units that Cavet knows are of one dimension."""
    return known(unit) and known(other) and _DIMENSION_OF[unit] == _DIMENSION_OF[other]


def spelled(unit: str) -> str:
    """A unit as Cavet writes it, where it is written as SCPI does: `HZ` is Hz, `PCT` is %. Else as it was."""
    if known(unit):
        return unit
    return _SUFFIXES.get(unit) or next((own for own in _DIMENSION_OF if own and own.upper() == unit), unit)


def parse(text: str, unit: str, place: str = "") -> float:
    """Read `text` as a number in `unit`: `250 ms` for `s` gives 0.25; a bare number is in `unit` already.

    Raises `WrongError` when it is no number, its unit is unknown, or is not one of `unit`'s dimension.
    """
    number, found_unit = split(text, f"a number in {unit}" if unit else "a number", place)
    if not found_unit or found_unit == unit:
        return number
    return convert(number, found_unit, unit, place, text)


def finite(value: object, place: str, expected: str, least: float = -math.inf) -> float:
    """A number that a program gave: at least `least`. Raises `WrongError` for what is none, and for one without an
    end."""
    try:
        number = math.nan if isinstance(value, bytes | str | bool) else float(value)  # type: ignore[arg-type]
    except (TypeError, ValueError, OverflowError):
        number = math.nan
    if not math.isfinite(number) or number < least:
        raise WrongError(place, found=value, expected=expected)
    return number


def given(value: object, unit: str, place: str) -> float:
    """A number that a program gave in `unit`, or as a text that may have a unit of its own. Raises `WrongError`."""
    if isinstance(value, str):
        return parse(value, unit, place)
    return finite(value, place, f"a number in {unit}" if unit else "a number")


def split(text: str, expected: str, place: str = "") -> tuple[float, str]:
    """Take `text` apart into its number and its unit as written, "" where none was."""
    match = _NUMBER.match(text)
    assert match is not None  # every part of the pattern is optional
    if match["digits"] is None and (match["fraction"] or ".") == ".":
        raise WrongError(place, found=text, expected=expected)
    rest = text[match.end() :].strip()
    if rest[:1] == ",":
        raise WrongError(place, found=text, expected=f"{expected}, with a point before its decimals")
    digits = re.sub(r"\s", "", match["digits"] or "0")
    number = float(f"{digits}{match['fraction'] or ''}{match['exponent'] or ''}")
    if math.isinf(number):
        raise WrongError(place, found=text, expected=f"{expected} that is not so large")
    return (-number if match["sign"] in ("-", "−") else number), rest


def convert(number: float, unit: str, wanted: str, place: str = "", text: str = "") -> float:
    """Turn `number` from one unit into another of the same dimension."""
    wrong = text or f"{digits(number)} {unit}"
    if unit not in _DIMENSION_OF:
        close = nearest(unit, _DIMENSION_OF)
        raise WrongError(place, found=wrong, expected=_fitting(wanted), nearest=close)
    dimension = _DIMENSION_OF.get(wanted)
    if dimension is None or dimension != _DIMENSION_OF[unit]:
        raise WrongError(place, found=wrong, expected=_fitting(wanted))
    factors = DIMENSIONS[dimension]
    # one rounding to 15 digits: 12 500 mV is 12.5 V, not 12.500000000000002
    return float(f"{number * factors[unit] / factors[wanted]:.15g}")


def _fitting(wanted: str) -> str:
    dimension = _DIMENSION_OF.get(wanted)
    if dimension is None or wanted == "":
        return f"a number in {wanted}" if wanted else "a number without a unit, or in %"
    words = [unit for unit in DIMENSIONS[dimension] if unit]
    return f"a number in {listed(words)}"


def switched(word: str, words: tuple[str, str] = OWN_WORDS) -> bool | None:
    """What a word means, of a switch whose two values are called so; `on` and `off` mean what they do at any switch
    that calls nothing else so. `None` for what means nothing. Capitals are as good as small letters."""
    word, (off, on) = word.strip().casefold(), words
    meanings = {**ON_WORDS, off.casefold(): False, on.casefold(): True}
    return meanings.get(word)


def parse_switch(text: str, place: str = "", words: tuple[str, str] = OWN_WORDS) -> bool:
    """Read `on` or `off`, which is how a person writes a switch, or what its two values are called; `1` and `0` are
    understood."""
    word = text.strip().lower()
    found = switched(word, words)
    if found is not None:
        return found
    if word in ("1", "0", "true", "false"):
        return word in ("1", "true")
    off, on = words
    expected = "on or off" if words == OWN_WORDS else f"{off} or {on}"
    raise WrongError(place, found=text, expected=expected, nearest=nearest(word, {**ON_WORDS, off: False, on: True}))


def expected_words(words: tuple[str, str]) -> str:
    """What is expected of how the two values of a switch are called; "" where these words are as they should be."""
    off, on = (word.casefold() for word in words)
    if any(not word or word != word.strip() or not word.isprintable() for word in words):
        return "words that can be printed, without spaces around them"
    if max(map(len, words)) > MOST_WORD:
        return f"words of {MOST_WORD} characters at most"
    if off == on:
        return "two words that differ"
    if off in ("on", "true", "1") or on in ("off", "false", "0"):
        return "the word for off first, then the one for on"
    return ""


def show(value: float, unit: str = "", decimals: int | None = None, *, step: float | None = None) -> str:
    """Print a quantity: `1 212 mm`, `60 %`, `−0.02`. Thousands are parted by a space, the sign is a true minus. Without
    `decimals` it has three digits; of a small one two that tell; and with a `step` as many as tell two numbers apart
    that differ by that."""
    if decimals is None:
        decimals = _decimals(value) if step is None else max(min(_decimals(value), MOST_WITH_STEP), places(step))
    text = f"{abs(value):,.{decimals}f}".replace(",", " ")
    if decimals:
        text = text.rstrip("0").rstrip(".")
    sign = "−" if value < 0 and text.strip("0. ") else ""
    glue = "" if unit in ("°", "") else " "
    return f"{sign}{text}{glue}{plain(unit)}"


def show_steady(value: float, unit: str, decimals: int) -> str:
    """Print a quantity with so many places behind the point, so that it stands still where it changes: `2.50 V`. A
    small one has two digits that tell."""
    small = _decimals(value) if 0 < abs(value) < 0.1 else 0
    return f"{value:.{max(decimals, small)}f} {unit}"


def show_share(share: float) -> str:
    """Print a share: `60 %`. What is more than nothing is not 0 %."""
    return f"{100 * share:.0f} %" if not 0 < share < 0.005 else show(100 * share, "%")


def decimals_of(value: float, most: int = 9) -> int:
    """How many digits a number has behind its point, where at most so many of it count."""
    number, _, power = digits(value, most).partition("e")
    return min(MOST_PLACES, max(0, len(number.partition(".")[2]) - int(power or 0)))


def places(step: float) -> int:
    """How many places behind the point tell two numbers apart that differ by `step`."""
    return min(MOST_PLACES, max(0, math.ceil(-math.log10(step) - 1e-9))) if step > 0 else MOST_PLACES


def _decimals(value: float) -> int:
    size = abs(value)
    if size >= 100:
        return 0
    if size >= 10:
        return 1
    return 2 if size >= 0.1 or not size else min(MOST_PLACES, 1 - math.floor(math.log10(size)))


def show_duration(seconds: float) -> str:
    """Print a time in the unit that suits it: `640 µs`, `1.1 ms`, `270 ms`, `2.4 s`, `3 min 12 s`."""
    size = abs(seconds)
    if size < 0.9995e-3:
        return show(seconds * 1e6, "µs", 0)
    if size < 0.9995:
        return show(seconds * 1e3, "ms", 1 if size < 0.00995 else 0)
    if size < 99.95:
        return show(seconds, "s", 1)
    minutes, rest = divmod(round(size), 60)
    hours, minutes = divmod(minutes, 60)
    sign = "−" if seconds < 0 else ""
    return f"{sign}{hours} h {minutes} min" if hours else f"{sign}{minutes} min {rest} s"


def last_place(number: str) -> float:
    """What one more in the last place of a number in decimals is: 0.1 for `29.8`, 1 for `76`; 0 where it is none."""
    match = re.fullmatch(r"\s*[+-]?\d*\.?(\d*)(?:[eE]([+-]?\d{1,3}))?\s*", number, re.ASCII)
    if match is None or not any(letter.isdigit() for letter in number):
        return 0.0
    decimals = len(match[1]) if "." in number else 0
    return 10.0 ** (int(match[2] or 0) - decimals)


def show_clock(seconds: float) -> str:
    """Print bench time as a clock does: `00:03:12.4`."""
    tenths = int(seconds * 10)
    minutes, rest = divmod(tenths, 600)
    hours, minutes = divmod(minutes, 60)
    return f"{hours:02d}:{minutes:02d}:{rest // 10:02d}.{rest % 10}"
