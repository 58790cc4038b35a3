"""One program at a board's link, from its opening to its shutting; on a line that is shared, at all boards there."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from functools import cached_property
from typing import Protocol

import msgspec

from cavet.bench._traffic import Stream, Traffic, Way
from cavet.boards import Board, Client, Outgoing, World
from cavet.clock import BenchClock
from cavet.links import Caller, MemoryBoard, Wire, event_at

LEAST_APART = 1e-6
"""What was said one after the other comes in that order."""
MakeWay = Callable[[Stream], Way]


class Side(Protocol):
    """The boards' side of a bench, as a program at one of its links needs it."""

    world: World
    clock: BenchClock
    visits: dict[Client, Visit]
    left: asyncio.Event

    def turn(self, at: float | None = None) -> None:
        """Bring the world to the present, and send what the boards say."""

    def note_absence(self, now: float) -> None:
        """While nobody was here, no host was silent."""

    def tell(self, board: Board, link: str, value: str, note: str) -> None:
        """Tell of a link's state."""


class Hung(msgspec.Struct, frozen=True, eq=False):
    """A board that hangs on an end: by which traffic it hears, and its unit where others hang there, too."""

    board: str
    traffic: Traffic
    unit: int = 0


class Visit:
    """One program at one of a board's links, from its opening to its shutting."""

    def __init__(
        self, side: Side, board: Board, caller: Caller, traffic: Traffic, client: Client, make_way: MakeWay
    ) -> None:
        self._side = side
        self._board = board
        self._caller = caller
        self._traffic = traffic
        self._client = client
        self._make_way = make_way
        self._known: Stream | None = None
        self._behind = 0.0
        """The loop's time until which what was said is held back."""
        self._beside: list[Visit] = []
        """The same program at the other boards of a line that is shared: what it hears they hear, too."""
        self._line: list[Visit] = []
        """All of these, on a line that is shared."""
        self._leading: list[Visit] = []

    @cached_property
    def _way(self) -> Way:
        """Looked for when the first bytes pass: by then the link is open on both sides."""
        self._known = self._traffic.of(self._caller.name)
        return self._make_way(self._known)

    def begin(self, leading: list[Visit], beside: list[Visit], meet: Callable[[Hung], Visit]) -> None:
        """It is at the board that leads on a line. `meet` makes what brings the program to one more board."""
        self._leading, self._beside, self._meet = leading, beside, meet
        self._join()

    def _join(self) -> None:
        """All that the program is at on this line know each other."""
        line = [self, *self._beside] if self._beside else []
        for visit in (self, *self._beside):
            visit._line = line

    def meet(self, hung: Hung) -> None:
        """One more board is on the line."""
        self._beside.append(self._meet(hung))
        self._join()
        self._beside[-1].opened()

    def part_from(self, board: str) -> None:
        """A board is on the line no more."""
        for visit in [visit for visit in self._beside if visit.board == board]:
            self._beside.remove(visit)
            self._join()
            visit.closed("the board was taken off the line")

    def opened(self) -> None:
        self._leading.append(self)
        self._open()
        for visit in self._beside:
            visit.opened()

    def _open(self) -> None:
        self._side.tell(self._board, self._traffic.link, "open", self._caller.name)
        self._side.visits[self._client] = self
        self._side.turn()
        self._side.world.attempt(self._board, self._board.opened, self._client, self._side.clock.now())
        self._side.turn()

    def _arrived(self, end: int, data: bytes) -> int:
        """The event behind a frame that ended there. On a line that is shared it may have been meant for another
        board, by a host of ours that talks to that."""
        known = event_at([visit.stream.passage for visit in self._line], end)
        return known if known is not None else self._way.arrived(end, data)

    @property
    def stream(self) -> Stream:
        """The causes that pass between the program and this board."""
        return self._traffic.of(self._caller.name)

    def received(self, data: bytes, offset: int, at: float) -> None:
        now = self._side.clock.of(at)
        world = self._side.world
        self._side.note_absence(now)
        world.catch_up(now)
        arrived = self._arrived if self._line else self._way.arrived
        if self._traffic.meddling.is_at_work and self._board.firmware.heeds(self._client, data, now):
            came, data = data, self._traffic.meddling.heard(data, now)
            if came and not data:
                self._way.missed(came)
        world.attempt(self._board, self._board.feed, self._client, data, offset, max(now, world.now), arrived)
        self._side.turn(now)
        for visit in self._beside:
            visit.received(data, offset, at)

    def closed(self, reason: str) -> None:
        if self in self._leading:
            self._leading.remove(self)
        self._close(reason)
        for visit in self._beside:
            visit.closed(reason)

    def _close(self, reason: str) -> None:
        self._side.tell(self._board, self._traffic.link, "shut", reason)
        del self._side.visits[self._client]
        if self._side.world.boards.get(self.board) is self._board:  # else it was taken away while it ran
            arrived = self._arrived if self._known is not None else None
            self._side.world.attempt(self._board, self._board.closed, self._client, self._side.clock.now(), arrived)
        if self._known is not None:
            self._traffic.forget(self._caller.name, self._known)
        self._side.turn()
        self._side.left.set()

    @property
    def board(self) -> str:
        """The board that it is at."""
        return self._board.name

    def move_to(self, board: Board | None, now: float) -> None:
        """The board is another one now; nothing where it is the same, or gone."""
        if board is not None and board is not self._board:
            self._board = board
            self._side.world.attempt(board, board.opened, self._client, now)

    def hang_up(self) -> None:
        """Shut its connection, as a board does that has lost its network."""
        self._caller.hang_up()

    @property
    def link(self) -> str:
        """The link that it has opened."""
        return self._traffic.link

    @property
    def name(self) -> str:
        """By which the link knows the program."""
        return self._caller.name

    def send(self, out: list[Outgoing]) -> None:
        """Say what the board had to say, in one go, if the program is still there."""
        if self._client not in self._side.visits:
            return
        late = 0.0
        if self._traffic.meddling.is_at_work:
            out, late = self._traffic.meddling.said(out, self._side.clock.now())
        if late or self._behind:  # nothing overtakes what is held back: no line and no stream does that
            loop = asyncio.get_running_loop()
            now = loop.time()
            if late or now < self._behind:
                self._behind = max(now + late, self._behind + LEAST_APART)
                loop.call_at(self._behind, self._put, out)
                return
        self._put(out)

    @property
    def wire(self) -> Wire | None:
        """The wire to it, in memory, where what is said goes over that at once and as it is."""
        held_back = self._traffic.meddling.is_at_work or self._behind
        return self._caller.plain_wire if isinstance(self._caller, MemoryBoard) and not held_back else None

    def bring(self, out: list[Outgoing], wire: Wire, at: float, leap: Callable[[float], None]) -> None:
        """What the board had to say comes over with nothing between."""
        end = wire.sent
        for outgoing in out:
            end += len(outgoing.data)
            if outgoing.cause is not None:
                self._way.said(end, outgoing.data, outgoing.cause)
        wire.bring(b"".join([outgoing.data for outgoing in out]), at, leap)

    def _put(self, out: list[Outgoing]) -> None:
        if not out or self._client not in self._side.visits:
            return
        data = out[0].data if len(out) == 1 else b"".join([outgoing.data for outgoing in out])
        end = self._caller.write(data) - len(data)  # also where there is nothing more to say than that it hangs up
        said = self._way.said
        for outgoing in out:
            end += len(outgoing.data)
            if outgoing.cause is not None:
                said(end, outgoing.data, outgoing.cause)
        if out[-1].hangs_up:
            self._caller.hang_up()
