"""Reflexes: rules that the board follows by itself, without its host."""

from __future__ import annotations

from math import inf

import msgspec

from cavet.boards._circuit import Circuit
from cavet.boards._pins import SWITCHING, Pin, PinMode, unswitchable
from cavet.record import Kind, Tell, Topic

EDGES = ("falling", "rising", "both")
DOES = ("toggle", "on", "off", "follow")


class Reflex(msgspec.Struct, frozen=True, kw_only=True):
    """When a pin's level changes like this, and stays so for `debounce` seconds, another pin is driven.

    `toggle` turns it over, `on` and `off` set it, `follow` gives it the level that was read.
    """

    name: str
    pin: int
    target: int
    mode: PinMode = PinMode.INPUT
    edge: str = "falling"
    does: str = "toggle"
    debounce: float = 0.02


class _Watch:
    """One reflex at work: the level that counts, and one that is not old enough to count."""

    def __init__(self, reflex: Reflex, level: bool) -> None:
        self.reflex = reflex
        self.level = level
        self.due = inf

    def sees(self, pin: Pin, now: float) -> None:
        """The level has changed: it counts if it stays so."""
        self.due = now + self.reflex.debounce if pin.level != self.level else inf


class Reflexes:
    """All reflexes of a board."""

    def __init__(self, reflexes: list[Reflex], circuit: Circuit, tell: Tell) -> None:
        self._reflexes = reflexes
        self._circuit = circuit
        self._tell = tell
        self.watches: list[_Watch] = []

    def start(self, now: float) -> None:
        """As after power-on: its pins in their modes, nothing has happened yet."""
        for reflex in self._reflexes:
            self._circuit.set_mode(reflex.pin, reflex.mode, now, None)
            if not self._circuit.pins[reflex.target].mode.drives:  # else the firmware has given it one
                self._circuit.set_mode(reflex.target, PinMode.OUTPUT, now, None)
        self._circuit.settle(now)
        self.watches = [_Watch(reflex, self._circuit.pins[reflex.pin].level) for reflex in self._reflexes]

    def levels_changed(self, pins: list[Pin], now: float) -> None:
        """Input pins have changed."""
        for pin in pins:
            for watch in self.watches:
                if watch.reflex.pin == pin.number:
                    watch.sees(pin, now)

    def advance(self, now: float) -> tuple[float, list[Pin]]:
        """Do what is due; give when something is due next, and the pins that were driven."""
        if not self.watches:
            return inf, []
        driven = []
        for watch in self.watches:
            if now >= watch.due:
                watch.due = inf
                watch.level = not watch.level
                if watch.reflex.edge in ("both", "rising" if watch.level else "falling"):
                    driven.append(self._act(watch.reflex, watch.level, now))
        return min((watch.due for watch in self.watches), default=inf), driven

    def _act(self, reflex: Reflex, level: bool, now: float) -> Pin:
        target = self._circuit.pins[reflex.target]
        high = {"toggle": not target.value, "on": True, "off": False, "follow": level}[reflex.does]
        cause = self._circuit.pins[reflex.pin].cause
        words = f"pin {reflex.pin} {'rises' if level else 'falls'}: pin {reflex.target} {'on' if high else 'off'}"
        acted = self._tell(Kind.REFLEX, Topic.REFLEX, reflex.name, high, cause, words)
        if target.mode in SWITCHING:
            self._circuit.write_value(reflex.target, float(high), (0.0, 1.0), now, acted)
        else:
            self._tell(Kind.REFUSED, Topic.REFLEX, reflex.name, None, acted, unswitchable(target))
        return target
