"""Traffic from elsewhere as a record: its bytes as transfers, its messages as trails that begin at `carried`."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Set
from pathlib import Path
from typing import NamedTuple

from cavet.bench import ONE_AT_A_TIME, SIDES, LinkStreams, Spoken, spoken
from cavet.benchfile import check_text, load_plan
from cavet.exports._captures import TEXT, Capture, Caught
from cavet.exports._pcapng import I2C, INBOUND, SERIAL, SPI, USB
from cavet.exports._reassembly import HEADS, End, Said, Talks, segment_of
from cavet.protocols import Frame, Message, Side, buses, read_all, refusal, usb
from cavet.record import Direction, Kind, Purpose, Reason, Record, Seat, Topic
from cavet.units import show_duration
from cavet.wording import WrongError, listed, nearest, plain

STREAMS = {
    "firmata": ("serial", "firmata"), "modbus-tcp": ("tcp", "modbus"), "modbus-rtu": ("serial", "modbus"),
    "modbus-ascii": ("serial", "modbus"), "scpi": ("tcp", "scpi"), "mqtt": ("mqtt", "mqtt"), "mqtt5": ("mqtt", "mqtt"),
}  # fmt: skip
"""Protocols that are streams of bytes: the kind of their link, and what a host's table calls them."""
WRAPPED = {"i2c": I2C, "spi": SPI, "usb": USB}
PROTOCOLS = (*STREAMS, *WRAPPED)
WAYS = {True: Direction.TO_BOARD, False: Direction.TO_HOST}
LINK_BEGAN = "line"
ANSWER_SECONDS = 30.0
MOST_OPEN = 64
Open = deque[tuple[int, Message, float]]
"""What waits for its answer: the event of a question, itself, when it was asked."""
USB_HEAD = 64


class Line(NamedTuple):
    """A link of what is made: its name, and the board at its end."""

    link: str
    board: str
    address: str


class Counts(NamedTuple):
    """What was made of a capture: packets, messages, and what was left out, repeated, or lost."""

    packets: int
    frames: int
    left_out: int
    repeated: int
    lost: int


class Importing:
    """Reads a capture into a record; with `only`, no other places than these. Raises `WrongError` where nothing in it
    can be of the protocol."""

    def __init__(self, path: Path, protocol: str, host: str | None, only: Set[str] | None = None) -> None:
        self._path = path
        self._protocol = protocol
        self._format = _format_of(protocol)
        self._is_stream = protocol in STREAMS or self._format is not None
        self._only = only
        self._now = 0.0
        self.record = Record(lambda: self._now)
        self._capture = Capture(path)
        self._lines: dict[str, Line] = {}
        self._heard: dict[str, _Heard] = {}
        self._talks = Talks(host)
        self._first: float | None = None
        self._packets = self._left_out = self._lost = 0
        self._number = 0
        self._numbers: dict[int, int] = {}
        """Our numbers of transfers over USB, by those of the capture."""
        self._began_usb: set[str] = set()
        self._offsets: dict[tuple[str, str, bool], int] = {}

    @property
    def problem(self) -> str:
        """What is wrong at the end of the file."""
        return self._capture.problem

    @property
    def places(self) -> dict[str, int]:
        """The places where it speaks this protocol, more often than not, and how many messages there are of each."""
        found = {}
        for address, line in self._lines.items():
            heard = self._heard.get(line.link)
            if heard is not None and 2 * heard.good >= heard.frames > 0:
                found[address] = heard.frames
        return found

    def board_at(self, address: str) -> str:
        """What the board at a place is called."""
        return self._lines[address].board

    def read(self) -> Counts:
        """Read all of it."""
        for caught in self._capture.packets():
            self._first = caught.t if self._first is None else self._first
            self._now = max(self._now, caught.t - self._first)
            self._packets += 1
            if not self._take(caught):
                self._left_out += 1
        for talk in self._talks.all:
            for by_host, side in talk.sides.items():
                for said in side.give_up():
                    self._said(self._line(address_of(talk.board)), address_of(talk.host), said, by_host=by_host)
        for heard in self._heard.values():
            heard.end(self._now)
        if not self._packets:
            raise WrongError(str(self._path), found=self.problem or "no packets", expected="a capture")
        if not self.record.transfers.next:
            expected = f"packets with {self._protocol} in them: {self._expected()}"
            raise WrongError(str(self._path), found=f"{self._packets} of other kinds", expected=expected)
        repeated = sum(side.repeated for talk in self._talks.all for side in talk.sides.values())
        frames = sum(heard.frames for heard in self._heard.values())
        return Counts(self._packets, frames, self._left_out, repeated, self._lost)

    def _expected(self) -> str:
        if self._protocol in WRAPPED:
            return f"link type {WRAPPED[self._protocol]}"
        return f"TCP (link types {listed([str(each) for each in HEADS])}), link type {SERIAL}, or lines of text"

    @property
    def bench(self) -> str:
        """The text of a bench of what was found: links and hosts, no points."""
        lines = ["format = 1", f'name = "{_safe(self._path.name)}"']
        for line in self._lines.values():
            kind, host = self._spoken_on(line)
            lines += ["", f"[links.{line.link}]", f'kind = "{kind}"', f'board = "{line.board}"']
            lines += ADDRESSES[kind](_safe(line.address))
            if self._protocol == "modbus-ascii":
                lines.append('framing = "ascii"')
            if self._protocol != "usb":
                lines += ["", f"[hosts.{line.board}]", f'link = "{line.link}"', f'protocol = "{host}"']
            if self._protocol == "mqtt5":
                lines.append('version = "5.0"')
            if self._format is not None:
                lines.append(f'plan = "{self._format}"')
        return "\n".join(lines) + "\n"

    def _spoken_on(self, line: Line) -> tuple[str, str]:
        """The kind of a link, and what its host's table calls the protocol."""
        if self._format is not None:
            return "tcp" if ":" in line.address else "serial", "plan"
        return STREAMS.get(self._protocol, (self._protocol if self._protocol == "usb" else "buses", "buses"))

    # packets

    def _take(self, caught: Caught) -> bool:
        """Take a packet; tell whether it can be of the protocol."""
        if self._is_stream and caught.link_type in HEADS:
            return self._take_segment(caught)
        if not self._is_wanted(caught.interface or LINK_BEGAN) and caught.link_type not in HEADS:
            return False
        if self._is_stream and caught.link_type in (SERIAL, TEXT):
            line = self._line(caught.interface or LINK_BEGAN)
            by_host = self._is_hosts(line, caught)
            self._carry(line, "", caught.data, by_host=by_host)
            return True
        if self._protocol in WRAPPED and caught.link_type in (WRAPPED[self._protocol], TEXT):
            line = self._line(caught.interface or LINK_BEGAN)
            if self._protocol == "usb":
                return self._take_usb(line, caught)
            return self._take_call(line, caught)
        return False

    def _take_segment(self, caught: Caught) -> bool:
        segment = segment_of(caught.link_type, caught.data)
        if segment is None or not any(self._is_wanted(address_of(end)) for end in (segment.source, segment.target)):
            return False
        found = self._talks.take(segment)
        if found is not None:
            talk, by_host, said = found
            line = self._line(address_of(talk.board))
            for each in said:
                self._said(line, address_of(talk.host), each, by_host=by_host)
        return True

    def _is_wanted(self, address: str) -> bool:
        return self._only is None or address in self._only

    def _said(self, line: Line, client: str, said: Said, *, by_host: bool) -> None:
        if said.missing:
            self._lost += said.missing
            words = f"{said.missing} bytes are not in the capture"
            self.record.append(
                Kind.LOST, line.board, Topic.BYTES, str(said.missing), None, None, words, reason=Reason.NOT_HEARD
            )
        self._carry(line, client, said.data, by_host=by_host, offset=said.offset)

    def _is_hosts(self, line: Line, caught: Caught) -> bool:
        """Who has said it, where the line does not tell: whom it reads well for, and whose turn it is."""
        if caught.direction:
            return caught.direction != INBOUND
        return self._heard_on(line).guess(caught.data)

    def _line(self, address: str) -> Line:
        if address not in self._lines:
            number = len(self._lines) + 1
            more = "" if number == 1 else f"_{number}"
            self._lines[address] = Line(f"line{more}", f"device{more}", address)
        return self._lines[address]

    def _heard_on(self, line: Line) -> _Heard:
        if line.link not in self._heard:
            setup = check_text(self.bench, "capture", Path())
            self._heard[line.link] = _Heard(spoken(setup, setup.links[line.link]), line, self.record)
        return self._heard[line.link]

    def _carry(self, line: Line, client: str, data: bytes, *, by_host: bool, offset: int | None = None) -> None:
        key = (line.link, client, by_host)
        at = self._offsets.get(key, 0) if offset is None else offset
        self._offsets[key] = at + len(data)
        way = WAYS[by_host]
        self.record.carry(line.link, client, Seat.HOST, way, at, self._now, self._now, data)
        self._heard_on(line).hear(client, way, self._now)

    # what is wrapped

    def _take_call(self, line: Line, caught: Caught) -> bool:
        """A transaction on a bus, as a call for it and what came of it."""
        data = caught.data[5:] if caught.link_type == I2C else caught.data
        if not data:
            return False
        self._number = self._number % 0xFFFF + 1
        answer = b""
        if self._protocol == "spi":
            call = buses.BusCall(number=self._number, bus=buses.SPI, data=data, count=0)
        elif data[0] & 1:
            answer = data[1:]
            call = buses.BusCall(number=self._number, address=data[0] >> 1, count=len(answer))
        else:
            call = buses.BusCall(number=self._number, address=data[0] >> 1, data=data[1:], count=0)
        self._carry(line, "", call.packed(), by_host=True)
        self._carry(line, "", buses.BusAnswer(number=self._number, data=answer).packed(), by_host=False)
        return True

    def _take_usb(self, line: Line, caught: Caught) -> bool:
        """A transfer that was submitted, or has ended, as it goes over USB/IP."""
        head, data = caught.data[:USB_HEAD], caught.data[USB_HEAD:]
        if len(head) < USB_HEAD or head[8:9] not in (b"S", b"C"):
            return False
        if line.link not in self._began_usb:
            self._began_usb.add(line.link)
            self._carry(line, "", usb.ip.import_request("1-1"), by_host=True)
            self._carry(line, "", usb.ip.import_reply(EXPORTED), by_host=False)
        number = self._transfer_of(int.from_bytes(head[:8], "little"), is_new=head[8:9] == b"S")
        endpoint, is_in = head[10] & 0x7F, head[10] >> 7
        length = int.from_bytes(head[32:36], "little")
        if head[8:9] == b"S":
            setup = head[40:48] if head[14] == 0 else bytes(8)
            request = usb.ip.Submit(number, usb.ip.IN if is_in else usb.ip.OUT, endpoint, length, setup, data)
            self._carry(line, "", usb.ip.submit_request(request), by_host=True)
        else:
            status = int.from_bytes(head[28:32], "little", signed=True)
            given = data if is_in else b""
            self._carry(line, "", usb.ip.submit_reply(number, status, len(given) or length, given), by_host=False)
        return True

    def _transfer_of(self, identity: int, *, is_new: bool) -> int:
        """A number of ours for a transfer."""
        if is_new or identity not in self._numbers:
            self._number += 1
            self._numbers[identity] = self._number
        return self._numbers[identity]


EXPORTED = usb.ip.Exported(
    path="/captured", bus_id="1-1", bus=1, number=1, speed=2, vendor=0, product=0, version=0, configuration=1,
    configurations=1,
)  # fmt: skip
ADDRESSES: dict[str, Callable[[str], list[str]]] = {
    "tcp": lambda address: [f'address = "{address if ":" in address else "127.0.0.1:1"}"'],
    "mqtt": lambda address: [f'broker = "{address if ":" in address else "127.0.0.1:1883"}"', 'station = "real"'],
    "serial": lambda address: ['port = "/dev/captured"'],
    "buses": lambda address: ['i2c = "/dev/captured"'],
    "usb": lambda address: ['address = "0000:0000"'],
}


def address_of(end: End) -> str:
    """An end of a connection, HOST:PORT."""
    return f"[{end[0]}]:{end[1]}" if ":" in end[0] else f"{end[0]}:{end[1]}"


def _format_of(protocol: str) -> str | None:
    """The plan file whose frames are meant, by its whole path; `None` for a protocol. Raises `WrongError`."""
    if protocol in PROTOCOLS:
        return None
    name, _, frame = protocol.partition("#")
    if not name.endswith(".plan.toml"):
        near, known = nearest(protocol, PROTOCOLS), f"one of {listed(PROTOCOLS)}, or FILE.plan.toml"
        raise WrongError("--as", found=protocol, expected=known, nearest=near)
    if frame:
        raise WrongError("--as", found=protocol, expected=f"{name}: all its frames are looked for")
    path = Path(name).absolute()
    load_plan(path)
    if '"' in str(path) or "\\" in str(path) or not str(path).isprintable():
        raise WrongError("--as", found=plain(str(path)), expected="a path without quotes and control characters")
    return str(path)


def _safe(text: str) -> str:
    return plain(text).replace("\\", "/").replace('"', "'")


class _Heard:
    """What is said on one link: messages as events, each answer as what follows from its question."""

    def __init__(self, tongue: Spoken, line: Line, record: Record) -> None:
        self._tongue = tongue
        self._line = line
        self._record = record
        self._streams = LinkStreams(tongue.passing, self._forget_asked)
        self._open: dict[str, Open] = {}
        self.frames = self.good = 0
        """How many messages there were, and how many could be read without a fault."""

    def guess(self, data: bytes) -> bool:
        """Whether bytes are the host's: what reads without a fault for one side alone is that side's; else an answer is
        expected where something was asked."""
        good = {side: self._reads(data, side) for side in Side}
        if good[Side.HOST] != good[Side.BOARD]:
            return good[Side.HOST]
        return not self._open.get("")

    def _reads(self, data: bytes, side: Side) -> bool:
        frames = read_all(self._tongue.decoder(side), data)
        return bool(frames) and all(frame.readable and not frame.problems for frame in frames)

    def _forget_asked(self, client: str) -> None:
        self._open[client] = deque(maxlen=MOST_OPEN)

    def hear(self, client: str, way: Direction, now: float) -> None:
        """Take the bytes that came last."""
        transfer = self._record.transfers[self._record.transfers.next - 1]
        stream = self._streams.of(transfer)
        for frame in stream.take(transfer):
            self.frames += 1
            self.good += frame.readable and not frame.problems
            self._frame(frame, client, SIDES[way], now)

    def _frame(self, frame: Frame, client: str, side: Side, now: float) -> None:
        board, name = self._line.board, frame.message.NAME
        if not frame.readable:
            words = frame.problems[0] if frame.problems else "no message"
            self._record.append(
                Kind.LOST, board, Topic.BYTES, str(len(frame.data)), frame.data, None, words, reason=Reason.UNREADABLE
            )
            return
        waiting = self._open[client]
        if side is Side.HOST:
            root = self._record.append(Kind.CARRIED, board, Topic.MESSAGE, name, frame.data, None, "", Purpose.OUTSIDE)
            if self._tongue.is_due(frame.message):
                if self._tongue.name in ONE_AT_A_TIME:
                    self._unanswered(waiting, now)
                waiting.append((root, frame.message, now))
            return
        self._unanswered(waiting, now - ANSWER_SECONDS)
        cause = None
        for place, (asked, request, _) in enumerate(waiting):
            if self._tongue.answers(request, frame):
                cause = asked
                del waiting[place]
                break
        self._record.append(Kind.TOLD, board, Topic.MESSAGE, name, frame.data, cause, "; ".join(frame.problems))
        words = refusal(frame.message)
        if words and cause is not None:
            self._record.append(Kind.REFUSED, board, Topic.MESSAGE, name, None, cause, words)

    def end(self, now: float) -> None:
        """The capture is over: what waits for its answer gets none."""
        for waiting in self._open.values():
            self._unanswered(waiting, now, ends=now)

    def _unanswered(self, waiting: Open, before: float, ends: float | None = None) -> None:
        """What was asked so long ago gets no answer any more."""
        while waiting and waiting[0][2] <= before:
            asked, request, at = waiting.popleft()
            words = "no answer to it is in the capture"
            words += f", which ends {show_duration(ends - at)} behind it" if ends is not None else ""
            self._record.append(
                Kind.UNCONFIRMED, self._line.board, Topic.MESSAGE, request.NAME, None, asked, words,
                reason=Reason.NO_ANSWER,
            )  # fmt: skip
