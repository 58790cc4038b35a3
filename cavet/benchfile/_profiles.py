"""From the tables of profiles to what kinds of board there are."""

from __future__ import annotations

import tomllib
from importlib import resources
from importlib.resources.abc import Traversable

from cavet.benchfile._check import Checker
from cavet.benchfile._numbers import numbers
from cavet.benchfile._places import Path
from cavet.benchfile._schema_truth import ProfileTable
from cavet.boards import PinMode, PinProfile, Profile
from cavet.settings import made
from cavet.wording import unknown

SERVO_BITS = 14
STEP_BITS, COUNT_BITS = 21, 28
FIRST_PORT = 1
"""The number of the first serial port that is free: port 0 is the link's."""
LISTS = (
    "input", "output", "pull_up", "pwm", "servo", "bus", "analog", "dac", "lines", "stepper", "encoder", "onewire",
    "serial",
)  # fmt: skip
"""The keys that are lists of pins."""


def _folder() -> Traversable:
    return resources.files("cavet.benchfile").joinpath("profiles")


def shipped_profiles() -> list[str]:
    """The names of the profiles that ship."""
    names = (entry.name for entry in _folder().iterdir())
    return sorted(name.removesuffix(".toml") for name in names if name.endswith(".toml"))


def find_profile(name: str) -> Profile:
    """Give a profile that ships. Raises `WrongError` where there is none of this name."""
    known = shipped_profiles()
    if name not in known:
        raise unknown("profile", name, known)
    found = ProfileReader(Checker(f"{name}.toml", "")).find((), name, {})
    assert found is not None  # it was made with the program
    return found


class ProfileReader:
    """Reads profiles, the user's own and those that ship; what is wrong stands in the checker's errors."""

    def __init__(self, checker: Checker) -> None:
        self._checker = checker

    def find(self, path: Path, name: str, own: dict[str, Profile]) -> Profile | None:
        """The profile of a name; `None` where there is none."""
        if name in own:
            return own[name]
        if not self._checker.one_of(path, name, sorted([*shipped_profiles(), *own]), "a profile"):
            return None
        text = _folder().joinpath(f"{name}.toml").read_text("utf-8")
        table = self._checker.read(tomllib.loads(text), ProfileTable, ("profiles", name))
        return self.read(name, table) if table is not None else None

    def read(self, name: str, table: ProfileTable) -> Profile:
        """Read one profile."""
        path: Path = ("profiles", name)
        pins = self._pin_list((*path, "pins"), table.pins)
        lists = {key: self._pin_list((*path, key), getattr(table, key), pins) for key in LISTS}
        bits = {
            "input": (PinMode.INPUT, 1), "pull_up": (PinMode.PULL_UP, 1), "output": (PinMode.OUTPUT, 1),
            "pwm": (PinMode.PWM, 8), "servo": (PinMode.SERVO, SERVO_BITS), "bus": (PinMode.BUS, 1),
            "analog": (PinMode.ANALOG, table.analog_bits), "dac": (PinMode.DAC, table.dac_bits),
            "stepper": (PinMode.STEPPER, STEP_BITS), "encoder": (PinMode.ENCODER, COUNT_BITS),
            "onewire": (PinMode.ONEWIRE, 1),
        }  # fmt: skip
        there = {}
        for pin in pins:
            channel = lists["analog"].index(pin) if pin in lists["analog"] else None
            modes = {mode: width for key, (mode, width) in bits.items() if pin in lists[key]}
            if pin in lists["serial"]:
                modes[PinMode.SERIAL] = FIRST_PORT * 2 + lists["serial"].index(pin)
            there[pin] = PinProfile(
                number=pin,
                label=_label(pin, channel, lists["lines"]),
                modes=modes,
                channel=channel,
                reserved=str(table.reserved.get(str(pin), "")),
            )
        return made(Profile, table, name=name, pins=there, keeps_lines=table.released == "kept")

    def _pin_list(self, path: Path, text: str, within: list[int] | None = None) -> list[int]:
        pins = list(numbers(self._checker, path, text))
        wrong = [pin for pin in pins if pin > 127 or (within is not None and pin not in within)]
        if wrong:
            expected = f"pins of {within[0]} to {within[-1]}" if within else "pins of 0 to 127"
            self._checker.wrong(path, found=wrong[0], expected=expected)
        return [pin for pin in pins if pin not in wrong]


def _label(pin: int, channel: int | None, lines: list[int]) -> str:
    """A pin's other name: its analog channel, or its line where pins are numbered by position."""
    if pin in lines:
        return f"L{lines.index(pin)}"
    return f"A{channel}" if channel is not None else ""
