"""Motions: where something is, as a function of the time alone. Each is one frozen value, so that any thread that looks
at a part sees a whole motion, the old one or the new one."""

from __future__ import annotations

import math

import msgspec


class Ramp(msgspec.Struct, frozen=True):
    """From one place to another at a steady pace."""

    start: float
    target: float
    began: float
    arrives: float

    def at(self, now: float) -> float:
        """Where it is."""
        if now >= self.arrives:
            return self.target
        if now <= self.began:
            return self.start
        return self.start + (self.target - self.start) * (now - self.began) / (self.arrives - self.began)


class RunUp(msgspec.Struct, frozen=True):
    """From one speed towards another, ever more slowly, with a time constant; from `arrives` on it is there."""

    start: float
    target: float
    began: float
    arrives: float
    tau: float

    def at(self, now: float) -> float:
        """How fast it is."""
        if now >= self.arrives:
            return self.target
        return self.target + (self.start - self.target) * math.exp(-max(0.0, now - self.began) / self.tau)
