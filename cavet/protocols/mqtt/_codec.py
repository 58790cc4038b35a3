"""The two codecs of MQTT, in the shape of all codecs: one for 3.1.1, one for 5.0."""

from __future__ import annotations

from collections.abc import Mapping

from cavet.protocols._codec import Side
from cavet.protocols._frame import Field, Frame, Unreadable
from cavet.protocols._message import Message
from cavet.protocols._reader import ShortError, bytes_from
from cavet.protocols.mqtt._messages import FORMS, FROM_BROKER, FROM_CLIENT
from cavet.protocols.mqtt._packets import encode_packet, note_head, take_packet, take_plain
from cavet.protocols.mqtt._pieces import MAX_VARINT, MalformedError, PacketReader

MAX_HEAD = 5
GREATEST_PACKET_BYTES = MAX_HEAD + MAX_VARINT
"""The longest packet there can be. Source: 3.1.1, section 2.2.3; 5.0, section 2.1.4."""
MAX_PACKET_BYTES = 1 << 20
"""The longest that our own clients and our broker take."""
MAX_LOST_BYTES = 1024
"""How many bytes behind a length that is none are told as one piece."""
BEHIND_NONE = "behind a length that is none"


class MqttDecoder:
    """Reads what one side says. A malformed packet is skipped whole, by its length; a length that is none leaves no way
    to find the next packet, so all that follows is unreadable.

    A packet of more than `most` bytes is not kept: it is unreadable, and skipped as it comes.
    """

    def __init__(self, version: int, side: Side, most: int = GREATEST_PACKET_BYTES) -> None:
        self._version = version
        self._side = side
        self._most = most
        self._rest = b""
        self._coming: list[bytes] = []
        """What has come behind `rest` of a packet that is not whole yet."""
        self._missing = 0
        """How many bytes of it are still to come."""
        self._at = 0
        """Where in what is kept the next packet begins."""
        self._offset = 0
        self._skip = 0
        self._lost = False

    def feed(self, data: bytes) -> list[Frame]:
        """Take more bytes; give the packets that are complete now."""
        if len(data) < self._missing:
            self._coming.append(data)
            self._missing -= len(data)
            return []
        self._gather(data)
        frames = self._frames()
        self._rest, self._at = self._rest[self._at :], 0
        return frames

    def _gather(self, data: bytes) -> None:
        """Put together what is there, once there is enough of it: a long packet comes in thousands of pieces."""
        self._rest = b"".join((self._rest, *self._coming, data))
        self._coming.clear()
        self._missing = 0

    def finish(self) -> list[Frame]:
        """The stream has ended: what is left is cut off."""
        self._gather(b"")
        if not self._rest:
            return []
        reason = BEHIND_NONE if self._lost else "the stream ends inside a packet"
        return [self._unreadable(len(self._rest), reason)]

    def _frames(self) -> list[Frame]:
        frames = []
        while self._at < len(self._rest) and (frame := self._next()) is not None:
            frames.append(frame)
        return frames

    def _next(self) -> Frame | None:
        left = len(self._rest) - self._at
        if self._lost:
            return self._unreadable(MAX_LOST_BYTES, BEHIND_NONE) if left >= MAX_LOST_BYTES else None
        if self._skip:
            size = min(self._skip, left)
            self._skip -= size
            return self._unreadable(size, f"a packet of more than {self._most} bytes")
        head = self._head()
        if head is None:
            return None
        begin, size = head
        if size > self._most:
            self._skip = size
            return self._next()
        if left < size:
            self._missing = size - left
            return None
        return self._frame(size, begin)

    def _head(self) -> tuple[int, int] | None:
        """The lengths of the fixed header and of the whole packet; `None` while they are not there."""
        length = 0
        for place, byte in enumerate(self._rest[self._at + 1 : self._at + MAX_HEAD]):
            length |= (byte & 0x7F) << 7 * place
            if not byte & 0x80:
                return place + 2, place + 2 + length
        if len(self._rest) - self._at >= MAX_HEAD:
            self._lost = True
            return MAX_HEAD, MAX_HEAD
        return None

    def _frame(self, size: int, head: int) -> Frame:
        wire = self._rest[self._at : self._at + size]
        if self._lost:
            return self._unreadable(size, "remaining length: more than four bytes")
        too_long = head > 2 and self._version == 5 and wire[head - 1] == 0
        if not too_long and (plain := take_plain(wire, head, self._version)) is not None:
            return self._done(size, plain, ())
        try:
            if too_long:
                raise MalformedError("remaining length: more bytes than it needs (MQTT-1.5.5-1)")
            reader = PacketReader(wire, head)
            message = take_packet(reader, self._version)
        except MalformedError as error:
            return self._unreadable(size, f"malformed: {error}")
        if wire[0] >> 4 not in (FROM_CLIENT if self._side is Side.HOST else FROM_BROKER)[self._version]:
            who = "a client" if self._side is Side.HOST else "a broker"
            reader.problems.insert(0, f"{message.NAME}: not what {who} may send")
        reader.problems += _not_from(self._side, message)
        return self._done(size, message, tuple(reader.problems))

    def _unreadable(self, size: int, reason: str) -> Frame:
        return self._done(size, Unreadable(reason=reason), (reason,))

    def _done(self, size: int, message: Message, problems: tuple[str, ...]) -> Frame:
        frame = Frame(message, self._rest[self._at : self._at + size], self._offset, problems)
        self._at += size
        self._offset += size
        return frame


def _not_from(side: Side, message: Message) -> list[str]:
    """Properties that only the other side may send. Source: 5.0, sections 3.3.2.3.8 and 3.14.2.2.2."""
    names = {found.name for found in getattr(message, "properties", ())}
    if side is Side.HOST and message.NAME == "publish" and "subscription_identifier" in names:
        return ["property subscription_identifier: not from a client (MQTT-3.3.4-6)"]
    if side is Side.BOARD and message.NAME == "disconnect" and "session_expiry_interval" in names:
        return ["property session_expiry_interval: not from a broker (MQTT-3.14.2-2)"]
    return []


class MqttCodec:
    """One version's codec."""

    unused: frozenset[str] = frozenset()
    also_called: Mapping[str, str] = {}

    def __init__(self, name: str, version: int) -> None:
        self.name = name
        self._version = version
        self._forms: dict[Side, dict[str, type[Message]]] = {
            side: {FORMS[version][kind].NAME: FORMS[version][kind] for kind in kinds[version]}
            for side, kinds in ((Side.HOST, FROM_CLIENT), (Side.BOARD, FROM_BROKER))
        }

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        return self._forms[side]

    def encode(self, message: Message) -> bytes:
        return encode_packet(message, self._version)

    def decoder(self, side: Side, *, most: int = GREATEST_PACKET_BYTES) -> MqttDecoder:
        """Make a decoder; what is kept of a stranger's packets should have a limit."""
        return MqttDecoder(self._version, side, most)

    def explain(self, frame: Frame, side: Side) -> list[Field]:
        """Take a packet apart: type and flags, length, and each field with the bits where it lies."""
        reader = PacketReader(frame.data, placed=bytes_from())
        try:
            note_head(reader, self._version)
            take_packet(reader, self._version)
        except (MalformedError, ShortError):
            pass  # the frame tells of it; what was read before that is shown all the same
        return reader.notes


V3, V5 = MqttCodec("mqtt", 4), MqttCodec("mqtt5", 5)
