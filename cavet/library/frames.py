"""The messages that have passed a board's links, taken from the bytes in the record."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from cavet.bench import RunningBench
from cavet.library.codec import Decoded
from cavet.protocols import Decoder, Side, codec
from cavet.record import Direction, Event, Kind, Transfer
from cavet.wording import WrongError, listed, nearest

WHO = {Kind.TAKEN: Side.HOST, Kind.TOLD: Side.BOARD}
SIDES = {Direction.TO_BOARD: Side.HOST, Direction.TO_HOST: Side.BOARD}


BY_EVENTS = ("usb", "buses")
"""What passes these links is no stream of messages: there the board tells what it has taken and said."""


class Passed(Decoded):
    """A message that has passed a link: `side` tells who said it, "host" or "board", `t` when it was whole."""

    def __init__(self, protocol: str, name: str, fields: dict[str, Any], wire: bytes, side: Side, t: float) -> None:
        self.protocol, self.name, self.fields, self.wire = protocol, name, fields, wire
        self.offset, self.problems = 0, []
        self.side = side.value
        self.t = t


def frames_of(running: RunningBench, board: str) -> list[Passed]:
    """All messages of a board's links, in the order in which they were whole. Raises `WrongError`.

    On USB and on a system's own buses they have names and bytes, and no fields.
    """
    links = [link for link in running.plan.links.values() if link.board == board]
    if not links:
        known = sorted({link.board for link in running.plan.links.values()})
        raise WrongError("board", found=board, expected=f"one of {listed(known)}", nearest=nearest(board, known))
    formats = {}
    for link in links:
        formats[link.name] = formats[f"{link.name}/host"] = link.protocol
    streams = {name: protocol for name, protocol in formats.items() if protocol not in BY_EVENTS}
    found = [*_decoded(running.record.transfers.since(0), streams)]
    if len(streams) < len(formats):
        found += _told(running.record.since(0), board)
    return sorted(found, key=lambda passed: passed.t)


def _told(events: Iterable[Event], board: str) -> Iterable[Passed]:
    for event in events:
        if event.board == board and event.kind in WHO and isinstance(event.value, bytes):
            yield Passed(event.topic.value, event.subject, {}, event.value, WHO[event.kind], event.t)


def _decoded(transfers: Iterable[Transfer], formats: dict[str, str]) -> Iterable[Passed]:
    decoders: dict[tuple[str, str, Direction], Decoder] = {}
    for transfer in transfers:
        protocol = formats.get(transfer.link) or formats.get(transfer.client)
        if protocol is None:
            continue
        key = (transfer.link, transfer.client, transfer.direction)
        chosen = codec(protocol)
        side = SIDES[transfer.direction]
        if transfer.offset == 0 or key not in decoders:  # the link was opened
            decoders[key] = chosen.decoder(side)
        for frame in decoders[key].feed(transfer.data):
            made = Decoded(chosen, frame)
            passed = Passed(made.protocol, made.name, made.fields, made.wire, side, transfer.end)
            passed.offset, passed.problems = made.offset, made.problems
            yield passed
