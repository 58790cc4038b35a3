"""What both ends of a link share: by which events its bytes were sent."""

from __future__ import annotations

from collections import deque
from typing import Protocol

import msgspec

from cavet.bench._meddling import Meddling
from cavet.links import Ledger, Losses, Passage
from cavet.messaging import read_publish
from cavet.protocols import Side, usb
from cavet.record import Kind, Purpose, Record, Topic

MAX_TOPICS = 1024
MAX_CROSSINGS = 64


class Stream:
    """The causes that pass over a link between its board and one program."""

    def __init__(self, record: Record, board: str, link: str) -> None:
        self.passage = Passage(record, board, link)
        """From host to board."""
        self.told = Ledger()
        """From board to host."""


class Way(Protocol):
    """How causes go over with a board's bytes."""

    def arrived(self, end: int, data: bytes) -> int:
        """Give the event behind a frame that the board has read, which ends at this offset."""

    def said(self, end: int, data: bytes, cause: int) -> None:
        """The board has said a frame that ends at this offset."""

    def missed(self, data: bytes) -> None:
        """Bytes have come over the link, and the board has not heard them. The stream's offsets go on by themselves:
        only who counts something else has to take note."""


class ServedWay:
    """A program has opened the board's link."""

    def __init__(self, stream: Stream) -> None:
        self.arrived = stream.passage.carried
        self._told = stream.told

    def said(self, end: int, data: bytes, cause: int) -> None:
        self._told.note(end, cause)

    def missed(self, data: bytes) -> None:
        """It is counted by the stream."""


class UsbWay:
    """A program has imported the board as a USB device: what passes at its endpoints is counted, not the bytes around
    it, since our own host does not know these."""

    def __init__(self, stream: Stream, traffic: Traffic, record: Record, board: str, link: str) -> None:
        self._stream = stream
        self._traffic = traffic
        self._record = record
        self._board = board
        self._link = link
        self._out = self._in = 0

    @property
    def _shared(self) -> Stream:
        """In memory, the host begins its stream anew when the device is imported, behind the first bytes."""
        return self._traffic.only or self._stream

    def arrived(self, end: int, data: bytes) -> int:
        report = usb.ip.payload_out(data)
        if report is None:
            return self._record.append(
                Kind.CARRIED, self._board, Topic.LINK, self._link, data, None, purpose=Purpose.READ_BACK
            )
        self._out += len(report)
        return self._shared.passage.carried(self._out, report)

    def missed(self, data: bytes) -> None:
        self._out += len(usb.ip.payload_out(data) or b"")

    def said(self, end: int, data: bytes, cause: int) -> None:
        report = usb.ip.payload_in(data)
        if report:
            self._in += len(report)
            self._shared.told.note(self._in, cause)


class DialledWay:
    """The board has opened its link, to our own broker, whose way this is from the other end."""

    def __init__(self, stream: Stream, record: Record, board: str, link: str) -> None:
        self._stream = stream
        self._record = record
        self._board = board
        self._link = link

    def arrived(self, end: int, data: bytes) -> int:
        found = self._stream.told.find(end)
        return found if found is not None else _from_outside(self._record, self._board, self._link, data)

    def said(self, end: int, data: bytes, cause: int) -> None:
        self._stream.passage.hand_over(end, cause)

    def missed(self, data: bytes) -> None:
        """It is counted by the stream."""


def _from_outside(record: Record, board: str, link: str, data: bytes) -> int:
    return record.append(Kind.CARRIED, board, Topic.LINK, link, data, purpose=Purpose.OUTSIDE)


class Crossing:
    """Messages that pass over a broker of others, which hands on no causes: a message that arrives follows from the
    one that was sent with the same topic and payload; of several the first that this receiver has not had yet."""

    def __init__(self) -> None:
        self._sent: dict[tuple[str, bytes], deque[tuple[int, int]]] = {}
        self._had: dict[tuple[str, str, bytes], int] = {}
        self._count = 0
        self._aliases: dict[tuple[str, Side, int], str] = {}

    def _key(self, who: str, data: bytes, version: int, side: Side) -> tuple[str, bytes] | None:
        """Topic and payload of a publish packet, its alias made out; each connection gives its aliases anew."""
        found = read_publish(data, version, side)
        if found is None:
            return None
        topic, payload, alias = found
        if alias and topic:
            self._aliases[who, side, alias] = topic
        topic = topic or self._aliases.get((who, side, alias), "")
        return (topic, payload) if topic else None

    def note(self, sender: str, data: bytes, version: int, cause: int) -> None:
        """A packet was sent; only those that publish are of interest."""
        key = self._key(sender, data, version, Side.HOST)
        if key is None:
            return
        self._count += 1
        self._sent.setdefault(key, deque(maxlen=MAX_CROSSINGS)).append((self._count, cause))
        if len(self._sent) > MAX_TOPICS:
            del self._sent[next(iter(self._sent))]

    def find(self, receiver: str, data: bytes, version: int) -> int | None:
        """The event behind a packet that has arrived."""
        key = self._key(receiver, data, version, Side.BOARD)
        sent = self._sent.get(key) if key is not None else None
        if key is None or not sent:
            return None
        had = self._had.get((receiver, *key), 0)
        number, cause = next(((number, cause) for number, cause in sent if number > had), sent[-1])
        self._had[receiver, *key] = number
        if len(self._had) > MAX_TOPICS:
            del self._had[next(iter(self._had))]
        return cause


class FarWay(msgspec.Struct, frozen=True):
    """The board has opened its link, to a broker of others."""

    crossing: Crossing
    record: Record
    board: str
    link: str
    version: int

    def arrived(self, end: int, data: bytes) -> int:
        found = self.crossing.find(f"board {self.board}", data, self.version)
        return found if found is not None else _from_outside(self.record, self.board, self.link, data)

    def said(self, end: int, data: bytes, cause: int) -> None:
        self.crossing.note(f"board {self.board}", data, self.version, cause)

    def missed(self, data: bytes) -> None:
        """Here messages are counted by what is in them."""


class Traffic:
    """What passes over one link, and its losses.

    Several programs can be on a link at once. Ours says by which name the board's side knows it; the stream of that
    name is then the same object on both sides, so that causes go over with the bytes.
    """

    def __init__(self, link: str, board: str, seed: str, record: Record, losses: Losses | None = None) -> None:
        self.link = link
        self.board = board
        self.losses = losses or Losses(f"{seed}/{link}")
        self.meddling = Meddling(link, board, seed, record)
        """The faults that are made at once."""
        self._record = record
        self._streams: dict[str, Stream] = {}

    def begin(self, name: str) -> Stream:
        """Our host has opened the link: both directions count from 0."""
        if not name:  # the only one that can be there: what was before it is over
            self._streams.clear()
        return self.of(name)

    @property
    def only(self) -> Stream | None:
        """The stream of a program without a name, beside which there can be no other."""
        return self._streams.get("")

    def of(self, name: str) -> Stream:
        """The stream of the program that the board's side knows by this name."""
        if name not in self._streams:
            self._streams[name] = Stream(self._record, self.board, self.link)
        return self._streams[name]

    def forget(self, name: str, stream: Stream) -> None:
        """A program is gone."""
        if self._streams.get(name) is stream:
            del self._streams[name]
