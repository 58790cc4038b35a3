"""A motor on a bridge: two lines for the direction, one for the power."""

import math
from math import inf
from typing import Annotated

from cavet.boards._pins import Pin
from cavet.boards.parts._motion import RunUp
from cavet.boards.parts._part import BOARD_SUPPLY, FROM_SUPPLY, OWN_SUPPLY, Around, Part, PartSettings
from cavet.record import Reason
from cavet.settings import Meaning

RUN_UP_SECONDS, COAST_SECONDS, BRAKE_SECONDS = 0.12, 0.5, 0.03
"""Time constants: driven, left to itself (both inputs low, or no power), and with both inputs high."""
ARRIVED = 0.01
"""It counts as having arrived at a speed when this close to it."""
LEAST_IN_AMPERES = 0.1
"""Less is told in mA."""
LOOK_SECONDS = 0.02
"""How often it is looked whether what it moves still gives way."""


class MotorSettings(PartSettings, kw_only=True):
    """The keys of a motor."""

    enable: Annotated[int, Meaning("the pin of the bridge's power, PWM", kind="pin")]
    ahead: Annotated[int, Meaning("the pin of one direction", kind="pin")]
    astern: Annotated[int, Meaning("the pin of the other direction", kind="pin")]
    moves: Annotated[
        str, Meaning("the quantity of the rig that it moves; it stalls where that is held", names="quantity")
    ] = ""
    stall_current: Annotated[float, Meaning("from its supply, at standstill", unit="A", low=0)] = 2.5
    supply: Annotated[str, FROM_SUPPLY] = OWN_SUPPLY


class Motor(Part):
    """Speed −1 to 1, with inertia. It stalls, and draws its stall current, when what it moves does not give way."""

    kind = "motor"
    SETTINGS = MotorSettings
    turns = True
    unit = "%"

    def __init__(self, name: str, settings: MotorSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.supply = settings.supply
        self._moves = settings.moves
        self._stall_current = settings.stall_current
        self._levels = dict.fromkeys(self.wires, 0.0)
        self._run = RunUp(0.0, 0.0, 0.0, 0.0, COAST_SECONDS)
        self._running = False
        self.stalled = False

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        self._levels[wire] = pin.duty
        target, tau = self._wanted()
        if target == self._run.target and tau == self._run.tau and not self.stalled:
            self._cause = pin.cause
            self._running |= wire == "enable"  # the direction's lines alone move nothing
            return
        self._set_out(self._speed(now), target, tau, now)
        self._cause = pin.cause
        self.stalled = False
        self._running = True
        if self._run.arrives > now:
            note = f"to {100 * target:.0f} % speed" if target else "to a stop"
            self.sets_out(self._run.arrives - now, note)

    def _set_out(self, speed: float, target: float, tau: float, now: float) -> None:
        gap = abs(target - speed)
        arrives = now + (tau * math.log(gap / ARRIVED) if gap > ARRIVED else 0.0)
        self._run = RunUp(speed, target, now, arrives, tau)

    def _wanted(self) -> tuple[float, float]:
        power, ahead, astern = (self._levels.get(wire, 0.0) for wire in ("enable", "ahead", "astern"))
        if ahead and astern:
            return 0.0, BRAKE_SECONDS
        if not power or not (ahead or astern):
            return 0.0, COAST_SECONDS
        return (power if ahead else -power), RUN_UP_SECONDS

    def advance(self, now: float) -> float:
        target = self._run.target
        if self._moves and target and not self.stalled and self._rig.blocked(self._moves, target):
            self._stall(now)
        if self._running and not self.stalled and now >= self._run.arrives:
            self._running = False
            self.moved(round(100 * target, 1), self.tells(now))
        if not target:
            return self._run.arrives if self._running else inf
        if self.stalled and not self._rig.blocked(self._moves, target):
            self.stalled, self._running = False, True
            self._set_out(0.0, target, self._run.tau, now)
        look = now + LOOK_SECONDS if self._moves else inf
        return min(look, self._run.arrives) if self._running and not self.stalled else look

    def _stall(self, now: float) -> None:
        self.stalled = True
        note = f"stalls, and draws {self._drawn(now)}: {self._rig.why_blocked(self._moves)}"
        if self._running:
            self._running = False
            self.refuses(0, note, Reason.HELD)
        else:
            self.sensed(0, note, self._cause)

    def busy(self, now: float) -> bool:
        return not self.stalled and now < self._run.arrives

    def _speed(self, now: float) -> float:
        return 0.0 if self.stalled else self._run.at(now)

    def fraction(self, now: float) -> float:
        return self._speed(now)

    def stands_as(self, now: float) -> float:
        return 255 * self._speed(now)

    @property
    def greatest_current(self) -> float:
        return self._stall_current

    def current(self, now: float) -> float:
        return self.draws(now) if self.supply == BOARD_SUPPLY else 0.0

    def draws(self, now: float) -> float:
        """The current from its supply, in A: most at standstill, little when it runs freely."""
        target, speed = self._run.target, self._speed(now)
        return self._stall_current * (abs(target - speed) + 0.12 * abs(speed)) if target else 0.0

    def _drawn(self, now: float) -> str:
        amps = self.draws(now)
        return f"{amps:.1f} A" if amps >= LEAST_IN_AMPERES else f"{1000 * amps:.0f} mA"

    def state(self, now: float) -> float:
        return 100 * self._speed(now)

    def tells(self, now: float) -> str:
        speed = self._speed(now)
        if self.stalled:
            return f"stalled, {self._drawn(now)}"
        if abs(speed) < ARRIVED / 2:
            return "still"
        return f"{'ahead' if speed > 0 else 'astern'} {100 * abs(speed):.0f} %"
