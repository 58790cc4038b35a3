"""What whoever looks back needs of a record, in memory or on disk."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Protocol

from cavet.record._event import Event, Kind, Topic
from cavet.record._index import StateKey


class History(Protocol):
    """Events by their numbers, found by cause, by what they are about, by time."""

    def __getitem__(self, number: int) -> Event:
        """Give one event; `IndexError` where it is not there (any more)."""

    def __len__(self) -> int:
        """One more than the number of the last event."""

    @property
    def first(self) -> int:
        """The number of the oldest event that is there."""

    def since(self, number: int, most: int | None = None, /) -> Iterable[Event]:
        """The events from a number on, oldest first; so many at most."""

    def trail(self, root: int) -> list[Event]:
        """All events that follow from one, however far, oldest first; it itself is not among them."""

    def course(self, board: str, topic: Topic, subject: str, kinds: Iterable[Kind] = ()) -> Iterator[Event]:
        """The events about a subject, oldest first; of these kinds, where some are named."""

    def number_at(self, t: float) -> int:
        """The number of the first event behind a time."""

    def state_at(self, t: float) -> Mapping[StateKey, Event]:
        """What stood at a time: of each subject the latest event of each kind."""
