"""Contacts: a button that bounces, and a limit switch that the rig works."""

import random
from collections.abc import Callable
from math import inf
from typing import Annotated

from cavet.boards._rig import Function, Rig
from cavet.boards.parts._part import Around, AtPin, Part
from cavet.expressions import Expression
from cavet.record import Tell
from cavet.settings import Meaning


class ButtonSettings(AtPin, kw_only=True):
    """The keys of a button."""

    bounce: Annotated[float, Meaning("how long its contact bounces", unit="s", low=0, high=1)] = 0.0


class Button(Part):
    """To ground: low while it is pressed, open otherwise. Its contact bounces for a while at each change."""

    kind = "button"
    SETTINGS = ButtonSettings
    senses = True
    actions = ("press", "release")

    def __init__(self, name: str, settings: ButtonSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._bounce = settings.bounce
        self._random = random.Random(f"{around.seed}/{name}")
        self.pressed = False
        self._closed = False
        self._changes: list[tuple[float, bool]] = []
        self._release_at = inf

    def worked(self, do: str, now: float, seconds: float | None, value: float | None) -> None:
        self._turn(do == "press", now)
        self._release_at = now + seconds if do == "press" and seconds is not None else inf

    def _turn(self, pressed: bool, now: float) -> None:
        if pressed == self.pressed:
            return
        self.pressed = pressed
        words = "pressed" if pressed else "released"
        self.cause = self.sensed(pressed, words)
        self._changes = [(now, pressed)]
        if self._bounce:
            times = sorted(self._random.uniform(0, self._bounce) for _ in range(2 * self._random.randint(1, 3)))
            self._changes += [
                (now + time, (not pressed) if place % 2 == 0 else pressed) for place, time in enumerate(times)
            ]

    def advance(self, now: float) -> float:
        if now >= self._release_at:
            self._release_at = inf
            self._turn(False, now)
        while self._changes and self._changes[0][0] <= now:
            self._closed = self._changes.pop(0)[1]
            self._stir()
        return min(self._changes[0][0] if self._changes else inf, self._release_at)

    def level(self, wire: str) -> bool | None:
        return False if self._closed else None

    def stands_as(self, now: float) -> bool:
        return self.pressed

    def fraction(self, now: float) -> float:
        return float(self.pressed)

    def tells(self, now: float) -> str:
        return "pressed" if self.pressed else "released"


class LimitSwitchSettings(AtPin, kw_only=True):
    """The keys of a limit switch."""

    closes: Annotated[Expression, Meaning("the condition of the rig at which it closes")]


class LimitSwitch(Part):
    """Closed while its condition holds; gives a high level then, a low one otherwise."""

    kind = "limit"
    SETTINGS = LimitSwitchSettings
    senses = True
    watches_rig = True

    def __init__(self, name: str, settings: LimitSwitchSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._closes = settings.closes
        self._function: Function
        self._closed: bool | None = None

    def join(self, rig: Rig, tell: Tell, stir: Callable[[], None]) -> None:
        super().join(rig, tell, stir)
        self._function = rig.bind(self._closes)

    def advance(self, now: float) -> float:
        closed = bool(self._function(self._rig.row))
        if closed != self._closed:
            first = self._closed is None
            self._closed = closed
            self._stir()
            if not first:
                self.cause = self.sensed(closed, self.tells(now))
        return self._rig.may_change_at(self._function, now)

    def level(self, wire: str) -> bool | None:
        return bool(self._closed)

    def stands_as(self, now: float) -> bool:
        return bool(self._closed)

    def fraction(self, now: float) -> float:
        return float(bool(self._closed))

    def tells(self, now: float) -> str:
        return "closed" if self._closed else "open"


class Door(Part):
    """A contact at a door that a hand opens and shuts; gives a high level while it is open."""

    kind = "door"
    senses = True
    actions = ("open", "shut")

    def __init__(self, name: str, settings: AtPin, around: Around) -> None:
        super().__init__(name, settings, around)
        self._is_open = False

    def worked(self, do: str, now: float, seconds: float | None, value: float | None) -> None:
        if self._is_open != (do == "open"):
            self._is_open = do == "open"
            self.cause = self.sensed(self._is_open, self.tells(now))
            self._stir()

    def level(self, wire: str) -> bool | None:
        return self._is_open

    def stands_as(self, now: float) -> bool:
        return self._is_open

    def fraction(self, now: float) -> float:
        return float(self._is_open)

    def tells(self, now: float) -> str:
        return "open" if self._is_open else "shut"
