"""The messages that have passed a board's links, taken from the bytes in the record."""

from __future__ import annotations

from collections.abc import Iterable

from cavet.bench import BROKER, HostLink, LinkPlan, RunningBench
from cavet.library.codec import Decoded
from cavet.protocols import Codec, Decoder, Frame, Side, codec
from cavet.record import Direction, Event, Kind, Seat, Transfer
from cavet.wording import WrongError, listed, nearest

WHO = {Kind.TAKEN: Side.HOST, Kind.TOLD: Side.BOARD}
SIDES = {Direction.TO_BOARD: Side.HOST, Direction.TO_HOST: Side.BOARD}
MQTT_5 = 5
BY_EVENTS = ("usb", "buses")
"""What passes these links is no stream of messages: there the board tells what it has taken and said."""


class Passed(Decoded):
    """A message that has passed a link: `side` tells who said it, "host" or "board", `t` when it was whole."""

    side: str
    t: float

    @classmethod
    def decoded(cls, chosen: Codec, frame: Frame, side: Side, t: float) -> Passed:
        """One that was taken from a stream."""
        made = cls(chosen, frame)
        made.side, made.t = side.value, t
        return made

    @classmethod
    def told(cls, event: Event) -> Passed:
        """One that the board has told of: its name and its bytes."""
        assert isinstance(event.value, bytes)  # the caller has looked
        made = cls.__new__(cls)
        made.protocol, made.name, made.fields, made.wire = event.topic.value, event.subject, {}, event.value
        made.offset, made.problems = 0, []
        made.side, made.t = WHO[event.kind].value, event.t
        return made


def protocol_of(link: HostLink) -> str:
    """What a host speaks on its link, as `cavet encode` names it."""
    is_newer = link.link.protocol == "mqtt" and link.plan.client.version == MQTT_5
    return "mqtt5" if is_newer else link.link.protocol


def frames_of(running: RunningBench, board: str) -> list[Passed]:
    """All messages of a board's links, in the order in which they were whole. Raises `WrongError`.

    On USB and on a system's own buses they have names and bytes, and no fields. On a broker they are those of the host.
    """
    links = [link for link in running.plan.links.values() if link.board == board]
    if not links:
        known = sorted({link.board for link in running.plan.links.values()})
        raise WrongError("board", found=board, expected=f"one of {listed(known)}", nearest=nearest(board, known))
    hosts = {link.link.name: link for link in running.host_links.values()}
    transfers = running.record.transfers.since(0)
    found: list[Passed] = []
    for link in links:
        if link.protocol in BY_EVENTS:
            continue
        host = hosts.get(link.name)
        protocol = protocol_of(host) if host is not None else link.protocol
        found += _decoded(_of_link(transfers, link, host), protocol)
    if any(link.protocol in BY_EVENTS for link in links):
        found += _told(running.record.since(0), board)
    return sorted(found, key=lambda passed: passed.t)


def _of_link(transfers: list[Transfer], link: LinkPlan, host: HostLink | None) -> list[Transfer]:
    """The transfers of a link, each once: where both its ends are ours, both have heard it. On a broker the host is one
    client of several."""
    if link.broker:
        clients = host.clients if host is not None else set()
        near = [each for each in transfers if each.link == BROKER and each.client == f"{link.name}/host"]
        return near or [each for each in transfers if each.link == link.name and each.client in clients]
    own = [each for each in transfers if each.link == link.name]
    return [each for each in own if each.seat is Seat.BOARD] or own


def _told(events: Iterable[Event], board: str) -> Iterable[Passed]:
    for event in events:
        if event.board == board and event.kind in WHO and isinstance(event.value, bytes):
            yield Passed.told(event)


def _decoded(transfers: Iterable[Transfer], protocol: str) -> Iterable[Passed]:
    chosen = codec(protocol)
    decoders: dict[tuple[str, Direction], Decoder] = {}
    for transfer in transfers:
        key = (transfer.client, transfer.direction)
        side = SIDES[transfer.direction]
        if transfer.offset == 0 or key not in decoders:  # the link was opened
            decoders[key] = chosen.decoder(side)
        for frame in decoders[key].feed(transfer.data):
            yield Passed.decoded(chosen, frame, side, transfer.end)
