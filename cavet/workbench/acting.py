"""Acting on the bench, which lives in a thread of its own: nobody waits for it; what comes of it comes back."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from concurrent.futures import Future
from typing import NamedTuple

from cavet.faults import FORESEEN, note_fault
from cavet.units import show_duration

SILENT_SECONDS = 1.0
"""After so long it is said that the bench does not answer."""
Post = Callable[[Callable[[], object]], "Future[object]"]
"""Has something done in the bench's thread, in the order in which it is asked for."""


class _Posted(NamedTuple):
    future: Future[object]
    at: float
    tell: Callable[[], str]
    done: Callable[[], None]


class Acting:
    """What was asked of the bench and has not come back yet."""

    def __init__(self, post: Post, now: Callable[[], float]) -> None:
        self._post = post
        self._now = now
        self._posted: deque[_Posted] = deque()
        self.woken: Callable[[], None] = lambda: None
        """Called in the bench's thread when something has been done: whoever shows what comes of it looks at once."""

    def do(
        self, act: Callable[[], object], tell: Callable[[], str] = str, done: Callable[[], None] = lambda: None
    ) -> None:
        """Have something done. `tell` gives what is to be said when it has gone well, "" for nothing; `done` is called
        however it went."""
        future = self._post(act)
        self._posted.append(_Posted(future, self._now(), tell, done))
        future.add_done_callback(lambda future: self.woken())

    @property
    def waits(self) -> bool:
        """Whether what was asked for last is still to be done: `woken` is called when it is."""
        return bool(self._posted) and not self._posted[-1].future.done()

    def come_back(self) -> list[str]:
        """What is to be said of all that has been done since: errors, too."""
        told = []
        while self._posted and self._posted[0].future.done():
            posted = self._posted.popleft()
            posted.done()
            error = posted.future.exception()
            if isinstance(error, FORESEEN):
                told.append(str(error))
            elif error is not None:
                told.append(f"that has failed: {note_fault('the bench', error)}")
            else:
                told.append(posted.tell())
        return [words for words in told if words]

    def silence(self) -> str:
        """What is said while the bench does not answer; "" while it does."""
        waited = self._now() - self._posted[0].at if self._posted else 0.0
        return f"the bench has not answered for {show_duration(waited)}" if waited > SILENT_SECONDS else ""
