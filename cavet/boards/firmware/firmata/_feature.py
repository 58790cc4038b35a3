"""What the features of the firmware have in common, each of which is a room of its own."""

from __future__ import annotations

from collections.abc import Callable
from math import inf
from typing import Any

from cavet.boards._circuit import Circuit
from cavet.boards._pins import Pin
from cavet.protocols import Message

Say = Callable[[Message, float, "int | None"], None]
"""Says a message at a time, with the event that it follows from."""
Handler = Callable[[Any, float, int], None]
"""Acts on a message at a time; the number is the event that it was taken by. Raises `PinRefusedError`."""


class Feature:
    """A feature beyond the board's pins."""

    def __init__(self, circuit: Circuit, say: Say) -> None:
        self._circuit = circuit
        self._say = say
        self.forget(0.0)

    @property
    def handlers(self) -> dict[type[Message], Handler]:
        """What is done with each of its messages."""
        raise NotImplementedError

    def forget(self, now: float) -> None:
        """Be as at the start."""

    def quiet(self) -> None:
        """Its program is gone: tell nothing by itself any more."""

    @property
    def samples(self) -> bool:
        """Whether it tells something at every sampling interval."""
        return False

    def sample(self, now: float) -> None:
        """Tell it."""

    def levels_changed(self, pins: list[Pin], now: float) -> None:
        """Input pins have changed."""

    def advance(self, now: float) -> float:
        """Do what is due; give when something is due next."""
        return inf
