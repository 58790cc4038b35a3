"""An encoder: two contacts that tell which way a shaft is turned, and how far."""

from collections.abc import Callable
from math import inf
from typing import Annotated

from cavet.boards._rig import Function, Rig
from cavet.boards.parts._part import Around, Hand, Part, PartSettings
from cavet.expressions import Expression
from cavet.record import Tell
from cavet.settings import Meaning
from cavet.wording import WrongError


class EncoderSettings(PartSettings, kw_only=True):
    """The keys of an encoder."""

    a: Annotated[int, Meaning("the pin of its contact A, which leads where it counts up", kind="pin")]
    b: Annotated[int, Meaning("the pin of its contact B", kind="pin")]
    per_turn: Annotated[int, Meaning("how many counts a turn has", low=4, high=1_000_000)] = 96
    fastest: Annotated[float, Meaning("how many counts a second it is turned by", low=1, high=5000)] = 500.0
    follows: Annotated[
        Expression | None, Meaning("what turns it, in counts: an expression of the rig; else a hand")
    ] = None


class Encoder(Part):
    """Four counts make a cycle of its contacts; A leads B where it counts up. A hand turns it, or the rig.

    It turns by at most `fastest` counts a second.
    """

    kind = "encoder"
    SETTINGS = EncoderSettings
    unit = "counts"
    senses = True
    LOOK_SECONDS = 0.01

    def __init__(self, name: str, settings: EncoderSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.per_turn = settings.per_turn
        self.watches_rig = settings.follows is not None
        self.actions = () if settings.follows is not None else ("turn", "set")
        self._pause = 1 / settings.fastest
        self._follows = settings.follows
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

    def worked(self, do: str, now: float, seconds: float | None, value: float | None) -> None:
        if value is None:
            raise WrongError(self.name, found="no value", expected="so many counts")
        self._wanted = round(value) if do == "set" else self._wanted + round(value)
        self.cause = self.sensed(self._wanted, f"turned to {self._wanted} counts")

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
