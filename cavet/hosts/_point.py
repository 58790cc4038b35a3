"""Points: the outputs and inputs as the host believes them to be."""

from __future__ import annotations

import math
from enum import Enum

import msgspec

from cavet import units
from cavet.colours import parse_colour
from cavet.wording import WrongError, digits, from_to, is_text, plain

Asked = float | bool | str

FINEST = 5000
"""Where the wire can carry any number, so many steps of a range are told apart."""
COARSEST = 1 / 50
"""A last place that is a greater share of the range than this was not rounded: it is another value."""
NOISE, LEAST_SHARE = 1e-8, 1e-13
"""Numbers that differ by a smaller share were rounded on the way; by less than the other, they are one number."""
MOST_ROWS, MOST_COLUMNS = 100, 1000
"""Of a text whose place nobody knows the size of."""
MAX_SHOWN = 60
"""Characters of a text that are shown."""


class PointKind(Enum):
    """What a point is to a person."""

    LEVEL = "level"
    SWITCH = "switch"
    BRIDGE = "bridge"
    """Two directions: a level with a sign, on a line for the power and one for each direction."""
    CONTACT = "contact"
    READING = "reading"
    TEXT = "text"
    """A text that is set."""
    WORDS = "words"
    """A text that is read."""
    PIXELS = "pixels"
    """A picture of dots that is set."""
    COLOUR = "colour"
    """A colour that is set, `#rrggbb`: three numbers on the wire, or one of 24 bits."""
    PULSE = "pulse"
    """Something that is done for so long: each time that it is asked, also for as long as the last time."""

    def __init__(self, value: str) -> None:
        self.is_output = value in ("level", "switch", "bridge", "text", "pixels", "colour", "pulse")
        self.is_text = value in ("text", "pixels", "colour", "words")
        self.is_switch = value in ("switch", "contact")


class Point(msgspec.Struct, frozen=True, kw_only=True):
    """One named output or input. `low` to `high` in `unit` stand for `wire_low` to `wire_high` on the wire, in a line;
    either pair may run backwards. `rest` is where it goes at the one key; `start` where the host believes it begins.

    Where it is on the board depends on what is spoken with that: see the points below.
    """

    name: str
    board: str
    kind: PointKind
    unit: str = ""
    low: float = 0.0
    high: float = 1.0
    wire_low: float = 0
    wire_high: float = 1
    rest: float | str = 0.0
    start: float | str | None = None
    step: float = 0.0
    """How far a small nudge goes."""
    active_low: bool = False
    momentary: bool = False
    confirm: bool = False
    tolerance: float = 0.0
    """How far what is read back may lie off and still be what was asked; 0 for what the wire can tell apart."""
    part: str = ""
    """The part that it is meant to move."""
    words: tuple[str, str] = ("off", "on")
    """What its two values are called, for a switch or a contact."""

    def parse(self, text: str) -> Asked:
        """Read what a person asks of it, in any unit that fits."""
        place = f"{self.board}.{self.name}"
        if self.kind is PointKind.COLOUR:
            return parse_colour(text.strip().strip('"'), place)
        if self.kind.is_text:
            bare = text.strip()
            return bare[1:].removesuffix('"') if bare.startswith('"') else text
        if self.kind.is_switch:
            return units.parse_switch(text, place, self.words)
        return units.parse(text, self.unit, place)

    def show(self, value: Asked | None) -> str:
        """Print a value of it."""
        if value is None:
            return "—"
        if self.kind.is_text:
            return plain(str(value), MAX_SHOWN) if value else '""'
        if self.kind.is_switch:
            return self.words[bool(value)]
        number = float(value)
        if not math.isfinite(number):
            return "no number"
        return units.show(number, self.unit, step=self.grain(number))

    def grain(self, number: float) -> float:
        """How fine a number of it is shown: as far as the wire can tell. Where any number can be asked for, a small one
        is not 0."""
        fine = self.kind.is_output and self.wire_step == 0 and number != 0
        return min(self.resolution, abs(number) / 100) if fine else self.resolution

    def show_asked(self, value: Asked | None, most: int = 9) -> str:
        """Print a value as it was asked for, finer than its wire can tell, too, in `most` digits."""
        if value is None or self.kind.is_text or self.kind.is_switch or not math.isfinite(float(value)):
            return self.show(value)
        return units.show(float(value), self.unit, units.decimals_of(float(value), most))

    @property
    def rests(self) -> bool:
        """Whether it can be sent to rest: a pulse only where one of no length stops it."""
        low, high = sorted((self.low, self.high))
        return self.kind.is_output and (self.kind is not PointKind.PULSE or low <= 0 <= high)

    def limited(self, value: Asked) -> Asked:
        """Bring a value inside the limits: a number into its range, a text to what can be carried and shown. Raises
        `WrongError` for what is no colour, no number or no text, where that is wanted."""
        if self.kind is PointKind.COLOUR:
            return self.parse(str(value))
        if self.kind.is_text:
            if not is_text(str(value)):
                raise WrongError(f"{self.board}.{self.name}", found=value, expected="text, of whole characters")
            return self.fitted(str(value))
        if self.kind.is_switch:
            return bool(value)
        low, high = sorted((self.low, self.high))
        return min(high, max(low, self.number(value)))

    def fitted(self, text: str) -> str:
        """What of a text can be carried and shown: letters that can't become `?`, and what has no room is cut off."""
        return text

    def written_at(self, row: float, column: float, text: str, there: str) -> str:
        """What it is to show when a text is written into what is there, at a row and column from 1. Raises
        `WrongError` where it has no such place."""
        self._check_place("row", row, MOST_ROWS)
        self._check_place("column", column, MOST_COLUMNS)
        rows, line, first = there.split("\n"), round(row) - 1, round(column) - 1
        rows += [""] * (line + 1 - len(rows))
        before = rows[line].ljust(first)
        rows[line] = before[:first] + text + before[first + len(text) :]
        return "\n".join(rows)

    def _check_place(self, what: str, number: float, most: int) -> None:
        if not 1 <= number <= most:
            raise WrongError(
                f"{self.board}.{self.name}", found=f"{what} {digits(number)}", expected=f"{what} 1 to {most}"
            )

    def number(self, value: object) -> float:
        """A number that it may be asked for. Raises `WrongError` for what is none, and for one without an end."""
        expected = f"a number in {self.unit}" if self.unit else "a number"
        return units.finite(value, f"{self.board}.{self.name}", expected)

    @property
    def is_whole(self) -> bool:
        """Whether the wire carries whole numbers only."""
        return True

    def to_wire(self, value: Asked) -> float:
        """What stands on the wire for a value; for a bridge the power, without its sign; for a colour all its bits."""
        if self.kind is PointKind.COLOUR:
            return int(str(value)[1:], 16)
        if self.kind.is_switch:
            return int(bool(value) != self.active_low)
        if self.kind is PointKind.BRIDGE:
            return round(abs(float(value)) / max(abs(self.low), abs(self.high)) * self.wire_high)
        raw = float(value)
        if self._is_scaled:
            share = (raw - self.low) / (self.high - self.low)
            raw = float(f"{self.wire_low + share * (self.wire_high - self.wire_low):.12g}")
        return round(raw) if self.is_whole else raw

    def from_wire(self, raw: float) -> Asked:
        """What a number on the wire stands for; for a bridge with its sign."""
        if self.kind is PointKind.COLOUR:
            return f"#{int(raw) & 0xFFFFFF:06x}"
        if self.kind.is_switch:
            return bool(raw) != self.active_low
        if self.kind is PointKind.BRIDGE:
            return raw / self.wire_high * max(abs(self.low), abs(self.high))
        return float(f"{self._scaled(raw):.12g}") if self._is_scaled else raw

    def _scaled(self, raw: float) -> float:
        return self.low + (raw - self.wire_low) / (self.wire_high - self.wire_low) * (self.high - self.low)

    @property
    def _is_scaled(self) -> bool:
        """Whether the wire has other numbers than the point."""
        return self.wire_low != self.low or self.wire_high != self.high

    @property
    def wire_step(self) -> float:
        """The least difference that the wire can carry, in the wire's numbers; 0 for any."""
        return 1.0 if self.is_whole else 0.0

    @property
    def resolution(self) -> float:
        """The least difference that counts, in its own unit."""
        if self.kind.is_switch or self.kind.is_text:
            return 1.0
        is_signed = self.kind is PointKind.BRIDGE  # the wire carries its power; the sign has lines of its own
        span = max(abs(self.low), abs(self.high)) if is_signed else abs(self.high - self.low)
        step = span / max(1e-12, abs(self.wire_high - self.wire_low)) * self.wire_step
        return max(self.tolerance, min(span, step) or span / FINEST)

    def same(self, one: Asked, other: Asked, wire_step: float = 0.0) -> bool:
        """Whether two values are the same, as far as the wire can tell. `wire_step` is the last place that was told,
        in the wire's numbers: a board that says whole numbers can't say a half. It counts only where it is small."""
        if self.kind.is_switch:
            return bool(one) == bool(other)
        if self.kind.is_text:
            return one == other
        off = abs(float(one) - float(other))
        if off <= max(self.tolerance, abs(float(other)) * NOISE) or off < self.resolution * (1 - 1e-9):
            return True
        share = wire_step / max(1e-12, abs(self.wire_high - self.wire_low))
        return share <= COARSEST and off < share * abs(self.high - self.low) * (1 - 1e-9)

    def is_at(self, stands: Asked, value: Asked) -> bool:
        """Whether nothing has to be sent for it to come to a value from where it stands: on the wire it is the same."""
        if self.kind.is_switch or self.kind.is_text:
            return self.same(stands, value)
        one, other = self.to_wire(stands), self.to_wire(value)
        return abs(one - other) <= max(self.wire_step / 2, abs(other) * LEAST_SHARE)

    @property
    def where(self) -> str:
        """Where it is on its board, in words."""
        return ""

    def modes(self) -> dict[int, str]:
        """The pins that it is on, as far as the host knows them, and the mode that each needs."""
        return {}

    def check(self) -> None:
        """Raise `WrongError` where its numbers make no scale."""
        place = f"points.{self.name}"
        if self.low == self.high:
            raise WrongError(f"{place}.range", found=from_to(self.low, self.high), expected="two different ends")
        if self.wire_low == self.wire_high:
            raise WrongError(
                f"{place}.wire",
                found=from_to(self.wire_low, self.wire_high),
                expected="two different ends",
            )
        free = self.kind.is_switch or self.kind is PointKind.COLOUR or not self.rests
        for name, value in (("rest", self.rest), ("start", self.start)):
            if value is not None and not free and (most := self.limited(value)) != value:
                ends = self.show(most) if self.kind.is_text else f"{self.show(self.low)} to {self.show(self.high)}"
                raise WrongError(f"{place}.{name}", found=self.show(value), expected=ends)


SERVO = "servo"
"""The mode of a pin at which a servo is: it stands nowhere that one could tell before it is sent anywhere."""
ENCODER, STEPPER = "encoder", "stepper"
"""The modes of pins at which shafts are."""
