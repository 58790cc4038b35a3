"""A stepper: turns by the pulses on its wires, as long as it can keep up with them."""

from math import inf
from typing import Annotated

import msgspec

from cavet.boards._pins import Pin, Stepping
from cavet.boards._travel import Travel
from cavet.boards.parts._part import Around, Part, PartSettings
from cavet.record import Reason
from cavet.settings import Meaning
from cavet.wording import digits

ENABLE = "enable"
Coil = Annotated[int | None, Meaning("without a driver: the pin of this wire; two to four of them", kind="pin")]


class _Course(msgspec.Struct, frozen=True):
    """Where it is, as a function of the time alone: what it follows, and how it deviates from that. Places are in full
    steps: `share` is how many one of the way is, `offset` what must be added to them."""

    way: Travel
    share: float = 1.0
    offset: float = 0.0
    stalls_at: float = inf

    @property
    def ends_at(self) -> float:
        return min(self.way.arrives, self.stalls_at)

    @property
    def target(self) -> float:
        return self.way.target * self.share + self.offset

    def at(self, now: float) -> float:
        return self.way.at(min(now, self.stalls_at)) * self.share + self.offset


class StepperSettings(PartSettings, kw_only=True):
    """The keys of a stepper."""

    pulse: Annotated[int | None, Meaning("with a driver: the pin that gives the steps", kind="pin")] = None
    direction: Annotated[int | None, Meaning("with a driver: the pin of the direction", kind="pin")] = None
    coil_1: Coil = None
    coil_2: Coil = None
    coil_3: Coil = None
    coil_4: Coil = None
    enable: Annotated[int | None, Meaning("the pin that gives it current while it is high", kind="pin")] = None
    per_turn: Annotated[int, Meaning("how many full steps a turn has", low=1, high=1_000_000)] = 200
    fastest: Annotated[
        float, Meaning("how many full steps a second it can follow; at more it stalls", low=1, high=1e6)
    ] = 1000.0
    stops: Annotated[tuple[int, int] | None, Meaning("the ends of its way in full steps, where it has any")] = None


class Stepper(Part):
    """Its place is counted in full steps. It does not know where it is: who drives it counts along.

    Pulses faster than `fastest` (steps/s) leave it behind: it stalls, and the rest of the way is lost. Without
    current at its enabling wire it holds still. `stops` are the ends of its way, where it has any.
    """

    kind = "stepper"
    by_level = False
    SETTINGS = StepperSettings
    unit = "steps"

    def __init__(self, name: str, settings: StepperSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.per_turn = settings.per_turn
        self.stops = settings.stops
        self._fastest = settings.fastest
        self._order = [wire for wire in self.wires if wire != ENABLE]
        self._pulses: dict[str, Stepping | None] = dict.fromkeys(self._order)
        self._enabled = ENABLE not in self.wires
        self._course = _Course(Travel(0.0))
        """Replaced whole, so that whoever looks sees one or the other."""
        self._turning = False

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        if wire == ENABLE:
            self._enabled = pin.duty > 0
        else:
            self._pulses[wire] = None if pin.dead else pin.stepping
        given = [each for each in self._pulses.values() if each is not None]
        if len(given) < len(self._order):
            self._stand(now)
        elif any(each.travel is not given[0].travel for each in given):
            return  # the other wires are still to come
        elif [each.wire for each in given] != list(range(len(given))):
            self._refuse(now, pin.cause, "its wires are driven in another order: it only hums")
        elif not self._enabled:
            self._refuse(now, pin.cause, "it has no current: its enabling wire is low")
        else:
            self._turn(given[0], now, pin.cause)

    def _refuse(self, now: float, cause: int | None, why: str) -> None:
        self._stand(now)
        self._cause = cause
        self.refuses(None, why, Reason.HELD)

    def _leave_off(self, now: float) -> float:
        """What it was doing ends here; give where."""
        here = self.place(now)
        if self._turning:
            self.overtaken(round(here, 1))
        self._turning = False
        return here

    def _stand(self, now: float) -> None:
        self._course = _Course(Travel(self._leave_off(now)))

    def _turn(self, pulses: Stepping, now: float, cause: int | None) -> None:
        way, share = pulses.travel, pulses.share
        if self._course.way is way:
            return
        here = self._leave_off(now)
        self._course = _Course(way, share, here - way.at(now) * share, way.faster_at(self._fastest / share))
        self._cause = cause
        self._turning = now < way.arrives
        if self._turning:
            note = f"from {here:.0f} to {self._course.target:.0f} steps"
            self.sets_out(way.arrives - now, note)

    def advance(self, now: float) -> float:
        course = self._course
        if not self._turning:
            return inf
        if now < course.ends_at:
            return course.ends_at
        self._turning = False
        if course.stalls_at < course.way.arrives:
            note = f"it stalls: more than {digits(self._fastest)} steps a second"
            self.refuses(round(self.place(now), 1), note)
        else:
            self.moved(round(self.place(now), 1), self.tells(now))
        return inf

    def place(self, now: float) -> float:
        """Where it stands, in full steps from where it was at the start."""
        place = self._course.at(now)
        return place if self.stops is None else min(self.stops[1], max(self.stops[0], place))

    def fraction(self, now: float) -> float:
        if self.stops is None:
            return self.place(now) % self.per_turn / self.per_turn
        low, high = self.stops
        return (self.place(now) - low) / (high - low)

    def stands_as(self, now: float) -> float:
        return self.place(now)

    def busy(self, now: float) -> bool:
        return self._turning

    def state(self, now: float) -> float:
        return self.place(now)

    def tells(self, now: float) -> str:
        course = self._course
        here = f"{self.place(now):.0f}"
        return f"{here} → {course.target:.0f} steps" if now < course.ends_at else f"{here} steps"
