"""Steppers, as a board drives them over Firmata: it counts their steps, and tells when they have arrived.

What the protocol leaves open is done as most firmwares do: until a speed is set it is one step a second; without an
acceleration a stepper has its speed at once. A group goes at steady speeds, so that all arrive together.
Source: protocol description, "AccelStepper".
"""

from __future__ import annotations

from functools import partial
from math import inf

import msgspec

from cavet.boards._circuit import PinRefusedError
from cavet.boards._pins import PinMode
from cavet.boards._travel import Travel, stop, travel
from cavet.boards.firmware.firmata._feature import Feature, Handler
from cavet.protocols import Message, firmata

FIRST_SPEED = 1.0
"""Steps a second, before any speed is set."""
MOTOR_PINS = {
    firmata.StepperInterface.DRIVER: 2,
    firmata.StepperInterface.TWO_WIRE: 2,
    firmata.StepperInterface.THREE_WIRE: 3,
    firmata.StepperInterface.FOUR_WIRE: 4,
}
SHARES = {0: 1.0, 1: 0.5, 2: 0.25}
"""How much of a full step one step is, by the middle bits of the interface."""
INVERTS_ENABLE = 0x10


class _Stepper(msgspec.Struct):
    """One of them: its pins, and the count of its steps since it was last set to 0."""

    pins: list[int]
    share: float
    enable: int | None
    enable_low: bool
    way: Travel = Travel(0.0)
    speed: float = FIRST_SPEED
    acceleration: float = 0.0
    cause: int | None = None
    goes: bool = False
    group: int | None = None
    """The group that it goes with just now."""


class FirmataSteppers(Feature):
    """The steppers' part of the firmware."""

    @property
    def handlers(self) -> dict[type[Message], Handler]:
        return {
            firmata.StepperConfig: self._configure,
            firmata.StepperZero: self._zero,
            firmata.StepperStep: self._step,
            firmata.StepperTo: self._go_to,
            firmata.StepperEnable: self._enable,
            firmata.StepperStop: self._stop,
            firmata.StepperReportPosition: self._report,
            firmata.StepperSetAcceleration: self._set_acceleration,
            firmata.StepperSetSpeed: self._set_speed,
            firmata.SteppersConfig: self._configure_group,
            firmata.SteppersTo: self._group_to,
            firmata.SteppersStop: self._stop_group,
        }

    def forget(self, now: float) -> None:
        self._steppers: dict[int, _Stepper] = {}
        self._groups: dict[int, list[int]] = {}

    def _configure(self, message: firmata.StepperConfig, now: float, cause: int) -> None:
        wires, step, has_enable = message.interface >> 4, message.interface >> 1 & 7, message.interface & 1
        count = MOTOR_PINS.get(wires)  # type: ignore[call-overload]
        if count is None or step not in SHARES:
            expected = "its upper three bits 1 to 4, the three below them 0 to 2"
            raise PinRefusedError(f"stepper {message.device}: interface {message.interface:02X}, expected {expected}")
        named = count + has_enable
        if len(message.pins) not in (named, named + 1):
            found = f"{len(message.pins)} bytes behind its interface {message.interface:02X}"
            raise PinRefusedError(f"stepper {message.device}: {found}, expected {named} pins, and which are inverted")
        pins = list(message.pins[:count])
        enable = message.pins[count] if has_enable else None
        inverted = message.pins[named] if len(message.pins) > named else 0
        if len(set(message.pins[:named])) < named:
            raise PinRefusedError(f"stepper {message.device}: the same pin twice")
        for number, other in self._steppers.items():
            if number != message.device and set(pins) & set(other.pins):
                raise PinRefusedError(f"stepper {message.device}: stepper {number} is on these pins")
        for pin in pins:
            self._circuit.set_mode(pin, PinMode.STEPPER, now, cause)
        made = _Stepper(pins, SHARES[step], enable, bool(inverted & INVERTS_ENABLE))
        if enable is not None:
            self._circuit.set_mode(enable, PinMode.OUTPUT, now, cause)
            self._circuit.write_level(enable, not made.enable_low, now, cause)
        self._steppers[message.device] = made

    def _of(self, device: int) -> _Stepper:
        found = self._steppers.get(device)
        if found is None:
            raise PinRefusedError(f"stepper {device} is not configured")
        return found

    # going

    def _zero(self, message: firmata.StepperZero, now: float, cause: int) -> None:
        stepper = self._of(message.device)
        if stepper.goes:
            raise PinRefusedError(f"stepper {message.device} is on its way: it can't be set to 0 before it stands")
        stepper.way = Travel(0.0)

    def _step(self, message: firmata.StepperStep, now: float, cause: int) -> None:
        stepper = self._of(message.device)
        self._go(stepper, round(stepper.way.at(now)) + message.steps, now, cause)

    def _go_to(self, message: firmata.StepperTo, now: float, cause: int) -> None:
        self._go(self._of(message.device), message.position, now, cause)

    def _go(self, stepper: _Stepper, target: int, now: float, cause: int) -> None:
        way = stepper.way
        lay = partial(travel, way.at(now), way.speed_at(now), float(target), now)
        stepper.group = None
        self._send(stepper, lay(top=stepper.speed, acceleration=stepper.acceleration), now, cause)

    def _send(self, stepper: _Stepper, way: Travel, now: float, cause: int) -> None:
        self._circuit.write_steps(stepper.pins, way, stepper.share, now, cause)
        stepper.way, stepper.goes, stepper.cause = way, True, cause

    def _enable(self, message: firmata.StepperEnable, now: float, cause: int) -> None:
        stepper = self._of(message.device)
        if stepper.enable is None:
            raise PinRefusedError(f"stepper {message.device} has no pin that enables it")
        self._circuit.write_level(stepper.enable, bool(message.value) != stepper.enable_low, now, cause)

    def _stop(self, message: firmata.StepperStop, now: float, cause: int) -> None:
        stepper = self._of(message.device)
        self._send(stepper, stop(stepper.way, now, stepper.acceleration), now, cause)

    def _report(self, message: firmata.StepperReportPosition, now: float, cause: int) -> None:
        place = round(self._of(message.device).way.at(now))
        self._say(firmata.StepperPosition(device=message.device, position=place), now, cause)

    def _set_acceleration(self, message: firmata.StepperSetAcceleration, now: float, cause: int) -> None:
        self._of(message.device).acceleration = abs(message.acceleration)

    def _set_speed(self, message: firmata.StepperSetSpeed, now: float, cause: int) -> None:
        stepper = self._of(message.device)
        if not message.speed:
            raise PinRefusedError(f"stepper {message.device}: a speed of 0 gets nowhere; stepper-stop stops it")
        stepper.speed = abs(message.speed)

    # groups

    def _configure_group(self, message: firmata.SteppersConfig, now: float, cause: int) -> None:
        for device in message.devices:
            self._of(device)
        if len(set(message.devices)) < len(message.devices):
            raise PinRefusedError(f"group {message.group}: the same stepper twice")
        self._groups[message.group] = list(message.devices)

    def _members(self, group: int) -> list[_Stepper]:
        if group not in self._groups:
            raise PinRefusedError(f"group {group} is not configured")
        return [self._of(device) for device in self._groups[group]]

    def _group_to(self, message: firmata.SteppersTo, now: float, cause: int) -> None:
        members = self._members(message.group)
        if len(message.positions) != len(members):
            found = f"{len(message.positions)} positions"
            raise PinRefusedError(f"group {message.group}: {found}, expected {len(members)}, one for each stepper")
        ways = [(each, round(each.way.at(now)), to) for each, to in zip(members, message.positions, strict=True)]
        longest = max(abs(to - here) / each.speed for each, here, to in ways)
        for each, here, to in ways:
            speed = abs(to - here) / longest if longest else each.speed
            each.group = message.group
            self._send(each, travel(here, 0.0, to, now, top=speed or each.speed, acceleration=0.0), now, cause)

    def _stop_group(self, message: firmata.SteppersStop, now: float, cause: int) -> None:
        for each in self._members(message.group):
            each.group = message.group
            self._send(each, stop(each.way, now, 0.0), now, cause)

    def advance(self, now: float) -> float:
        """Tell who has arrived."""
        due = inf
        for device, stepper in self._steppers.items():
            if not stepper.goes:
                continue
            if now < stepper.way.arrives:
                due = min(due, stepper.way.arrives)
                continue
            stepper.goes = False
            if stepper.group is None:
                arrived = firmata.StepperMoveComplete(device=device, position=round(stepper.way.target))
                self._say(arrived, now, stepper.cause)
            elif not any(each.goes and each.group == stepper.group for each in self._steppers.values()):
                self._say(firmata.SteppersMoveComplete(group=stepper.group), now, stepper.cause)
        return due
