"""What passes on links whose bytes are wrapped: calls to buses, and transfers over USB/IP, as what they are about."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from cavet.protocols import Decoder, Frame, Message, Side, Unreadable, i2c, read_all, spi, usb
from cavet.protocols import buses as bus_calls


class BusDone(Message, frozen=True, kw_only=True):
    """The transaction has passed: everybody who had to has acknowledged."""

    NAME = "acknowledged"


class BusRefused(Message, frozen=True, kw_only=True):
    """The transaction was broken off, and why."""

    NAME = "not-acknowledged"
    reason: str


BUS_REPLIES: tuple[type[Message], ...] = (BusDone, BusRefused, i2c.ReadAnswer, spi.FoundTransfer)
"""What can come of a call."""


class BusReply(Frame, frozen=True, gc=False):
    """What came of a call, with the call's number."""

    call_number: int = 0


class CallDecoder:
    """Reads calls and their answers as what passes on the wires."""

    def __init__(self, side: Side, called: dict[int, bus_calls.BusCall]) -> None:
        self._called = called
        """The calls that are under way: the host's side puts them in, the other one takes them out."""
        self._decoder = bus_calls.BusDecoder(answers=side is Side.BOARD)

    def feed(self, data: bytes) -> list[Frame]:
        """Take more bytes; give what is complete now."""
        return [self._on_wires(frame) for frame in self._decoder.feed(data)]

    def finish(self) -> list[Frame]:
        """Nothing more comes; what is not whole is no call."""
        return []

    def _on_wires(self, frame: Frame) -> Frame:
        found: Any = frame.message
        if isinstance(found, bus_calls.BusCall):
            self._called[found.number] = found
            return bus_calls.as_frame(found, frame.offset)
        if not isinstance(found, bus_calls.BusAnswer):
            return frame
        call = self._called.pop(found.number, None)
        message: Message = BusDone()
        if found.why:
            message = BusRefused(reason=found.why)
        elif found.data:
            message = _read(call, found.data)
        problems = (found.why,) if found.why else ()
        return BusReply(message, found.data, frame.offset, problems, call_number=found.number)


def _read(call: bus_calls.BusCall | None, data: bytes) -> Message:
    """What has been read, as the protocol of its bus has it."""
    if call is None or call.bus == bus_calls.SPI:
        return spi.FoundTransfer(data=data)
    return i2c.ReadAnswer(address=call.address, ten_bit=call.ten_bit, data=data)


class UsbOut:
    """Reads what a client says over USB/IP: setup packets, and what goes to other endpoints."""

    def __init__(self, reports: Callable[[], Decoder]) -> None:
        self._reports = reports
        self._reader = usb.ip.RequestReader()
        self.wanted: dict[int, int] = {}
        """For each transfer to the host how many bytes it may bring."""
        self.asked: dict[int, bytes] = {}
        """The setup packet of each transfer over the control pipe."""

    def feed(self, data: bytes) -> list[Frame]:
        """Take more bytes; give what is complete now."""
        found: list[Frame] = []
        requests = self._reader.feed(data)
        while requests:
            for request, offset, _ in requests:
                if isinstance(request, usb.ip.ImportRequest):
                    self._reader.imported = True
                elif isinstance(request, usb.ip.Submit):
                    found += self._submitted(request, offset)
            requests = self._reader.go_on()
        return found

    def finish(self) -> list[Frame]:
        """Nothing more comes."""
        return []

    def _submitted(self, request: usb.ip.Submit, offset: int) -> list[Frame]:
        setup = b"" if request.endpoint else request.setup
        if request.direction == usb.ip.IN:
            self.wanted[request.sequence] = request.length
        if setup:
            self.asked[request.sequence] = setup
            return at_offset(usb.CODEC.decoder(Side.HOST), setup, offset)
        return at_offset(self._reports(), request.data, offset) if request.direction == usb.ip.OUT else []


class UsbIn:
    """Reads what comes back: descriptors to setup packets, and reports."""

    def __init__(self, out: UsbOut, reports: Callable[[], Decoder]) -> None:
        self._out = out
        self._reports = reports
        self._reader = usb.ip.ReplyReader()
        self._reader.wanted = out.wanted
        self._begun = False
        self._lost = False

    def feed(self, data: bytes) -> list[Frame]:
        """Take more bytes; give what is complete now."""
        self._reader.feed(data)
        found: list[Frame] = []
        try:
            if not self._begun and not self._begin():
                return found
            while not self._lost and (ended := self._reader.ended()) is not None:
                found += self._answer(ended, self._reader.offset - len(ended.data))
        except ValueError as error:
            self._lost = True
            found.append(Frame(Unreadable(reason=str(error)), data, self._reader.offset, (str(error),)))
        return found

    def _answer(self, ended: usb.ip.Ended, offset: int) -> list[Frame]:
        """What a transfer that has ended says: a control transfer also where it brings no data."""
        setup = self._out.asked.pop(ended.sequence, b"")
        if not setup:
            return at_offset(self._reports(), ended.data, offset) if ended.data else []
        if ended.status == usb.ip.EPIPE:
            return [Frame(usb.StatusStage(stalled=True), b"", offset)]
        return moved(usb.control_answer(setup, ended.data), offset) if ended.status == usb.ip.OK else []

    def _begin(self) -> bool:
        """Pass over the answers to what is asked before any transfer: which devices there are, and the one taken."""
        while not self._begun and (size := usb.ip.answer_size(self._reader.waiting)) is not None:
            code, status = self._reader.operation() or (0, 0)
            self._reader.take(size - usb.ip.OPERATION_BYTES)
            self._begun = code == usb.ip.REP_IMPORT and status == usb.ip.OK
        return self._begun

    def finish(self) -> list[Frame]:
        """Nothing more comes."""
        return []


def at_offset(decoder: Decoder, data: bytes, offset: int) -> list[Frame]:
    """The frames in a datagram that stands at an offset."""
    return moved(read_all(decoder, data), offset)


def moved(frames: Sequence[Frame], by: int) -> list[Frame]:
    """Frames that stand so many bytes farther on."""
    return [Frame(frame.message, frame.data, by + frame.offset, frame.problems) for frame in frames]
