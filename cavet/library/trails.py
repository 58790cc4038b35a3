"""A trail as a script sees it: one wish, from where it was asked to where it got."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

from cavet.bench import Diagnosis
from cavet.hosts import Point
from cavet.record import STAGES, Kind, Value
from cavet.record import Trail as Followed

ENDS = {Kind.OVERTAKEN: "overtaken", Kind.UNCHANGED: "left out"}


class Stage(NamedTuple):
    """A stage that was reached: its name, when in bench seconds, and what was noted there."""

    stage: str
    t: float
    note: str


class Trail:
    """How one wish stood when this was made.

    `stages` are those that were reached, of asked, framed, carried, taken, driven, moved, confirmed. `delays` are the
    seconds between each and the one before, by the pair of their names. `ended` is "confirmed", "broken", "overtaken",
    "left out" (nothing had to be done), "done" (all was reached that can be seen), or "" while it goes on.
    """

    def __init__(self, trail: Followed, diagnosis: Diagnosis, point: Point | None) -> None:
        self.number = trail.number
        self.board = trail.root.board
        self.point = trail.point
        self.value = trail.root.value
        self._shown = _shown(self.value, point)
        self.by = trail.root.note
        reached = [(stage, event) for stage in STAGES if (event := trail.reached(stage)) is not None]
        self.stages = [Stage(stage.value, event.t, event.note) for stage, event in reached]
        self.delays = {(one.stage, other.stage): other.t - one.t for one, other in pairwise(self.stages)}
        self.broken_at = diagnosis.broken.value if diagnosis.broken is not None else None
        self.why = diagnosis.reason or (trail.stopped.note if trail.stopped is not None else "")
        self.mend = diagnosis.mend
        """What to try, where it broke."""
        self.ended = self._end(trail, diagnosis)
        self.refused = trail.stopped is not None and trail.stopped.kind is Kind.REFUSED

    def _end(self, trail: Followed, diagnosis: Diagnosis) -> str:
        if trail.reached(Kind.CONFIRMED) is not None and diagnosis.broken is None:
            return "confirmed"
        if trail.stopped is not None and trail.stopped.kind in ENDS:
            return ENDS[trail.stopped.kind]
        if diagnosis.broken is not None:
            return "broken"
        return "done" if diagnosis.is_over else ""

    def __str__(self) -> str:
        """A line for each stage, and where it broke."""
        begun = self.stages[0].t if self.stages else 0.0
        lines = [f"{self.board}.{self.point} = {self._shown}, {self.ended or 'under way'}"]
        lines += [f"  {stage:10} {1000 * (t - begun):10.3f} ms  {note}".rstrip() for stage, t, note in self.stages]
        if self.broken_at is not None:
            mend = f" → {self.mend}" if self.mend else ""
            lines.append(f"  stopped before {self.broken_at}: {self.why}{mend}")
        elif self.why:
            lines.append(f"  {self.why}")
        return "\n".join(lines)


def _shown(value: Value, point: Point | None) -> str:
    """What was wanted, in the point's own words; for a program of others the bytes that it has said."""
    if point is not None and not isinstance(value, bytes):
        return point.show(value)
    return value.hex(" ").upper() if isinstance(value, bytes) else str(value)
