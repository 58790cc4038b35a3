"""A line that several hosts talk on: each as if it were its own, one after the other.

A device can be opened once, and on a serial line one may ask at a time. So it is opened for all of them, and what comes
goes to the one who has talked last: the others have asked nothing. Whose turn it is they settle among themselves.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from cavet.links._end import HostEnd, Listener


class SharedLine:
    """What is opened once, for all of its hosts."""

    def __init__(self, end: HostEnd, begin: Callable[[], None]) -> None:
        """`begin` is called whenever it is about to be opened: both directions count from 0."""
        self._end = end
        self._begin = begin
        self._there: dict[SharedEnd, Listener] = {}
        """The hosts that have it open."""
        self._talks: SharedEnd | None = None
        self._opening = asyncio.Lock()
        self.sent = 0
        """How many bytes have been sent on it since it was opened."""

    def end(self) -> SharedEnd:
        """An end for one more host."""
        return SharedEnd(self)

    @property
    def address(self) -> str:
        return self._end.address

    @property
    def name(self) -> str:
        return self._end.name

    async def open(self, end: SharedEnd, listener: Listener) -> None:
        """A host wants it open. Raises `UnreachableError`."""
        async with self._opening:
            if not self._there:
                self.sent = 0
                self._begin()
                try:
                    await self._end.open(self)
                except asyncio.CancelledError:
                    self._end.close()  # nobody has it: who wanted it is gone
                    raise
            self._there[end] = listener
        listener.opened()

    def write(self, end: SharedEnd, data: bytes) -> int:
        """A host sends bytes; give the offset behind the last of them, of all that were sent on the line."""
        self._talks = end
        self.sent = self._end.write(data)
        return self.sent

    def leave(self, end: SharedEnd) -> None:
        """A host lets go of it; the last one shuts it."""
        if self._there.pop(end, None) is not None and not self._there:
            self._end.close()

    # what the end tells

    def opened(self) -> None:
        """Each host is told when it has it."""

    def received(self, data: bytes, offset: int, at: float) -> None:
        listener = self._there.get(self._talks) if self._talks is not None else None
        if listener is not None:
            listener.received(data, offset, at)

    def closed(self, reason: str) -> None:
        listeners = list(self._there.values())
        self._there.clear()
        for listener in listeners:
            listener.closed(reason)


class SharedEnd:
    """One host's end of it."""

    def __init__(self, line: SharedLine) -> None:
        self.line = line

    @property
    def address(self) -> str:
        return self.line.address

    @property
    def name(self) -> str:
        return self.line.name

    async def open(self, listener: Listener) -> None:
        await self.line.open(self, listener)

    def write(self, data: bytes) -> int:
        return self.line.write(self, data)

    def close(self) -> None:
        self.line.leave(self)
