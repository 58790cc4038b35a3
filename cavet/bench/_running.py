"""A whole bench, running: boards on their endpoints, sessions on their links, one record of it all."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, Mapping
from functools import partial
from typing import Any

import msgspec

from cavet.bench._at_broker import AtBroker
from cavet.bench._board_ends import board_end, rates_of, unit_of
from cavet.bench._board_side import BoardSide
from cavet.bench._building import RigNow, build_session, build_world
from cavet.bench._endpoint import Carrier, Endpoint, shown_address, simulated_boards, targets_of
from cavet.bench._faulting import Faulting
from cavet.bench._host_ends import elsewhere, over_memory
from cavet.bench._host_side import HostLink
from cavet.bench._kept_link import Sharing
from cavet.bench._traffic import ServedWay, Traffic, UsbWay
from cavet.bench._visit import Hung, MakeWay
from cavet.benchfile._adhoc import defect_from
from cavet.benchfile._reloading import Changes
from cavet.benchfile._setup import OWN, HostSetup, LinkSetup, Setup
from cavet.boards import World
from cavet.boards.firmware.mqtt import Station
from cavet.clock import BenchClock
from cavet.faults import FORESEEN, LOG, Fault, note_fault
from cavet.hosts import Asked, Point, Reading, Turns
from cavet.links import BoardEnd, DialEnd, HostEnd, MemoryLink, SharedLine, Tap, TappedEnd
from cavet.messaging import Pauses
from cavet.record import History, Kind, Record, Topic
from cavet.wording import WrongError, unknown

LISTEN_SECONDS = 1.0
LOOK_SECONDS = 0.002


class RunningBench:
    """The bench in operation. Make it inside the loop that is to run it."""

    def __init__(
        self,
        setup: Setup,
        *,
        carrier: Carrier = Carrier.REAL,
        boards: list[str] | None = None,
        hosts: bool = True,
        listen: str = "127.0.0.1",
        clock: BenchClock | None = None,
    ) -> None:
        self.setup = setup
        self.clock = clock or BenchClock.of_loop(asyncio.get_running_loop())
        self.record = Record(self.clock.time, begin=self.clock.begin)
        names = list(setup.boards) if boards is None else boards
        served = simulated_boards(setup)
        if boards is not None:
            names += sorted(targets_of(setup, set(boards)) - set(boards))
        names = [name for name in names if name in served]
        self._has_broker = any(
            link.broker == OWN and (link.board in names or not link.simulated) for link in setup.links.values()
        )
        self._chosen = boards
        """The boards that are wanted; `None` for all."""
        self._rig_now = RigNow()
        self.world: World = build_world(setup, names, self.record, broker=self._has_broker, rig_now=self._rig_now)
        self._board_ends: dict[str, BoardEnd] = {}
        self.board_side = BoardSide(self.world, self.clock, self.record)
        self.board_side.when_renamed = self._renamed
        self.host_links: dict[str, HostLink] = {}
        self.endpoints: list[Endpoint] = []
        self._carrier = carrier
        self._listen = listen
        self._with_hosts = hosts
        self.hosts_wait = False
        """Whether hosts open no link yet, until `begin`: somebody else is to have the time before."""
        self._traffic: dict[str, Traffic] = {}
        self._know_traffic()
        self._memory: dict[str, MemoryLink] = {}
        self._shared: dict[str, Sharing] = {}
        """The serial lines on which several hosts talk."""
        self._at_broker = AtBroker(
            self.board_side, self.record, carrier, setup.seed, self._memory, self._traffic, self.clock.begin
        )
        self.before_end: list[Callable[[], Awaitable[None]]] = []
        """What is under way here, and has to end in good order before the bench does."""

    async def start(self) -> None:
        """Put the boards on their endpoints, then open the hosts' links."""
        asyncio.get_running_loop().set_exception_handler(self._note_unforeseen)
        if self._has_broker and self._carrier is Carrier.REAL:
            await self._at_broker.start(self.setup.broker, self._listen)
        await self._serve_all()
        self.board_side.spoil_links()
        self.board_side.turn()
        await self._until_stations_listen()
        if self._with_hosts:
            for host in self.setup.hosts.values():
                await self._open_host(host.name)

    async def _until_stations_listen(self) -> None:
        """What is published as soon as the bench is there must not be lost. A broker that is slow is not waited for."""
        loop = asyncio.get_running_loop()
        deadline = loop.time() + LISTEN_SECONDS
        while self.kept_waiting and loop.time() < deadline:
            await asyncio.sleep(LOOK_SECONDS)

    @property
    def kept_waiting(self) -> list[Endpoint]:
        """Where boards are at a broker that has not let them in, or not granted what they listen to, so far."""
        boards = self.world.boards.items()
        waiting = {name for name, each in boards if isinstance(each.firmware, Station) and not each.firmware.listens}
        return [endpoint for endpoint in self.endpoints if endpoint.board in waiting]

    async def _join_broker(self, link: LinkSetup) -> None:
        """Put a board on its broker, ours or another."""
        end = DialEnd(await self._at_broker.end(link, "station"), Pauses(f"{self.setup.seed}/{link.name}"))
        traffic, make_way = self._at_broker.traffic_of(link, "station"), self._at_broker.way_of(self.setup, link)
        self._board_ends[link.name] = end
        address = await self.board_side.serve(link.board, end, traffic, link.protocol, 0.0, make_way)
        self.endpoints.append(Endpoint(board=link.board, link=link.name, kind=link.kind, address=address, setup=link))

    def _tap(self, link: str, client: str = "") -> Tap:
        return Tap(self.record, link, self.clock.begin, client)

    def _know_traffic(self) -> None:
        """What passes on each link; on a line that is shared all lose the same."""
        for link in sorted(self.setup.links.values(), key=lambda link: bool(link.shares)):
            if link.name not in self._traffic:
                there = self._traffic.get(link.shares)
                losses = there.losses if there is not None else None
                self._traffic[link.name] = Traffic(link.name, link.board, self.setup.seed, self.record, losses)

    async def _serve_all(self) -> None:
        """Put the boards on their links that are on none so far."""
        for link in self.setup.links.values():
            if not link.simulated or link.board not in self.world.boards or link.name in self._board_ends:
                continue
            leader = self._there(link)[0]
            if leader.name not in self._board_ends:
                await self._serve(leader)
            else:
                self._hang_on(link, leader)
        for line in {link.line for link in self.setup.links.values() if link.shares}:
            there = {link.board: unit_of(self.setup, link) for link in self._there(self.setup.links[line])}
            if line in self._board_ends:
                self.board_side.call_units(self._board_ends[line], there)

    def _ends_beside(self, end: BoardEnd, line: str) -> list[BoardEnd]:
        """An end of a line, and the others that it has: in memory, on a network, one for each further host."""
        return [end, *(each for name, each in self._board_ends.items() if name.startswith(f"{line}/"))]

    def _hang_on(self, link: LinkSetup, leader: LinkSetup) -> None:
        """Put one more board on a line that is there."""
        end = self._board_ends[link.name] = self._board_ends[leader.name]
        for each in self._ends_beside(end, link.line):
            self.board_side.hang_on(each, Hung(link.board, self._traffic[link.name], unit_of(self.setup, link)))
        there = next(each for each in self.endpoints if each.link == leader.name)
        self.endpoints.append(msgspec.structs.replace(there, board=link.board, link=link.name, setup=link))

    def _there(self, link: LinkSetup) -> list[LinkSetup]:
        """The links of its line whose boards are simulated here, that which leads first."""
        return [each for each in self.setup.on_line(link.line) if each.board in self.world.boards]

    async def _serve(self, link: LinkSetup) -> None:
        if link.broker:
            await self._join_broker(link)
            return
        if self._carrier is Carrier.MEMORY or link.kind == "buses":
            self._memory[link.line] = self._wire(link, "")
            end: BoardEnd = self._memory[link.line].board
        else:
            losses, tap = self._traffic[link.name].losses, self._tap(link.line)
            end = board_end(self.setup, link, losses, tap, self._listen, self.record)
        address = await self._put_on(link, end)
        shown = shown_address(link, address, self._carrier)
        for each in self._there(link):
            self._board_ends[each.name] = end
            if each.kind != "buses":  # in this process: nobody else can get there
                there = Endpoint(board=each.board, link=each.name, kind=each.kind, address=shown, setup=each)
                self.endpoints.append(there)

    def _wire(self, link: LinkSetup, client: str) -> MemoryLink:
        """A wire that stands for a link in memory; `client` is who is on it, where there are several."""
        rates, losses = rates_of(self.setup, link), self._traffic[link.name].losses
        tap = self._tap(link.line, client)
        return MemoryLink(link.line, link.byte_seconds, losses, tap, rates, client)

    async def _put_on(self, link: LinkSetup, end: BoardEnd) -> str:
        """Put the boards of a line on an end of it; give the address."""
        traffic = self._traffic[link.name]
        make_way: MakeWay = ServedWay
        if link.kind == "usb":
            make_way = partial(UsbWay, traffic=traffic, record=self.record, board=link.board, link=link.name)
        hung = [Hung(each.board, self._traffic[each.name], unit_of(self.setup, each)) for each in self._there(link)]
        return await self.board_side.serve(link.board, end, traffic, link.protocol, link.byte_seconds, make_way, hung)

    def _renamed(self, link: str, address: str) -> None:
        """A board is to be found elsewhere now."""
        shown = shown_address(self.setup.links[link], address, self._carrier)
        line = self.setup.links[link].line
        self.endpoints = [
            msgspec.structs.replace(each, address=shown) if each.setup.line == line else each for each in self.endpoints
        ]

    async def _open_host(self, name: str) -> None:
        host = self.setup.hosts[name]
        link = self.setup.links[host.link]
        if link.simulated and link.board not in self.world.boards:
            return
        session = build_session(self.setup, host, self.record)
        others = [each.name for each in self.setup.hosts_on(link) if each.name in self.host_links]
        if link.broker:
            who = f"host {name}" if others else "host"
            end, traffic = await self._at_broker.end(link, who), self._at_broker.traffic_of(link, who)
        else:
            end, traffic = await self._host_end(host, link, bool(others)), self._traffic[link.name]
        crossing = self._at_broker.crossing(link)
        opened = HostLink(host, link, session, end, traffic, self.clock, self.record, crossing)
        self.host_links[name] = opened
        if link.line in self._shared:
            opened.share(self._shared[link.line])
        if not self.hosts_wait:
            opened.start()

    def begin(self) -> None:
        """Hosts that have waited open their links."""
        self.hosts_wait = False
        for link in self.host_links.values():
            link.start()

    async def _host_end(self, host: HostSetup, link: LinkSetup, has_others: bool) -> HostEnd:
        """A host's end. Of a serial line there is one, which several hosts share; on a network each has its own."""
        if link.kind == "serial" and len(self.setup.hosts_on(link)) > 1:
            if link.line not in self._shared:
                self._shared[link.line] = Sharing(
                    SharedLine(self._end_of(link), partial(self._begin_on, link)), Turns()
                )
            return self._shared[link.line].line.end()
        if link.line in self._memory and has_others:
            key = f"{link.line}/{host.name}"
            wire = self._memory[key] = self._wire(link, host.name)
            self._board_ends[key] = wire.board
            await self._put_on(self._there(link)[0], wire.board)
            return wire.host
        return self._end_of(link)

    def _begin_on(self, link: LinkSetup) -> None:
        """A line that is shared is opened anew."""
        for each in self.setup.on_line(link.line):
            self._traffic[each.name].begin("")

    def _end_of(self, link: LinkSetup) -> HostEnd:
        if link.line in self._memory:
            return over_memory(self.setup, link, self._memory[link.line].host)
        offered = {endpoint.link: endpoint.address for endpoint in self.endpoints}
        end = elsewhere(self.setup, link, offered[link.name] if link.simulated else link.address)
        return TappedEnd(end, self._tap(link.line), link.byte_seconds)

    def _note_unforeseen(self, loop: asyncio.AbstractEventLoop, context: dict[str, Any]) -> None:
        """Something raised in a callback or a task: whose it was has ended; the rest goes on."""
        del loop
        error = context.get("exception")
        where = str(context.get("message", "the loop"))
        if error is None:
            LOG.error("%s", where)
            return
        words = note_fault(where, error)
        self.record.append(Kind.FAULT, "", Topic.LINK, "links", type(error).__name__, None, words)

    def fault_of(self, board: str) -> Fault | None:
        """What has stopped a board, or the session with it, if anything has."""
        name = self.setup.board_of(board)
        simulated = self.world.boards.get(name)
        if simulated is not None and simulated.fault is not None:
            return simulated.fault
        for host, link in self.host_links.items():
            if link.fault is not None and (host == board or link.link.board == name):
                return link.fault
        return None

    def is_ready(self, board: str) -> bool:
        """Whether the session with a board is up, and nothing has stopped either."""
        link = self.host_links.get(board)
        return link is not None and link.ready and self.fault_of(board) is None

    def restart(self, board: str) -> None:
        """Start a simulated board again, as after power-on, by its name or its host's; the sessions with it begin anew
        as well."""
        name = self.setup.board_of(board)
        links = [link for link in self.host_links.values() if link.link.board == name]
        if name in self.world.boards or not links:
            self.world.restart(name)
            self.board_side.turn()
        for link in links:
            link.open_anew(f"{name} was started again")

    def break_link(self, name: str) -> None:
        """Cut a link, until it is mended: both ends lose what is on its way. Raises `WrongError` for an unknown one."""
        wires, line = self._wires_of(name), self.setup.links[name].line
        for wire in wires:
            wire.cut()
        for host in self.host_links.values():
            if not wires and host.link.line == line:
                host.cut()

    def mend_link(self, name: str) -> None:
        """Make a link whole again; the ends find together by themselves."""
        for wire in self._wires_of(name):
            wire.mend()
        for host in self.host_links.values():
            if host.link.line == self.setup.links[name].line:
                host.mend()

    def _wires_of(self, name: str) -> list[MemoryLink]:
        """What stands for a link in memory; with a broker that is one wire for each end."""
        known = self.setup.links
        if name not in known:
            raise unknown("link", name, known)
        line = known[name].line
        return [wire for key, wire in self._memory.items() if key.partition("/")[0] == line]

    def memory_link(self, name: str) -> MemoryLink:
        """Give a link in memory, to cut or mend it."""
        return self._memory[name]

    # the head of the chain

    def point(self, name: str) -> Point:
        """Find a point by its name, or by `board.name`."""
        return self.setup.point(name)

    def link_of(self, point: Point) -> HostLink:
        """The link over which a point is asked and told."""
        return self.host_links[point.board]

    def reading(self, point: Point) -> Reading:
        """What was asked and got of a point."""
        return self.link_of(point).session.readings[point.name]

    def ask(self, point: Point, value: Asked, *, by: str, cause: int | None = None) -> int:
        """Want a point at a value; give the event that its trail begins with. `cause` is what that follows from."""
        return self.link_of(point).ask(point.name, value, by, cause)

    def rest(self, *, by: str) -> list[int]:
        """Send every output of every board to its rest value, now."""
        return [asked for link in self.host_links.values() for asked in link.rest(by)]

    # the outside world

    def act(self, part: str, do: str, *, seconds: float | None = None, value: float | None = None) -> None:
        """Do something to a part by hand."""
        self.board_side.turn()
        self.world.act(part, do, seconds=seconds, value=value)
        self.board_side.turn()

    def place(self, quantity: str, value: float) -> None:
        """Put a quantity of the rig somewhere by hand."""
        self.board_side.turn()
        self.world.place(quantity, value)
        self.board_side.turn()

    def switch_defect(self, name: str, on: bool) -> None:
        """Switch a defect on or off."""
        self.board_side.turn()
        self.world.switch_defect(name, on)
        self.board_side.spoil_links()
        self.board_side.turn()

    def make_defect(self, name: str, table: Mapping[str, Any]) -> None:
        """Make something wrong that is not in the file: a defect of another name, by its keys. Raises `WrongError`, or
        an `ExceptionGroup`."""
        if name in self.world.defects:
            raise WrongError("defect", found=f"{name} once more", expected="another name: this one is there")
        self.world.defects[name] = msgspec.structs.replace(defect_from(self.setup, name, table), on=False)
        self.switch_defect(name, table.get("on", True) is True)

    async def take_over(self, setup: Setup, changes: Changes) -> None:
        """Go on as a changed bench: what has not changed keeps its state and its endpoints. Raises `WrongError` or
        `UnreachableError` where that can't be, since a port is in use, say: then it goes on as it was."""
        before = self.setup
        try:
            await self._become(setup, changes)
        except FORESEEN:
            await self._become(before, changes)
            raise

    async def _become(self, setup: Setup, changes: Changes) -> None:
        for name in [name for name in self.host_links if name in changes.hosts]:
            stopped = self.host_links.pop(name)
            await stopped.stop()
            await self._withdraw(f"{stopped.link.line}/{name}")
        self._shared = {line: sharing for line, sharing in self._shared.items() if sharing.links}
        gone = [name for name, link in self.setup.links.items()
                if name in changes.links or link.board not in setup.boards]  # fmt: skip
        for name in gone:
            await self._withdraw(name)
        before, self.setup = self.setup, setup
        self._know_traffic()
        had_broker, self._has_broker = self._has_broker, any(link.broker == OWN for link in setup.links.values())
        served = simulated_boards(setup)
        wanted = setup.boards if self._chosen is None else {*self._chosen, *targets_of(setup, set(self._chosen))}
        names = [name for name in setup.boards if name in served and name in wanted]
        same = [name for name in names if name not in changes.boards and name in before.boards]
        world = build_world(
            setup, names, self.record, broker=self._has_broker, before=self.world, same=same, rig_now=self._rig_now
        )
        self.board_side.go_on_in(world)
        self.world = world
        if self._has_broker and not had_broker and self._carrier is Carrier.REAL:
            await self._at_broker.start(setup.broker, self._listen)
        await self._serve_all()
        self.endpoints = [msgspec.structs.replace(each, setup=setup.links[each.link]) for each in self.endpoints]
        self.board_side.spoil_links()
        self.board_side.turn()
        for host in setup.hosts.values() if self._with_hosts else ():
            if host.name not in self.host_links:
                await self._open_host(host.name)

    async def _withdraw(self, link: str) -> None:
        """Take a link away."""
        self._memory.pop(link, None)
        self.endpoints = [each for each in self.endpoints if each.link != link]
        end = self._board_ends.pop(link, None)
        if end is not None and end not in self._board_ends.values():  # the last of those that hung there
            await self.board_side.withdraw(end)
        elif end is not None:
            for each in self._ends_beside(end, self.setup.links[link].line):
                self.board_side.take_off(each, self.setup.links[link].board)
        self._traffic.pop(link, None)

    @property
    def history(self) -> History:
        """What whoever looks back finds: what is in memory."""
        return self.record

    @property
    def faulting(self) -> Faulting:
        """What makes faults at once."""
        return Faulting(self.setup, self.board_side, self._traffic, self.record)

    async def stop(self) -> None:
        """Shut everything; what is under way ends first."""
        for end in list(self.before_end):
            await end()
        for link in self.host_links.values():
            await link.stop()
        await self.board_side.stop()
