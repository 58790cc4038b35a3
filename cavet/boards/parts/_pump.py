"""A pump, and the overload relay that guards it."""

import math
from collections.abc import Mapping
from math import inf
from typing import Annotated

from cavet.boards._pins import Pin
from cavet.boards.parts._motion import RunUp
from cavet.boards.parts._part import Around, AtPin, Hand, Part
from cavet.settings import Meaning

RUN_UP_SECONDS, RUN_DOWN_SECONDS = 0.4, 0.6
"""Time constants."""
ARRIVED = 0.01
"""It counts as having arrived at a speed when this close to it."""
JAMMED_LOAD = 6.0
"""What a jammed pump draws, in its rated current."""


class PumpSettings(AtPin, kw_only=True):
    """The keys of a pump."""

    speed: Annotated[int | None, Meaning("the pin of its speed, PWM; without it, it knows only one", kind="pin")] = None


class Pump(Part):
    """Runs up to its speed while its line is high. A jammed one stands still and draws a multiple of its current."""

    kind = "pump"
    SETTINGS = PumpSettings
    turns = True
    unit = "%"
    actions = ("jam", "free")

    def __init__(self, name: str, settings: PumpSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._levels = {"pin": 0.0, "speed": 1.0 if "speed" not in self.wires else 0.0}
        self._run = RunUp(0.0, 0.0, 0.0, 0.0, RUN_DOWN_SECONDS)
        self._going = False
        self.jammed = False
        self.guard: Overload | None = None

    @property
    def powered(self) -> bool:
        """Whether it is switched on and nothing has tripped."""
        return self._levels["pin"] > 0.5 and (self.guard is None or not self.guard.tripped)

    @property
    def stalled(self) -> bool:
        """Whether it ought to turn, and can't."""
        return self._levels["pin"] > 0.5 and (self.jammed or not self.powered)

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        if self._going:
            self.overtaken(round(100 * self.fraction(now), 1))
        self._levels[wire] = pin.duty
        self._cause = pin.cause
        self._going = True
        self.consider(now)
        if self._run.arrives > now:
            note = f"to {100 * self._run.target:.0f} % speed" if self._run.target else "to a stop"
            self.sets_out(self._run.arrives - now, note)

    def consider(self, now: float) -> None:
        """Set out for the speed that follows from its lines, its guard, and whether it is jammed."""
        speed = 0.0 if self.jammed else self._run.at(now)
        target = self._levels["speed"] if self.powered and not self.jammed else 0.0
        tau = RUN_UP_SECONDS if target > speed else RUN_DOWN_SECONDS
        gap = abs(target - speed)
        self._run = RunUp(speed, target, now, now + (tau * math.log(gap / ARRIVED) if gap > ARRIVED else 0.0), tau)
        self.touch(now)
        if self.guard is not None:
            self.guard.touch(now)

    def hands(self) -> list[Hand]:
        return [Hand(f"{do} {self.name}", "by hand", do) for do in self.actions]

    def worked(self, do: str, now: float, seconds: float | None, value: float | None) -> None:
        self.jammed = do == "jam"
        self.sensed(self.jammed, "jammed" if self.jammed else "free")
        self.consider(now)

    def advance(self, now: float) -> float:
        if not self._going:
            return inf
        if self.stalled and self._levels["speed"]:
            self._going = False
            tripped = self.guard is not None and self.guard.tripped
            why = f"{self.guard.name} has tripped" if tripped and self.guard else self.tells(now)
            self.refuses(0, f"{self.name} does not turn: {why}")
            return inf
        if now < self._run.arrives:
            return self._run.arrives
        self._going = False
        self.moved(round(100 * self._run.target, 1), self.tells(now))
        return inf

    @property
    def load(self) -> float:
        """What it draws, in its rated current."""
        if not self.powered:
            return 0.0
        return JAMMED_LOAD if self.jammed else self._levels["speed"]

    def busy(self, now: float) -> bool:
        return now < self._run.arrives

    def fraction(self, now: float) -> float:
        return self._run.at(now)

    def stands_as(self, now: float) -> bool:
        return self._levels["pin"] > 0.5 and not self.stalled

    def stands_by(self, pin: int) -> bool:
        return pin != self.wires.get("speed")

    def state(self, now: float) -> float:
        return 100 * self.fraction(now)

    def tells(self, now: float) -> str:
        if self.stalled:
            return "tripped" if not self.powered else f"jammed, {self.load:.0f} × current"
        speed = self.fraction(now)
        if speed > ARRIVED / 2:
            return f"{100 * speed:.0f} %"
        given = self._levels["speed"]
        if self.powered:
            return "0 %" if given else "on, no speed"
        return f"off, {100 * given:.0f} % set" if given and "speed" in self.wires else "still"


class OverloadSettings(AtPin, kw_only=True):
    """The keys of an overload."""

    guards: Annotated[tuple[str, ...], Meaning("the pumps that it guards", names="part")]
    delay: Annotated[float, Meaning("how long too much may be drawn", unit="s", low=0)] = 2.0


class Overload(Part):
    """Trips when a pump that it guards has drawn too much for too long, and stays so until it is reset by hand."""

    kind = "overload"
    SETTINGS = OverloadSettings
    senses = True
    actions = ("trip", "reset")

    def __init__(self, name: str, settings: OverloadSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._guarded = settings.guards
        self._guards: list[Pump] = []
        self._delay = settings.delay
        self._since: float | None = None
        self.tripped = False

    def meet(self, others: Mapping[str, Part]) -> None:
        self._guards = [pump for name in self._guarded if isinstance(pump := others[name], Pump)]
        for pump in self._guards:
            pump.guard = self

    def worked(self, do: str, now: float, seconds: float | None, value: float | None) -> None:
        self._turn(do == "trip", now, "by hand")

    def _turn(self, tripped: bool, now: float, why: str) -> None:
        if tripped == self.tripped:
            return
        self.tripped = tripped
        self._since = None
        words = f"tripped: {why}" if tripped else f"reset {why}"
        self.cause = self.sensed(tripped, words)
        self._stir()
        for pump in self._guards:
            pump.consider(now)

    def advance(self, now: float) -> float:
        over = [pump.name for pump in self._guards if pump.load > 1.5]
        if not over or self.tripped:
            self._since = None
            return inf
        if self._since is None:
            self._since = now
        if now >= self._since + self._delay:
            self._turn(True, now, f"{over[0]} draws too much")
            return inf
        return self._since + self._delay

    def level(self, wire: str) -> bool | None:
        return self.tripped

    def stands_as(self, now: float) -> bool:
        return self.tripped

    def fraction(self, now: float) -> float:
        return float(self.tripped)

    def tells(self, now: float) -> str:
        return "tripped" if self.tripped else "ready"
