"""The simulated boards, running: their ends of the links, and the world that is brought through time."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable, Mapping
from functools import partial
from itertools import groupby
from math import inf
from operator import attrgetter

from cavet.bench._alarm import Alarm
from cavet.bench._leaping import Leaping, Saying
from cavet.bench._traffic import ServedWay, Traffic
from cavet.bench._visit import Hung, MakeWay, Visit
from cavet.boards import Board, Client, Outgoing, World
from cavet.boards.firmware import Broker
from cavet.clock import BenchClock, start_task
from cavet.faults import note_fault
from cavet.links import BoardEnd, Caller, DialEnd, NamedEnd
from cavet.record import Kind, Record, Topic
from cavet.wording import UnreachableError

LEAVE_SECONDS = 0.5
"""How long the boards' farewells may take to get to our own broker."""
CLIENT_OF = attrgetter("client")


class BoardSide:
    """Brings the world to the present whenever something arrives or is due, and sends what the boards say."""

    def __init__(self, world: World, clock: BenchClock, record: Record) -> None:
        self.world = world
        self.clock = clock
        self.visits: dict[Client, Visit] = {}
        self._record = record
        self._alarm = Alarm(clock, self._ring)
        self._seen = clock.time()
        """When absences were looked for last, in the loop's own time."""
        self._leaping = Leaping(clock, self._programs)
        self._ends: list[tuple[str, BoardEnd]] = []
        self._hung: dict[BoardEnd, list[Hung]] = {}
        """What hangs on each end: a board; on a line that is shared several, that which leads first."""
        self._units: dict[BoardEnd, dict[str, int]] = {}
        """The units of these by their names."""
        self._leading: dict[BoardEnd, list[Visit]] = {}
        """The programs there, at the board that leads."""
        self._renaming = asyncio.Lock()
        self._link_of: dict[BoardEnd, str] = {}
        self._renamed: dict[NamedEnd, str] = {}
        """Ends that are under another name than their first one, each with its link."""
        self.when_renamed: Callable[[str, str], None] = lambda link, address: None
        """Told the link and the address under which its board is to be found now."""
        self._stopped = False
        self.left = asyncio.Event()
        """Set when a program is gone."""

    def _ring(self) -> None:
        """Something is due."""
        due = self._leaping.go(self.world)
        if due is None:
            self.turn()
        elif not self._stopped:
            self._alarm.set(due)

    def _programs(self, board: Board) -> list[Saying]:
        """The programs at a board."""
        return [visit for visit in self.visits.values() if visit.board == board.name]

    def turn(self, at: float | None = None) -> None:
        """Bring the world to the present, and come back when something is due. Whoever gives the time `at` has noted
        absences until then."""
        world = self.world
        if at is None:
            at = self.clock.now()
            self.note_absence(at)
        due = world.advance(at)
        for board in world.all_boards:
            if board.may_speak or world.has_cables:
                out = world.attempt(board, board.take_out)
                if out:
                    self._send(out)
        if not self._stopped:
            self._alarm.set(due)

    def note_absence(self, now: float) -> None:
        """While nobody was here, no host was silent."""
        seen, self._seen = self._seen, self.clock.time()
        if away := self.clock.absences.since(seen, self._seen):
            self.world.was_away(now, away)

    def _send(self, out: list[Outgoing]) -> None:
        delay = out[0].at - self.world.now  # a late board is late with all of it
        if len(out) == 1:
            self._say(out[0].client, out, delay)
            return
        for client, said in groupby(out, key=CLIENT_OF):
            self._say(client, list(said), delay)

    def _say(self, client: Client, said: list[Outgoing], delay: float) -> None:
        visit = self.visits.get(client)
        if visit is None:
            return  # it is gone
        if delay > 0:  # until then it is not said yet, and others may say something before
            asyncio.get_running_loop().call_later(delay, visit.send, said)
        else:
            visit.send(said)

    async def serve(
        self,
        board: str,
        end: BoardEnd,
        traffic: Traffic,
        protocol: str,
        character: float,
        make_way: MakeWay = ServedWay,
        hung: list[Hung] | None = None,
    ) -> str:
        """Put a board on one end of a link; give the address. `make_way` says how causes pass over it; where more than
        one board is on that line, `hung` are all of them, that which leads first."""
        there = hung or [Hung(board, traffic)]
        self._ends.append((board, end))
        self._link_of[end] = traffic.link
        self._hung[end], self._leading[end] = there, []
        self._units[end] = {each.board: each.unit for each in there}

        def visit_of(each: Hung, caller: Caller) -> Visit:
            client = Client(protocol, character, lambda: caller.unread, self._units[end], each.board)
            return Visit(self, self.world.boards[each.board], caller, each.traffic, client, make_way)

        def welcome(caller: Caller) -> Visit:
            leader, *others = self._hung[end]
            visit = visit_of(leader, caller)
            visit.begin(
                self._leading[end], [visit_of(each, caller) for each in others], partial(visit_of, caller=caller)
            )
            return visit

        return await end.start(welcome)

    def hang_on(self, end: BoardEnd, hung: Hung) -> None:
        """Put one more board on a line; the programs there go on."""
        self._hung[end].append(hung)
        self._units[end][hung.board] = hung.unit
        for visit in self._leading[end]:
            visit.meet(hung)

    def take_off(self, end: BoardEnd, board: str) -> None:
        """Take a board off a line on which others stay; the programs there go on."""
        gone = next(each for each in self._hung[end] if each.board == board)
        self._hung[end].remove(gone)
        self._units[end].pop(board)
        for visit in self._leading[end]:
            visit.part_from(board)

    def call_units(self, end: BoardEnd, units: Mapping[str, int]) -> None:
        """The boards on a line have these units from now on."""
        self._units[end].update(units)

    def go_on_in(self, world: World) -> None:
        """Go on with another world: programs that are at a board which is another one now stay at its links."""
        now = self.clock.now()
        world.go_on(self.world, now)
        self.world = world
        for visit in list(self.visits.values()):
            visit.move_to(world.boards.get(visit.board), now)
        self.spoil_links()
        self.turn()

    async def withdraw(self, end: BoardEnd) -> None:
        """Take a board off a link for good."""
        place = next(place for place, (_, each) in enumerate(self._ends) if each is end)
        board, _ = self._ends.pop(place)
        hung = self._hung.pop(end)
        del self._units[end], self._leading[end]
        del self._link_of[end]
        for renamed in [each for each in self._renamed if each is end]:
            del self._renamed[renamed]
        await self._stop_end(board, end, hung)

    def spoil_links(self) -> None:
        """Make the defects of the links take effect as they are switched now."""
        on_lines = [hung for there in self._hung.values() for hung in there]
        for hung in on_lines:
            hung.traffic.losses.share = 0.0
        for hung in on_lines:  # a line that is shared loses as much as the worst of its boards makes it
            losses, spoiled = hung.traffic.losses, self.world.boards[hung.board].spoiled
            losses.share = max(losses.share, spoiled.lost)
            hung.traffic.meddling.take_up(spoiled)
        for board, end in self._ends:
            if isinstance(end, DialEnd):
                end.keep_away(self.world.boards[board].spoiled.away)
            if isinstance(end, NamedEnd) and self.world.boards[board].spoiled.renamed != (end in self._renamed):
                self._rename(self.world.boards[board], end)
        forgets = min((board.spoiled.forgets for board in self.world.all_boards), default=inf)
        brokers = [each for each in self.world.all_boards if isinstance(each.firmware, Broker)]
        if forgets < inf and not brokers:
            note = "the broker is none of ours: it can't be made to drop sessions"
            self._record.append(Kind.REMARK, "", Topic.BOARD, "broker", None, None, note)
        for each in brokers:
            if isinstance(each.firmware, Broker):
                self.world.attempt(each, each.firmware.forget_every, forgets, self.clock.now())
                each.wake = self.clock.now()

    def _rename(self, board: Board, end: NamedEnd) -> None:
        """Be under another name, or back under the first one."""
        back = end in self._renamed
        link = self._renamed.pop(end) if back else self._link_of[end]
        if not back:
            self._renamed[end] = link

        async def rename() -> None:
            async with self._renaming:  # one after the other, in the order in which it was switched
                try:
                    address = await end.rename(back=back)
                except UnreachableError as error:
                    self.tell(board, link, "shut", f"it can't be there under another name: {error}")
                    return
                self.tell(board, link, "renamed", f"now at {address}")
                self.when_renamed(link, address)

        start_task(rename())

    def tell(self, board: Board, link: str, value: str, note: str) -> None:
        """Tell of a link's state."""
        self._record.append(Kind.LINK, board.name, Topic.LINK, link, value, None, note)

    async def stop(self) -> None:
        """Switch all boards off, and take them off their links: those first that open them themselves."""
        self._stopped = True
        self._alarm.set(inf)
        dialled = [(board, end) for board, end in self._ends if isinstance(end, DialEnd)]
        served = [(board, end) for board, end in self._ends if not isinstance(end, DialEnd)]
        names = {end.name for _, end in dialled} - {""}
        for board, dial in dialled:
            await self._stop_end(board, dial, self._hung[dial])
        with contextlib.suppress(TimeoutError):  # a broker that hangs must not hold us
            async with asyncio.timeout(LEAVE_SECONDS):
                while any(visit.name in names for visit in self.visits.values()):
                    self.left.clear()
                    await self.left.wait()
        for board, end in served:
            await self._stop_end(board, end, self._hung[end])

    async def _stop_end(self, board: str, end: BoardEnd, hung: list[Hung]) -> None:
        for each in hung:
            stopped = self.world.boards.get(each.board)
            if stopped is None:
                continue
            self.world.attempt(stopped, stopped.stop, self.clock.now())
            out = self.world.attempt(stopped, stopped.take_out)
            if out:
                self._send(out)
        try:
            await end.stop()
        except Exception as error:  # noqa: BLE001
            note_fault(f"a link of {board} could not be shut", error)
