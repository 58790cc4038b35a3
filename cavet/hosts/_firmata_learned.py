"""What a board that speaks Firmata has told of itself, and what follows from that for points."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from cavet.hosts._point import ENCODER, STEPPER, PointKind
from cavet.hosts._points import PinPoint
from cavet.protocols import firmata
from cavet.wording import listed

MODES = {
    "input": firmata.Mode.INPUT,
    "pull-up": firmata.Mode.PULLUP,
    "output": firmata.Mode.OUTPUT,
    "pwm": firmata.Mode.PWM,
    "servo": firmata.Mode.SERVO,
    "analog": firmata.Mode.ANALOG,
    "stepper": firmata.Mode.STEPPER,
    "encoder": firmata.Mode.ENCODER,
}
WORDS: dict[int, str] = {number: mode for mode, number in MODES.items()}
LAST_CHANNEL = 15
"""The last analog channel that can be reported."""


class Modes:
    """In which modes the pins of points are set, so that it is seen where one has got into another."""

    def __init__(self, points: Iterable[PinPoint]) -> None:
        steady = [point for point in points if point.mode not in (STEPPER, ENCODER)]
        self._set = {pin: mode for point in steady for pin, mode in point.modes().items()}

    def set_again(self, pin: int) -> firmata.SetPinMode:
        """What brings a pin back into its mode."""
        return firmata.SetPinMode(pin=pin, mode=MODES[self._set[pin]])

    def problem(self, pin: int, found: int) -> str:
        """What is wrong with the mode that a pin is told to be in; "" for nothing."""
        wanted = self._set.get(pin)
        if wanted is None or MODES[wanted] == found:
            return ""
        return f"pin {pin} is in mode {WORDS.get(found, str(found))}, not {wanted}"


class Learned(msgspec.Struct):
    """What the board has told of itself."""

    version: tuple[int, int] | None = None
    name: str = ""
    abilities: list[dict[int, int]] | None = None
    channels: bytes | None = None
    states: dict[int, tuple[int, int]] = {}
    """For each pin the mode and the state in which it was found."""
    told: dict[int, int | None] = {}
    """By which event each of them was told."""
    said_before: tuple[list[dict[int, int]], bytes] | None = None
    """What it said of its pins when it was asked before, where that is asked once more."""
    doubts: int = 0
    """How often it has said of them what points can't work by, each time something else."""

    def take_abilities(self, told: firmata.CapabilityResponse, pins: Iterable[int]) -> None:
        """What its pins can do, as it tells. One of the `pins` that it has not got will never tell its state."""
        self.abilities = [{ability.mode: ability.resolution for ability in pin} for pin in told.pins]
        for pin in pins:
            if pin >= len(self.abilities):
                self.states.setdefault(pin, (0, 0))

    def is_sure(self, points: Iterable[PinPoint], most: int) -> bool:
        """Whether no more is to be asked about its pins. Where points can't work by what it has said, it has to be said
        twice, for what a line has lost has no check in Firmata; or something else each time, so often at most."""
        assert self.abilities is not None and self.channels is not None  # the caller has looked
        said = self.abilities, self.channels
        if said == self.said_before or not any(self.refusal(point) for point in points):
            self.doubts = 0
            return True
        self.said_before = said
        self.doubts += 1
        if self.doubts > most:
            return True
        self.abilities = self.channels = None
        return False

    def refusal(self, point: PinPoint) -> str:
        """Say why a point can't work on this board, and which pins would do; "" when it can."""
        words = self._refusal(point)
        return f"{words}; asked again it says something else: the line loses bytes" if words and self.doubts else words

    def _refusal(self, point: PinPoint) -> str:
        abilities = self.abilities or []
        for pin, mode in point.modes().items():
            if pin >= len(abilities):
                return f"there is no pin {pin} on this board: it has 0 to {len(abilities) - 1}"
            if MODES[mode] not in abilities[pin]:
                able = [number for number, modes in enumerate(abilities) if MODES[mode] in modes]
                return f"pin {pin} has no {mode} on this board; {mode} is on {listed(able, 'and') or 'no pin'}"
        if point.kind is PointKind.READING and point.mode != ENCODER and self.channel(point.pin) is None:
            return f"pin {point.pin} has no analog channel on this board"
        return ""

    def channel(self, pin: int) -> int | None:
        """The analog channel of a pin, by which it can be reported."""
        channels = self.channels or b""
        return channels[pin] if pin < len(channels) and channels[pin] <= LAST_CHANNEL else None
