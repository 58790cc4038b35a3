"""The frames of all links, in the order in which they were whole, as they are read from the record's transfers.

The latest million are kept, as numbers in a few arrays for each link; a frame itself is read again from the transfers
when it is looked at. Frames of links whose bytes are wrapped (USB, buses) are kept as they were read. What must be
found fast (frames in a time, problems, the next of a kind) is found by bisection.
"""

from __future__ import annotations

from array import array
from bisect import bisect_left, bisect_right
from collections import deque
from collections.abc import Callable, Iterator
from functools import partial
from typing import NamedTuple

from cavet.bench._building import BROKER
from cavet.bench._origins import SIDES, LinkStream, LinkStreams, Origins
from cavet.bench._spoken import ONE_AT_A_TIME, BusSpoken, Spoken, UsbSpoken, spoken
from cavet.benchfile._setup import LinkSetup, Setup
from cavet.protocols import Frame, Message, Side, Unreadable, read_all
from cavet.record import Direction, Kind, Record, Topic, Transfer

STATION = "/station"
NONE = -1
NO_VALUE = float("nan")
LATER = 64
"""A frame is known to be whole within so many others behind the transfer that brought its bytes."""
KEPT_FRAMES, KEPT_SHARE = 1_000_000, 7 / 8
"""So many frames are kept, of all links together; where there are more, the oldest are left out."""
MOST_OPEN = 64
"""So many requests of a link may wait for their answers."""
NEAR_SECONDS = 1e-3
ANSWER_SECONDS, LONG_SECONDS = 2.0, 30.0
"""So long a request waits for its answer; longer where both bear a number."""
NUMBERED = ("modbus-tcp", "mqtt", "mqtt5")
MOST_BACK = 4096
"""So many transfers are gone back through for the bytes of a frame."""


class Placed(NamedTuple):
    """A frame on a tape: its link and its number there, when it began and was whole, in s, and who says it. `above` is
    whether it comes from the host's end of the bench, whatever the protocol calls that."""

    link: str
    number: int
    begin: float
    end: float
    side: Side
    above: bool
    name: str
    size: int
    problem: bool
    partner: int
    """The number of its answer, or of what it answers; -1 for none."""


class LinkTape:
    """The frames of one link."""

    def __init__(
        self, name: str, title: str, tongue: Spoken, byte_seconds: float, is_station: Callable[[str], bool]
    ) -> None:
        self._is_station = is_station
        self.name = name
        self.title = title
        self.tongue = tongue
        self.byte_seconds = byte_seconds
        self.keeps = isinstance(tongue, BusSpoken | UsbSpoken)
        """Whether frames are kept themselves."""
        self._streams = LinkStreams(tongue.passing, self._forget_asked, self._forget_program)
        self._open: dict[str, deque[tuple[int, Message, float]]] = {}
        self._kept: list[Frame] = []
        self._names: list[str] = []
        self._name_of: dict[str, int] = {}
        self._clients: list[str] = []
        self._number_of_client: dict[str, int] = {}
        self.first = 0
        """The number of the oldest frame that is kept."""
        self.begin, self.end = array("d"), array("d")
        self._offset, self._transfer, self._size = array("q"), array("q"), array("I")
        self._partner = array("i")
        """How far on or back the frame's partner is; 0 for none."""
        self._value = array("d")
        """The number in the field that most messages call `value`, so that it is found fast."""
        self._name, self._client, self._flags = array("H"), array("I"), bytearray()
        self.ends = {True: array("d"), False: array("d")}
        """When the frames above and below the line were whole, for counting."""
        self.problems, self.problem_ends = array("q"), array("d")

    def __len__(self) -> int:
        """How many frames there have been, also those that are not kept any more."""
        return self.first + len(self.end)

    @property
    def kept(self) -> int:
        """How many frames are kept."""
        return len(self.end)

    def end_of(self, number: int) -> float:
        """When a frame was whole."""
        return self.end[number - self.first]

    def leave_out(self, before: float) -> None:
        """Keep no frame that was whole before a time."""
        gone = bisect_left(self.end, before)
        for column in (
            self.begin, self.end, self._offset, self._transfer, self._size, self._partner, self._value, self._name,
            self._client, self._flags, self._kept,
        ):  # fmt: skip
            del column[:gone]
        self.first += gone
        for ends in self.ends.values():
            del ends[: bisect_left(ends, before)]
        solved = bisect_left(self.problems, self.first)
        del self.problems[:solved], self.problem_ends[:solved]
        there = sorted(set(self._client))
        self._clients = [self._clients[number] for number in there]
        self._number_of_client = {client: number for number, client in enumerate(self._clients)}
        numbers = {old: new for new, old in enumerate(there)}
        self._client = array("I", [numbers[number] for number in self._client])

    def take(self, transfer: Transfer) -> None:
        """Read on."""
        side, stream = SIDES[transfer.direction], self._streams.of(transfer)
        for frame in stream.take(transfer):
            self._add(frame, stream, side, transfer)

    def _forget_asked(self, client: str) -> None:
        """A program is read anew: what it had asked before gets no answer."""
        self._open[client] = deque(maxlen=MOST_OPEN)

    def _forget_program(self, client: str) -> None:
        del self._open[client]

    def _add(self, frame: Frame, stream: LinkStream, side: Side, transfer: Transfer) -> None:
        number = len(self)
        raw_end = frame.end if not self.keeps else stream.end
        begin, end = stream.times(frame.offset, raw_end)
        above = (side is Side.HOST) != self._is_station(stream.client)
        wrong = bool(frame.problems)
        self.begin.append(begin)
        self.end.append(end)
        self._offset.append(frame.offset)
        self._transfer.append(transfer.number)
        self._size.append(len(frame.data))
        self._name.append(self._number_of(frame.message.NAME))
        self._client.append(self._client_of(stream.client))
        self._flags.append((side is Side.HOST) | above << 1 | wrong << 2)
        self._partner.append(0)
        value = getattr(frame.message, "value", None)
        self._value.append(value if isinstance(value, int | float) else NO_VALUE)
        self.ends[above].append(end)
        if self.keeps:
            self._kept.append(frame)
        if wrong:
            self.problems.append(number)
            self.problem_ends.append(end)
        self._pair(number, frame, side, stream.client, end)

    def _number_of(self, name: str) -> int:
        if name not in self._name_of:
            self._name_of[name] = len(self._names)
            self._names.append(name)
        return self._name_of[name]

    def _client_of(self, client: str) -> int:
        if client not in self._number_of_client:
            self._number_of_client[client] = len(self._clients)
            self._clients.append(client)
        return self._number_of_client[client]

    def _pair(self, number: int, frame: Frame, side: Side, client: str, end: float) -> None:
        """Tie an answer to what it answers."""
        waiting = self._open[client]
        if side is Side.HOST:
            if frame.readable and self.tongue.is_due(frame.message):
                if self.tongue.name in ONE_AT_A_TIME:
                    waiting.clear()  # nobody waits for the answer to the one before any more
                waiting.append((number, frame.message, end))
            return
        patience = LONG_SECONDS if self.tongue.name in NUMBERED else ANSWER_SECONDS
        while waiting and end - waiting[0][2] > patience:
            waiting.popleft()
        for place, (asked, request, _) in enumerate(waiting):
            if self.tongue.answers(request, frame):
                if asked >= self.first:
                    self._partner[asked - self.first] = number - asked
                    self._partner[number - self.first] = asked - number
                del waiting[place]
                return

    # reading

    def placed(self, number: int) -> Placed:
        """What is known of a frame."""
        at = number - self.first
        flags, partner = self._flags[at], number + self._partner[at]
        return Placed(
            self.name, number, self.begin[at], self.end[at], Side.HOST if flags & 1 else Side.BOARD,
            bool(flags & 2), self._names[self._name[at]], self._size[at], bool(flags & 4),
            partner if partner != number and partner >= self.first else NONE,
        )  # fmt: skip

    def event_at(self, number: int, record: Record) -> int:
        """How many events were in the record when a frame was whole."""
        place = self._transfer[number - self.first]
        return record.transfers[place].event if place >= record.transfers.first else 0

    def told(self, number: int, frame: Frame, record: Record) -> bytes:
        """The bytes by which events tell of a frame: its own, and of one on a bus all that was carried with it."""
        place = self._transfer[number - self.first]
        is_whole = isinstance(self.tongue, BusSpoken) and place >= record.transfers.first
        return record.transfers[place].data if is_whole else frame.data

    def client(self, number: int) -> str:
        """Which program it is of; "" where there can be only one."""
        return self._clients[self._client[number - self.first]]

    def within(self, begin: float, end: float) -> range:
        """The numbers of the frames that were on the line in a time."""
        first = bisect_left(self.end, begin)
        last = bisect_right(self.end, end)
        if last < len(self.end) and self.begin[last] <= end:
            last += 1
        return range(self.first + first, self.first + last)

    def count(self, begin: float, end: float, *, above: bool) -> int:
        """How many frames were whole in a time."""
        ends = self.ends[above]
        return bisect_left(ends, end) - bisect_left(ends, begin)

    def problems_within(self, begin: float, end: float) -> int:
        """How many of them had a problem."""
        return bisect_left(self.problem_ends, end) - bisect_left(self.problem_ends, begin)

    def nearest(self, t: float) -> int:
        """The frame that was whole at a time, or the first one behind it; -1 where there is none."""
        return min(len(self) - 1, self.first + bisect_left(self.end, t))

    def names(self) -> Iterator[tuple[int, str]]:
        """The messages that there have been, by their numbers."""
        return iter(enumerate(self._names))

    def named(self, names: set[int], start: int, step: int) -> Iterator[int]:
        """The frames of some messages, from one on, forth or back."""
        known, first = self._name, self.first
        return (number for number in self._from(start, step) if known[number - first] in names)

    def valued(self, holds: Callable[[float], bool], start: int, step: int) -> Iterator[int]:
        """The frames whose `value` is such, from one on, forth or back."""
        values, first = self._value, self.first
        return (
            number for number in self._from(start, step)
            if (value := values[number - first]) == value and holds(value)
        )  # fmt: skip

    def _from(self, start: int, step: int) -> range:
        """The numbers of the frames that are kept, from one on, forth or back."""
        return range(max(start, self.first), len(self)) if step > 0 else range(start, self.first - 1, step)

    def containing(self, data: bytes, start: int, step: int, record: Record) -> int | None:
        """The next frame with these bytes in it, forth or back; `None` for none."""
        if not self.first <= start < len(self):
            return None
        looked = -1
        for transfer in self._with_bytes(data, start, step, record):
            first = self.first + bisect_left(self._transfer, transfer.number)
            places = range(first, min(len(self), first + LATER + len(transfer.data)))
            for number in places if step > 0 else reversed(places):
                if (number >= start if step > 0 else number <= start) and number != looked:
                    frame = self.frame(number, record)
                    if frame is not None and data in frame.data:
                        return number
                    looked = number
                if step > 0 and self._transfer[number - self.first] > transfer.number + LATER:
                    break
        return None

    def _with_bytes(self, data: bytes, start: int, step: int, record: Record) -> Iterator[Transfer]:
        """The transfers in which bytes stand that are looked for, or in which they end, from a frame on."""
        at = self._transfer[start - self.first]
        found = record.transfers.since(max(record.transfers.first, at - LATER if step > 0 else record.transfers.first))
        if step < 0:
            found = [transfer for transfer in found if transfer.number <= at]
        tails: dict[tuple[str, str, Direction], bytes] = {}
        keep = len(data) - 1
        hits = []
        for transfer in found:
            if data in transfer.data:
                hits.append(transfer)
            elif keep:
                key = (transfer.link, transfer.client, transfer.direction)
                joined = tails.get(key, b"") + transfer.data[:keep]
                if data in joined:
                    hits.append(transfer)
                tails[key] = (joined if len(transfer.data) < keep else transfer.data)[-keep:]
        return iter(hits if step > 0 else hits[::-1])

    def frame(self, number: int, record: Record) -> Frame | None:
        """A frame itself; `None` where its bytes are not in memory any more."""
        if self.keeps:
            return self._kept[number - self.first]
        data = self._bytes(number, record)
        if data is None:
            return None
        side = Side.HOST if self._flags[number - self.first] & 1 else Side.BOARD
        frames = read_all(self.tongue.decoder(side), data)
        if len(frames) != 1:  # what was no frame between others may look like several by itself
            reason = "no frame that can be read"
            return Frame(Unreadable(reason=reason), data, self._offset[number - self.first], (reason,))
        return Frame(frames[0].message, data, self._offset[number - self.first], frames[0].problems)

    def _bytes(self, number: int, record: Record) -> bytes | None:
        at = number - self.first
        offset, size = self._offset[at], self._size[at]
        client = self.client(number)
        direction = Direction.TO_BOARD if self._flags[at] & 1 else Direction.TO_HOST
        last = self._transfer[at]
        if last < record.transfers.first:
            return None
        own = record.transfers[last]
        pieces: list[bytes] = []
        end = offset + size
        for place in range(last, max(record.transfers.first, last - MOST_BACK) - 1, -1):
            transfer = record.transfers[place]
            is_ours = transfer.client == client and transfer.direction is direction
            if transfer.offset >= end or not is_ours or transfer.link != own.link or transfer.seat is not own.seat:
                continue  # it was known to be whole only later, or this is another program's
            begin = max(offset, transfer.offset)
            pieces.append(transfer.data[begin - transfer.offset : end - transfer.offset])
            end = begin
            if begin <= offset:
                return b"".join(reversed(pieces))
        return None


class Tape:
    """The frames of all links of a bench, read on from its record."""

    def __init__(
        self, setup: Setup, record: Record, hosts: Callable[[str], set[str]] = lambda link: set(), *,
        kept: int = KEPT_FRAMES,
    ) -> None:  # fmt: skip
        """`hosts` gives the names by which a link's host is known at the broker, where it runs; so many frames are
        `kept` at most."""
        self._most_kept = kept
        self._stations: dict[tuple[str, str], bool] = {}
        """Of programs at a broker, whether they are the board of that link."""
        self._setup = setup
        self._hosts = hosts
        self._origins = Origins(setup)
        self._record = record
        self._next = record.transfers.first
        self.links: dict[str, LinkTape] = {
            link.name: LinkTape(
                link.name, _title(link), spoken(setup, link), link.byte_seconds, partial(self._is_station, link)
            )
            for link in setup.links.values()
            if not link.shares
        }

    def follow(self, most: int | None = None) -> int:
        """Read on, so many transfers at most; give how many are left."""
        transfers = self._record.transfers
        news = transfers.since(self._next, most)
        for transfer in news:
            found = self._tape_of(transfer)
            if found is not None:
                found.take(transfer)
        if news:
            self._next = news[-1].number + 1
            self._keep_within(self._most_kept)
        return transfers.next - self._next

    def _keep_within(self, most: int) -> None:
        """Leave out the oldest frames, of whatever link, where there are too many."""
        tapes = self.links.values()
        over = sum(tape.kept for tape in tapes) - most
        if over <= 0:
            return
        gone = over + int(most * (1 - KEPT_SHARE))
        early, late = 0.0, max(tape.end[-1] for tape in tapes if tape.kept)
        while late - early > NEAR_SECONDS:
            middle = (early + late) / 2
            if sum(bisect_left(tape.end, middle) for tape in tapes) < gone:
                early = middle
            else:
                late = middle
        for tape in tapes:
            tape.leave_out(late)

    def _tape_of(self, transfer: Transfer) -> LinkTape | None:
        """The tape that a transfer is on."""
        name = self._origins.link_of(transfer)
        return self._brokers_own() if name == BROKER else self.links[name] if name else None

    def _is_station(self, link: LinkSetup, client: str) -> bool:
        """Whether a program on a broker is the board, and no host."""
        key = (link.name, client)
        if key not in self._stations:
            self._stations[key] = client.endswith(STATION) or ("/" not in client and self._was_opened(link, client))
        return self._stations[key]

    def _was_opened(self, link: LinkSetup, client: str) -> bool:
        """Whether a board has told that it has opened its link under this name; where that is not in memory any more,
        whether a host that runs has not."""
        if not link.broker or client in (hosts := self._hosts(link.name)):
            return False
        told = self._record.course(link.board, Topic.LINK, BROKER, (Kind.LINK,))
        return any(event.value == "open" and event.note == client for event in told) or bool(hosts)

    def _brokers_own(self) -> LinkTape:
        """What programs of others say to our broker."""
        if BROKER not in self.links:
            link = next(link for link in self._setup.links.values() if link.protocol == "mqtt")
            self.links[BROKER] = LinkTape(BROKER, "others, mqtt", spoken(self._setup, link), 0.0, lambda client: False)
        return self.links[BROKER]

    def frame(self, placed: Placed) -> Frame | None:
        """The frame at a place."""
        return self.links[placed.link].frame(placed.number, self._record)


def _title(link: LinkSetup) -> str:
    kind = link.settings.form if link.kind == "serial" else ""
    rate = f"{link.settings.rate}" if link.kind == "serial" else ""
    return " ".join(word for word in (link.protocol, rate, kind) if word)
