"""The three codecs: one for each framing, over the same units."""

from __future__ import annotations

from collections.abc import Mapping

from cavet.protocols._codec import Side
from cavet.protocols._frame import Field, Frame
from cavet.protocols._message import FieldError, Message
from cavet.protocols.modbus._base import ModbusMessage
from cavet.protocols.modbus._framing import Ascii, Framing, Rtu, Tcp
from cavet.protocols.modbus._messages import REQUESTS, RESPONSES, ExceptionResponse, OtherFunction

FROM_HOST: tuple[type[ModbusMessage], ...] = (*REQUESTS, OtherFunction)
FROM_BOARD: tuple[type[ModbusMessage], ...] = (*RESPONSES, ExceptionResponse, OtherFunction)
FORMS: dict[Side, dict[str, type[Message]]] = {
    Side.HOST: {form.NAME: form for form in FROM_HOST},
    Side.BOARD: {form.NAME: form for form in FROM_BOARD},
}
WINDOW_BYTES = 1024
"""More than any framing has to see at once: a frame, and another that may begin inside what it claims."""


class ModbusDecoder:
    """Reads what one side says in one framing. Every byte comes out in exactly one frame, however the stream is cut."""

    def __init__(self, framing: Framing, side: Side) -> None:
        self._framing = framing
        self._side = side
        self._rest = b""
        self._offset = 0

    def feed(self, data: bytes) -> list[Frame]:
        """Take more bytes; give the frames that are complete now."""
        self._rest += data
        return self._frames(last=False)

    def finish(self) -> list[Frame]:
        """The stream has ended: give what is left."""
        return self._frames(last=True)

    def _frames(self, *, last: bool) -> list[Frame]:
        frames = []
        rest, at = self._rest, 0
        while at < len(rest):
            window = rest[at : at + WINDOW_BYTES]
            ends = last and at + WINDOW_BYTES >= len(rest)
            frame = self._framing.next(window, self._offset + at, self._side, ends)
            if frame is None:
                break
            frames.append(frame)
            at += len(frame.data)
        self._rest = rest[at:]
        self._offset += at
        return frames


class ModbusCodec:
    """One framing's codec."""

    also_called: Mapping[str, str] = {}

    def __init__(self, framing: Framing) -> None:
        self._framing = framing
        self.name = framing.name
        self.unused = frozenset[str]() if framing.name == "modbus-tcp" else frozenset({"transaction"})

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        return FORMS[side]

    def encode(self, message: Message) -> bytes:
        if not isinstance(message, ModbusMessage):
            raise FieldError("message", found=message.NAME, expected="a message of Modbus")
        return self._framing.wrap(message)

    def decoder(self, side: Side) -> ModbusDecoder:
        return ModbusDecoder(self._framing, side)

    def body(self, wire: bytes) -> bytes | None:
        """The unit's address, function and data out of a frame; `None` where its check is wrong."""
        return self._framing.body(wire)

    def explain(self, frame: Frame, side: Side) -> list[Field]:
        """Take a frame apart: header, function, fields, check, each with the bits where it lies."""
        return self._framing.fields(frame, side) if frame.readable else []


TCP, RTU, ASCII = ModbusCodec(Tcp()), ModbusCodec(Rtu()), ModbusCodec(Ascii())
