"""An encoder: two contacts that tell which way a shaft is turned, and how far."""

from __future__ import annotations

from collections.abc import Callable
from math import inf

from cavet.boards._rig import Function, Rig
from cavet.boards.parts._part import Hand, Part, Wires
from cavet.expressions import Expression
from cavet.record import Kind, Tell, Topic
from cavet.settings import Key
from cavet.wording import WrongError


class Encoder(Part):
    """Four counts make a cycle of its contacts; A leads B where it counts up. A hand turns it, or the rig.

    It turns by at most `fastest` counts a second.
    """

    kind = "encoder"
    SETTINGS = (
        Key("a", "pin", "the pin of its contact A, which leads where it counts up", required=True),
        Key("b", "pin", "the pin of its contact B", required=True),
        Key("per_turn", "whole", "how many counts a turn has", default=96, low=4, high=1_000_000),
        Key(
            "fastest", "quantity", "how many counts a second it is turned by", unit="", default=500.0, low=1, high=5000
        ),
        Key("follows", "expression", "what turns it, in counts: an expression of the rig; else a hand", default=None),
    )
    unit = "counts"
    senses = True
    LOOK_SECONDS = 0.01

    def __init__(
        self, name: str, wires: Wires, *, per_turn: int = 96, fastest: float = 500.0, follows: Expression | None = None
    ) -> None:
        super().__init__(name, wires)
        self.per_turn = per_turn
        self.watches_rig = follows is not None
        self.actions = () if follows is not None else ("turn", "set")
        self._pause = 1 / fastest
        self._follows = follows
        self._function: Function | None = None
        self.count = 0
        self._wanted = 0
        self._counts_at = 0.0

    def join(self, rig: Rig, tell: Tell, stir: Callable[[], None]) -> None:
        super().join(rig, tell, stir)
        if self._follows is not None:
            self._function = rig.bind(self._follows)

    def hands(self) -> list[Hand]:
        """It is turned by a quarter, either way."""
        quarter = self.per_turn // 4
        ways = (("on", quarter), ("back", -quarter)) if self.actions else ()
        return [Hand(f"turn {self.name} {way}", f"by {quarter} counts", "turn", value=value) for way, value in ways]

    def act(self, do: str, now: float, *, seconds: float | None = None, value: float | None = None) -> None:
        if do not in self.actions:
            super().act(do, now)
        if value is None:
            raise WrongError(self.name, found="no value", expected="so many counts")
        self._wanted = round(value) if do == "set" else self._wanted + round(value)
        self.cause = self._tell(
            Kind.SENSED, Topic.PART, self.name, self._wanted, None, f"turned to {self._wanted} counts"
        )

    def advance(self, now: float) -> float:
        if self._function is not None:
            self._wanted = round(float(self._function(self._rig.row)))
        if self.count != self._wanted and now >= self._counts_at - 1e-9:
            self.count += 1 if self._wanted > self.count else -1
            self._counts_at = max(self._counts_at, now - self._pause) + self._pause
            self._stir()
        if self.count != self._wanted:
            return self._counts_at
        follows = self._follows is not None and self._rig.changing(self._follows.names)
        return now + self.LOOK_SECONDS if follows else inf

    def level(self, wire: str) -> bool | None:
        place = self.count % 4
        return place in (1, 2) if wire == "a" else place in (2, 3)

    def fraction(self, now: float) -> float:
        return self.count % self.per_turn / self.per_turn

    def stands_as(self, now: float) -> float:
        return float(self.count)

    def busy(self, now: float) -> bool:
        return self.count != self._wanted

    def state(self, now: float) -> float:
        return float(self.count)

    def tells(self, now: float) -> str:
        return f"{self.count} counts"
