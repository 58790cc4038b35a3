"""A record as one person looks at it: read on with every frame; what would act on a bench is refused."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import Future

from cavet.bench import PastBench, PastStandings
from cavet.wording import WrongError
from cavet.workbench.desk import Desk

READ_SECONDS = 0.04
"""So long it is read on with each frame."""


class PastDesk(Desk):
    """A bench of which only a record is there."""

    def __init__(self, bench: PastBench) -> None:
        super().__init__(bench, _refuse, standings=PastStandings(bench))
        self._past = bench

    @property
    def past(self) -> str:
        return self._past.told

    def follow(self) -> None:
        self.stirs()

    def stirs(self) -> bool:
        """Read on; tell whether there was anything."""
        self._broken = None
        began, came = time.monotonic(), 0
        while came := came + self._past.read_on():
            if self._past.is_read or time.monotonic() - began > READ_SECONDS:
                break
        self.standings.follow()
        return came > 0


def _refuse(act: Callable[[], object]) -> Future[object]:
    del act
    refused: Future[object] = Future()
    refused.set_exception(WrongError("record", found="something to do", expected="a bench that runs; this is over"))
    return refused
