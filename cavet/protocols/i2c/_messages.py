"""The transactions of I2C and the operations of SMBus, each as what the controller sends and what the target sends.

Sources: I2C-bus specification 7.0, section 3.1; SMBus 2.0, section 5.5.
"""

from __future__ import annotations

from typing import Annotated, ClassVar

from cavet.protocols._message import FieldError, Message, Range
from cavet.protocols.i2c._addresses import address_bytes

MAX_DATA = 0xFFFF
"""The longest run of bytes that is written or read in one transaction here; the bus knows no limit."""
MAX_BLOCK = 32
"""Source: SMBus 2.0, section 5.5.7."""

Byte = Annotated[int, Range(0, 0xFF)]
Word = Annotated[int, Range(0, 0xFFFF)]
Data = Annotated[bytes, Range(0, MAX_DATA)]
Block = Annotated[bytes, Range(1, MAX_BLOCK)]
MaybeByte = Annotated[int | None, Range(0, 0xFF)]
MaybeWord = Annotated[int | None, Range(0, 0xFFFF)]
MaybeData = Annotated[bytes | None, Range(0, MAX_DATA)]
MaybeBlock = Annotated[bytes | None, Range(1, MAX_BLOCK)]


class Transaction(Message, frozen=True, kw_only=True):
    """All between a start and a stop. `written` is what the controller writes behind the address, `None` where it
    does not write; `answer` what the target sends, `None` where it is not read."""

    CHECKED: ClassVar[bool] = False
    """Whether it can carry a packet error code."""

    address: Annotated[int, Range(0, 0x3FF)]
    ten_bit: bool = False

    def __post_init__(self) -> None:
        if not self.ten_bit and self.address > 0x7F:
            raise FieldError(f"{self.NAME}.address", found=self.address, expected="0 to 127, or ten_bit=on")
        super().__post_init__()

    @property
    def written(self) -> bytes | None:
        return None

    @property
    def answer(self) -> bytes | None:
        return None

    def calls(self) -> tuple[bytes, ...]:
        """What the controller sends, cut at each repeated start; without the packet error code."""
        parts = []
        if self.written is not None or (self.ten_bit and self.answer is not None):
            parts.append(address_bytes(self.address, read=False, ten_bit=self.ten_bit) + (self.written or b""))
        if self.answer is not None:
            parts.append(address_bytes(self.address, read=True, ten_bit=self.ten_bit))
        return tuple(parts)


class Checked(Transaction, frozen=True, kw_only=True):
    """An operation that can end with a packet error code."""

    CHECKED = True
    pec: bool = False


def _joined(register: int | None, data: bytes) -> bytes:
    return data if register is None else bytes((register,)) + data


def _low_first(word: int) -> bytes:
    return word.to_bytes(2, "little")


class Write(Transaction, frozen=True, kw_only=True):
    """Write bytes to a device, the first one the number of a register where it has any."""

    NAME = "write"
    register: MaybeByte = None
    data: Data = b""

    @property
    def written(self) -> bytes:
        return _joined(self.register, self.data)


class Read(Transaction, frozen=True, kw_only=True):
    """Read bytes from a device."""

    NAME = "read"
    count: Annotated[int, Range(1, MAX_DATA)]
    data: MaybeData = None

    @property
    def answer(self) -> bytes:
        return self.data or b""


class WriteRead(Transaction, frozen=True, kw_only=True):
    """Write bytes, a register's number first, and read from there after a repeated start."""

    NAME = "write-read"
    register: MaybeByte = None
    data: Data = b""
    count: Annotated[int, Range(1, MAX_DATA)]
    reply: MaybeData = None

    @property
    def written(self) -> bytes:
        return _joined(self.register, self.data)

    @property
    def answer(self) -> bytes:
        return self.reply or b""


class QuickCommand(Transaction, frozen=True, kw_only=True):
    """Tell a device one bit: the read bit of its address. Source: SMBus 2.0, section 5.5.1."""

    NAME = "quick-command"
    read: bool = False

    @property
    def written(self) -> bytes | None:
        return None if self.read else b""

    @property
    def answer(self) -> bytes | None:
        return b"" if self.read else None


class SendByte(Checked, frozen=True, kw_only=True):
    """Send one byte. Source: SMBus 2.0, section 5.5.2."""

    NAME = "send-byte"
    value: Byte

    @property
    def written(self) -> bytes:
        return bytes((self.value,))


class ReceiveByte(Checked, frozen=True, kw_only=True):
    """Receive one byte. Source: SMBus 2.0, section 5.5.3."""

    NAME = "receive-byte"
    value: MaybeByte = None

    @property
    def answer(self) -> bytes:
        return b"" if self.value is None else bytes((self.value,))


class WriteByte(Checked, frozen=True, kw_only=True):
    """Write a byte to a register. Source: SMBus 2.0, section 5.5.4."""

    NAME = "write-byte"
    register: Byte
    value: Byte

    @property
    def written(self) -> bytes:
        return bytes((self.register, self.value))


class WriteWord(Checked, frozen=True, kw_only=True):
    """Write a word to a register, its low byte first. Source: SMBus 2.0, section 5.5.4."""

    NAME = "write-word"
    register: Byte
    value: Word

    @property
    def written(self) -> bytes:
        return _joined(self.register, _low_first(self.value))


class ReadByte(Checked, frozen=True, kw_only=True):
    """Read a byte from a register. Source: SMBus 2.0, section 5.5.5."""

    NAME = "read-byte"
    register: Byte
    value: MaybeByte = None

    @property
    def written(self) -> bytes:
        return bytes((self.register,))

    @property
    def answer(self) -> bytes:
        return b"" if self.value is None else bytes((self.value,))


class ReadWord(Checked, frozen=True, kw_only=True):
    """Read a word from a register, its low byte first. Source: SMBus 2.0, section 5.5.5."""

    NAME = "read-word"
    register: Byte
    value: MaybeWord = None

    @property
    def written(self) -> bytes:
        return bytes((self.register,))

    @property
    def answer(self) -> bytes:
        return b"" if self.value is None else _low_first(self.value)


class ProcessCall(Checked, frozen=True, kw_only=True):
    """Give a word to a device, and take back what it makes of it. Source: SMBus 2.0, section 5.5.6."""

    NAME = "process-call"
    register: Byte
    value: Word
    reply: MaybeWord = None

    @property
    def written(self) -> bytes:
        return _joined(self.register, _low_first(self.value))

    @property
    def answer(self) -> bytes:
        return b"" if self.reply is None else _low_first(self.reply)


class BlockWrite(Checked, frozen=True, kw_only=True):
    """Write a block of 1 to 32 bytes, its length before it. Source: SMBus 2.0, section 5.5.7."""

    NAME = "block-write"
    register: Byte
    data: Block

    @property
    def written(self) -> bytes:
        return bytes((self.register, len(self.data))) + self.data


class BlockRead(Checked, frozen=True, kw_only=True):
    """Read a block of 1 to 32 bytes, its length before it. Source: SMBus 2.0, section 5.5.7."""

    NAME = "block-read"
    register: Byte
    data: MaybeBlock = None

    @property
    def written(self) -> bytes:
        return bytes((self.register,))

    @property
    def answer(self) -> bytes:
        return b"" if self.data is None else bytes((len(self.data),)) + self.data


class BlockProcessCall(Checked, frozen=True, kw_only=True):
    """Write a block and read another, together at most 32 bytes. Source: SMBus 2.0, section 5.5.8."""

    NAME = "block-process-call"
    register: Byte
    data: Block
    reply: MaybeBlock = None

    def __post_init__(self) -> None:
        super().__post_init__()
        together = len(self.data) + len(self.reply or b"")
        least = 1 if self.reply is None else 0  # the target sends one byte at least
        if together + least > MAX_BLOCK:
            expected = f"at most {MAX_BLOCK - least} bytes" if least else f"at most {MAX_BLOCK} bytes in data and reply"
            raise FieldError(f"{self.NAME}.data", found=f"{together} bytes", expected=expected)

    @property
    def written(self) -> bytes:
        return bytes((self.register, len(self.data))) + self.data

    @property
    def answer(self) -> bytes:
        return b"" if self.reply is None else bytes((len(self.reply),)) + self.reply


class ReadAnswer(Read, frozen=True, kw_only=True):
    """What a device sends in a read."""

    data: Data
    count: Annotated[int | None, Range(1, MAX_DATA)] = None  # type: ignore[assignment]

    def __post_init__(self) -> None:
        super().__post_init__()
        require_count(f"{self.NAME}.data", self.data, self.count)


class WriteReadAnswer(WriteRead, frozen=True, kw_only=True):
    """What a device sends in a read from a register."""

    reply: Data
    count: Annotated[int | None, Range(1, MAX_DATA)] = None  # type: ignore[assignment]

    def __post_init__(self) -> None:
        super().__post_init__()
        require_count(f"{self.NAME}.reply", self.reply, self.count)


def require_count(place: str, data: bytes, count: int | None) -> None:
    """Refuse bytes that are not as many as are read."""
    if not data or (count is not None and len(data) != count):
        raise FieldError(place, found=f"{len(data)} bytes", expected=f"{count or '1 and more'} bytes")


class ReceiveByteAnswer(ReceiveByte, frozen=True, kw_only=True):
    """The byte that a device sends."""

    value: Byte


class ReadByteAnswer(ReadByte, frozen=True, kw_only=True):
    """The byte of a register."""

    value: Byte


class ReadWordAnswer(ReadWord, frozen=True, kw_only=True):
    """The word of a register, its low byte first."""

    value: Word


class ProcessCallAnswer(ProcessCall, frozen=True, kw_only=True):
    """The word that a device gives back."""

    reply: Word


class BlockReadAnswer(BlockRead, frozen=True, kw_only=True):
    """The block that a device sends."""

    data: Block


class BlockProcessCallAnswer(BlockProcessCall, frozen=True, kw_only=True):
    """The block that a device gives back."""

    reply: Block


class FoundWrite(Write, frozen=True, kw_only=True):
    """A write as it was seen on the bus."""

    ten_bit: bool | None = None  # type: ignore[assignment]
    pec: MaybeByte = None
    reserved: str | None = None


class FoundRead(Read, frozen=True, kw_only=True):
    """A read as it was seen on the bus."""

    ten_bit: bool | None = None  # type: ignore[assignment]
    pec: MaybeByte = None
    reserved: str | None = None


class FoundWriteRead(WriteRead, frozen=True, kw_only=True):
    """A write and a read after a repeated start, as they were seen on the bus."""

    ten_bit: bool | None = None  # type: ignore[assignment]
    pec: MaybeByte = None
    reserved: str | None = None


FROM_CONTROLLER: tuple[type[Transaction], ...] = (
    Write, Read, WriteRead, QuickCommand, SendByte, ReceiveByte, WriteByte, WriteWord, ReadByte, ReadWord,
    ProcessCall, BlockWrite, BlockRead, BlockProcessCall,
)  # fmt: skip
FROM_TARGET: tuple[type[Transaction], ...] = (
    ReadAnswer, WriteReadAnswer, ReceiveByteAnswer, ReadByteAnswer, ReadWordAnswer, ProcessCallAnswer,
    BlockReadAnswer, BlockProcessCallAnswer,
)  # fmt: skip
