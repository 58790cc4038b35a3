"""A servo: turns to the angle that the width of its pulses tells, as fast as it can."""

from math import inf
from typing import Annotated

from cavet.boards._pins import Pin
from cavet.boards.parts._motion import Ramp
from cavet.boards.parts._part import BOARD_SUPPLY, FROM_SUPPLY, OWN_SUPPLY, Around, AtPin, Part
from cavet.record import Kind, Reason, Topic
from cavet.settings import Meaning

SHORTEST_PULSE, LONGEST_PULSE = 544e-6, 2400e-6
"""The pulses for 0° and 180°; others are not taken."""
DEGREES_PER_SECOND = 60 / 0.16
PULSE_DEGREES = 0.1
"""A microsecond of its pulses is about so much."""


class ServoSettings(AtPin, kw_only=True):
    """The keys of a servo."""

    range: Annotated[tuple[float, float], Meaning("the way between its stops", unit="deg")] = (0.0, 180.0)
    supply: Annotated[str, FROM_SUPPLY] = OWN_SUPPLY
    stall_current: Annotated[float, Meaning("from its supply, while it is held back", unit="A", low=0)] = 0.7

    @property
    def at_first(self) -> float:
        return min(self.range)


class Servo(Part):
    """Holds its angle while no pulses come. `range` is the way between its stops, in degrees."""

    kind = "servo"
    by_level = False
    SETTINGS = ServoSettings
    unit = "deg"

    def __init__(self, name: str, settings: ServoSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.supply = settings.supply
        self._stall_current = settings.stall_current
        self.low, self.high = min(settings.range), max(settings.range)
        self._turn = Ramp(settings.at_first, settings.at_first, 0.0, 0.0)
        self._turning = False

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        pulse = pin.pulse
        if not pulse:
            return
        if not SHORTEST_PULSE - 1e-9 <= pulse <= LONGEST_PULSE + 1e-9:
            taken = f"{SHORTEST_PULSE * 1e6:.0f} to {LONGEST_PULSE * 1e6:.0f} µs"
            note = f"a pulse of {pulse * 1e6:.0f} µs is not taken: {taken} are"
            self._tell(Kind.REFUSED, Topic.PART, self.name, None, pin.cause, note, reason=Reason.NOT_ALLOWED)
            return
        if self._turning:
            self.overtaken(round(self.angle(now), 1))
        here = self.angle(now)
        wanted = 180 * (pulse - SHORTEST_PULSE) / (LONGEST_PULSE - SHORTEST_PULSE)
        target = min(self.high, max(self.low, wanted))
        self._turn = Ramp(here, target, now, now + abs(target - here) / DEGREES_PER_SECOND)
        self._cause = pin.cause
        self._turning = True
        if target != here:
            note = f"from {here:.0f}° to {target:.0f}°"
            self.sets_out(self._turn.arrives - now, note)

    def advance(self, now: float) -> float:
        if not self._turning:
            return inf
        if now < self._turn.arrives:
            return self._turn.arrives
        self._turning = False
        self.moved(round(self._turn.target, 1), _degrees(self._turn.target))
        return inf

    def busy(self, now: float) -> bool:
        return now < self._turn.arrives

    def angle(self, now: float) -> float:
        """Where its arm points, in degrees."""
        return self._turn.at(now)

    def fraction(self, now: float) -> float:
        return (self.angle(now) - self.low) / (self.high - self.low)

    def stands_as(self, now: float) -> float:
        return self.angle(now)

    @property
    def greatest_current(self) -> float:
        return self._stall_current

    def current(self, now: float) -> float:
        """What it draws from the board, while it turns; held still it draws next to nothing."""
        return self._stall_current if self.supply == BOARD_SUPPLY and self.busy(now) else 0.0

    def state(self, now: float) -> float:
        return self.angle(now)

    def tells(self, now: float) -> str:
        turn = self._turn
        here = f"{turn.at(now):.0f}°"
        return f"{here} → {_degrees(turn.target)}" if now < turn.arrives else _degrees(turn.at(now))


def _degrees(angle: float) -> str:
    """Whole degrees, where it stands at some as near as its pulses can say."""
    return f"{angle:.0f}°" if abs(angle - round(angle)) < PULSE_DEGREES else f"{angle:.1f}°"
