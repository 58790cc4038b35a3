"""What sounds while its pin is high: a horn, a bell."""

from __future__ import annotations

from math import inf

from cavet.boards._pins import Pin
from cavet.boards.parts._part import Part, Wires


class Sounder(Part):
    """Sounds while its pin is high; `start` seconds until its membrane or its hammer moves."""

    def __init__(self, name: str, wires: Wires, *, kind: str, start: float, sounding: str, quiet: str) -> None:
        super().__init__(name, wires)
        self.kind = kind
        self._start = start
        self._words = (quiet, sounding)
        self._sounds = False
        self._due = inf
        self._wanted = False
        self._cause: int | None = None

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        self._wanted = pin.duty > 0
        self._cause = pin.cause
        self._due = now + self._start

    def advance(self, now: float) -> float:
        if now < self._due:
            return self._due
        self._due = inf
        self._sounds = self._wanted
        self.moved(self._sounds, self._cause, self.tells(now))
        return inf

    def fraction(self, now: float) -> float:
        return float(self._sounds)

    def stands_as(self, now: float) -> bool:
        return self._sounds

    def current(self, now: float) -> float:
        return 0.012 if self._sounds else 0.0

    def tells(self, now: float) -> str:
        return self._words[self._sounds]


def horn(name: str, wires: Wires) -> Sounder:
    """A horn: a millisecond for its membrane to start."""
    return Sounder(name, wires, kind="horn", start=0.001, sounding="sounds", quiet="quiet")


def bell(name: str, wires: Wires) -> Sounder:
    """A bell: its hammer needs some milliseconds to the first stroke."""
    return Sounder(name, wires, kind="bell", start=0.008, sounding="rings", quiet="still")
