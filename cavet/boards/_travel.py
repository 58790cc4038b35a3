"""How steppers travel: with a steady gain of speed, a greatest speed, and a steady loss of it at the end."""

from __future__ import annotations

import math
from math import inf

import msgspec


class Phase(msgspec.Struct, frozen=True):
    """A stretch of time with one acceleration: from `began` (s) at `place` (steps), with `speed` (steps/s)."""

    began: float
    place: float
    speed: float
    acceleration: float

    def place_at(self, at: float) -> float:
        """Where it is at a time within it."""
        elapsed = at - self.began
        return self.place + self.speed * elapsed + self.acceleration * elapsed * elapsed / 2

    def speed_at(self, at: float) -> float:
        return self.speed + self.acceleration * (at - self.began)


class Travel(msgspec.Struct, frozen=True):
    """A way to a place, as a function of the time alone. One that has no phases stands still."""

    target: float
    arrives: float = 0.0
    phases: tuple[Phase, ...] = ()

    def _phase(self, now: float) -> Phase | None:
        if now >= self.arrives or not self.phases:
            return None
        return next((phase for phase in reversed(self.phases) if phase.began <= now), self.phases[0])

    def at(self, now: float) -> float:
        """Where it is."""
        phase = self._phase(now)
        return self.target if phase is None else phase.place_at(now)

    def speed_at(self, now: float) -> float:
        """How fast it goes, with its sign."""
        phase = self._phase(now)
        return 0.0 if phase is None else phase.speed_at(now)

    def faster_at(self, limit: float) -> float:
        """When it first goes faster than `limit`; `inf` for never."""
        ends = [*(phase.began for phase in self.phases[1:]), self.arrives][: len(self.phases)]
        for phase, end in zip(self.phases, ends, strict=True):
            if abs(phase.speed) > limit:
                return phase.began
            if abs(phase.speed_at(end)) > limit:
                return phase.began + (limit - abs(phase.speed)) / abs(phase.acceleration)
        return inf


class _Laid(msgspec.Struct):
    """Phases, as they are laid one behind the other."""

    at: float
    place: float
    speed: float
    phases: list[Phase]

    def lay(self, seconds: float, acceleration: float) -> None:
        if seconds <= 0:
            return
        phase = Phase(self.at, self.place, self.speed, acceleration)
        self.phases.append(phase)
        self.at += seconds
        self.place, self.speed = phase.place_at(self.at), phase.speed_at(self.at)

    def change(self, speed: float, acceleration: float) -> None:
        """Come to another speed."""
        gain = speed - self.speed
        self.lay(abs(gain) / acceleration, math.copysign(acceleration, gain))
        self.speed = speed


def travel(place: float, speed: float, target: float, now: float, *, top: float, acceleration: float) -> Travel:
    """Lay the way from a place, with a speed, to a target. With no acceleration it is at its top speed at once."""
    if top <= 0 or (place == target and not speed):
        return Travel(target if top > 0 else place, now)
    if not acceleration:
        speed = math.copysign(top, target - place)
        arrives = now + abs(target - place) / top
        return Travel(target, arrives, (Phase(now, place, speed, 0.0),))
    laid = _Laid(now, place, speed, [])
    braking = speed * abs(speed) / (2 * acceleration)
    if speed and (speed * (target - place) <= 0 or abs(braking) > abs(target - place)):
        laid.change(0.0, acceleration)
    way = target - laid.place
    ahead = math.copysign(1.0, way)
    if abs(laid.speed) > top:
        laid.change(ahead * top, acceleration)
        way = target - laid.place
    peak = min(top, math.sqrt(acceleration * abs(way) + laid.speed**2 / 2))
    laid.change(ahead * peak, acceleration)
    rest = abs(target - laid.place) - peak * peak / (2 * acceleration)
    laid.lay(rest / peak if peak else 0.0, 0.0)
    laid.change(0.0, acceleration)
    return Travel(target, laid.at, tuple(laid.phases))


def stop(going: Travel, now: float, acceleration: float) -> Travel:
    """Come to a stand from where it goes, on a whole step; at once where there is no acceleration."""
    place, speed = going.at(now), going.speed_at(now)
    if not speed or not acceleration:
        return Travel(float(round(place)), now)
    laid = _Laid(now, place, speed, [])
    laid.change(0.0, acceleration)
    return Travel(float(round(laid.place)), laid.at, tuple(laid.phases))
