"""Finding events: by their cause, by what they are about, by time. Made a chunk at a time, when somebody looks."""

from __future__ import annotations

from array import array
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import cached_property

from cavet.record._event import Event, Kind, Topic

NEVER = 1 << 62
StateKey = tuple[str, Topic, str, Kind]
"""What stands until it changes: the latest event of a kind about a subject."""
SNAPSHOT_CHUNKS = 16
"""After so many chunks the whole state is kept, so that no look goes farther back."""


class ChunkIndex:
    """The index of one chunk of events: each of its parts is made when it is wanted."""

    def __init__(self, events: Sequence[Event]) -> None:
        self._events = events

    @cached_property
    def _by_cause(self) -> tuple[array[int], array[int]]:
        """The causes in their order, and the place of what follows from each."""
        pairs = sorted((event.cause, place) for place, event in enumerate(self._events) if event.cause is not None)
        return array("q", [cause for cause, _ in pairs]), array("I", [place for _, place in pairs])

    @property
    def least_cause(self) -> int:
        """Nothing in this chunk follows from an event before this one."""
        causes, _ = self._by_cause
        return causes[0] if causes else NEVER

    def effects(self, number: int) -> list[Event]:
        """Those that follow from an event."""
        causes, places = self._by_cause
        found = places[bisect_left(causes, number) : bisect_right(causes, number)]
        return [self._events[place] for place in found]

    @cached_property
    def courses(self) -> dict[tuple[str, str], list[Event]]:
        """Those about a subject, by its board and its name."""
        found: dict[tuple[str, str], list[Event]] = {}
        for event in self._events:
            key = (event.board, event.subject)
            if key in found:
                found[key].append(event)
            else:
                found[key] = [event]
        return found

    @cached_property
    def last(self) -> dict[StateKey, Event]:
        """The latest event of each kind about each subject."""
        return {(event.board, event.topic, event.subject, event.kind): event for event in self._events}


class Index:
    """Looks things up in chunks, whose indexes it keeps as long as the chunks are there."""

    def __init__(self, shelf: Callable[[], tuple[list[int], list[list[Event]]]]) -> None:
        self._shelf = shelf
        self._made: dict[int, ChunkIndex] = {}
        """By the number of a chunk's first event; only of chunks that are full."""
        self._snapshots: dict[int, dict[StateKey, Event]] = {}
        self._prepared = 0

    def _indexes(self) -> list[tuple[int, list[Event], ChunkIndex]]:
        starts, chunks = self._shelf()
        found = []
        for place, (start, events) in enumerate(zip(starts, chunks, strict=True)):
            made = self._made.get(start)
            if made is None:
                made = ChunkIndex(list(events))
                if place < len(chunks) - 1:
                    self._made[start] = made
            found.append((start, events, made))
        self._forget(starts[0])
        return found

    def _forget(self, first: int) -> None:
        """Chunks before this number have left memory."""
        for kept in (self._made, self._snapshots):
            for start in [start for start in kept if start < first]:
                del kept[start]

    def prepare(self, most: int) -> None:
        """Index up to so many chunks that are full, so that a later look has less to do."""
        starts, chunks = self._shelf()
        self._forget(starts[0])
        for start, events in zip(starts[:-1], chunks[:-1], strict=True):
            if most and start >= self._prepared:
                made = self._made.setdefault(start, ChunkIndex(events))
                for part in (made.least_cause, made.courses, made.last):
                    del part  # making it is what counts
                self._prepared = start + len(events)
                most -= 1

    def effects(self, number: int) -> list[Event]:
        """The events that follow from one, directly."""
        return _effects(self._indexes(), number)

    def trail(self, root: int) -> list[Event]:
        """All events that follow from one, however far, oldest first; it itself is not among them."""
        members = {root}
        found: list[Event] = []
        indexes = self._indexes()
        starts = [start for start, _, _ in indexes]
        for _, events, made in indexes[max(0, bisect_right(starts, root) - 1) :]:
            if made.least_cause > (found[-1].number if found else root):
                continue  # effects stand behind their causes, so one look at each chunk is enough
            for event in list(events):
                if event.cause in members:
                    members.add(event.number)
                    found.append(event)
        return found

    def course(self, board: str, topic: Topic, subject: str, kinds: Iterable[Kind] = ()) -> Iterator[Event]:
        """The events about a subject, oldest first; of these kinds, where some are named."""
        wanted = set(kinds)
        for _, _, made in self._indexes():
            for event in made.courses.get((board, subject), ()):
                if event.topic == topic and (not wanted or event.kind in wanted):
                    yield event

    def number_at(self, t: float) -> int:
        """The number of the first event behind a time."""
        starts, chunks = self._shelf()
        firsts = [events[0].t for events in chunks if events]
        place = max(0, bisect_right(firsts, t) - 1)
        return starts[place] + bisect_right(chunks[place], t, key=lambda event: event.t)

    def state_at(self, t: float) -> Mapping[StateKey, Event]:
        """What stood at a time: of each subject the latest event of each kind."""
        before = self.number_at(t)
        indexes = self._indexes()
        starts = [start for start, _, _ in indexes]
        place = max(0, bisect_left(starts, before) - 1)
        state = dict(self._snapshot(indexes, place // SNAPSHOT_CHUNKS * SNAPSHOT_CHUNKS))
        for _, _, made in indexes[place // SNAPSHOT_CHUNKS * SNAPSHOT_CHUNKS : place]:
            state |= made.last
        start, events, _ = indexes[place]
        for event in events[: before - start]:
            state[event.board, event.topic, event.subject, event.kind] = event
        return state

    def _snapshot(self, indexes: list[tuple[int, list[Event], ChunkIndex]], place: int) -> dict[StateKey, Event]:
        """The state before a chunk."""
        if not place:
            return {}
        start = indexes[place][0]
        if start not in self._snapshots:
            state = dict(self._snapshot(indexes, place - SNAPSHOT_CHUNKS))
            for _, _, made in indexes[place - SNAPSHOT_CHUNKS : place]:
                state |= made.last
            self._snapshots[start] = state
        return self._snapshots[start]


def _effects(indexes: list[tuple[int, list[Event], ChunkIndex]], number: int) -> list[Event]:
    """What follows from an event stands behind it: only chunks from its own on are looked at."""
    starts = [start for start, _, _ in indexes]
    first = max(0, bisect_right(starts, number) - 1)
    near = [made for _, _, made in indexes[first:] if made.least_cause <= number]
    return [event for made in near for event in made.effects(number)]
