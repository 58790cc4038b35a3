"""A trail as a script sees it: one wish, from where it was asked to where it got."""

from __future__ import annotations

from typing import NamedTuple

from cavet.bench import Diagnosis
from cavet.boards import driven_words
from cavet.hosts import Point
from cavet.record import STAGES, Event, Kind, Topic, Value
from cavet.record import Trail as Followed
from cavet.wording import as_written

ENDINGS = ("confirmed", "broken", "overtaken", "left out", "done")
ENDS = {Kind.OVERTAKEN: "overtaken", Kind.UNCHANGED: "left out"}


class Stage(NamedTuple):
    """A stage that was reached: its name, when in bench seconds, and what was noted there."""

    stage: str
    t: float
    note: str


class Trail:
    """How one wish stood when this was made.

    `stages` are those that were reached, of asked, framed, carried, taken, driven, moved, confirmed. `delays` are the
    seconds from the one before to each, by the pair of their names. `ended` is "confirmed", "broken", "overtaken",
    "left out" (nothing had to be done), "done" (all was reached that can be seen), or "" while it goes on.
    """

    def __init__(self, trail: Followed, diagnosis: Diagnosis, point: Point | None) -> None:
        self.number = trail.number
        self.board = trail.root.board
        self.point = trail.point
        self.value = trail.root.value
        self.shown = _shown(self.value, point)
        """What was asked for, in words."""
        self.limited = trail.limited.note if trail.limited is not None else ""
        """Why it is not what was wanted, where it lay outside the point's limits, or could not be shown."""
        self.wanted = trail.limited.value if trail.limited is not None else self.value
        """What was wanted, before it was brought inside."""
        self.by = trail.root.note
        self.is_command = trail.is_of_a_point
        """Whether it is a wish for a point: else it is of another program, or said by hand."""
        taken = trail.reached(Kind.TAKEN)
        told = taken if taken is not None else trail.root
        self.message = told.subject if told.topic is Topic.MESSAGE else None
        """The message that the board has made of it, or that was read on its link."""
        reached = [(stage, event) for stage in STAGES if (event := trail.reached(stage)) is not None]
        self.stages = [Stage(stage.value, event.t, _noted(event)) for stage, event in reached]
        self.delays = _delays(self.stages)
        self.took = max((stage.t for stage in self.stages), default=0.0) - (self.stages[0].t if self.stages else 0.0)
        """From the first stage to the last, in s."""
        is_answered = trail.answered is not None and not self.is_command
        self.answered: float | None = trail.answered.t - trail.root.t if trail.answered and is_answered else None
        """How long the board took to answer another program, in s; `None` where it has not."""
        self.broken_at = diagnosis.broken.value if diagnosis.broken is not None else None
        self.why = diagnosis.reason or (trail.stopped.note if trail.stopped is not None else "")
        if trail.passed is not None and not trail.passed.value and not self.is_command:
            self.why = f"passed on to nobody: no client has subscribed to {trail.passed.subject}"
        self.mend = diagnosis.mend
        """What to try, where it broke."""
        self.ended = self._end(trail, diagnosis)
        self.refused = trail.stopped is not None and trail.stopped.kind is Kind.REFUSED

    def _end(self, trail: Followed, diagnosis: Diagnosis) -> str:
        if diagnosis.broken is not None:
            return "broken"
        if trail.reached(Kind.CONFIRMED) is not None:
            return "confirmed"
        if trail.stopped is not None and trail.stopped.kind in ENDS:
            return ENDS[trail.stopped.kind]
        return "done" if diagnosis.is_over else ""

    @property
    def what(self) -> str:
        """What was asked of which point; of a message of another program its board, its name and its bytes."""
        if self.is_command:
            return f"{self.board}.{self.point} = {self.shown}"
        is_told = self.message is None or self.shown.startswith(self.message)
        return f"{self.board} {self.shown}" if is_told else f"{self.board} {self.message} {self.shown}"

    def __repr__(self) -> str:
        limited = f"; limited: {self.limited}" if self.limited else ""
        return f"<{self.what}, {self.ended or 'under way'}{limited}>"

    def __str__(self) -> str:
        """A line for each stage, and where it broke."""
        begun = self.stages[0].t if self.stages else 0.0
        lines = [f"{self.what}, {self.ended or 'under way'}"]
        lines += [f"  limited: {self.limited}"] if self.limited else []
        lines += [f"  {stage:10} {1000 * (t - begun):10.3f} ms  {note}".rstrip() for stage, t, note in self.stages]
        if self.broken_at is not None:
            mend = f" → {self.mend}" if self.mend else ""
            lines.append(f"  stopped before {self.broken_at}: {self.why}{mend}")
        elif self.why:
            lines.append(f"  {self.why}")
        return "\n".join(lines)


def _noted(event: Event) -> str:
    """What was noted at a stage; of a pin also to what it was driven."""
    is_pin = event.kind is Kind.DRIVEN and event.topic is Topic.PIN
    return driven_words(event.note, event.value) if is_pin else event.note


def _delays(stages: list[Stage]) -> dict[tuple[str, str], float]:
    """How long after the stage before it each came: after the farthest one that was reached by then, since what is
    read back may be there before the part has arrived."""
    found = {}
    for place, stage in enumerate(stages):
        before = [each for each in stages[:place] if each.t <= stage.t]
        if before:
            found[before[-1].stage, stage.stage] = stage.t - before[-1].t
    return found


def _shown(value: Value, point: Point | None) -> str:
    """What was wanted, in the point's own words; for a program of others the bytes that it has said."""
    if point is not None and not isinstance(value, bytes):
        return point.show_asked(value)
    return as_written(value) if isinstance(value, bytes) else str(value)
