"""What a decoder gives back, and what an explanation of it is made of."""

from __future__ import annotations

from enum import Enum

import msgspec

from cavet.protocols._message import Message

Span = tuple[int, int]
"""A run of bits in a frame: the first one's place, counted from the top bit of the first byte, and how many."""


class Unreadable(Message, frozen=True, kw_only=True):
    """Bytes that make no message, and why. It is a result, not an exception: reading goes on behind them."""

    NAME = "unreadable"

    reason: str


class Frame(msgspec.Struct, frozen=True, gc=False):
    """The bytes of one message: what they say, where in the stream they began, and what is wrong with them."""

    message: Message
    data: bytes
    offset: int
    problems: tuple[str, ...] = ()

    @property
    def end(self) -> int:
        """The offset of the first byte behind it."""
        return self.offset + len(self.data)

    @property
    def readable(self) -> bool:
        """Whether a message could be made of it."""
        return not isinstance(self.message, Unreadable)


class Role(Enum):
    """What a field is for."""

    VALUE = "value"
    CONSTANT = "constant"
    """It is always the same: what says that a message begins, what it is, where it ends."""
    LENGTH = "length"
    """How many bytes something has."""
    COUNT = "count"
    """How many of something there are."""
    CHECK = "check"
    """What shows that the rest has arrived as it was sent."""
    UNUSED = "unused"
    """Bits that mean nothing here."""
    UNREAD = "unread"
    """Bits that could not be read."""


class Field(msgspec.Struct, frozen=True, kw_only=True):
    """A named run of bits: where it lies, what stands there, what that is, what it means, and whether it is right.

    `spans` may be several, most significant first where they are parts of one number; a group of other fields
    covers all that they cover. `raw` is the number (or the bytes) as on the wire, `value` what it stands for.
    `expected` is the number that its bits should make, where that follows from the rest of the frame.
    """

    name: str
    spans: tuple[Span, ...]
    raw: int | bytes | None = None
    value: object = None
    unit: str = ""
    meaning: str = ""
    problem: str = ""
    role: Role = Role.VALUE
    expected: int | None = None
    fields: tuple[Field, ...] = ()


class UnreadTail(msgspec.Struct):
    """Bytes that wait for the rest of their message, with the offset at which they stand."""

    offset: int = 0
    data: bytearray = msgspec.field(default_factory=bytearray)

    def take(self, count: int) -> tuple[int, bytes]:
        """Remove the first `count` bytes; give their offset and themselves."""
        offset, taken = self.offset, bytes(self.data[:count])
        del self.data[:count]
        self.offset += count
        return offset, taken
