"""A bench as a record tells of it: nothing of it runs. Who looks reads on while another process writes."""

from __future__ import annotations

from itertools import islice, takewhile

from cavet.bench._circumstances import Circumstances
from cavet.bench._endpoint import Carrier
from cavet.bench._running import RunningBench
from cavet.bench._standing import Standings
from cavet.bench._then import Evidence
from cavet.benchfile._setup import Setup
from cavet.clock import BenchClock
from cavet.record import Event, History, RecordFile, Trail

AT_ONCE = 4096
"""So many events, and so many transfers, are read at each look."""


class _PastClock(BenchClock):
    """Stands at the last moment that the record tells of."""

    def __init__(self) -> None:
        self.latest = 0.0
        super().__init__(lambda: self.latest)


class PastStandings(Standings):
    """How trails stood, as far as the record has been read."""

    def __init__(self, bench: RunningBench) -> None:
        super().__init__(bench)
        self._evidence = Evidence()

    def follow(self) -> list[Event]:
        events = super().follow()
        for event in events:
            self._evidence.note(event)
        return events

    def _circumstances(self, trail: Trail) -> Circumstances:
        setup = self._bench.setup
        point = setup.point_of(trail)
        return self._evidence.circumstances(trail, setup, point)


class PastBench(RunningBench):
    """What was wired to what, and all that happened there."""

    def __init__(self, setup: Setup, file: RecordFile) -> None:
        self._stands = _PastClock()
        super().__init__(setup, carrier=Carrier.MEMORY, boards=[], hosts=False, clock=self._stands)
        self._file = file
        self.is_read = False
        """Whether all that is there has been read."""

    def read_on(self, most: int = AT_ONCE) -> int:
        """Read what has come since; give how many events and transfers that were. No transfer comes before the events
        that were told before it. Raises `WrongError` where the file can't be read any more."""
        record = self.record
        transfers = list(islice(self._file.transfers(record.transfers.next), most))
        events = list(self._file.since(len(record), most))
        for event in events:
            record.restore(event)
        if len(events) == most:
            transfers = list(takewhile(lambda transfer: transfer.event <= len(record), transfers))
        for transfer in transfers:
            record.restore_transfer(transfer)
        if events:
            self._stands.latest = max(self._stands.latest, events[-1].t)
        if transfers:
            self._stands.latest = max(self._stands.latest, transfers[-1].end)
        self.is_read = max(len(events), len(transfers)) < most
        return len(events) + len(transfers)

    @property
    def history(self) -> History:
        """All of it, where it lies: memory may hold less."""
        return self._file

    @property
    def told(self) -> str:
        """What is known of how the record ended."""
        if not self.is_read:
            return f"a record, being read: {len(self.record)} events so far"
        return {"done": "a record, whole", "cut": "a record that was cut"}.get(
            self._file.ended(), "a record, still written"
        )
