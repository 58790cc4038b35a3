"""The codec of SPI, in the shape of all codecs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated

from cavet.protocols._codec import Side
from cavet.protocols._frame import Field, Frame, Unreadable
from cavet.protocols._message import FieldError, Message, Range, Words, Written
from cavet.units import whole_number
from cavet.wording import listed, nearest

MAX_TRANSFER_BYTES = 1 << 20
ORDERS = ("msb", "lsb")
_TURNED = bytes(int(f"{byte:08b}"[::-1], 2) for byte in range(256))


def turned(data: bytes) -> bytes:
    """Each byte with its bits in the other order."""
    return data.translate(_TURNED)


def _read_order(place: str, text: str) -> str:
    if text.lower() not in ORDERS:
        raise FieldError(place, found=text, expected=listed(ORDERS), nearest=nearest(text, ORDERS))
    return text.lower()


def _read_words(place: str, text: str) -> tuple[int, ...]:
    try:
        return tuple(whole_number(word) for word in text.split(","))
    except ValueError as error:
        raise FieldError(place, found=text, expected="numbers with commas, the nearest device's first") from error


class Transfer(Message, frozen=True, kw_only=True):
    """All that goes out while a chip select is low. `order` tells which bit of each byte leaves first."""

    NAME = "transfer"
    data: Annotated[bytes, Range(0, MAX_TRANSFER_BYTES)]
    mode: Annotated[
        int,
        Range(0, 3),
        Words({0: "low, first edge", 1: "low, second edge", 2: "high, first edge", 3: "high, second edge"}),
    ] = 0
    order: Annotated[str, Written("msb or lsb", _read_order)] = "msb"

    def __post_init__(self) -> None:
        _read_order(f"{self.NAME}.order", self.order)
        super().__post_init__()


class FoundTransfer(Message, frozen=True, kw_only=True):
    """A transfer as it was seen: its bytes tell neither mode nor order."""

    NAME = "transfer"
    data: bytes = b""

    def to_send(self, data: bytes) -> Message:
        """The transfer in the mode and order that are usual."""
        return Transfer(data=self.data)


class Chain(Message, frozen=True, kw_only=True):
    """A word for each device of a chain in one transfer: the farthest one's goes out first."""

    NAME = "chain"
    words: Annotated[tuple[int, ...], Written("numbers with commas, the nearest device's first", _read_words)]
    bits: Annotated[int, Range(8, 16)] = 16

    def __post_init__(self) -> None:
        if self.bits not in (8, 16):
            raise FieldError(f"{self.NAME}.bits", found=self.bits, expected="8 or 16")
        for word in self.words:
            if not 0 <= word < 1 << self.bits:
                raise FieldError(f"{self.NAME}.words", found=word, expected=f"0 to {(1 << self.bits) - 1}")


def chained(words: Sequence[int], bits: int = 16) -> bytes:
    """Lay words for a chain down as they go out, the farthest device's first; `words` begins with the nearest one's."""
    return b"".join(word.to_bytes(bits // 8, "big") for word in reversed(words))


class SpiDecoder:
    """Takes all bytes as one transfer."""

    def __init__(self) -> None:
        self._offset = 0
        self._data = bytearray()

    def feed(self, data: bytes) -> list[Frame]:
        """Take more bytes; give transfers only where one would be too long."""
        self._data += data
        frames = []
        while len(self._data) > MAX_TRANSFER_BYTES:
            reason = f"no end within {MAX_TRANSFER_BYTES} bytes"
            frames.append(self._frame(MAX_TRANSFER_BYTES, Unreadable(reason=reason), (reason,)))
        return frames

    def finish(self) -> list[Frame]:
        """The transfer has ended."""
        if not self._data:
            return []
        return [self._frame(len(self._data), FoundTransfer(data=bytes(self._data)), ())]

    def _frame(self, size: int, message: Message, problems: tuple[str, ...]) -> Frame:
        frame = Frame(message=message, data=bytes(self._data[:size]), offset=self._offset, problems=problems)
        del self._data[:size]
        self._offset += size
        return frame


class SpiCodec:
    """SPI, in one direction."""

    name = "spi"
    unused: frozenset[str] = frozenset()
    also_called: Mapping[str, str] = {}

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        return {"transfer": Transfer, "chain": Chain} if side is Side.HOST else {"transfer": Transfer}

    def encode(self, message: Message) -> bytes:
        """Give the bytes in the order in which their bits leave."""
        if isinstance(message, Chain):
            return chained(message.words, message.bits)
        if isinstance(message, Transfer):
            return turned(message.data) if message.order == "lsb" else message.data
        if isinstance(message, FoundTransfer):
            return message.data
        raise FieldError("message", found=message.NAME, expected="a transfer or a chain")

    def decoder(self, side: Side) -> SpiDecoder:
        return SpiDecoder()

    def explain(self, frame: Frame, side: Side) -> list[Field]:
        """Show the bytes one by one: what they mean, the device alone knows."""
        return [Field(name="data", spans=((8 * at, 8),), raw=byte, value=byte) for at, byte in enumerate(frame.data)]


CODEC = SpiCodec()
