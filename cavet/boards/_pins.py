"""Pins: their modes, what was written to them, and what their line carries."""

from __future__ import annotations

from enum import Enum

import msgspec

from cavet.boards._travel import Travel
from cavet.units import show, show_share
from cavet.wording import counted

FULL_DUTY = 255
"""A pin that is always on, as its duty is counted."""
DRIVING = ("output", "pwm", "servo", "dac", "stepper", "tone")
READING = ("input", "pull-up", "encoder")


class PinMode(Enum):
    """What a pin can be set to; whether it drives its line then, or reads its level."""

    word: str
    drives: bool
    reads: bool

    INPUT = "input"
    PULL_UP = "pull-up"
    OUTPUT = "output"
    PWM = "pwm"
    SERVO = "servo"
    ANALOG = "analog"
    BUS = "bus"
    DAC = "dac"
    STEPPER = "stepper"
    ENCODER = "encoder"
    ONEWIRE = "onewire"
    SERIAL = "serial"
    TONE = "tone"

    def __init__(self, word: str) -> None:
        self.word = word
        self.drives = word in DRIVING
        self.reads = word in READING


SWITCHING = (PinMode.OUTPUT, PinMode.PWM, PinMode.DAC)
"""The modes in which a pin switches what hangs on it, more or less."""


class Stepping(msgspec.Struct, frozen=True):
    """The pulses on one of a stepper's pins: how its count goes, which of its wires the pin is meant to be, and how
    much of a full step one of the count is."""

    travel: Travel
    wire: int
    share: float = 1.0


class Pin(msgspec.Struct):
    """A pin as it stands. `value` is what was last written to it, as it was written: 0 or 1, a duty of 0 to 255, a
    converter's counts, for a servo an angle or a pulse in µs, a tone's hertz; `pulse_us` is a servo's pulse.

    `cause` is the event that set it last. The line of a dead pin does not follow.
    """

    number: int
    mode: PinMode = PinMode.INPUT
    value: int = 0
    pulse_us: int = 0
    text: str = ""
    """What was last written to it as text, where its line carries that."""
    stepping: Stepping | None = None
    """The pulses that a stepper's pin gives."""
    cause: int | None = None
    dead: bool = False
    inverted: bool = False
    """Whether what hangs on it is on while its line is low."""
    level: bool = False
    """For an input: the level it reads."""
    pwm_rate: float = 490.0
    """How many times a second its PWM swings, in Hz."""
    full: int = 1
    """For a converter that gives a voltage: its greatest count."""

    @property
    def duty(self) -> float:
        """The share of the time during which what hangs on it is on, 0 to 1; of the full voltage for a converter."""
        return 1.0 - self.line if self.inverted and self.mode in SWITCHING else self.line

    @property
    def line(self) -> float:
        """The share of the time during which the line is high, 0 to 1; of the full voltage for a converter."""
        if self.dead:
            return 0.0
        if self.mode is PinMode.OUTPUT:
            return float(self.value != 0)
        if self.mode is PinMode.DAC:
            return self.value / self.full
        if self.mode is PinMode.TONE:
            return 0.5 if self.value else 0.0
        return self.value / FULL_DUTY if self.mode is PinMode.PWM else 0.0

    @property
    def frequency(self) -> float:
        """How many times a second its line swings, in Hz; 0 for a steady level."""
        if self.dead:
            return 0.0
        if self.mode is PinMode.TONE:
            return float(self.value)
        return self.pwm_rate if self.mode is PinMode.PWM and 0 < self.value < FULL_DUTY else 0.0

    @property
    def pulse(self) -> float:
        """The width of its servo pulses in seconds, 0 while it gives none."""
        return self.pulse_us / 1e6 if self.mode is PinMode.SERVO and not self.dead else 0.0


def unswitchable(pin: Pin) -> str:
    """Why a rule of the board's own can't switch a pin, in words."""
    return f"pin {pin.number} is in mode {pin.mode.value}: it can't be switched on and off"


def driven_words(note: str, value: object) -> str:
    """To what a pin was driven, in words. `note` is the mode that it is in, or what was done to it, as the record has
    it."""
    if isinstance(value, str) and note == "mode":
        return f"now {value}"
    if not isinstance(value, int):
        return note
    if note == PinMode.OUTPUT.value:
        return "output high" if value else "output low"
    if note == PinMode.PWM.value:
        return f"pwm {show_share(value / FULL_DUTY)}"
    if note == PinMode.DAC.value:
        return f"dac, {counted(value, 'count')}"
    return f"tone {show(value, 'Hz')}" if note == PinMode.TONE.value else note
