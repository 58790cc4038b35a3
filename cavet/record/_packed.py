"""Events and transfers that have lain for a while: columns, a third to a fifth of the room; made again at a look.

Each chunk keeps its columns for itself, so that it leaves memory whole. What most items of a chunk share with others
(who, about what, by which way) stands once in it; what few have (a note, bytes that were changed) by their places.
"""

from __future__ import annotations

from abc import abstractmethod
from array import array
from collections.abc import Iterator, Sequence
from itertools import accumulate
from typing import TypeVar, overload

from cavet.record._event import Event, Kind, Purpose, Reason, Topic
from cavet.record._transfer import Direction, Seat, Transfer

T = TypeVar("T")
About = tuple[Kind, str, Topic, str, Purpose, Reason]
Way = tuple[str, str, Seat, Direction]
NONE = -1


class _Numbers(dict[T, int]):
    """What has been asked for, each with its number."""

    def __missing__(self, key: T) -> int:
        number = self[key] = len(self)
        return number


class _Packed(Sequence[T]):
    """Items whose numbers follow each other."""

    __slots__ = ("_count", "_first")

    def __init__(self, first: int, count: int) -> None:
        self._first, self._count = first, count

    @abstractmethod
    def _at(self, place: int) -> T:
        """The item at a place that there is."""

    def __len__(self) -> int:
        return self._count

    def __iter__(self) -> Iterator[T]:
        return map(self._at, range(self._count))

    @overload
    def __getitem__(self, at: int) -> T: ...
    @overload
    def __getitem__(self, at: slice) -> list[T]: ...
    def __getitem__(self, at: int | slice) -> T | list[T]:
        if isinstance(at, slice):
            return list(map(self._at, range(*at.indices(self._count))))
        if not 0 <= at < self._count:
            at = range(self._count)[at]  # which counts from the end below 0, and raises where there is none
        return self._at(at)


class PackedEvents(_Packed[Event]):
    """A chunk of events."""

    __slots__ = ("_abouts", "_causes", "_moments", "_notes", "_values", "_what")

    def __init__(self, chunk: Sequence[Event]) -> None:
        super().__init__(chunk[0].number, len(chunk))
        self._moments = array("d", [each.t for each in chunk])
        self._causes = array("q", [NONE if each.cause is None else each.cause for each in chunk])
        self._values = tuple([each.value for each in chunk])
        self._notes = {place: each.note for place, each in enumerate(chunk) if each.note}
        numbers = _Numbers[About]()
        self._what = array("H", [numbers[e.kind, e.board, e.topic, e.subject, e.purpose, e.reason] for e in chunk])
        self._abouts = tuple(numbers)

    def _at(self, place: int) -> Event:
        kind, board, topic, subject, purpose, reason = self._abouts[self._what[place]]
        cause = self._causes[place]
        return Event(
            self._first + place, self._moments[place], kind, board, None if cause == NONE else cause, topic, subject,
            self._values[place], self._notes.get(place, ""), purpose, reason,
        )  # fmt: skip


class PackedTransfers(_Packed[Transfer]):
    """A chunk of transfers."""

    __slots__ = ("_begins", "_bounds", "_data", "_ends", "_events", "_offsets", "_sent", "_way", "_ways")

    def __init__(self, chunk: Sequence[Transfer]) -> None:
        super().__init__(chunk[0].number, len(chunk))
        self._data = b"".join([each.data for each in chunk])
        self._bounds = array("L", accumulate([len(each.data) for each in chunk], initial=0))
        self._sent = {place: each.sent for place, each in enumerate(chunk) if each.sent is not None}
        self._offsets = array("q", [each.offset for each in chunk])
        self._begins = array("d", [each.begin for each in chunk])
        self._ends = array("d", [each.end for each in chunk])
        self._events = array("q", [each.event for each in chunk])
        numbers = _Numbers[Way]()
        self._way = array("H", [numbers[each.link, each.client, each.seat, each.direction] for each in chunk])
        self._ways = tuple(numbers)

    def _at(self, place: int) -> Transfer:
        link, client, seat, direction = self._ways[self._way[place]]
        return Transfer(
            self._first + place, link, client, seat, direction, self._offsets[place], self._begins[place],
            self._ends[place], self._data[self._bounds[place] : self._bounds[place + 1]], self._sent.get(place),
            self._events[place],
        )  # fmt: skip
