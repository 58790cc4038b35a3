"""From a record to a capture file: every byte that has passed, at the interface of its link."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Iterator
from itertools import count

from cavet.bench import BROKER, Origins, spoken
from cavet.benchfile import Setup
from cavet.exports._cut import Cut
from cavet.exports._lines import FIRST_CLIENT_PORT, Line, Piece, TcpLine, line_of, on_i2c, segments
from cavet.exports._pcapng import I2C, INBOUND, OUTBOUND, SERIAL, SPI, Interface, Packet, capture
from cavet.exports._source import Source
from cavet.protocols import i2c
from cavet.record import Event, Kind, Topic
from cavet.wording import WrongError, plain

OF_BUSES = {"i2c": I2C, "spi": SPI}


def pcapng(file: Source, setup: Setup, cut: Cut) -> Iterator[bytes]:
    """The blocks of a capture file."""
    lines = _lines(setup, cut)
    trails = _Trails(setup)
    pieces: list[Piece] = []
    buses: dict[str, Interface] = {}
    for event in file.since(0):
        if event.t > cut.end:
            break
        trails.note(event)
        if event.kind is Kind.BUS and event.t >= cut.begin and cut.holds(event):
            name = f"{event.board}.{event.subject}"
            buses[name] = Interface(name, OF_BUSES.get(event.subject, SERIAL))
            pieces += _on_bus(name, event)
    pieces += _passed(file, setup, cut, lines)
    interfaces = [each for line in lines.values() for each in line.interfaces]
    interfaces += [buses[name] for name in sorted(buses)]
    place = {each.name: number for number, each in enumerate(interfaces)}
    pieces.sort(key=lambda piece: piece.t)
    yield from capture(
        interfaces,
        (Packet(each.t, place[each.interface], each.direction, each.data, trails.comment(each)) for each in pieces),
    )


def _lines(setup: Setup, cut: Cut) -> dict[str, Line]:
    ports = count(FIRST_CLIENT_PORT)
    found: dict[str, Line] = {}
    for place, link in enumerate(setup.links.values(), 1):
        boards = {each.board for each in setup.on_line(link.name)}
        if not link.shares and (not cut.boards or not boards.isdisjoint(cut.boards)):
            found[link.name] = line_of(
                f"{link.board}.{link.name}", link, spoken(setup, link), place, lambda: next(ports)
            )
    others = next((link for link in setup.links.values() if link.protocol == "mqtt"), None)
    if others is not None and (not cut.boards or BROKER in cut.boards):
        tongue = spoken(setup, others)
        found[BROKER] = TcpLine(BROKER, others, tongue, len(setup.links) + 1, lambda: next(ports))
    return found


def _passed(file: Source, setup: Setup, cut: Cut, lines: dict[str, Line]) -> Iterator[Piece]:
    """What the links have carried in the times that are wanted. What came before is read as well: only so the messages
    that follow are understood, but connections begin with the first that is wanted."""
    origins = Origins(setup)
    cut_off: set[tuple[str, str]] = set()
    for transfer in file.transfers():
        line = lines.get(origins.link_of(transfer))
        if line is None:
            continue
        if transfer.end < cut.begin:
            line.pass_over(transfer)
            continue
        if transfer.end > cut.end:
            cut_off.add((line.name, transfer.client))
            continue
        yield from line.take(transfer)
    for line in lines.values():
        yield from line.rest()
        if isinstance(line, TcpLine):
            for client in list(line.clients):
                if (line.name, client) not in cut_off:
                    yield from line.ended(client, -math.inf)


def _on_bus(name: str, event: Event) -> Iterator[Piece]:
    """What has passed on a bus of a board's own."""
    data = event.value if isinstance(event.value, bytes) else b""
    if event.subject != "i2c":
        yield Piece(event.t, name, OUTBOUND, data, plain(event.note), data)
        return
    try:
        parts = segments(i2c.read_marks(event.note))
    except WrongError:
        parts = []
    if b"".join(parts) != data:
        parts = [data]
    for part in parts:
        way = INBOUND if part and part[0] & 1 else OUTBOUND
        yield Piece(event.t, name, way, on_i2c(part), plain(event.note), data)


class _Trails:
    """Finds the trail that bytes belong to."""

    def __init__(self, setup: Setup) -> None:
        self._roots: dict[int, int] = {}
        self._said: dict[tuple[str, bytes], deque[tuple[float, int]]] = {}
        self._interfaces: dict[str, list[str]] = {}
        for link in setup.links.values():
            there = setup.on_line(link.line)
            names = [*(host.name for host in setup.hosts_on(link)), *(each.board for each in there)]
            self._interfaces[f"{link.board}.{link.name}"] = list(dict.fromkeys(names))

    def note(self, event: Event) -> None:
        """Note the bytes that an event of a trail is about."""
        if event.kind is Kind.ASKED or (event.cause is None and event.kind is Kind.CARRIED):
            self._roots[event.number] = event.number
        elif event.cause in self._roots:
            self._roots[event.number] = self._roots[event.cause]
        root = self._roots.get(event.number)
        is_said = event.kind is Kind.FRAMED or (event.kind is Kind.CARRIED and event.topic is Topic.LINK)
        if root is not None and is_said and isinstance(event.value, bytes):
            self._said.setdefault((event.board, event.value), deque()).append((event.t, root))

    def comment(self, piece: Piece) -> str:
        """What is said of a packet."""
        for name in self._interfaces.get(piece.interface, ()):
            waiting = self._said.get((name, piece.said))
            if waiting and piece.direction == OUTBOUND and waiting[0][0] <= piece.t + 1e-6:
                return "; ".join(word for word in (f"trail {waiting.popleft()[1]}", piece.words) if word)
        return piece.words
