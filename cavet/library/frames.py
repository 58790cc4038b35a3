"""The messages that have passed a board's links, taken from the bytes in the record."""

from __future__ import annotations

from collections.abc import Iterable

from cavet.bench import BROKER, HostLink, RunningBench, Spoken, spoken
from cavet.benchfile import LinkSetup
from cavet.library.codec import Decoded
from cavet.protocols import Decoder, Frame, Side
from cavet.record import Direction, Seat, Transfer
from cavet.wording import unknown

SIDES = {Direction.TO_BOARD: Side.HOST, Direction.TO_HOST: Side.BOARD}


class Passed(Decoded):
    """A message that has passed a link: `side` tells who said it, "host" or "board", `t` when it was whole."""

    def __init__(self, tongue: Spoken, frame: Frame, side: Side, t: float) -> None:
        super().__init__(tongue.codec_of(frame.message.NAME), frame, side, lambda: tongue.explained(frame, side))
        self.side, self.t = side.value, t


def decoded(tongue: Spoken, frame: Frame, side: Side) -> Decoded:
    """A frame as it was found on a link, as the library has it."""
    chosen = tongue.codec_of(frame.message.NAME)
    return Decoded(chosen, frame, side, lambda: tongue.explained(frame, side))


def frames_of(running: RunningBench, board: str) -> list[Passed]:
    """All messages of a board's links, in the order in which they were whole. Raises `WrongError`.

    On a broker they are those of the host; on a line that is shared those of its own unit.
    """
    name = running.setup.board_of(board)
    links = [link for link in running.setup.links.values() if link.board == name]
    if not links:
        known = sorted(running.setup.linked_boards)
        raise unknown("board", board, known)
    hosts = {link.link.name: link for link in running.host_links.values()}
    transfers = running.record.transfers.since(0)
    found: list[Passed] = []
    for link in links:
        passed = _decoded(_of_link(transfers, link, hosts.get(link.name)), spoken(running.setup, link))
        is_shared = len(running.setup.on_line(link.line)) > 1
        found += [each for each in passed if not is_shared or _board_of(running, link, each) == name]
    return sorted(found, key=lambda passed: passed.t)


def _board_of(running: RunningBench, link: LinkSetup, passed: Passed) -> str:
    """The board that a message on a shared line is to or from."""
    return running.setup.board_heard(link.line, passed.fields.get("unit"))


def _of_link(transfers: list[Transfer], link: LinkSetup, host: HostLink | None) -> list[Transfer]:
    """The transfers of a link, each once: where both its ends are ours, both have heard it. On a broker the host is one
    client of several."""
    if link.broker:
        clients = host.clients if host is not None else set()
        near = [each for each in transfers if each.link == BROKER and each.client == f"{link.name}/host"]
        return near or [each for each in transfers if each.link == link.name and each.client in clients]
    own = [each for each in transfers if each.link == link.line]
    return [each for each in own if each.seat is Seat.BOARD] or own


def _decoded(transfers: Iterable[Transfer], tongue: Spoken) -> Iterable[Passed]:
    conversations: dict[str, dict[Side, Decoder]] = {}
    heard: dict[str, set[Side]] = {}
    for transfer in transfers:
        who, side = transfer.client, SIDES[transfer.direction]
        if who not in conversations or (transfer.offset == 0 and side in heard[who]):  # the link was opened
            conversations[who], heard[who] = tongue.passing(), set()
        heard[who].add(side)
        for frame in conversations[who][side].feed(transfer.data):
            yield Passed(tongue, frame, side, transfer.end)
