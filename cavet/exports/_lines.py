"""What passes on each kind of link, as packets: bytes as they arrived, with what was made of them."""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator

import msgspec

from cavet.bench import LinkStream, LinkStreams, Spoken
from cavet.benchfile import LinkSetup
from cavet.exports._pcapng import I2C, INBOUND, OUTBOUND, RAW, SERIAL, SPI, USB, Interface
from cavet.exports._tcp import Connection
from cavet.protocols import Frame, Unreadable, i2c, usb
from cavet.record import Direction, Transfer
from cavet.wording import counted, hex_pairs, listed, plain

WAYS = {Direction.TO_HOST: INBOUND, Direction.TO_BOARD: OUTBOUND}
PORTS = {"modbus-tcp": 502, "scpi": 5025, "mqtt": 1883, "mqtt5": 1883}
FIRST_CLIENT_PORT = 49152
OF_TEN_BITS = 0xF0


class Piece(msgspec.Struct, frozen=True):
    """What is to become a packet: when it was whole, its interface's name, which way, its bytes, in words what it is,
    and the bytes by which its trail is found."""

    t: float
    interface: str
    direction: int
    data: bytes
    words: str = ""
    said: bytes = b""


def words_of(frames: list[Frame], transfer: Transfer | None = None) -> str:
    """The messages in some bytes, what is wrong with them, and what was lost on the way."""
    names = [frame.message.NAME for frame in frames if not isinstance(frame.message, Unreadable)]
    words = [listed(names, "and")] if names else []
    words += [problem for frame in frames for problem in frame.problems]
    if transfer is not None and transfer.sent is not None:
        words.append(f"sent as {hex_pairs(transfer.sent[:64])}, {counted(len(transfer.sent), 'byte')}")
    return plain("; ".join(words))


class Line:
    """Makes pieces of a link's transfers."""

    def __init__(self, name: str, link: LinkSetup, tongue: Spoken) -> None:
        self.name = name
        self.link = link
        self._streams = LinkStreams(tongue.passing)

    @property
    def interfaces(self) -> list[Interface]:
        """What its packets may be at."""
        return [Interface(self.name, SERIAL)]

    def take(self, transfer: Transfer) -> Iterator[Piece]:
        """The pieces that are whole with this transfer."""
        stream = self._streams.of(transfer)
        frames = stream.take(transfer)
        for frame in frames:
            yield from self._frame(frame, stream, transfer)

    def pass_over(self, transfer: Transfer) -> None:
        """Read what is not wanted itself, so that what follows is understood."""
        for _ in self.take(transfer):
            continue

    def rest(self) -> Iterator[Piece]:
        """Bytes at the end of the record that have made no message."""
        return iter(())

    def _frame(self, frame: Frame, stream: LinkStream, transfer: Transfer) -> Iterator[Piece]:
        raise NotImplementedError


class SerialLine(Line):
    """A serial line: one packet a message, and one for what lies between two of them."""

    def __init__(self, name: str, link: LinkSetup, tongue: Spoken) -> None:
        super().__init__(name, link, tongue)
        self._unread: dict[tuple[str, Direction], tuple[int, bytes, float]] = {}
        """Bytes that are in no frame yet: where they begin, and when the last of them came."""

    def take(self, transfer: Transfer) -> Iterator[Piece]:
        key = (transfer.client, transfer.direction)
        begin, waiting, t = self._unread.get(key, (transfer.offset, b"", transfer.end))
        if begin + len(waiting) != transfer.offset:
            yield from self._bare(waiting, t, transfer.direction)
            begin, waiting = transfer.offset, b""
        self._unread[key] = (begin, waiting + transfer.data, transfer.end)
        yield from super().take(transfer)

    def _frame(self, frame: Frame, stream: LinkStream, transfer: Transfer) -> Iterator[Piece]:
        key = (stream.client, stream.direction)
        begin, waiting, t = self._unread[key]
        ahead = max(0, frame.offset - begin)
        whole = stream.times(frame.offset, frame.end)[1]
        yield from self._bare(waiting[:ahead], whole, stream.direction)
        size = frame.end - max(frame.offset, begin)
        data = waiting[ahead : ahead + max(0, size)]
        self._unread[key] = (max(begin, frame.end), waiting[ahead + max(0, size) :], t)
        if data:
            words = words_of([frame], transfer)
            yield Piece(whole, self.name, WAYS[stream.direction], data, words, frame.data)

    def _bare(self, data: bytes, t: float, direction: Direction) -> Iterator[Piece]:
        if data:
            yield Piece(t, self.name, WAYS[direction], data, "no message")

    def rest(self) -> Iterator[Piece]:
        for (_, direction), (_, waiting, t) in self._unread.items():
            yield from self._bare(waiting, t, direction)


class TcpLine(Line):
    """A link over TCP: each transfer is a packet, or several where it is long."""

    def __init__(self, name: str, link: LinkSetup, tongue: Spoken, place: int, port: Callable[[], int]) -> None:
        super().__init__(name, link, tongue)
        self._address = f"127.0.1.{place}"
        self._port = link.listen_port or PORTS.get(tongue.name, 1024 + place)
        self._next_port = port
        self._connections: dict[str, tuple[Connection, float]] = {}

    @property
    def interfaces(self) -> list[Interface]:
        return [Interface(self.name, RAW)]

    def take(self, transfer: Transfer) -> Iterator[Piece]:
        client, by_host = transfer.client, transfer.direction is Direction.TO_BOARD
        known = self._streams.known(client, transfer.direction)
        if client in self._connections and (transfer.offset == 0) and known is not None and known.end > 0:
            yield from self.ended(client, self._connections[client][1])
        frames = self._streams.of(transfer).take(transfer)
        if client not in self._connections:
            began = (transfer.offset, 0) if by_host else (0, transfer.offset)
            made = Connection(("127.0.0.1", self._next_port()), (self._address, self._port), began)
            if transfer.offset == 0:
                yield from self._packets(made.opened(), transfer.begin)
            self._connections[client] = (made, transfer.end)
        connection = self._connections[client][0]
        self._connections[client] = (connection, transfer.end)
        words = words_of(frames, transfer)
        said = frames[0].data if frames else b""
        for data in connection.said(transfer.data, transfer.offset, by_host=by_host):
            yield Piece(transfer.end, self.name, WAYS[transfer.direction], data, words, said)

    @property
    def clients(self) -> list[str]:
        """The programs that are connected now."""
        return list(self._connections)

    def _packets(self, packets: list[tuple[bool, bytes]], t: float) -> Iterator[Piece]:
        for by_host, data in packets:
            yield Piece(t, self.name, OUTBOUND if by_host else INBOUND, data)

    def pass_over(self, transfer: Transfer) -> None:
        self._streams.of(transfer).take(transfer)

    def ended(self, client: str, t: float) -> Iterator[Piece]:
        """A program has left the link."""
        if client in self._connections:
            connection, last = self._connections.pop(client)
            yield from self._packets(connection.closed(), max(t, last))


class BusLine(Line):
    """Buses of the host's own: what is called for goes out, what was read comes in."""

    @property
    def interfaces(self) -> list[Interface]:
        return [Interface(self.name, I2C), Interface(f"{self.name}.spi", SPI)]

    def _frame(self, frame: Frame, stream: LinkStream, transfer: Transfer) -> Iterator[Piece]:
        t = transfer.end
        words = words_of([frame], transfer)
        if isinstance(frame, i2c.BusFrame):
            for segment in segments(frame.tokens):
                if not segment[0] & 1:
                    yield Piece(t, self.name, OUTBOUND, on_i2c(segment), words, frame.data)
        elif isinstance(frame.message, i2c.ReadAnswer):
            yield Piece(t, self.name, INBOUND, on_i2c(_read_from(frame.message) + frame.data), words, frame.data)
        elif frame.data:
            yield Piece(t, f"{self.name}.spi", WAYS[stream.direction], frame.data, words, frame.data)


def _read_from(message: i2c.ReadAnswer) -> bytes:
    if message.ten_bit:
        return bytes([OF_TEN_BITS | message.address >> 8 << 1 | 1, message.address & 0xFF])
    return bytes([message.address << 1 | 1])


def segments(tokens: tuple[i2c.Token, ...] | list[i2c.Token]) -> list[bytes]:
    """What stands between two starts: an address, and the bytes behind it."""
    found: list[bytearray] = []
    for token in tokens:
        if isinstance(token, i2c.Octet):
            if not found:
                found.append(bytearray())
            found[-1].append(token.value)
        elif token is not i2c.Mark.STOP:
            found.append(bytearray())
    return [bytes(segment) for segment in found if segment]


def on_i2c(segment: bytes) -> bytes:
    """A segment as LINKTYPE_I2C_LINUX has it: the number of its bus, flags, the bytes."""
    return struct.pack(">BI", 0, 0) + segment


class UsbLine(Line):
    """A USB device: what is submitted goes out, what has ended comes in."""

    SUBMITTED, COMPLETED = b"S", b"C"
    CONTROL, BULK = 2, 3
    UNDER_WAY = -115
    """The status of what was only submitted: the kernel's EINPROGRESS."""
    HEAD = struct.Struct("<QcBBBHccqiiII8siiII")

    def __init__(self, name: str, link: LinkSetup, tongue: Spoken) -> None:
        super().__init__(name, link, tongue)
        self._requests = usb.ip.RequestReader()
        self._replies = usb.ip.ReplyReader()
        self._begun = self._is_lost = False
        self._open: dict[int, usb.ip.Submit] = {}

    @property
    def interfaces(self) -> list[Interface]:
        return [Interface(self.name, USB)]

    def take(self, transfer: Transfer) -> Iterator[Piece]:
        stream = self._streams.known(transfer.client, transfer.direction)
        if stream is not None and transfer.offset != stream.end:
            self._requests, self._replies, self._begun = usb.ip.RequestReader(), usb.ip.ReplyReader(), False
            self._is_lost = False
            self._open.clear()
        frames = self._streams.of(transfer).take(transfer)
        words = words_of(frames, transfer)
        said = frames[0].data if frames else b""
        if transfer.direction is Direction.TO_BOARD:
            yield from self._submitted(transfer, words, said)
        else:
            yield from self._ended(transfer, words, said)

    def _submitted(self, transfer: Transfer, words: str, said: bytes) -> Iterator[Piece]:
        requests = self._requests.feed(transfer.data)
        while requests:
            for request, _, _ in requests:
                if isinstance(request, usb.ip.ImportRequest):
                    self._requests.imported = True
                elif isinstance(request, usb.ip.Submit):
                    self._open[request.sequence] = request
                    data = request.data if request.direction == usb.ip.OUT else b""
                    packet = self._packet(self.SUBMITTED, request, self.UNDER_WAY, request.length, data, transfer.end)
                    yield Piece(transfer.end, self.name, OUTBOUND, packet, words, said)
            requests = self._requests.go_on()

    def _ended(self, transfer: Transfer, words: str, said: bytes) -> Iterator[Piece]:
        if self._is_lost:
            return
        self._replies.feed(transfer.data)
        self._replies.wanted = {
            number: asked.length for number, asked in self._open.items() if asked.direction == usb.ip.IN
        }
        for ended in self._all_ended():
            request = self._open.pop(ended.sequence, None)
            if request is not None:
                length = ended.length or len(ended.data)
                packet = self._packet(self.COMPLETED, request, ended.status, length, ended.data, transfer.end)
                yield Piece(transfer.end, self.name, INBOUND, packet, words, said)

    def _all_ended(self) -> list[usb.ip.Ended]:
        """What has ended by now; nothing any more behind bytes that are none of the protocol's."""
        found: list[usb.ip.Ended] = []
        try:
            while not self._begun and (size := usb.ip.answer_size(self._replies.waiting)) is not None:
                code, status = self._replies.operation() or (0, 0)
                self._replies.take(size - usb.ip.OPERATION_BYTES)
                self._begun = code == usb.ip.REP_IMPORT and status == usb.ip.OK
            while self._begun and (ended := self._replies.ended()) is not None:
                found.append(ended)
        except ValueError:
            self._is_lost = True
        return found

    def _packet(self, kind: bytes, request: usb.ip.Submit, status: int, length: int, data: bytes, t: float) -> bytes:
        """A packet as LINKTYPE_USB_LINUX_MMAPPED has it: the kernel's head of 64 bytes, then data."""
        is_in = request.direction == usb.ip.IN
        is_control = request.endpoint == 0
        has_setup = is_control and kind == self.SUBMITTED
        absent = b"<" if is_in else b">"
        seconds, micros = divmod(round(t * 1e6), 1_000_000)
        pipe = self.CONTROL if is_control else self.BULK
        endpoint, length = request.endpoint & 0x7F | is_in << 7, length & 0xFFFFFFFF
        head = self.HEAD.pack(
            request.sequence, kind, pipe, endpoint, 1, 1, b"\0" if has_setup else b"-", b"\0" if data else absent,
            seconds, micros, status, length, len(data), request.setup if has_setup else bytes(8), 0, 0, 0, 0,
        )  # fmt: skip
        return head + data


def line_of(name: str, link: LinkSetup, tongue: Spoken, place: int, port: Callable[[], int]) -> Line:
    """How a link's transfers become packets."""
    if link.protocol == "usb":
        return UsbLine(name, link, tongue)
    if link.protocol == "buses":
        return BusLine(name, link, tongue)
    if link.kind == "serial":
        return SerialLine(name, link, tongue)
    return TcpLine(name, link, tongue, place, port)
