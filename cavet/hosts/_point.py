"""Points: the outputs and inputs as the host believes them to be."""

from __future__ import annotations

from enum import Enum

import msgspec

from cavet import units
from cavet.wording import WrongError

Asked = float | bool


class PointKind(Enum):
    """What a point is to a person."""

    LEVEL = "level"
    SWITCH = "switch"
    BRIDGE = "bridge"
    """Two directions: a level with a sign, on a line for the power and one for each direction."""
    CONTACT = "contact"
    READING = "reading"

    @property
    def is_output(self) -> bool:
        return self in (PointKind.LEVEL, PointKind.SWITCH, PointKind.BRIDGE)

    @property
    def is_switch(self) -> bool:
        return self in (PointKind.SWITCH, PointKind.CONTACT)


class Point(msgspec.Struct, frozen=True, kw_only=True):
    """One named output or input. `low` to `high` in `unit` stand for `wire_low` to `wire_high` on the wire, in a line;
    either pair may run backwards. `rest` is where it goes at the one key; `start` where the host believes it begins.
    """

    name: str
    board: str
    kind: PointKind
    pin: int
    mode: str
    ahead: int | None = None
    astern: int | None = None
    unit: str = ""
    low: float = 0.0
    high: float = 1.0
    wire_low: int = 0
    wire_high: int = 1
    rest: float = 0.0
    start: float | None = None
    step: float = 0.0
    """How far a small nudge goes."""
    active_low: bool = False
    momentary: bool = False
    confirm: bool = False
    part: str = ""
    """The part that it is meant to move."""
    words: tuple[str, str] = ("off", "on")
    """What its two values are called, for a switch or a contact."""

    def parse(self, text: str) -> Asked:
        """Read what a person asks of it, in any unit that fits."""
        place = f"{self.board}.{self.name}"
        if self.kind.is_switch:
            if text.strip().lower() in self.words:
                return text.strip().lower() == self.words[1]
            return units.parse_switch(text, place)
        return units.parse(text, self.unit, place)

    def show(self, value: Asked | None) -> str:
        """Print a value of it."""
        if value is None:
            return "—"
        if self.kind.is_switch:
            return self.words[bool(value)]
        return units.show(round(float(value), 6), self.unit)

    def limited(self, value: Asked) -> Asked:
        """Bring a value inside the limits."""
        if self.kind.is_switch:
            return bool(value)
        low, high = sorted((self.low, self.high))
        return min(high, max(low, float(value)))

    def to_wire(self, value: Asked) -> int:
        """What stands on the wire for a value; for a bridge the power, without its sign."""
        if self.kind.is_switch:
            return int(bool(value) != self.active_low)
        if self.kind is PointKind.BRIDGE:
            return round(abs(float(value)) / max(abs(self.low), abs(self.high)) * self.wire_high)
        share = (float(value) - self.low) / (self.high - self.low)
        return round(self.wire_low + share * (self.wire_high - self.wire_low))

    def from_wire(self, raw: float) -> Asked:
        """What a number on the wire stands for; for a bridge with its sign."""
        if self.kind.is_switch:
            return bool(raw) != self.active_low
        if self.kind is PointKind.BRIDGE:
            return raw / self.wire_high * max(abs(self.low), abs(self.high))
        share = (raw - self.wire_low) / (self.wire_high - self.wire_low)
        return self.low + share * (self.high - self.low)

    @property
    def resolution(self) -> float:
        """The least difference that the wire can carry, in its own unit."""
        if self.kind.is_switch:
            return 1.0
        return abs(self.high - self.low) / max(1, abs(self.wire_high - self.wire_low))

    def modes(self) -> dict[int, str]:
        """The mode that each of its pins needs."""
        modes = {self.pin: self.mode}
        for line in (self.ahead, self.astern):
            if line is not None:
                modes[line] = "output"
        return modes

    def check(self) -> None:
        """Raise `WrongError` where its numbers make no scale."""
        place = f"points.{self.name}"
        if self.low == self.high:
            raise WrongError(f"{place}.range", found=f"{self.low:g} to {self.high:g}", expected="two different ends")
        if self.wire_low == self.wire_high:
            raise WrongError(
                f"{place}.wire", found=f"{self.wire_low} to {self.wire_high}", expected="two different ends"
            )
        for name, value in (("rest", self.rest), ("start", self.start)):
            if value is not None and self.limited(value) != value and not self.kind.is_switch:
                raise WrongError(
                    f"{place}.{name}",
                    found=self.show(value),
                    expected=f"{self.show(self.low)} to {self.show(self.high)}",
                )
