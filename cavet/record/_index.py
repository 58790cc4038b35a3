"""Finding events: by their cause, by what they are about, by time. Made a chunk at a time, when somebody looks."""

from __future__ import annotations

import heapq
from array import array
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence

from cavet.record._event import Event, Kind, Topic

NEVER = 1 << 62
OF_THE_BENCH = frozenset((
    Topic.BOARD, Topic.DEFECT, Topic.LINK, Topic.PART, Topic.PIN, Topic.POINT, Topic.PRESENCE,
    Topic.REGISTER, Topic.RIG, Topic.SESSION, Topic.TUNE,
))  # fmt: skip
"""Topics whose subjects are those of the bench. What programs of others say has subjects without end."""
StateKey = tuple[str, Topic, str, Kind]
"""What stands until it changes: the latest event of a kind about a subject."""
SNAPSHOT_CHUNKS = 16
"""After so many chunks the whole state is kept, so that no look goes farther back."""
Shelf = tuple[list[int], list[Sequence[Event]]]
"""The number of each chunk's first event, and the chunks."""


class ChunkIndex:
    """The index of one chunk of events, by their places in it. It holds none of them: what looks brings the chunk,
    and each part is made at the first look for it."""

    def __init__(self) -> None:
        self._causes: tuple[array[int], array[int]] | None = None
        self._places: dict[StateKey, array[int]] | None = None

    def causes(self, events: Sequence[Event]) -> tuple[array[int], array[int]]:
        """The causes in their order, and the place of what follows from each."""
        if self._causes is None:
            pairs = sorted((event.cause, place) for place, event in enumerate(events) if event.cause is not None)
            self._causes = array("q", [cause for cause, _ in pairs]), array("H", [place for _, place in pairs])
        return self._causes

    def least_cause(self, events: Sequence[Event]) -> int:
        """Nothing in this chunk follows from an event before this one."""
        causes, _ = self.causes(events)
        return causes[0] if causes else NEVER

    def effects(self, events: Sequence[Event], number: int) -> array[int]:
        """The places of those that follow from an event."""
        causes, places = self.causes(events)
        return places[bisect_left(causes, number) : bisect_right(causes, number)]

    def places(self, events: Sequence[Event]) -> dict[StateKey, array[int]]:
        """The places of the events of each kind about each subject."""
        if self._places is None:
            found: dict[StateKey, array[int]] = {}
            for place, event in enumerate(events):
                key = (event.board, event.topic, event.subject, event.kind)
                if key in found:
                    found[key].append(place)
                else:
                    found[key] = array("H", (place,))
            self._places = found
        return self._places

    def course(
        self, events: Sequence[Event], board: str, topic: Topic, subject: str, kinds: Iterable[Kind]
    ) -> list[Event]:
        """Those about a subject, of some kinds."""
        places = self.places(events)
        of_each = [places[key] for kind in kinds if (key := (board, topic, subject, kind)) in places]
        return [events[place] for place in heapq.merge(*of_each)]


Indexed = tuple[int, Sequence[Event], ChunkIndex]
"""The number of a chunk's first event, the chunk, its index."""


class Index:
    """Looks things up in chunks, whose indexes it keeps as long as the chunks are there."""

    def __init__(self, shelf: Callable[[], Shelf]) -> None:
        self._shelf = shelf
        self._made: dict[int, ChunkIndex] = {}
        """By the number of a chunk's first event; only of chunks that are full."""
        self._snapshots: dict[int, dict[StateKey, int]] = {}
        self._prepared = 0
        self._before: dict[StateKey, Event] = {}
        """What stood before the first chunk that is there."""

    def left(self, start: int, events: Sequence[Event]) -> None:
        """A chunk leaves memory: what it was the last to tell of the bench still stands."""
        places = (self._made.get(start) or ChunkIndex()).places(events)
        self._before.update((key, events[of[-1]]) for key, of in places.items() if key[1] in OF_THE_BENCH)

    def _indexes(self) -> list[Indexed]:
        starts, chunks = self._shelf()
        found: list[Indexed] = [
            (start, events, self._made.setdefault(start, ChunkIndex()))
            for start, events in zip(starts[:-1], chunks[:-1], strict=True)
        ]
        found.append((starts[-1], list(chunks[-1]), ChunkIndex()))  # which still grows
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
                made = self._made.setdefault(start, ChunkIndex())
                for part in (made.causes, made.places):
                    part(events)
                self._prepared = start + len(events)
                most -= 1

    def effects(self, number: int) -> list[Event]:
        """The events that follow from one, directly: they stand behind it."""
        found: list[Event] = []
        *full, growing = self._from(number)
        for _, events, made in full:
            if made.least_cause(events) <= number:
                found += [events[place] for place in made.effects(events, number)]
        return found + [event for event in _behind(growing, number) if event.cause == number]

    def trail(self, root: int) -> list[Event]:
        """All events that follow from one, however far, oldest first; it itself is not among them."""
        members, latest = {root}, root
        found: list[Event] = []
        *full, growing = self._from(root)
        for start, events, made in full:
            if made.least_cause(events) > latest:
                continue
            causes, places = made.causes(events)
            own = []
            for cause, place in zip(causes, places, strict=True):  # effects stand behind their causes: once is enough
                if cause in members:
                    members.add(start + place)
                    own.append(place)
            if own:
                found += [events[place] for place in sorted(own)]
                latest = found[-1].number
        for event in _behind(growing, root):
            if event.cause in members:
                members.add(event.number)
                found.append(event)
        return found

    def _from(self, number: int) -> list[Indexed]:
        """The chunks from the one on in which an event is."""
        indexes = self._indexes()
        return indexes[max(0, bisect_right(indexes, number, key=_start) - 1) :]

    def course(self, board: str, topic: Topic, subject: str, kinds: Iterable[Kind] = ()) -> Iterator[Event]:
        """The events about a subject, oldest first; of these kinds, where some are named."""
        wanted = tuple(kinds) or tuple(Kind)
        for _, events, made in self._indexes():
            yield from made.course(events, board, topic, subject, wanted)

    def number_at(self, t: float) -> int:
        """The number of the first event behind a time."""
        starts, chunks = self._shelf()
        filled = chunks if chunks[-1] else chunks[:-1]
        place = max(0, bisect_right(filled, t, key=lambda events: events[0].t) - 1)
        return starts[place] + bisect_right(chunks[place], t, key=lambda event: event.t)

    def state_at(self, t: float) -> Mapping[StateKey, Event]:
        """What stood at a time: of each subject the latest event of each kind. What programs of others have said is
        known as far as it is in memory."""
        before = self.number_at(t)
        indexes = self._indexes()
        place = max(0, bisect_left(indexes, before, key=_start) - 1)
        start, events, made = indexes[place]
        state = self._state_before(indexes, place)
        for key, places in made.places(events).items():
            if earlier := bisect_left(places, before - start):
                state[key] = start + places[earlier - 1]
        there = {key: event for key, number in state.items() if (event := _event_in(indexes, number)) is not None}
        return {key: event for key, event in self._before.items() if event.t <= t} | there

    def _state_before(self, indexes: list[Indexed], place: int) -> dict[StateKey, int]:
        """The numbers of the events that stood before a chunk."""
        whole = place // SNAPSHOT_CHUNKS * SNAPSHOT_CHUNKS
        return _gone_on(self._snapshot(indexes, whole), indexes[whole:place])

    def _snapshot(self, indexes: list[Indexed], place: int) -> dict[StateKey, int]:
        """The same, kept."""
        if not place:
            return {}
        start, before = indexes[place][0], place - SNAPSHOT_CHUNKS
        if start not in self._snapshots:
            self._snapshots[start] = _gone_on(self._snapshot(indexes, before), indexes[before:place])
        return self._snapshots[start]


def _behind(growing: Indexed, number: int) -> Sequence[Event]:
    """The events of the chunk that still grows which stand behind one: these are gone through, not indexed."""
    start, events, _ = growing
    return events[max(0, number + 1 - start) :]


def _gone_on(state: dict[StateKey, int], chunks: list[Indexed]) -> dict[StateKey, int]:
    """What stands behind some chunks, where that stood before them."""
    state = dict(state)
    for start, events, made in chunks:
        state.update((key, start + places[-1]) for key, places in made.places(events).items())
    return state


def _event_in(indexes: list[Indexed], number: int) -> Event | None:
    """An event by its number; `None` where its chunk has left memory."""
    start, events, _ = indexes[max(0, bisect_right(indexes, number, key=_start) - 1)]
    return events[number - start] if number >= start else None


def _start(indexed: Indexed) -> int:
    return indexed[0]
