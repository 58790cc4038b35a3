"""What is done every so many seconds."""

from __future__ import annotations

from math import inf


class Rhythm:
    """Says when the next time is, in bench seconds; none where `seconds` are 0, or while it stands."""

    def __init__(self, seconds: float) -> None:
        self._seconds = seconds
        self.due = inf

    def stand(self) -> None:
        """There is no next time, until it is looked at again."""
        self.due = inf

    def has_come(self, now: float) -> bool:
        """Whether it is time; the first look begins the first stretch."""
        came = now >= self.due
        if self._seconds and (came or self.due == inf):
            self.due = now + self._seconds
        return came
