"""Steppers with acceleration, alone and in groups. Source: protocol description 2.7, "AccelStepper"."""

from __future__ import annotations

from enum import IntEnum
from typing import Annotated

from cavet.protocols._message import Range
from cavet.protocols.firmata._messages import SysexMessage
from cavet.protocols.firmata._packed import Decimal, Part, SignedNumber, SignedNumbers
from cavet.protocols.firmata._pieces import Number, Rest

STEPPER = 0x62

Seven = Annotated[int, Range(0, 127)]
MAX_STEPS = (1 << 31) - 1


class StepperMessage(SysexMessage, frozen=True, kw_only=True):
    """A message about steppers with acceleration."""

    COMMAND = STEPPER


class StepperInterface(IntEnum):
    """How a stepper's driver is wired: the upper three bits of the interface byte."""

    DRIVER = 1
    TWO_WIRE = 2
    THREE_WIRE = 3
    FOUR_WIRE = 4


class StepperConfig(StepperMessage, frozen=True, kw_only=True):
    """Put a stepper on its pins: two to four, then one that enables it, then which are inverted, if any."""

    NAME = "stepper-config"
    LAYOUT = (Part(0x00), Number("device"), Number("interface"), Rest("pins"))
    device: Annotated[int, Range(0, 9)]
    interface: Seven
    pins: Annotated[bytes, Range(2, 6)]


class StepperZero(StepperMessage, frozen=True, kw_only=True):
    """Where it stands is 0 from now on."""

    NAME = "stepper-zero"
    LAYOUT = (Part(0x01), Number("device"))
    device: Annotated[int, Range(0, 9)]


class StepperStep(StepperMessage, frozen=True, kw_only=True):
    """Go so many steps, from where it stands."""

    NAME = "stepper-step"
    LAYOUT = (Part(0x02), Number("device"), SignedNumber("steps"))
    device: Annotated[int, Range(0, 9)]
    steps: Annotated[int, Range(-MAX_STEPS, MAX_STEPS)]


class StepperTo(StepperMessage, frozen=True, kw_only=True):
    """Go to a position."""

    NAME = "stepper-to"
    LAYOUT = (Part(0x03), Number("device"), SignedNumber("position"))
    device: Annotated[int, Range(0, 9)]
    position: Annotated[int, Range(-MAX_STEPS, MAX_STEPS)]


class StepperEnable(StepperMessage, frozen=True, kw_only=True):
    """Switch a stepper's driver on or off."""

    NAME = "stepper-enable"
    LAYOUT = (Part(0x04), Number("device"), Number("value"))
    device: Annotated[int, Range(0, 9)]
    value: Annotated[int, Range(0, 1)]


class StepperStop(StepperMessage, frozen=True, kw_only=True):
    """Stop."""

    NAME = "stepper-stop"
    LAYOUT = (Part(0x05), Number("device"))
    device: Annotated[int, Range(0, 9)]


class StepperReportPosition(StepperMessage, frozen=True, kw_only=True):
    """Ask where a stepper stands."""

    NAME = "stepper-report-position"
    LAYOUT = (Part(0x06), Number("device"))
    device: Annotated[int, Range(0, 9)]


class StepperPosition(StepperMessage, frozen=True, kw_only=True):
    """Where a stepper stands."""

    NAME = "stepper-position"
    LAYOUT = (Part(0x06), Number("device"), SignedNumber("position"))
    device: Annotated[int, Range(0, 9)]
    position: Annotated[int, Range(-MAX_STEPS, MAX_STEPS)]


class StepperSetAcceleration(StepperMessage, frozen=True, kw_only=True):
    """How fast it gains speed, in steps a second, each second; 0 for at once."""

    NAME = "stepper-set-acceleration"
    LAYOUT = (Part(0x08), Number("device"), Decimal("acceleration"))
    device: Annotated[int, Range(0, 9)]
    acceleration: Annotated[float, Decimal.written()]


class StepperSetSpeed(StepperMessage, frozen=True, kw_only=True):
    """How fast it goes, in steps a second."""

    NAME = "stepper-set-speed"
    LAYOUT = (Part(0x09), Number("device"), Decimal("speed"))
    device: Annotated[int, Range(0, 9)]
    speed: Annotated[float, Decimal.written()]


class StepperMoveComplete(StepperMessage, frozen=True, kw_only=True):
    """It has arrived, or was stopped: where it stands."""

    NAME = "stepper-move-complete"
    LAYOUT = (Part(0x0A), Number("device"), SignedNumber("position"))
    device: Annotated[int, Range(0, 9)]
    position: Annotated[int, Range(-MAX_STEPS, MAX_STEPS)]


Group = Annotated[int, Range(0, 4)]


class SteppersConfig(StepperMessage, frozen=True, kw_only=True):
    """Make a group of steppers that go together: their numbers."""

    NAME = "steppers-config"
    LAYOUT = (Part(0x20), Number("group"), Rest("devices"))
    group: Group
    devices: Annotated[bytes, Range(1, 10)]


class SteppersTo(StepperMessage, frozen=True, kw_only=True):
    """Let a group go, each of it to its position, so that all arrive together."""

    NAME = "steppers-to"
    LAYOUT = (Part(0x21), Number("group"), SignedNumbers("positions"))
    group: Group
    positions: Annotated[tuple[int, ...], SignedNumbers.written()]


class SteppersStop(StepperMessage, frozen=True, kw_only=True):
    """Stop a group."""

    NAME = "steppers-stop"
    LAYOUT = (Part(0x23), Number("group"))
    group: Group


class SteppersMoveComplete(StepperMessage, frozen=True, kw_only=True):
    """A group has arrived, or was stopped."""

    NAME = "steppers-move-complete"
    LAYOUT = (Part(0x24), Number("group"))
    group: Group
