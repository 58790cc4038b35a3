"""What passes a link goes into the record: every byte, both ways, with what was lost or changed on the way."""

from __future__ import annotations

import asyncio
from typing import Protocol, cast

from cavet.links._end import ControlEnd, HostEnd, Listener
from cavet.links._wire import Watch
from cavet.record import Direction, Record, Seat


class Named(Protocol):
    """Who is called by a name."""

    name: str


class Tap:
    """The record's ear at one link. At `begin`, a time of the loop, the bench was started; `client` is who is on it,
    where there is only one."""

    def __init__(self, record: Record, link: str, begin: float, client: str = "") -> None:
        self._carry = record.carry
        self._link = link
        self._begin = begin
        self._client = client

    def watch(self, direction: Direction, client: Named | None = None) -> Watch:
        """Give what a wire at the board's end calls. `client` is who is on it, where there are several."""

        def watch(offset: int, begin: float, end: float, data: bytes, sent: bytes | None) -> None:
            began = begin - self._begin
            ended = began if end == begin else end - self._begin
            who = client.name if client is not None else self._client
            self._carry(self._link, who, Seat.BOARD, direction, offset, began, ended, data, sent)

        return watch

    def hear(self, client: str, direction: Direction, offset: int, begin: float, end: float, data: bytes) -> None:
        """Bytes have passed at the host's end."""
        begin, end = begin - self._begin, end - self._begin
        self._carry(self._link, client, Seat.HOST, direction, offset, begin, end, data)


class TappedEnd:
    """A host's end whose bytes are heard. On a line each takes `byte_seconds`."""

    def __init__(self, end: HostEnd, tap: Tap, byte_seconds: float) -> None:
        self._end = end
        self._tap = tap
        self._byte_seconds = byte_seconds
        self._busy_until = 0.0
        self._listener: Listener

    @property
    def address(self) -> str:
        return self._end.address

    @property
    def name(self) -> str:
        return self._end.name

    async def open(self, listener: Listener) -> None:
        self._listener = listener
        self._busy_until = 0.0
        await self._end.open(self)

    def write(self, data: bytes) -> int:
        begin = max(asyncio.get_running_loop().time(), self._busy_until)
        self._busy_until = begin + len(data) * self._byte_seconds
        end = self._end.write(data)
        self._tap.hear(self.name, Direction.TO_BOARD, end - len(data), begin, self._busy_until, data)
        return end

    async def control(self, setup: bytes) -> bytes:
        """Only at a USB device. What passes its control pipe is told by events, and is none of the stream's bytes."""
        return await cast(ControlEnd, self._end).control(setup)

    def close(self) -> None:
        self._end.close()

    # what the end tells

    def opened(self) -> None:
        self._listener.opened()

    def received(self, data: bytes, offset: int, at: float) -> None:
        begin = at - len(data) * self._byte_seconds
        self._tap.hear(self.name, Direction.TO_HOST, offset, begin, at, data)
        self._listener.received(data, offset, at)

    def closed(self, reason: str) -> None:
        self._listener.closed(reason)
