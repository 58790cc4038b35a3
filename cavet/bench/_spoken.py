"""What a host and its board speak on a link: messages by their names, as bytes, what answers what, and what they mean.

One kind for each way of speaking: a protocol's own codec, the frames of a plan, the calls to buses of the host's own.
Saying by hand, the frames of a record and the screens look at nothing else.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from cavet.bench._calling import call_for
from cavet.bench._passing import BUS_REPLIES, BusReply, CallDecoder, UsbIn, UsbOut
from cavet.benchfile import FormatDevice
from cavet.benchfile._setup import HostSetup, LinkSetup, Setup
from cavet.hosts import FieldPoint
from cavet.protocols import (
    Codec,
    Decoder,
    Field,
    Frame,
    Message,
    Side,
    Unreadable,
    codec,
    i2c,
    is_answer,
    is_answered,
    read_all,
    read_message,
    read_whole,
    refuses_anything,
    ruler,
    spi,
    usb,
)
from cavet.protocols import buses as bus_calls
from cavet.protocols.plans import PlanCodec
from cavet.wording import WrongError, listed, nearest

MQTT_5 = 5
ONE_AT_A_TIME = ("modbus-rtu", "modbus-ascii", "scpi")
"""Protocols by which a board hears one question at a time, on a link."""
HAND_NUMBERS = 0xFF00
"""What is said by hand takes its numbers (Modbus's transactions, calls to buses) from here on; a session's own come
round after them."""
RTU_SILENCE, RTU_CHARACTERS = 0.002, 5
"""More than what parts two frames: 1.75 ms, or three and a half characters. Source: serial line, section 2.5.1.1."""


class Spoken:
    """A protocol with a codec of its own."""

    is_whole = False
    """Whether the link takes each message in one piece."""

    def __init__(self, name: str, setup: Setup, host: HostSetup | None) -> None:
        self.name = name
        """As `cavet encode` names it; that of a plan's file for frames of one's own."""
        self.setup = setup
        self.host = host
        self._codec = codec(name)

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        """What a side can say."""
        return self._codec.forms(side)

    @property
    def coming_back(self) -> Mapping[str, type[Message]]:
        """What can be heard of the board, by name: what it says, and what a link tells in its place."""
        return self.forms(Side.BOARD)

    def has_one_size(self, name: str) -> bool:
        """Whether a message can't be carried with fewer bytes or more."""
        del name
        return False

    @property
    def has_values(self) -> bool:
        """Whether what a message is about is in a field called `value`, where it is a number."""
        return any("value" in form.__struct_fields__ for side in Side for form in self.forms(side).values())

    def codec_of(self, name: str) -> Codec:
        """The codec of a message, by its name."""
        del name
        return self._codec

    def given(self, fields: Mapping[str, str], number: int) -> dict[str, str]:
        """Fields with those that were left out and follow from the bench: the unit, and a number of its own."""
        found = dict(fields)
        if self.name.startswith("modbus") and self.host is not None:
            found.setdefault("unit", str(self.host.settings.unit))
        if self.name == "modbus-tcp":
            found.setdefault("transaction", str(HAND_NUMBERS + number % 0x100))
        return found

    def made(self, name: str, fields: Mapping[str, str], number: int = 0) -> Message:
        """A message of the host, its fields as a person writes them. Raises `WrongError`."""
        forms = self.forms(Side.HOST)
        chosen = self.codec_of(name)
        name = chosen.also_called.get(name, name)
        if name not in forms:
            known = listed(sorted(forms))
            raise WrongError(f"message to {self.name}", found=name, expected=known, nearest=nearest(name, forms))
        given = {key: text for key, text in self.given(fields, number).items() if key not in chosen.unused}
        return read_message(forms[name], given, chosen.unused)

    def encode(self, message: Message) -> bytes:
        """The bytes of a message, as they are on the wire."""
        return self.codec_of(message.NAME).encode(message)

    def carried(self, data: bytes, message: Message | None, number: int) -> bytes:
        """What the link takes for what is to be on the wire."""
        del message, number
        return data

    def whole(self, message: Message, data: bytes) -> list[Frame]:
        """The frames in bytes that go out for a message of the host."""
        return read_whole(self.codec_of(message.NAME), data, Side.HOST)

    def decoder(self, side: Side) -> Decoder:
        """What reads what a side says on the link."""
        return self._codec.decoder(side)

    def passing(self) -> dict[Side, Decoder]:
        """What reads what both sides say, in the bytes of the link from where it was opened."""
        return {side: self.decoder(side) for side in Side}

    def silence(self, byte_seconds: float) -> float:
        """What parts two messages on a line whose bytes take so long, in s."""
        return max(RTU_SILENCE, RTU_CHARACTERS * byte_seconds) if self.name == "modbus-rtu" else 0.0

    def is_due(self, request: Message) -> bool:
        """Whether an answer is due to what the host says."""
        return is_answered(self.name, request)

    def answers(self, request: Message, frame: Frame) -> bool:
        """Whether a frame of the board answers a message of the host."""
        return frame.readable and is_answer(self.name, request, frame.message)

    def is_refusal_of_any(self, frame: Frame) -> bool:
        """Whether a frame refuses something, and does not tell which message."""
        return refuses_anything(self.name, frame.message)

    def is_answer(self, request: Message, frame: Frame) -> bool:
        """The same for what was said by hand, where that is known from what the session says."""
        return self.answers(request, frame)

    def explained(self, frame: Frame, side: Side) -> list[Field]:
        """The ruler of a frame."""
        return ruler(self.codec_of(frame.message.NAME), frame, side)

    def unused(self, name: str) -> frozenset[str]:
        """Fields of a message that are not carried here."""
        return self.codec_of(name).unused


class PlanSpoken(Spoken):
    """Frames of one's own: a message is named as its frame."""

    def __init__(
        self, name: str, setup: Setup, host: HostSetup | None, codecs: Mapping[str, PlanCodec],
        says: Mapping[Side, Sequence[str]], by_itself: frozenset[str] = frozenset(),
    ) -> None:  # fmt: skip
        """`says` are the frames of each side; `by_itself` those that the board tells ever again, asked or not."""
        self.name = name
        self.setup = setup
        self.host = host
        self._codecs = codecs
        self._says = says
        self._by_itself = by_itself

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        return {name: self._codecs[name].form for name in self._says[side]}

    def codec_of(self, name: str) -> Codec:
        return self._codecs.get(name) or next(iter(self._codecs.values()))

    def decoder(self, side: Side) -> Decoder:
        return _EitherDecoder([self._codecs[name].decoder(side) for name in self._says[side]])

    def is_due(self, request: Message) -> bool:
        """Where the board is asked by this frame, or tells how the points stand that are in it."""
        asks = self.host.format.asks if self.host is not None and self.host.format is not None else ""
        return asks == request.NAME or any(
            isinstance(point, FieldPoint)
            and point.frame == request.NAME
            and point.state_frame
            and point.state_frame not in self._by_itself
            for point in self.setup.points.values()
        )

    def answers(self, request: Message, frame: Frame) -> bool:
        return frame.readable and not frame.problems and frame.message.NAME not in self._by_itself


class _AnyReport:
    """Reads a datagram of which only the bytes are known."""

    def feed(self, data: bytes) -> list[Frame]:
        return [Frame(usb.TransferData(data=data), data, 0)]

    def finish(self) -> list[Frame]:
        return []


class _EitherDecoder:
    """Reads a stream in which several kinds of frames are: at each place the one that fits."""

    def __init__(self, decoders: Sequence[Decoder]) -> None:
        self._decoders = decoders

    def feed(self, data: bytes) -> list[Frame]:
        return self._chosen([frame for decoder in self._decoders for frame in decoder.feed(data)])

    def finish(self) -> list[Frame]:
        return self._chosen([frame for decoder in self._decoders for frame in decoder.finish()])

    def _chosen(self, frames: Sequence[Frame]) -> list[Frame]:
        """Good frames first, then fair ones; what none could read only where none could."""
        taken: list[Frame] = []
        for wanted in (lambda frame: frame.readable and not frame.problems, lambda frame: frame.readable):
            for frame in filter(wanted, frames):
                if not any(frame.offset < other.end and other.offset < frame.end for other in taken):
                    taken.append(frame)
        if not taken and len(self._decoders) == 1:
            taken = list(frames)
        elif not taken:
            taken = [frame for frame in frames[:1] if all(not other.readable for other in frames)]
        return sorted(taken, key=lambda frame: frame.offset)


BY_CONTROL = {form.NAME: form for form in usb.REQUESTS if form is not usb.SetAddress}
"""What can be asked of a control pipe by hand: the address is for the host's controller alone to give."""


class UsbSpoken(PlanSpoken):
    """Reports of a USB device are frames of one's own; the link carries them wrapped, and what endpoint 0 is asked."""

    is_whole = True

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        own = super().forms(side)
        return {**own, **{name: form for name, form in BY_CONTROL.items() if name not in own and side is Side.HOST}}

    @property
    def coming_back(self) -> Mapping[str, type[Message]]:
        stages = {form.NAME: form for form in (usb.DataStage, usb.StatusStage)}
        return {**usb.CODEC.forms(Side.BOARD), **stages, **self.forms(Side.BOARD)}

    def has_one_size(self, name: str) -> bool:
        return name in BY_CONTROL and name not in self._codecs

    def control(self, message: Message, data: bytes) -> bytes | None:
        """The setup packet of what goes to the control pipe; `None` for a report. Raises `WrongError`."""
        if message.NAME in self._codecs or not isinstance(message, usb.Request):
            return None
        if len(data) != usb.SETUP_BYTES:
            raise WrongError(message.NAME, found=f"{len(data)} bytes", expected=f"{usb.SETUP_BYTES} of a setup packet")
        setup = usb.Setup.unpacked(data)
        if setup.length and not setup.is_in:
            raise WrongError(f"{message.NAME}.length", found=setup.length, expected="0: no data is sent to the device")
        return data

    def is_due(self, request: Message) -> bool:
        return isinstance(request, usb.Request) or super().is_due(request)

    def answers(self, request: Message, frame: Frame) -> bool:
        is_report = frame.message.NAME in self._codecs
        return super().answers(request, frame) and is_report is not isinstance(request, usb.Request)

    def codec_of(self, name: str) -> Codec:
        return self._codecs.get(name) or usb.CODEC

    def decoder(self, side: Side) -> Decoder:
        return super().decoder(side) if self._codecs else _AnyReport()

    def passing(self) -> dict[Side, Decoder]:
        out = UsbOut(lambda: self.decoder(Side.HOST))
        return {Side.HOST: out, Side.BOARD: UsbIn(out, lambda: self.decoder(Side.BOARD))}


class BusSpoken(Spoken):
    """Transactions on buses of the host's own; the link carries calls for them."""

    is_whole = True

    def __init__(self, setup: Setup, host: HostSetup | None) -> None:
        self.name = "i2c"
        self.setup = setup
        self.host = host
        self._called: dict[int, bus_calls.BusCall] = {}
        """What was called for by hand, by its number."""

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        return {**i2c.CODEC.forms(side), **spi.CODEC.forms(side)}

    @property
    def coming_back(self) -> Mapping[str, type[Message]]:
        return {form.NAME: form for form in BUS_REPLIES}

    def codec_of(self, name: str) -> Codec:
        return spi.CODEC if name in spi.CODEC.forms(Side.HOST) else i2c.CODEC

    def carried(self, data: bytes, message: Message | None, number: int) -> bytes:
        numbered = HAND_NUMBERS + number % 0x100
        if isinstance(message, i2c.Transaction):
            self._called[numbered] = call_for(message, data, numbered)
            return self._called[numbered].packed()
        mode = message.mode if isinstance(message, spi.Transfer) else 0
        devices = self.host.devices.values() if self.host is not None else ()
        chip = next((device.spi.chip for device in devices if device.kind in SPI_KINDS), 0)
        call = bus_calls.BusCall(number=numbered, bus=bus_calls.SPI, mode=mode, address=chip, count=0, data=data)
        self._called[numbered] = call
        return call.packed()

    def whole(self, message: Message, data: bytes) -> list[Frame]:
        decoder = self.codec_of(message.NAME).decoder(Side.HOST)
        if getattr(message, "pec", False):
            decoder = i2c.CODEC.decoder(Side.HOST, pec=True)
        return read_all(decoder, data)

    def decoder(self, side: Side) -> Decoder:
        return CallDecoder(side, self._called)

    def passing(self) -> dict[Side, Decoder]:
        called: dict[int, bus_calls.BusCall] = {}
        return {side: CallDecoder(side, called) for side in Side}

    def is_due(self, request: Message) -> bool:
        return True

    def answers(self, request: Message, frame: Frame) -> bool:
        return isinstance(frame, BusReply)

    def is_answer(self, request: Message, frame: Frame) -> bool:
        return isinstance(frame, BusReply) and frame.call_number >= HAND_NUMBERS

    def explained(self, frame: Frame, side: Side) -> list[Field]:
        if side is Side.HOST or isinstance(frame.message, Unreadable):
            return super().explained(frame, side)
        return [
            Field(name="data", spans=((8 * at, 8),), raw=byte, value=byte, meaning="from the device")
            for at, byte in enumerate(frame.data)
        ]


SPI_KINDS = ("chain", "shift", "latch")


def spoken(setup: Setup, link: LinkSetup) -> Spoken:
    """What is spoken on a link of a bench."""
    host = next((host for host in setup.hosts.values() if host.link == link.name), None)
    board = setup.boards.get(link.board)
    device = board.device if board is not None else None
    if link.protocol == "buses":
        return BusSpoken(setup, host)
    kind = UsbSpoken if link.protocol == "usb" else PlanSpoken
    if isinstance(device, FormatDevice):
        answers = {answer.frame for answer in device.board.gives if answer.when != "every"}
        by_itself = frozenset(answer.frame for answer in device.board.gives) - answers
        return kind("plan", setup, host, device.board.codecs, device.frames, by_itself)
    if host is not None and host.format is not None:
        return kind("plan", setup, host, host.format.codecs, _frames_of(setup, host))
    if link.protocol == "usb":
        return UsbSpoken("usb", setup, host, {}, {side: [] for side in Side})
    newer = link.protocol == "mqtt" and host is not None and host.client.version == MQTT_5
    return Spoken("mqtt5" if newer else link.protocol, setup, host)


def _frames_of(setup: Setup, host: HostSetup) -> dict[Side, list[str]]:
    """Which frames the host's points are in; all where none tells."""
    assert host.format is not None  # the caller has looked
    points = [point for point in setup.points.values() if isinstance(point, FieldPoint) and point.board == host.name]
    every = list(host.format.codecs)
    out = [name for name in every if name == host.format.asks or any(point.frame == name for point in points)]
    back = [name for name in every if any(point.state_frame == name for point in points)]
    return {Side.HOST: out or every, Side.BOARD: back or every}
