"""A point's value at its pins: the number for each, the message that says it, and what the numbers stand for."""

from __future__ import annotations

from collections.abc import Mapping

from cavet.colours import FULL, channels_of, colour_of
from cavet.hosts._point import SERVO, Asked, PointKind
from cavet.hosts._points import PinPoint
from cavet.protocols import Message, firmata

LAST_SHORT_PIN = 15
"""The last pin that an analog message can address; beyond it the extended one is used."""


def numbers_for(point: PinPoint, value: Asked) -> dict[int, int]:
    """The number for each of a point's pins, a colour's three; for a bridge the direction's lines come before the
    power."""
    if point.green is not None and point.blue is not None:
        return dict(zip((point.pin, point.green, point.blue), channels_of(str(value)), strict=True))
    power = int(point.to_wire(value))
    if point.kind is not PointKind.BRIDGE or point.ahead is None or point.astern is None:
        return {point.pin: power}
    return {point.ahead: int(float(value) > 0), point.astern: int(float(value) < 0), point.pin: power}


def message_for(point: PinPoint, pin: int, number: int) -> Message:
    """What brings one of its pins to a number."""
    if point.modes()[pin] == "output":
        return firmata.SetDigitalPinValue(pin=pin, value=number)
    if pin > LAST_SHORT_PIN:
        return firmata.ExtendedAnalog(pin=pin, value=number)
    return firmata.AnalogMessage(pin=pin, value=number)


def value_of(point: PinPoint, states: Mapping[int, int], sent: Mapping[int, int]) -> Asked | None:
    """The value of an output whose pins are in these states, where these numbers were sent to them; `None` where that
    can't be said."""
    number: float = states[point.pin]
    if point.green is not None and point.blue is not None:
        return colour_of(*(min(FULL, states[pin]) for pin in (point.pin, point.green, point.blue)))
    if point.kind is PointKind.BRIDGE and point.astern is not None and states[point.astern]:
        number = -number
    if point.mode == SERVO and number == 0 and sent.get(point.pin) != 0:
        return None  # it was sent nowhere yet and gives no pulses, so it stands where it was left
    return point.from_wire(number)
