"""Where the transfers of a record belong: to which link, and in which stream of bytes."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable

from cavet.bench._building import BROKER
from cavet.benchfile._setup import Setup
from cavet.protocols import Decoder, Frame, Side
from cavet.record import Direction, Seat, Transfer

MOST_PROGRAMS = 512
"""So many programs of a link are known by their bytes."""
FORGOTTEN_SHARE = 0.25
"""Such a share of them is forgotten where there are more."""
SIDES = {Direction.TO_BOARD: Side.HOST, Direction.TO_HOST: Side.BOARD}


class Origins:
    """Says on which link a transfer is: where both ends are ours, it was heard twice, and counts once."""

    def __init__(self, setup: Setup) -> None:
        self._setup = setup
        self._ours: set[str] = set()
        """Programs on the broker that are this bench's own: they are heard at their own end."""

    def link_of(self, transfer: Transfer) -> str:
        """The link's name, `BROKER` for what programs of others say to our broker, "" for what is not to count."""
        links = self._setup.links
        if transfer.link == BROKER:
            name = transfer.client.partition("/")[0]
            if name in links and "/" in transfer.client:
                return name
            return BROKER if transfer.client not in self._ours else ""
        link = links.get(transfer.link)
        if link is None:
            return ""
        if link.broker:
            self._ours.add(transfer.client)
            return link.name
        wanted = Seat.BOARD if link.simulated else Seat.HOST
        return link.name if transfer.seat is wanted else ""


class LinkStream:
    """One direction of one program on a link: its decoder, and when its bytes passed."""

    def __init__(self, client: str, direction: Direction, decoder: Decoder) -> None:
        self.client = client
        self.direction = direction
        self.decoder = decoder
        self.pieces: deque[tuple[int, int, float, float, int]] = deque()
        """For bytes not yet in any frame: offset, end, times of both, the transfer's number."""
        self.end = 0
        self.latest = 0
        """The number of the transfer that it has taken last."""

    def take(self, transfer: Transfer) -> list[Frame]:
        """The frames that are whole with this transfer."""
        self.pieces.append(
            (transfer.offset, transfer.offset + len(transfer.data), transfer.begin, transfer.end, transfer.number)
        )
        self.end, self.latest = transfer.offset + len(transfer.data), transfer.number
        return list(self.decoder.feed(transfer.data))

    def times(self, first: int, last: int) -> tuple[float, float]:
        """When the bytes from `first` to before `last` passed."""
        while len(self.pieces) > 1 and self.pieces[0][1] <= first:
            self.pieces.popleft()
        begin = end = self.pieces[0][2]
        for at, until, t, then, _ in self.pieces:
            share = (then - t) / max(1, until - at)
            if at <= first < until:
                begin = t + (first - at) * share
            if at < last <= until:
                end = t + (last - at) * share
        return begin, max(begin, end)


class LinkStreams:
    """The streams of a link: both directions of each of its programs. A new one begins where a program has opened the
    link, or where bytes are missing: then both of its directions are read anew. Of many programs those are forgotten
    that have been silent for longest."""

    def __init__(
        self, passing: Callable[[], dict[Side, Decoder]], begun: Callable[[str], None] = lambda client: None,
        forgotten: Callable[[str], None] = lambda client: None,
    ) -> None:  # fmt: skip
        """`begun` is told of a program whose bytes are read anew, `forgotten` of one that nothing is known of any
        more."""
        self._make = passing
        self._begun = begun
        self._forgotten = forgotten
        self._streams: dict[tuple[str, Direction], LinkStream] = {}
        self._passing: dict[str, dict[Side, Decoder]] = {}

    def known(self, client: str, direction: Direction) -> LinkStream | None:
        """The stream of a program in a direction, where there is one."""
        return self._streams.get((client, direction))

    def of(self, transfer: Transfer) -> LinkStream:
        """The stream that a transfer goes on with."""
        client, key = transfer.client, (transfer.client, transfer.direction)
        stream = self._streams.get(key)
        if stream is not None and transfer.offset == stream.end:
            return stream
        if stream is not None or client not in self._passing:
            if stream is None and len(self._passing) >= MOST_PROGRAMS:
                self._make_room()
            self._passing[client] = self._make()
            self._begun(client)
            for other in Direction:
                self._streams.pop((client, other), None)
        decoder = self._passing[client][SIDES[transfer.direction]]
        made = self._streams[key] = LinkStream(client, transfer.direction, decoder)
        return made

    def _make_room(self) -> None:
        """Forget a share of the programs at once: to look for the next one each time takes longer than to read on."""
        latest: dict[str, int] = {}
        for stream in self._streams.values():
            latest[stream.client] = max(stream.latest, latest.get(stream.client, 0))
        for client in sorted(latest, key=lambda client: latest[client])[: int(MOST_PROGRAMS * FORGOTTEN_SHARE)]:
            self._forget(client)

    def _forget(self, client: str) -> None:
        del self._passing[client]
        for direction in Direction:
            self._streams.pop((client, direction), None)
        self._forgotten(client)
