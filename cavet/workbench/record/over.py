"""Another record laid over this one: its lanes, moved in time so that both begin alike, and what differs."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from pathlib import Path

from cavet.benchfile import Setup
from cavet.exports import Difference, Source, compare
from cavet.lanes import Lane, Lanes
from cavet.record import Event, Kind, RecordFile
from cavet.wording import WrongError, plain

SEEN = frozenset((
    Kind.ASKED, Kind.DRIVEN, Kind.MOVED, Kind.CONFIRMED, Kind.REFUSED, Kind.UNCONFIRMED, Kind.LOST, Kind.FAULT,
    Kind.BOARD, Kind.LEVEL, Kind.SENSED, Kind.DEFECT, Kind.MARK, Kind.STEP, Kind.REFLEX,
))  # fmt: skip
"""Where one of these differs, it is marked; readings, and the questions for them, differ by chance in every run."""
BY_TIME = "by time"
WITHIN = 0.005
"""So far apart times may be that count as the same, in s."""


class Over:
    """What another record says, `shift` s later than it says it."""

    def __init__(self, path: Path, setup: Setup) -> None:
        """Read it. Raises `WrongError`."""
        file = RecordFile(path)
        try:
            self._events = list(file.since(0))
            self._lanes = {lane.key: lane for lane in Lanes(setup).read(self._events, file.transfers()).all()}
        finally:
            file.close()
        self.name = plain(path.name)
        self.shift = 0.0
        self.aligned = self._way = BY_TIME
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

    def align(self, source: Source, t: float, command: Event | None = None) -> str:
        """Lay it another way: by time, by a flag of the same words (the one nearest to a time), by the same command,
        as many times given before; what is not there in both is left out. Tell which. Raises `WrongError` where
        nothing but time can lay both together."""
        ours = list(source.since(0))
        found = {BY_TIME: (0.0, BY_TIME)} | self._by_flag(ours, t) | self._by_command(ours, command)
        if len(found) == 1:
            expected = "a flag with the same words, or the command under the cursor, in both"
            raise WrongError("align", found="none", expected=expected)
        ways = list(found)
        self._way = ways[(ways.index(self._way) + 1) % len(ways)] if self._way in found else BY_TIME
        self.shift, self.aligned = found[self._way]
        self.compare_with(source)
        return f"{self.name} is laid {self.aligned}"

    def _by_flag(self, ours: list[Event], t: float) -> dict[str, tuple[float, str]]:
        """By how much, and in words: by the flag nearest to a time whose words are in both."""
        theirs = {event.note: event for event in self._events if event.kind is Kind.MARK}
        both = [event for event in ours if event.kind is Kind.MARK and event.note in theirs]
        if not both:
            return {}
        flag = min(both, key=lambda event: abs(event.t - t))
        return {"flag": (flag.t - theirs[flag.note].t, f"by the flag {plain(flag.note, 30)}")}

    def _by_command(self, ours: list[Event], command: Event | None) -> dict[str, tuple[float, str]]:
        """By how much, and in words: by a command that was given in both."""
        if command is None:
            return {}

        def given(events: list[Event]) -> list[Event]:
            like = (command.kind, command.board, command.subject, command.value)
            return [each for each in events if (each.kind, each.board, each.subject, each.value) == like]

        here, there = given(ours), given(self._events)
        place = next((place for place, each in enumerate(here) if each.number == command.number), None)
        if place is None or place >= len(there):
            return {}
        return {"command": (command.t - there[place].t, f"by the command to {plain(command.subject, 30)}")}

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
        return f"laid over: {self.name}, {found.words}"
