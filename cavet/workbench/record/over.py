"""Another record laid over this one: its lanes, moved in time so that both begin alike, and what differs."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from pathlib import Path

from cavet.bench import Plan
from cavet.exports import Difference, Source, compare
from cavet.lanes import Lane, Lanes
from cavet.record import Event, Kind, RecordFile
from cavet.wording import WrongError, plain

SEEN = frozenset((
    Kind.ASKED, Kind.DRIVEN, Kind.MOVED, Kind.CONFIRMED, Kind.REFUSED, Kind.UNCONFIRMED, Kind.LOST, Kind.FAULT,
    Kind.BOARD, Kind.LEVEL, Kind.SENSED, Kind.DEFECT, Kind.MARK, Kind.STEP, Kind.REFLEX,
))  # fmt: skip
"""Where one of these differs, it is marked; readings, and the questions for them, differ by chance in every run."""
WITHIN = 0.005
"""So far apart times may be that count as the same, in s."""


class Over:
    """What another record says, `shift` s later than it says it."""

    def __init__(self, path: Path, plan: Plan) -> None:
        """Read it. Raises `WrongError`."""
        file = RecordFile(path)
        try:
            self._events = list(file.since(0))
            self._lanes = {lane.key: lane for lane in Lanes(plan).read(self._events, file.transfers()).all()}
        finally:
            file.close()
        self.name = plain(path.name)
        self.shift = 0.0
        self.aligned = "by time"
        self.difference = Difference(None, (), (), ())
        self._times: list[float] = []

    def compare_with(self, source: Source) -> None:
        """Find what differs, as both are laid now."""
        self.difference = found = compare(source.since(0), self._events, WITHIN, self.shift)
        times = [event.t for event in found.only_a if event.kind in SEEN]
        times += [event.t + self.shift for event in found.only_b if event.kind in SEEN]
        self._times = sorted(times + [event.t for event, _ in found.later if event.kind in SEEN])

    def lane(self, lane: Lane) -> Lane | None:
        """The same lane there."""
        return self._lanes.get(lane.key)

    def align(self, source: Source, t: float) -> str:
        """Lay it so that a flag of the same words, the one nearest to a time, stands at one time in both; where there
        is none, by time again. Tell which. Raises `WrongError` where nothing can be laid together."""
        ours = [event for event in source.since(0) if event.kind is Kind.MARK]
        theirs = {event.note: event for event in self._events if event.kind is Kind.MARK}
        both = [(abs(event.t - t), event) for event in ours if event.note in theirs]
        if self.shift or not both:
            if not self.shift:
                expected = "a flag with the same words in both"
                raise WrongError("align", found="none", expected=expected)
            self.shift, self.aligned = 0.0, "by time"
        else:
            flag: Event = min(both, key=lambda pair: pair[0])[1]
            self.shift, self.aligned = flag.t - theirs[flag.note].t, f"by the flag {plain(flag.note, 30)}"
        self.compare_with(source)
        return f"{self.name} is laid {self.aligned}"

    def next(self, t: float, step: int) -> float | None:
        """When something differs next after a time, or before it."""
        times = self._times
        place = bisect_right(times, t + 1e-9) if step > 0 else bisect_left(times, t - 1e-9) - 1
        return times[place] if 0 <= place < len(times) else None

    def within(self, begin: float, end: float) -> list[float]:
        """When something differs in a time."""
        return self._times[bisect_left(self._times, begin) : bisect_right(self._times, end)]

    @property
    def words(self) -> str:
        """What there is to be said of both."""
        found = self.difference
        if found.same_until is None:
            return f"laid over: {self.name}, the same all along"
        return f"laid over: {self.name}, the same up to {found.same_until:.6g} s, then {found.count} events differ"
