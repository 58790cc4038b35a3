"""What a kind of board offers."""

from __future__ import annotations

import msgspec

from cavet.boards._pins import PinMode
from cavet.wording import WrongError


class PinProfile(msgspec.Struct, frozen=True, kw_only=True):
    """One pin: its number, its other name where it has one, its modes with their bits, its analog channel."""

    number: int
    label: str = ""
    modes: dict[PinMode, int]
    channel: int | None = None
    reserved: str = ""
    """What the pin is kept for, where it can't be used: the link's receiver, say."""

    def can(self, mode: PinMode) -> bool:
        """Whether it can be set to a mode; one that is kept for something else can't. What swings for PWM can swing at
        any rate, for a tone."""
        if self.reserved:
            return False
        return mode in self.modes or (mode is PinMode.TONE and PinMode.PWM in self.modes)


class Profile(msgspec.Struct, frozen=True, kw_only=True):
    """A kind of board. Voltages in V, currents in A, times in s."""

    name: str
    pins: dict[int, PinProfile]
    supply: float = 5.0
    pin_current: float = 0.02
    board_current: float = 0.12
    pwm_rate: float = 490.0
    """How many times a second its PWM swings, in Hz."""
    boot: float = 0.0
    """How long it hears nothing after a reset."""
    keeps_lines: bool = False
    """Whether a line that a program has let go of stays as it was; else its pin goes back to rest."""
    resets: bool = False
    """Whether the opening of its link resets it; only one program can be there then."""

    def pin(self, name: str, place: str = "pin") -> int:
        """A pin by its number or its label. Raises `WrongError`."""
        for pin in self.pins.values():
            if name in (str(pin.number), pin.label):
                return pin.number
        there = f"{min(self.pins)} to {max(self.pins)}, or a label" if self.pins else "none: the board has no pins"
        raise WrongError(place, found=name, expected=there)

    def able(self, mode: PinMode) -> list[int]:
        """The pins that have a mode."""
        return [number for number, pin in self.pins.items() if pin.can(mode)]

    @property
    def lines(self) -> dict[int, int]:
        """The pin of each of its lines; where pins are not numbered by position, lines are numbered as they are."""
        labels = {number: pin.label for number, pin in self.pins.items()}
        lines = {int(label[1:]): number for number, label in labels.items() if label.startswith("L")}
        return lines or {number: number for number in self.pins}

    @property
    def serial_ports(self) -> dict[int, list[int]]:
        """The pins of each serial port, its receiver first."""
        ports: dict[int, list[int]] = {}
        for bits, number in sorted((self.pins[pin].modes[PinMode.SERIAL], pin) for pin in self.able(PinMode.SERIAL)):
            ports.setdefault(bits // 2, []).append(number)
        return ports
