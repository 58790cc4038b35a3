"""The simulated boards, running: their ends of the links, and the world that is brought through time."""

from __future__ import annotations

import asyncio
from math import inf

from cavet.bench._alarm import Alarm
from cavet.bench._traffic import Traffic
from cavet.boards import Board, Outgoing, World
from cavet.clock import BenchClock
from cavet.links import BoardEnd
from cavet.record import Kind, Record


class BoardSide:
    """Brings the world to the present whenever something arrives or is due, and sends what the boards say."""

    def __init__(self, world: World, clock: BenchClock, record: Record) -> None:
        self.world = world
        self._clock = clock
        self._record = record
        self._alarm = Alarm(clock, self.turn)
        self._ports: dict[str, list[_Port]] = {name: [] for name in world.boards}

    def turn(self) -> None:
        """Bring the world to the present, and come back when something is due."""
        due = self.world.advance(self._clock.now())
        for name, board in self.world.boards.items():
            self._send(board, self._ports[name])
        self._alarm.set(due)

    def _send(self, board: Board, ports: list[_Port]) -> None:
        out = board.take_out()
        if not out:
            return
        delay = out[0].at - self._clock.now()  # a late board is late with all of it
        for port in ports:
            if delay > 0:
                asyncio.get_running_loop().call_later(delay, port.send, out, port.life)
            else:
                port.send(out, port.life)

    async def serve(self, board: str, end: BoardEnd, traffic: Traffic) -> str:
        """Put a board on one end of a link; give the address."""
        port = _Port(self, self.world.boards[board], end, traffic, self._clock, self._record)
        self._ports[board].append(port)
        return await end.start(port)

    def spoil_links(self) -> None:
        """Make the defects of the links take effect as they are switched now."""
        for name, ports in self._ports.items():
            lossy = [d for d in self.world.defects.values() if d.board == name and d.kind == "lossy" and d.on]
            for port in ports:
                port.traffic.losses.share = max((defect.share for defect in lossy), default=0.0)

    async def stop(self) -> None:
        """Take all boards off their links."""
        self._alarm.set(inf)
        for ports in self._ports.values():
            for port in ports:
                await port.end.stop()


class _Port:
    """Listens at one board's end."""

    def __init__(
        self, side: BoardSide, board: Board, end: BoardEnd, traffic: Traffic, clock: BenchClock, record: Record
    ) -> None:
        self.end = end
        self.traffic = traffic
        self.life = 0
        """Counts how often it was opened: what a late board had to say before that is not said any more."""
        self._side = side
        self._board = board
        self._clock = clock
        self._record = record
        self._is_open = False

    def _tell(self, value: str, note: str = "") -> None:
        self._record.append(Kind.LINK, self._board.name, "link", self.traffic.link, value, None, note)

    def opened(self) -> None:
        self._is_open = True
        self.life += 1
        self.traffic.begin()
        self._tell("open")
        self._board.opened(self._clock.now())
        self._side.turn()

    def received(self, data: bytes, offset: int) -> None:
        self._side.turn()
        self._board.feed(data, offset, self._clock.now(), self.traffic.passage.carried)
        self._side.turn()

    def closed(self, reason: str) -> None:
        self._is_open = False
        self._tell("shut", reason)
        self._board.closed(self._clock.now())
        self._side.turn()

    def send(self, out: list[Outgoing], life: int) -> None:
        """Say what the board had to say, in one go, if it is still the life that it was said in."""
        if not self._is_open or life != self.life:
            return
        data = out[0].data if len(out) == 1 else b"".join([outgoing.data for outgoing in out])
        end = self.end.write(data) - len(data)
        for outgoing in out:
            end += len(outgoing.data)
            if outgoing.cause is not None:
                self.traffic.told.note(end, outgoing.cause)
