"""Reading a stream of Firmata, writing its messages, and taking a frame apart."""

from __future__ import annotations

import functools
import re
from collections.abc import Callable, Mapping, Sequence
from operator import attrgetter
from typing import Any

import msgspec

from cavet.protocols._codec import Side, read_all
from cavet.protocols._frame import Field, Frame, Role, Span, Unreadable
from cavet.protocols._message import FieldError, Message, limits
from cavet.protocols._reader import Reader, ShortError, bytes_from
from cavet.protocols.firmata._messages import (
    FROM_BOARD,
    FROM_HOST,
    AnalogMessage,
    ChannelMessage,
    DigitalMessage,
    Sysex,
    SysexMessage,
)
from cavet.protocols.firmata._packed import Part
from cavet.protocols.firmata._pieces import PAIRS, Number, Piece, Rest
from cavet.protocols.firmata.features import FEATURES_FROM_BOARD, FEATURES_FROM_HOST

MAX_SYSEX_BYTES = 4096
"""The longest system exclusive message that is read, its F0 and F7 included."""
MAX_STRAY_BYTES = 64
"""How many bytes outside any message are told as one piece."""

SYSEX, END_SYSEX, FIRST_REAL_TIME = 0xF0, 0xF7, 0xF8
FIRST_COMMAND = 0x80
_REAL_TIME = bytes(range(FIRST_REAL_TIME, 0x100))
_INSIDE_SYSEX = re.compile(rb"[\x00-\x7f\xf8-\xff]*")
_STRAY = re.compile(rb"[\x00-\x7f]*")


class _Vocabulary:
    """All that one side can say."""

    def __init__(self, forms: tuple[type[ChannelMessage] | type[SysexMessage], ...]) -> None:
        self.forms: dict[str, type[Message]] = {form.NAME: form for form in forms}
        self.sysex: dict[int, type[SysexMessage]] = {}
        self.parts: dict[tuple[int, int], type[SysexMessage]] = {}
        self.channel: list[type[ChannelMessage] | None] = [None] * 256
        for form in forms:
            if issubclass(form, ChannelMessage):
                for low in range(16 if form.CHANNEL else 1):
                    self.channel[form.COMMAND | low] = form
            elif form is not Sysex:
                self._add_sysex(form)

    def _add_sysex(self, form: type[SysexMessage]) -> None:
        """A message with a command of its own, or one of several with the same, told apart by the byte behind it."""
        part = next((piece for piece in form.LAYOUT if isinstance(piece, Part)), None)
        if part is None:
            self.sysex[form.COMMAND] = form
            return
        for value in part.values:
            self.parts.setdefault((form.COMMAND, value), form)

    def form_of(self, content: bytes) -> type[SysexMessage] | None:
        """The form of a message by what stands between its F0 and F7."""
        if len(content) > 1 and (form := self.parts.get((content[0], content[1]))) is not None:
            return form
        return self.sysex.get(content[0])


HOST_FORMS = (*FROM_HOST, *FEATURES_FROM_HOST)
BOARD_FORMS = (*FROM_BOARD, *FEATURES_FROM_BOARD)
_VOCABULARIES = {Side.HOST: _Vocabulary(HOST_FORMS), Side.BOARD: _Vocabulary(BOARD_FORMS)}


@functools.lru_cache(1 << 14)
def _analog(first: int, low: int, high: int) -> AnalogMessage:
    """By far the most messages are these, and the same ones come again and again."""
    return AnalogMessage(pin=first & 15, value=low | high << 7)


class FirmataDecoder:
    """Reads what one side says. Every byte comes out in exactly one frame, however the stream is cut.

    Inside a system exclusive message real-time bytes (F8 to FF) are passed over and belong to its frame, as MIDI lets
    them stand anywhere; any other command byte ends it unread.
    """

    def __init__(self, side: Side) -> None:
        self._side = side
        self._vocabulary = _VOCABULARIES[side]
        self._offset = 0
        self._rest = b""
        self._skipping = False

    @property
    def is_inside(self) -> bool:
        """Whether a system exclusive message has begun that has not ended yet."""
        return self._rest[:1] == bytes((SYSEX,))

    def feed(self, data: bytes) -> list[Frame]:
        """Take more bytes; give the frames that are complete now."""
        data = self._rest + data if self._rest else bytes(data)
        frames: list[Frame] = []
        channel = self._vocabulary.channel
        at, size, base = 0, len(data), self._offset
        while at < size:
            first = data[at]
            form = channel[first]
            if form is AnalogMessage and at + 2 < size and data[at + 1] < 0x80 and data[at + 2] < 0x80:
                frames.append(Frame(_analog(first, data[at + 1], data[at + 2]), data[at : at + 3], base + at))
                at += 3
                continue
            frame = self._frame(data, at, base + at)
            if frame is None:
                break
            frames.append(frame)
            at += len(frame.data)
        self._rest = data[at:]
        self._offset = base + at
        return frames

    def finish(self) -> list[Frame]:
        """The stream has ended: what is left is unreadable."""
        if not self._rest:
            return []
        rest, self._rest = self._rest, b""
        reason = "outside any message" if rest[0] < 0x80 or self._skipping else "the stream ends inside this message"
        frame = Frame(Unreadable(reason=reason), rest, self._offset, (reason,))
        self._offset += len(rest)
        self._skipping = False
        return [frame]

    def _frame(self, data: bytes, at: int, offset: int) -> Frame | None:
        """Read the frame that begins at `at`; `None` when it is not all there."""
        first = data[at]
        if self._skipping:
            return self._skip(data, at, offset)
        if first == SYSEX:
            return self._sysex(data, at, offset)
        if first < 0x80:
            return self._stray(data, at, offset)
        form = self._vocabulary.channel[first]
        if form is None:
            what = (
                "ends no system exclusive message" if first == END_SYSEX else f"is no command of the {self._side.value}"
            )
            return _unreadable(data[at : at + 1], offset, f"{first:02X} {what}")
        return _channel_frame(form, data, at, offset)

    def _stray(self, data: bytes, at: int, offset: int) -> Frame | None:
        end = _end_of(_STRAY, data, at)
        if end == len(data) and end - at < MAX_STRAY_BYTES:
            return None
        return _unreadable(data[at : min(end, at + MAX_STRAY_BYTES)], offset, "outside any message")

    def _sysex(self, data: bytes, at: int, offset: int) -> Frame | None:
        end = _end_of(_INSIDE_SYSEX, data, at + 1)
        closed = end < len(data) and data[end] == END_SYSEX
        if end + closed - at > MAX_SYSEX_BYTES:
            self._skipping = True
            reason = f"no end within {MAX_SYSEX_BYTES} bytes"
            return _unreadable(data[at : at + MAX_SYSEX_BYTES], offset, reason)
        if end == len(data):
            return None
        if not closed:
            return _unreadable(data[at:end], offset, f"ended by {data[end]:02X} before its F7")
        return _sysex_frame(self._vocabulary, data[at : end + 1], offset)

    def _skip(self, data: bytes, at: int, offset: int) -> Frame | None:
        """Go on behind the first bytes of a message that is too long, up to its end."""
        end = _end_of(_INSIDE_SYSEX, data, at)
        ended = end < len(data)
        end += ended and data[end] == END_SYSEX
        if end - at > MAX_SYSEX_BYTES:
            end = at + MAX_SYSEX_BYTES
        elif not ended:
            return None
        else:
            self._skipping = False
            if end == at:
                return self._frame(data, at, offset)
        return _unreadable(data[at:end], offset, "still the message that is too long")


def _end_of(pattern: re.Pattern[bytes], data: bytes, at: int) -> int:
    match = pattern.match(data, at)
    assert match is not None  # both patterns match nothing, too
    return match.end()


def _unreadable(data: bytes, offset: int, reason: str) -> Frame:
    return Frame(Unreadable(reason=reason), data, offset, (reason,))


def _channel_frame(form: type[ChannelMessage], data: bytes, at: int, offset: int) -> Frame | None:
    end = at + 1 + form.DATA_BYTES
    for place in range(at + 1, min(end, len(data))):
        if data[place] > 0x7F:
            return _unreadable(data[at:place], offset, f"{form.NAME} ended by {data[place]:02X} before its last byte")
    if end > len(data):
        return None
    fields: dict[str, Any] = {form.CHANNEL: data[at] & 15} if form.CHANNEL else {}
    wire = data[at:end]
    return _built(form, fields, wire[1:], wire, offset)


def _sysex_frame(vocabulary: _Vocabulary, wire: bytes, offset: int) -> Frame:
    content = _content(wire)
    if not content:
        return _unreadable(wire, offset, "a system exclusive message without a command")
    form = vocabulary.form_of(content)
    if form is None:
        return Frame(Sysex(command=content[0], data=content[1:]), wire, offset)
    return _built(form, {}, content[1:], wire, offset)


def _content(wire: bytes) -> bytes:
    """What stands between F0 and F7, without real-time bytes."""
    return wire[1:-1].translate(None, _REAL_TIME)


def _built(
    form: type[ChannelMessage] | type[SysexMessage], fields: dict[str, Any], body: bytes, wire: bytes, offset: int
) -> Frame:
    """Make the message from its body. What is out of range is brought inside it, and told."""
    reader = Reader(body)
    reader.fields, problems = fields, reader.problems
    try:
        for piece in form.LAYOUT:
            piece.take(reader)
        if reader.rest:
            problems.append(f"{form.NAME}: {reader.rest} bytes more than expected")
        _bring_inside(form, fields, problems)
        return Frame(form(**fields), wire, offset, tuple(problems))
    except ShortError as short:
        return _unreadable(wire, offset, f"{form.NAME} ends before its {short.name}")
    except FieldError as error:
        return _unreadable(wire, offset, str(error))


def _bring_inside(form: type[Message], fields: dict[str, Any], problems: list[str]) -> None:
    for name, low, high in limits(form):
        value = fields.get(name)
        if isinstance(value, int) and not low <= value <= high:
            problems.append(f"{name}: found {value}, expected {low} to {high}")
            fields[name] = value & high if form is DigitalMessage else max(low, min(high, value))


Encoder = Callable[[Any], bytes]


def _channel_encoder(form: type[ChannelMessage]) -> Encoder:
    """Make the encoder of a channel message from its layout; most are a head and one number of fourteen bits."""
    command, layout = form.COMMAND, form.LAYOUT
    channel = attrgetter(form.CHANNEL) if form.CHANNEL else lambda message: 0
    heads = [bytes((command | low,)) for low in range(16 if form.CHANNEL else 1)]
    if len(layout) == 1 and isinstance(layout[0], Number) and layout[0].groups == 2:
        value = attrgetter(layout[0].name)
        return lambda message: heads[channel(message)] + PAIRS[value(message)]

    def encode_channel(message: Any) -> bytes:
        out = bytearray(heads[channel(message)])
        for piece in layout:
            piece.put(message, out)
        return bytes(out)

    return encode_channel


def _sysex_encoder(form: type[SysexMessage]) -> Encoder:
    def encode_sysex(message: Any) -> bytes:
        out = bytearray((SYSEX, form.COMMAND))
        for piece in form.LAYOUT:
            piece.put(message, out)
        return _closed(message, out)

    return encode_sysex


def _closed(message: Message, out: bytearray) -> bytes:
    """Put the end to a system exclusive message, unless it is longer than anybody reads."""
    out.append(END_SYSEX)
    if len(out) > MAX_SYSEX_BYTES:
        raise FieldError(message.NAME, found=f"{len(out)} bytes", expected=f"at most {MAX_SYSEX_BYTES}, from F0 to F7")
    return bytes(out)


def _encoder(form: type[Message]) -> Encoder:
    if form is Sysex:
        return lambda message: _closed(message, bytearray((SYSEX, message.command, *message.data)))
    return _channel_encoder(form) if issubclass(form, ChannelMessage) else _sysex_encoder(form)  # type: ignore[arg-type]


_ENCODERS: dict[type[Message], Encoder] = {form: _encoder(form) for form in {*HOST_FORMS, *BOARD_FORMS}}


def encode(message: Message) -> bytes:
    """Give the bytes of a message."""
    encoder = _ENCODERS.get(type(message))
    if encoder is None:
        raise FieldError("message", found=message.NAME, expected="a message of Firmata")
    return encoder(message)


def decode_from(side: Side, data: bytes) -> list[Frame]:
    """Read a whole stream at once."""
    return read_all(FirmataDecoder(side), data)


def explain(frame: Frame) -> list[Field]:
    """Take a frame apart: its command, then its fields, each with the bits where it lies."""
    if isinstance(frame.message, ChannelMessage):
        return _explain_channel(frame.message, frame.data)
    if isinstance(frame.message, SysexMessage):
        return _explain_sysex(frame.message, frame.data)
    return []


def _explain_channel(message: ChannelMessage, wire: bytes) -> list[Field]:
    head = Reader(wire[:1], 1, placed=bytes_from())
    if message.CHANNEL:
        head.note_bits("command", 0, 0, 4, wire[0] >> 4, meaning=message.NAME, role=Role.CONSTANT)
        head.note_bits(message.CHANNEL, 0, 4, 4, wire[0] & 15)
    else:
        head.note("command", 0, wire[0], meaning=message.NAME, role=Role.CONSTANT)
    return head.notes + _explain_body(range(1, len(wire)), wire[1:], message.LAYOUT)


def _explain_sysex(message: SysexMessage, wire: bytes) -> list[Field]:
    places = [place for place in range(1, len(wire) - 1) if wire[place] < FIRST_COMMAND]
    ends = Reader(wire, placed=bytes_from())
    ends.note("start", 0, last=1, meaning="start of a system exclusive message", role=Role.CONSTANT)
    ends.note("end", len(wire) - 1, last=len(wire), meaning="end of the message", role=Role.CONSTANT)
    for place in range(1, len(wire) - 1):
        if wire[place] >= FIRST_REAL_TIME:
            meaning = "passed over: not part of the message"
            ends.note("real_time", place, wire[place], last=place + 1, meaning=meaning, role=Role.UNUSED)
    layout = (_COMMAND, Rest("data")) if isinstance(message, Sysex) else (_COMMAND, *message.LAYOUT)
    body = bytes(wire[place] for place in places)
    fields = _explain_body(places, body, layout, meaning=message.NAME)
    return [ends.notes[0], *fields, *ends.notes[2:], ends.notes[1]]


_COMMAND = Number("command")


def _explain_body(places: Sequence[int], body: bytes, layout: tuple[Piece, ...], *, meaning: str = "") -> list[Field]:
    """The fields of a body, whose bytes stand at these places of the frame; above each of them its top bit."""

    def placed(byte: int) -> Span:
        return 8 * places[byte] + 1, 7

    reader = Reader(body, placed=placed)
    try:
        for piece in layout:
            piece.take(reader)
    except ShortError:
        pass  # the frame itself tells of it; what is left is shown as it is
    if reader.rest:
        first = reader.at
        reader.note("more", first, reader.take("more", reader.rest), problem="bytes that belong to no field")
    if meaning:
        reader.notes[0] = msgspec.structs.replace(reader.notes[0], meaning=meaning, role=Role.CONSTANT)
    return [*reader.notes, *(_top_bit(place) for place in places)]


def _top_bit(place: int) -> Field:
    meaning = "0: a byte of data, no command"
    return Field(name="top_bit", spans=((8 * place, 1),), raw=0, value=0, meaning=meaning, role=Role.CONSTANT)


class _Codec:
    name = "firmata"
    unused: frozenset[str] = frozenset()
    also_called = {
        "analog-io-message": "analog-message",
        "digital-io-message": "digital-message",
        "report-analog": "report-analog-pin",
        "report-digital": "report-digital-port",
        "report-version": "protocol-version",
        "string": "string-data",
        "set-digital-pin": "set-digital-pin-value",
        "firmware-query": "report-firmware",
        "version-query": "protocol-version",
    }

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        return _VOCABULARIES[side].forms

    def encode(self, message: Message) -> bytes:
        return encode(message)

    def decoder(self, side: Side) -> FirmataDecoder:
        return FirmataDecoder(side)

    def explain(self, frame: Frame, side: Side) -> list[Field]:
        del side  # a message knows its own
        return explain(frame)


CODEC = _Codec()
