"""A board's pins and what is wired to them: what its firmware works on."""

from __future__ import annotations

import random
from typing import NamedTuple

from cavet.boards._pins import FULL_DUTY, SWITCHING, Pin, PinMode, Stepping
from cavet.boards._profile import Profile
from cavet.boards._travel import Travel
from cavet.boards.buses import BusDevice, Expander, I2cBus, SpiChip
from cavet.boards.defects import Spoiled
from cavet.boards.parts import Part
from cavet.faults import note_fault
from cavet.record import Kind, Reason, Tell, Topic
from cavet.wording import listed


class PinRefusedError(Exception):
    """The firmware was asked for something that a pin can't do; the text says so, and what could."""


class _Drives(NamedTuple):
    """How a pin drives what hangs on it: its parts that can follow, each with its wire."""

    is_dead: bool
    is_inverted: bool
    wires: list[tuple[Part, str]]


class Circuit:
    """Pins, parts, and the wires between them."""

    def __init__(self, profile: Profile, parts: list[Part], tell: Tell) -> None:
        self.profile = profile
        self.parts = {part.name: part for part in parts}
        self._tell = tell
        self.pins = {
            number: Pin(number, pwm_rate=profile.pwm_rate, full=(1 << pin.modes.get(PinMode.DAC, 1)) - 1)
            for number, pin in profile.pins.items()
        }
        self.mute = False
        """Whether it says nothing of what it has done, though it should."""
        self.devices = [part for part in parts if isinstance(part, BusDevice)]
        self.bus = I2cBus("i2c", self.devices, tell)
        self._expanders = [device for device in self.devices if isinstance(device, Expander)]
        self._swapped: dict[int, int] = {}
        self._floating: dict[int, float] = {}
        """Pins that nothing holds, each with the share of its voltage that it has picked up."""
        self._seized: set[str] = set()
        self.pace = 1.0
        """How many seconds pass while the board's clock counts one."""
        self._wired: dict[int, tuple[Part, str]] = {}
        """The part at each pin, and its wire."""
        self._shared: dict[int, list[tuple[Part, str]]] = {}
        """Further parts at pins that have more than one."""
        self.is_stirred = True
        """Whether something may have changed a level: the inputs are looked at next time."""
        self._full_counts = {
            number: (1 << pin.modes.get(PinMode.ANALOG, 10)) - 1 for number, pin in profile.pins.items()
        }
        self._rewire()

    def stir(self) -> None:
        """Something may have changed a level: the inputs are looked at next time."""
        self.is_stirred = True

    def _rewire(self) -> None:
        self.is_stirred = True
        self._wired, self._shared = {}, {}
        for part in self.parts.values():
            for wire, pin in part.wires.items() if not part.hangs_on else ():
                at = self._swapped.get(pin, pin)
                if at in self._wired:
                    self._shared.setdefault(at, []).append((part, wire))
                else:
                    self._wired[at] = (part, wire)
        with_lines = [part for part in self.parts.values() if isinstance(part, BusDevice | SpiChip)]
        lines = {part.name: part.lines for part in with_lines if part.lines is not None}
        for part in self.parts.values():
            if part.hangs_on:
                lines[part.hangs_on].wire(part)

    def wired_to(self, pin: int) -> tuple[Part, str] | None:
        """The part that really hangs on a pin, and its wire's name."""
        return self._wired.get(pin)

    def reset(self, now: float) -> None:
        """All pins as after power-on: inputs, nothing driven."""
        for pin in self.pins.values():
            drove = pin.mode.drives and (pin.value or pin.inverted)
            self._clear(pin, PinMode.INPUT)
            pin.cause = None
            self.is_stirred = True
            if drove:
                self._pass_on(pin, now)

    def rest(self, now: float, cause: int | None) -> None:
        """Drive every output low; servos get no more pulses. What fails at one pin keeps no other from its rest."""
        for pin in self.pins.values():
            if pin.mode.drives and pin.value:
                pin.pulse_us, pin.stepping = 0, None
                try:
                    self._drive(pin, 0, now, cause)
                except Exception as error:  # noqa: BLE001
                    note_fault(f"pin {pin.number} could not be brought to rest", error)

    def set_mode(self, number: int, mode: PinMode, now: float, cause: int | None) -> None:
        """Give a pin a mode, also the one it has; what it was driving ends."""
        pin = self._able(number, mode)
        drove = pin.mode.drives and pin.value
        self._clear(pin, mode)
        self.is_stirred = True
        pin.cause = self._tell(Kind.DRIVEN, Topic.PIN, str(number), mode.value, cause, "mode")
        if drove or pin.inverted:
            self._pass_on(pin, now)

    @staticmethod
    def _clear(pin: Pin, mode: PinMode) -> None:
        pin.mode, pin.value, pin.pulse_us, pin.text, pin.stepping = mode, 0, 0, "", None

    def _able(self, number: int, mode: PinMode) -> Pin:
        profile = self.profile.pins.get(number)
        if profile is None:
            raise PinRefusedError(f"there is no pin {number}: {self.profile.name} has 0 to {max(self.profile.pins)}")
        if profile.reserved:
            raise PinRefusedError(f"pin {number} is kept for {profile.reserved}")
        if not profile.can(mode):
            able = listed(self.profile.able(mode), "and") or "no pin"
            raise PinRefusedError(f"pin {number} has no {mode.value}: {mode.value} is on {able}")
        return self.pins[number]

    def write_level(self, number: int, high: bool, now: float, cause: int | None) -> None:
        """Drive an output pin."""
        self._drive(self._in_mode(number, PinMode.OUTPUT), int(high), now, cause)

    def write_text(self, number: int, text: str, now: float, cause: int | None) -> None:
        """Send a text over a pin's line, to a part that shows it."""
        pin = self._in_mode(number, PinMode.OUTPUT)
        if pin.dead:
            self._lose(pin, text, cause)
            return
        pin.text = text
        pin.cause = self._tell(Kind.DRIVEN, Topic.PIN, str(number), text, cause, "text")
        self._pass_on(pin, now)

    def write_duty(self, number: int, duty: int, now: float, cause: int | None) -> None:
        """Give a PWM pin its duty, 0 to 255."""
        self._drive(self._in_mode(number, PinMode.PWM), duty, now, cause)

    def write_counts(self, number: int, share: float, now: float, cause: int | None) -> None:
        """Give a pin with a converter a share of its full voltage, 0 to 1."""
        pin = self._in_mode(number, PinMode.DAC)
        self._drive(pin, round(pin.full * min(1.0, max(0.0, share))), now, cause)

    def write_tone(self, number: int, hertz: float, now: float, cause: int | None) -> None:
        """Let a pin swing so many times a second; 0 for not at all."""
        self._drive(self._in_mode(number, PinMode.TONE), max(0, round(hertz)), now, cause)

    def write_value(
        self, number: int, value: float, span: tuple[float, float], now: float, cause: int | None,
        mode: PinMode | None = None,
    ) -> None:  # fmt: skip
        """Give an output a value, as its mode has it: hertz for a tone, its share of a span for a duty or a voltage,
        else on, or off for 0. Where a `mode` is named, it must be in that one. Raises `PinRefusedError`."""
        mode = mode or self.pins[number].mode
        low, high = span
        share = min(1.0, max(0.0, (value - low) / (high - low)))
        if mode is PinMode.TONE:
            self.write_tone(number, value, now, cause)
        elif mode is PinMode.DAC:
            self.write_counts(number, share, now, cause)
        elif mode is PinMode.PWM:
            self.write_duty(number, round(FULL_DUTY * share), now, cause)
        else:
            self.write_level(number, value != 0, now, cause)

    def write_pulse(self, number: int, microseconds: int, written: int, now: float, cause: int | None) -> None:
        """Give a servo pin the width of its pulses; `written` is the number that this was told with."""
        pin = self._in_mode(number, PinMode.SERVO)
        pin.pulse_us = microseconds
        self._drive(pin, written, now, cause)

    def write_steps(self, numbers: list[int], way: Travel, share: float, now: float, cause: int | None) -> None:
        """Give a stepper's pins, in the order of its wires, the pulses of a way."""
        pins = [self._in_mode(number, PinMode.STEPPER) for number in numbers]
        note = f"steps, to {way.target:.0f}"
        told = self._tell(Kind.DRIVEN, Topic.PIN, str(numbers[0]), round(way.target), cause, note)
        for wire, pin in enumerate(pins):
            pin.value, pin.cause, pin.stepping = 1, told, Stepping(way, wire, share)
            if pin.dead:
                self._lose(pin, round(way.target), told)
        for pin in pins:
            self._pass_on(pin, now)

    def _in_mode(self, number: int, mode: PinMode) -> Pin:
        pin = self.pins.get(number)
        if pin is None or pin.mode is not mode:
            found = f"is in mode {pin.mode.value}" if pin else "does not exist"
            raise PinRefusedError(f"pin {number} {found}: this needs mode {mode.value}")
        return pin

    def _drive(self, pin: Pin, value: int, now: float, cause: int | None) -> None:
        pin.value = value
        if pin.dead and (value or pin.mode is PinMode.SERVO):  # a line that is to be low is so
            self._lose(pin, value, cause)
            return
        note = f"{pin.pulse_us} µs" if pin.mode is PinMode.SERVO else pin.mode.word
        pin.cause = self._tell(Kind.DRIVEN, Topic.PIN, str(pin.number), value, cause, note)
        self._pass_on(pin, now)

    def _lose(self, pin: Pin, value: int | str, cause: int | None) -> None:
        note = f"pin {pin.number} took it, but its line stays low: the pin is dead, or its wire is broken"
        self._tell(Kind.LOST, Topic.PIN, str(pin.number), value, cause, note, reason=Reason.DEAD)

    def _pass_on(self, pin: Pin, now: float) -> None:
        wired = self._wired.get(pin.number)
        if wired is not None:
            self._move(*wired, pin, now)
        for part, wire in self._shared.get(pin.number, ()):
            self._move(part, wire, pin, now)

    def _move(self, part: Part, wire: str, pin: Pin, now: float) -> None:
        if part.name in self._seized:
            note = f"{part.name} is stuck: pin {pin.number} was driven, and it stays as it stands"
            self._tell(Kind.LOST, Topic.PART, part.name, part.tells(now), pin.cause, note, reason=Reason.HELD)
            return
        part.follow(wire, pin, now)
        part.touch(now)

    def parts_at(self, number: int) -> list[Part]:
        """What is wired to a pin, as its wires are just now."""
        wired = self._wired.get(number)
        return [part for part, _ in ((wired,) if wired else ()) + tuple(self._shared.get(number, ()))]

    def read_level(self, number: int) -> bool:
        """The level at a pin: what is wired to it decides, else its pull-up, else it floats low."""
        pin = self.pins[number]
        if pin.mode.drives:
            return pin.line > 0
        if number in self._floating:
            return self._floating[number] > 0.5
        wired = self._wired.get(number)
        level = wired[0].level(wired[1]) if wired else None
        for part, wire in self._shared.get(number, ()):
            other = part.level(wire)
            level = other if level is None or other is False else level  # who pulls it low wins
        if pin.dead:
            return False
        return level if level is not None else pin.mode is PinMode.PULL_UP

    def read_counts(self, number: int, now: float) -> int:
        """What the converter reads at a pin, in counts."""
        wired = self._wired.get(number)
        if number in self._floating:
            return round(self._full_counts[number] * self._floating[number])
        if wired is None or self.pins[number].dead:
            return 0
        part, wire = wired
        full = self._full_counts[number]
        counts = round(full * part.voltage(wire, now) / self.profile.supply)
        return full if counts > full else max(0, counts)

    def read_share(self, number: int, now: float) -> float:
        """What the converter reads at a pin, as a share of its range."""
        return self.read_counts(number, now) / self._full_counts[number]

    def settle(self, now: float) -> list[Pin]:
        """Look at all input pins, if something has stirred; give those whose level has changed."""
        if not self.is_stirred:
            return []
        self.is_stirred = False
        for expander in self._expanders:
            expander.line_changed(now)
        changed = []
        for pin in self.pins.values():
            mode = pin.mode
            if not mode.reads:
                continue
            number = pin.number
            if number in self._wired or number in self._floating:
                level = self.read_level(number)
            else:
                level = mode is PinMode.PULL_UP and not pin.dead
            if level != pin.level:
                pin.level = level
                hanging = [wired for wired in (self._wired.get(number), *self._shared.get(number, ())) if wired]
                cause = next((part.cause for part, _ in hanging if part.cause is not None), None)
                pin.cause = self._tell(Kind.LEVEL, Topic.PIN, str(number), level, cause)
                changed.append(pin)
        return changed

    def pick_up(self, chance: random.Random) -> None:
        """Pins that nothing holds pick up something else."""
        for number in self._floating:
            self._floating[number] = chance.random()
        self.is_stirred = True

    def begin_with(self, number: int, level: float, now: float) -> None:
        """Drive a pin as a board does that starts with an output that is not off: a share of full."""
        pin = self.pins[number]
        if pin.mode not in SWITCHING:
            can = self.profile.pins[number].can
            self.set_mode(number, PinMode.PWM if can(PinMode.PWM) and level < 1 else PinMode.OUTPUT, now, None)
        self.write_value(number, level, (0.0, 1.0), now, None)

    def current(self, now: float) -> float:
        """What all parts draw from the board, in A."""
        return sum(part.current(now) for part in self.parts.values())

    def spoil(self, spoiled: Spoiled, now: float, cause: int | None) -> None:
        """Make what is wrong take effect, and take back what is not any more. Where a pin drives a part otherwise by
        that, the part follows, by the event `cause`; nothing has happened to the others."""
        self.bus.stuck = spoiled.stuck
        for device in self.devices:
            device.silent = device.name in spoiled.silent
        self.mute = spoiled.mute
        self.pace = 1.0 + spoiled.drift
        self._floating = {number: self._floating.get(number, 0.0) for number in spoiled.floating}
        driving = [pin for pin in self.pins.values() if pin.mode.drives]
        before = [self._drives(pin) for pin in driving]
        self._swapped = spoiled.swapped
        self._seized = spoiled.seized
        self._rewire()
        for pin in self.pins.values():
            pin.dead = pin.number in spoiled.dead
            pin.inverted = pin.number in spoiled.inverted
        for pin, drove in zip(driving, before, strict=True):
            drives = self._drives(pin)
            is_otherwise = (drives.is_dead, drives.is_inverted) != (drove.is_dead, drove.is_inverted)
            for part, wire in drives.wires:
                if is_otherwise or (part, wire) not in drove.wires:
                    part.follow_anew(wire, pin, now, cause)
                    part.touch(now)

    def _drives(self, pin: Pin) -> _Drives:
        wired = self._wired.get(pin.number)
        there = [*((wired,) if wired is not None else ()), *self._shared.get(pin.number, ())]
        return _Drives(pin.dead, pin.inverted, [each for each in there if each[0].name not in self._seized])
