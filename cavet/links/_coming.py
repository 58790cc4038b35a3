"""Waiting for an answer on a line."""

from __future__ import annotations

import asyncio
from math import inf


class Coming:
    """Puts a timeout off while an answer comes down a line where each byte takes `byte_seconds`: by the time of these
    bytes, of `most` of them, so that what never ends is no answer; and not beyond `until`, a time of the loop."""

    def __init__(self, timeout: asyncio.Timeout, byte_seconds: float, most: int, until: float = inf) -> None:
        self._timeout = timeout
        self._byte_seconds = byte_seconds
        self._left = most
        self._until = until

    def comes(self, size: int) -> None:
        """So many bytes have come, while the timeout runs."""
        counted = min(size, self._left)
        due = self._timeout.when()
        if due is None or self._timeout.expired() or not counted or not self._byte_seconds:
            return
        self._left -= counted
        self._timeout.reschedule(min(due + counted * self._byte_seconds, self._until))
