"""A text sign: leaves that turn until the text stands there."""

from math import inf
from typing import Annotated

from cavet.boards._pins import Pin
from cavet.boards.parts._part import Around, AtPin, Part
from cavet.settings import Meaning

TURN_SECONDS = 0.02
"""For one leaf."""


class SignSettings(AtPin, kw_only=True):
    """The keys of a sign."""

    columns: Annotated[int, Meaning("how many characters a line has", low=1, high=80)] = 16
    rows: Annotated[int, Meaning("how many lines it has", low=1, high=8)] = 1


class Sign(Part):
    """Shows the text that comes over its line, one leaf after the other; `columns` and `rows` are what it has room
    for. What does not fit is cut off."""

    kind = "sign"
    by_level = False
    SETTINGS = SignSettings

    def __init__(self, name: str, settings: SignSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.columns = settings.columns
        self.rows = settings.rows
        self.text = ""
        self._before = ""
        self._began = 0.0
        self._arrives = inf

    def follow(self, wire: str, pin: Pin, now: float) -> None:
        if self._arrives < inf:
            self.overtaken(self.shows(now))
        self._before = self.shows(now)
        self.text = self._fitted(pin.text)
        self._cause = pin.cause
        self._began = now
        leaves = sum(old != new for old, new in zip(self._cells(self._before), self._cells(self.text), strict=True))
        self._arrives = now + TURN_SECONDS * leaves
        self.sets_out(self._arrives - now, f"turns {leaves} leaves")

    def _fitted(self, text: str) -> str:
        lines = text.split("\n")[: self.rows]
        return "\n".join(line[: self.columns] for line in lines)

    def _cells(self, text: str) -> str:
        lines = [*text.split("\n"), *[""] * self.rows][: self.rows]
        return "".join(line.ljust(self.columns) for line in lines)

    def shows(self, now: float) -> str:
        """The text that stands there now: from the left the new one, behind it the old one."""
        if now >= self._arrives or self._arrives == inf:
            return self.text
        done = int((now - self._began) / TURN_SECONDS)
        old, new = self._cells(self._before), self._cells(self.text)
        cells = list(old)
        changed = [place for place in range(len(old)) if old[place] != new[place]]
        for place in changed[:done]:
            cells[place] = new[place]
        whole = "".join(cells)
        lines = [whole[begin : begin + self.columns].rstrip() for begin in range(0, len(whole), self.columns)]
        return "\n".join(lines).rstrip("\n")

    def advance(self, now: float) -> float:
        if now < self._arrives:
            return self._arrives
        self._arrives = inf
        self.moved(self.text, self.tells(now))
        return inf

    def busy(self, now: float) -> bool:
        return self._arrives < inf

    def fraction(self, now: float) -> float:
        return float(bool(self.shows(now)))

    def state(self, now: float) -> str:
        return self.shows(now)

    def tells(self, now: float) -> str:
        return self.shows(now) or "blank"
