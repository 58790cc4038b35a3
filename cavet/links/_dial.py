"""A board's end that opens its link itself: to a broker."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from cavet.clock import start_task
from cavet.links._end import HostEnd, Listener, Welcome
from cavet.messaging import Pauses
from cavet.wording import UnreachableError

STEADY_SECONDS = 5.0
"""A connection that has lasted so long was a good one: the next pause is a short one again."""


class DialEnd:
    """Opens another end, and opens it again whenever it was lost, until it is stopped."""

    def __init__(self, end: HostEnd, pauses: Pauses) -> None:
        self._end = end
        self._pauses = pauses
        self._welcome: Welcome
        self._call: _Call | None = None
        self._task: asyncio.Task[None] | None = None
        self._changed = asyncio.Event()
        self._away = False

    @property
    def name(self) -> str:
        """By which the other end knows it."""
        return self._end.name

    async def start(self, welcome: Welcome) -> str:
        self._welcome = welcome
        await self._open()
        self._task = start_task(self._keep_open())
        return self._end.address

    async def _open(self) -> None:
        call = _Call(self._end, self._shut)
        call.listener = self._welcome(call)
        self._call = call
        try:
            await self._end.open(call)
        except UnreachableError:
            self._call = None
            raise

    async def _keep_open(self) -> None:
        while True:
            self._changed.clear()
            if self._call is None and not self._away:
                await asyncio.sleep(self._pauses.next())
                try:
                    await self._open()
                except UnreachableError:
                    continue
            else:
                await self._changed.wait()

    def _shut(self, lasted: float) -> None:
        self._call = None
        if lasted >= STEADY_SECONDS:
            self._pauses.succeeded()
        self._changed.set()

    def keep_away(self, away: bool) -> None:
        """Stay off the link, or come back to it."""
        if away == self._away:
            return
        self._away = away
        if away and self._call is not None:
            self._call.break_off("it was taken off its link")
        self._changed.set()

    async def stop(self) -> None:
        if self._task is not None:
            self._task.cancel()
        if self._call is not None:
            self._call.break_off("the board was switched off")
        self._end.close()


class _Call:
    """One connection, from its opening to its shutting."""

    def __init__(self, end: HostEnd, shut: Callable[[float], None]) -> None:
        self._end = end
        self._tell_shut = shut
        self._opened_at = 0.0
        self._open = False
        self.listener: Listener

    @property
    def name(self) -> str:
        return self._end.name

    @property
    def unread(self) -> int:
        """Not known: a board does not wait for its broker to read."""
        return 0

    def opened(self) -> None:
        self._open = True
        self._opened_at = asyncio.get_running_loop().time()
        self.listener.opened()

    def received(self, data: bytes, offset: int, at: float) -> None:
        self.listener.received(data, offset, at)

    def closed(self, reason: str) -> None:
        if self._open:
            self._open = False
            self.listener.closed(reason)
            self._tell_shut(asyncio.get_running_loop().time() - self._opened_at)

    def write(self, data: bytes) -> int:
        return self._end.write(data)

    def hang_up(self) -> None:
        self.break_off("the board has shut the connection")

    def break_off(self, reason: str) -> None:
        """Shut it; the listener is told."""
        self._end.close()
        self.closed(reason)
