"""The ways to brokers: to our own, over the network or in memory by a wire for each who goes there; and to others."""

from __future__ import annotations

from functools import partial

from cavet.bench._board_side import BoardSide
from cavet.bench._building import BROKER
from cavet.bench._endpoint import Carrier
from cavet.bench._traffic import Crossing, DialledWay, FarWay, Traffic
from cavet.bench._visit import MakeWay
from cavet.benchfile import StationDevice
from cavet.benchfile._setup import OWN, LinkSetup, OwnBroker, Setup, split_address
from cavet.links import HostEnd, MemoryLink, Tap, TappedEnd, TcpClientEnd, TcpServerEnd
from cavet.record import Record

SPARE_CLIENTS = 8
"""So many more may connect than the broker lets in: they are told that it is full."""


class AtBroker:
    """Knows where our own broker is, and makes the ends of those who go to it, or to another one."""

    def __init__(
        self, side: BoardSide, record: Record, carrier: Carrier, seed: str, wires: dict[str, MemoryLink],
        traffic: dict[str, Traffic], begin: float,
    ) -> None:  # fmt: skip
        """`wires` and `traffic` are the bench's, by the names of links; at `begin`, a time of the loop, it was
        started."""
        self._side = side
        self._record = record
        self._carrier = carrier
        self._seed = seed
        self._wires = wires
        self._traffic = traffic
        self._begin = begin
        self._own = Traffic(BROKER, BROKER, seed, record)
        self._address = ""
        self._crossing = Crossing()

    async def start(self, own: OwnBroker, listen: str) -> None:
        """Let our own broker listen."""
        tls = own.tls.server("broker") if own.tls is not None else None
        most, tap = own.limits.clients + SPARE_CLIENTS, self._tap(BROKER)
        end = TcpServerEnd(listen, own.port, self._own.losses, most=most, tls=tls, tap=tap, who="the broker")
        self._address = await self._side.serve(BROKER, end, self._own, "mqtt", 0.0)

    def crossing(self, link: LinkSetup) -> Crossing | None:
        """What tells causes where a broker of others is between host and board."""
        return self._crossing if link.broker not in ("", OWN) else None

    def way_of(self, setup: Setup, link: LinkSetup) -> MakeWay:
        """How causes go over between a board and its broker."""
        if link.broker == OWN:
            return partial(DialledWay, record=self._record, board=link.board, link=link.name)
        device = setup.boards[link.board].device
        version = device.station.client.version if isinstance(device, StationDevice) else 4
        return lambda stream: FarWay(self._crossing, self._record, link.board, link.name, version)

    def traffic_of(self, link: LinkSetup, who: str) -> Traffic:
        """What passes between somebody on a link and its broker."""
        if link.broker == OWN and self._carrier is Carrier.REAL:
            return self._own
        name = f"{link.name}/{who}"
        return self._traffic.setdefault(name, Traffic(name, link.board, self._seed, self._record))

    async def end(self, link: LinkSetup, who: str) -> HostEnd:
        """An end that opens the way to a link's broker; in memory each has a wire of its own."""
        if self._carrier is Carrier.MEMORY:
            name, traffic = f"{link.name}/{who}", self.traffic_of(link, who)
            wire = self._wires[name] = MemoryLink(name, 0.0, traffic.losses, self._tap(BROKER, name))
            await self._side.serve(BROKER, wire.board, traffic, "mqtt", 0.0)
            return wire.host
        host, port = split_address(self._address if link.broker == OWN else link.broker)
        end = TcpClientEnd(host, port, link.tls.client(f"links.{link.name}") if link.tls is not None else None)
        return TappedEnd(end, self._tap(link.name), 0.0)

    def _tap(self, link: str, client: str = "") -> Tap:
        return Tap(self._record, link, self._begin, client)
