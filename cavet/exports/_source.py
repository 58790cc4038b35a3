"""Where an export reads: a record on disk, or one that is in memory and goes on."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Protocol

from cavet.record import Event, Record, Transfer


class Source(Protocol):
    """A record to be read from its beginning, or from a time on."""

    @property
    def about(self) -> Mapping[str, str]:
        """What it says of itself."""

    def since(self, number: int) -> Iterator[Event]: ...
    def transfers(self, number: int = 0) -> Iterator[Transfer]: ...
    def number_at(self, t: float) -> int: ...
    def latest(self) -> float: ...
    def boards(self) -> list[str]: ...


class InMemory:
    """A record as it stands now: what comes later is not read."""

    def __init__(self, record: Record, about: Mapping[str, str]) -> None:
        self._about = about
        self._record = record
        self._events, self._transfers = len(record), record.transfers.next

    @property
    def about(self) -> Mapping[str, str]:
        """What it is of."""
        return self._about

    def since(self, number: int) -> Iterator[Event]:
        """The events from a number on, oldest first."""
        return (event for event in self._record.since(number) if event.number < self._events)

    def transfers(self, number: int = 0) -> Iterator[Transfer]:
        """The transfers from a number on, oldest first."""
        return (each for each in self._record.transfers.since(number) if each.number < self._transfers)

    def number_at(self, t: float) -> int:
        """The number of the first event behind a time."""
        return self._record.number_at(t)

    def latest(self) -> float:
        """When the last event was, in s."""
        return self._record[self._events - 1].t if self._events > self._record.first else 0.0

    def boards(self) -> list[str]:
        """The boards that there are events of."""
        return sorted({event.board for event in self.since(0) if event.board})
