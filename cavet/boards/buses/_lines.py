"""The lines of an expander, and the parts that hang on them: what the pins of a board are, only fewer."""

from __future__ import annotations

from cavet.boards._pins import Pin, PinMode
from cavet.boards.parts import Part


class Lines:
    """Lines that are driven or left open. A line that nobody drives is as its part, its pull-up, or low."""

    def __init__(self, count: int) -> None:
        self.pins = [Pin(number) for number in range(count)]
        self._wired: dict[int, tuple[Part, str]] = {}

    def wire(self, part: Part) -> None:
        """Hang a part on its lines."""
        self._wired |= {line: (part, wire) for wire, line in part.wires.items()}

    def hold(self, line: int, high: bool, now: float, cause: int | None) -> bool:
        """Pull a line low, or hold it high so weakly that a part can pull it low; give whether its level changed."""
        return self.drive(line, None if high and self.senses(line) else high, high, now, cause)

    def drive(self, line: int, level: bool | None, pull_up: bool, now: float, cause: int | None) -> bool:
        """Drive a line high or low, or with `None` leave it open; give whether this has changed its level."""
        pin = self.pins[line]
        open_mode = PinMode.PULL_UP if pull_up else PinMode.INPUT
        mode = open_mode if level is None else PinMode.OUTPUT
        value = int(bool(level))
        if (pin.mode, pin.value) == (mode, value):
            return False
        drove = pin.duty
        pin.mode, pin.value, pin.cause = mode, value, cause
        if pin.duty == drove:
            return False
        self._pass_on(line, now)
        return True

    def insist(self, first: int, count: int, now: float, cause: int | None) -> None:
        """These lines were driven anew to what they are: the parts there are where they were sent."""
        for line in range(first, first + count):
            pin = self.pins[line]
            if pin.mode is PinMode.OUTPUT:
                pin.cause = cause
                self._pass_on(line, now)

    def _pass_on(self, line: int, now: float) -> None:
        if line in self._wired:
            part, wire = self._wired[line]
            part.follow(wire, self.pins[line], now)
            part.touch(now)

    def give(self, line: int, value: int, now: float, cause: int | None) -> None:
        """Give a line a voltage, in counts of its converter."""
        pin = self.pins[line]
        pin.value, pin.cause = min(pin.full, value), cause
        self._pass_on(line, now)

    def level(self, line: int) -> bool:
        """The level of a line."""
        pin = self.pins[line]
        if pin.mode is PinMode.OUTPUT:
            return pin.value > 0
        given = self._given(line)
        return given if given is not None else pin.mode is PinMode.PULL_UP

    def _given(self, line: int) -> bool | None:
        if line not in self._wired:
            return None
        part, wire = self._wired[line]
        return part.level(wire)

    def levels(self, first: int) -> int:
        """The levels of eight lines, the first one in bit 0."""
        found = 0
        for bit in range(8):
            if self.level(first + bit):
                found |= 1 << bit
        return found

    def senses(self, line: int) -> bool:
        """Whether a part gives something to a line."""
        return line in self._wired and self._wired[line][0].senses

    def cause(self, line: int) -> int | None:
        """The event that a line's level follows from, where a part gives it."""
        return self._wired[line][0].cause if line in self._wired else None
