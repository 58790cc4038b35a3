"""What a board that speaks Firmata has told of itself, and what follows from that for points."""

from __future__ import annotations

import msgspec

from cavet.hosts._point import ENCODER, PointKind
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
LAST_CHANNEL = 15
"""The last analog channel that can be reported."""


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

    def refusal(self, point: PinPoint) -> str:
        """Say why a point can't work on this board, and which pins would do; "" when it can."""
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
