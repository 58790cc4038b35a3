"""A link in memory: both ends in one process, paced like a serial line. For fast time and for tests."""

from __future__ import annotations

import asyncio

from cavet.links._end import Listener, Welcome
from cavet.links._tap import Tap
from cavet.links._wire import Losses, Wire
from cavet.protocols.characters import garble
from cavet.record import Direction
from cavet.wording import UnreachableError

LEAST_BYTE_SECONDS = 1e-8
"""Nothing arrives in the same moment: else a question and its answer would call each other ever more deeply."""


class MemoryLink:
    """A line whose `board` and `host` are its two ends. `cut` breaks it until `mend`. `rates` are those of host and
    board in baud, where they differ: then neither understands the other."""

    def __init__(
        self, name: str, byte_seconds: float, losses: Losses, tap: Tap | None = None,
        rates: tuple[int, int] | None = None, client: str = "",
    ) -> None:  # fmt: skip
        """`client` is who is at the host's end, where there are others on such wires of the same board."""
        self.name = name
        self.client = client
        self.rates = rates
        self.board = MemoryBoard(self)
        self.host = _Host(self)
        pace = byte_seconds or LEAST_BYTE_SECONDS
        watches = (tap.watch(Direction.TO_BOARD), tap.watch(Direction.TO_HOST)) if tap is not None else (None, None)
        self.inward = Wire(self._to_board, pace, losses, watch=watches[0])
        self.outward = Wire(self._to_host, pace, losses, gathers=True, watch=watches[1])
        self.is_cut = False
        self.is_elsewhere = False
        """Whether its board is to be found under another name."""
        self._welcome: Welcome | None = None
        self._board_listener: Listener | None = None
        self._host_listener: Listener | None = None

    def _to_board(self, data: bytes, offset: int, at: float) -> None:
        if self._board_listener is not None and self._host_listener is not None:
            self._board_listener.received(data, offset, at)

    def _to_host(self, data: bytes, offset: int, at: float) -> None:
        if self._host_listener is not None:
            self._host_listener.received(data, offset, at)

    def serve(self, welcome: Welcome | None) -> None:
        self._welcome = welcome

    def open(self, listener: Listener) -> None:
        if self.is_cut or self.is_elsewhere or self._welcome is None:
            raise UnreachableError(self.name, "nothing is at the other end")
        self._host_listener = listener
        self._clear()
        self._board_listener = self._welcome(self.board)
        listener.opened()  # first, since a board may speak at once when it is told
        self._board_listener.opened()

    def close(self, reason: str) -> None:
        """Shut it; both sides are told but the one that asked."""
        if self._host_listener is None:
            return
        self._host_listener = None
        self._clear()
        if self._board_listener is not None:
            self._board_listener.closed(reason)

    def cut(self) -> None:
        """Break the line."""
        self.is_cut = True
        self.hang_up("the line was cut")

    def hang_up(self, reason: str) -> None:
        """Shut it at neither side's wish, or at the board's: both are told."""
        listener = self._host_listener
        self.close(reason)
        if listener is not None:
            listener.closed(reason)

    def hang_up_behind(self, reason: str) -> None:
        """The same at the board's wish, when what it has said has come over."""
        listener = self._host_listener

        def shut() -> None:
            if self._host_listener is listener:  # else it is another call by now
                self.hang_up(reason)

        asyncio.get_running_loop().call_at(self.outward.free_at + LEAST_BYTE_SECONDS, shut)

    def mend(self) -> None:
        """Make the line whole; the host has to open it anew."""
        self.is_cut = False

    def _clear(self) -> None:
        self.inward.clear()
        self.outward.clear()


class MemoryBoard:
    """The board's end."""

    def __init__(self, link: MemoryLink) -> None:
        self._link = link
        self.name = link.client

    async def start(self, welcome: Welcome) -> str:
        self._link.serve(welcome)
        return f"memory:{self._link.name}"

    def write(self, data: bytes) -> int:
        link = self._link
        if link.rates is None:
            return link.outward.send(data)
        return link.outward.send(garble(data, link.rates[1], link.rates[0]), said=data)

    @property
    def plain_wire(self) -> Wire | None:
        """The wire that what it says goes over as it is; `None` where it is garbled on the way."""
        return self._link.outward if self._link.rates is None else None

    @property
    def unread(self) -> int:
        return self._link.outward.waiting

    def hang_up(self) -> None:
        self._link.hang_up_behind("the board has shut the link")

    async def rename(self, *, back: bool) -> str:
        self._link.is_elsewhere = not back
        if not back:
            self._link.hang_up("the board has come back under another name")
        return f"memory:{self._link.name}{'' if back else ' elsewhere'}"

    async def stop(self) -> None:
        self._link.cut()
        self._link.serve(None)


class _Host:
    def __init__(self, link: MemoryLink) -> None:
        self._link = link
        self.name = link.client

    @property
    def address(self) -> str:
        return f"memory:{self._link.name}"

    async def open(self, listener: Listener) -> None:
        self._link.open(listener)

    def write(self, data: bytes) -> int:
        link = self._link
        if link.rates is None:
            return link.inward.send(data)
        return link.inward.send(garble(data, *link.rates), said=data)

    def close(self) -> None:
        self._link.close("the other end has shut the link")
