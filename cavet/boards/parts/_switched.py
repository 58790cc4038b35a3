"""Parts that a line switches on and off: a relay that bounces, a valve with a way to go, a heater."""

import random
from math import inf
from typing import Annotated

from cavet.boards._pins import Pin
from cavet.boards.parts._motion import Ramp
from cavet.boards.parts._part import Around, AtPin, Part
from cavet.settings import Meaning


class RelaySettings(AtPin, kw_only=True):
    """The keys of a relay."""

    operate: Annotated[float, Meaning("how long it takes to close", unit="s", low=0)] = 0.008
    release: Annotated[float, Meaning("how long it takes to open", unit="s", low=0)] = 0.004
    bounce: Annotated[float, Meaning("how long of that it bounces", unit="s", low=0)] = 0.001
    current: Annotated[float, Meaning("what its coil draws", unit="A", low=0)] = 0.0


class Relay(Part):
    """A contact that a coil works. It takes its time, bounces when it meets, and has arrived when it rests."""

    kind = "relay"
    SETTINGS = RelaySettings

    def __init__(self, name: str, settings: RelaySettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._operate, self._release, self._bounce = (
            settings.operate,
            settings.release,
            min(settings.bounce, settings.operate),
        )
        self._coil_current = settings.current
        self._random = random.Random(f"{around.seed}/{name}")
        self._wanted = False
        self._closed = False
        self._changes: list[tuple[float, bool]] = []
        self._due = inf

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        if self._due < inf:
            self.overtaken(self._closed)
        wanted = pin.duty > 0.5
        goes_on = wanted == self._wanted and now < self._due < inf
        self._wanted, self._cause = wanted, pin.cause
        if goes_on:  # a coil that is told again what it does already
            took = self._due - now
        else:
            took = (self._operate if wanted else self._release) if wanted != self._closed else 0.0
            self._due = now + took
            self._changes = self._bounces(now) if took and wanted else []
        if took:
            self.sets_out(took, "closes" if wanted else "opens")

    def _bounces(self, now: float) -> list[tuple[float, bool]]:
        """The contact meets and parts a few times in the last moments before it rests."""
        first = now + self._operate - self._bounce
        times = sorted(self._random.uniform(0, self._bounce) for _ in range(2 * self._random.randint(1, 2)))
        return [(first, True), *((first + time, place % 2 == 1) for place, time in enumerate(times))]

    def advance(self, now: float) -> float:
        while self._changes and self._changes[0][0] <= now:
            self._closed = self._changes.pop(0)[1]
        if now >= self._due:
            self._due = inf
            self._closed = self._wanted
            self.moved(self._closed, self.tells(now))
        return min(self._due, self._changes[0][0] if self._changes else inf)

    def busy(self, now: float) -> bool:
        return now < self._due < inf

    def fraction(self, now: float) -> float:
        return float(self._closed)

    def stands_as(self, now: float) -> bool:
        return self._closed

    def current(self, now: float) -> float:
        return self._coil_current if self._wanted else 0.0

    @property
    def greatest_current(self) -> float:
        return self._coil_current

    def tells(self, now: float) -> str:
        return "closed" if self._closed else "open"


class ValveSettings(AtPin, kw_only=True):
    """The keys of a valve."""

    travel: Annotated[float, Meaning("how long its way takes", unit="s", low=0)] = 1.5


class Valve(Part):
    """Opens and shuts at a steady pace."""

    kind = "valve"
    SETTINGS = ValveSettings
    glides = True

    def __init__(self, name: str, settings: ValveSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._travel = settings.travel
        self._way = Ramp(0.0, 0.0, 0.0, 0.0)
        self._going = False

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        if self._going:
            self.overtaken(round(100 * self.fraction(now), 1))
        place, target = self._way.at(now), float(pin.duty > 0.5)
        took = abs(target - place) * self._travel
        self._way = Ramp(place, target, now, now + took)
        self._going, self._cause = True, pin.cause
        if took:
            self.sets_out(took, "opens" if target else "shuts")

    def advance(self, now: float) -> float:
        if not self._going:
            return inf
        if now < self._way.arrives:
            return self._way.arrives
        self._going = False
        self.moved(bool(self._way.target), self.tells(now))
        return inf

    def busy(self, now: float) -> bool:
        return now < self._way.arrives

    def fraction(self, now: float) -> float:
        return self._way.at(now)

    def stands_as(self, now: float) -> bool:
        return self.fraction(now) > 0.5

    def tells(self, now: float) -> str:
        return self.tells_of(self.fraction(now))

    def tells_of(self, share: float) -> str:
        return "open" if share == 1 else f"{100 * share:.0f} % open" if share else "shut"


class Heater(Part):
    """Heats at once, and stops at once: it is the water that is slow."""

    kind = "heater"

    def __init__(self, name: str, settings: AtPin, around: Around) -> None:
        super().__init__(name, settings, around)
        self._on = False
        self._news = False

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        if self._news:
            self.overtaken(self._on)
        self._on, self._cause, self._news = pin.duty > 0.5, pin.cause, True

    def advance(self, now: float) -> float:
        if self._news:
            self._news = False
            self.moved(self._on, self.tells(now))
        return inf

    def fraction(self, now: float) -> float:
        return float(self._on)

    def stands_as(self, now: float) -> bool:
        return self._on

    def tells(self, now: float) -> str:
        return "heats" if self._on else "off"
