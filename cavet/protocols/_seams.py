"""Where in a link's stream the bytes stood that somebody has heard."""

from __future__ import annotations

from collections import deque

MAX_SEAMS = 256


class Seams:
    """Who hears not all of a stream counts otherwise than the stream does: lost bytes, or what was for others, make the
    two differ."""

    def __init__(self) -> None:
        self._fed = 0
        self._seams: deque[tuple[int, int]] = deque(maxlen=MAX_SEAMS)

    def add(self, offset: int, size: int) -> None:
        """It hears `size` bytes that stood at `offset`."""
        if not self._seams or offset - self._fed != self._seams[-1][1] - self._seams[-1][0]:
            self._seams.append((self._fed, offset))
        self._fed += size

    @property
    def end(self) -> int:
        """Where in the stream the last byte stood that it has heard, and one."""
        return self.in_stream(self._fed)

    def in_stream(self, end: int) -> int:
        """Where in the stream the byte stood before the one that it counts as `end`, and one."""
        for fed, offset in reversed(self._seams):
            if fed < end:
                return offset + end - fed
        return end
