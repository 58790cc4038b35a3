"""A message said wrong on purpose: what of its bytes goes out, and when."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from cavet import units
from cavet.bench._spoken import Spoken
from cavet.protocols import Field, Message, Role, Side, bits_of, with_bits
from cavet.wording import WrongError, nearest

KINDS = ("check", "cut", "flip", "twice", "late", "bytes")
LOOKS = "check, cut=N, flip=BIT, twice, late=TIME or bytes=HEX"
PLACE = "--wrong"
Pieces = tuple[tuple[float, bytes], ...]
"""Bytes that go out one after the other, each with the pause before it in s."""


class Spoiling(msgspec.Struct, frozen=True, kw_only=True):
    """In which way a message is to be wrong."""

    kind: str
    number: int = 0
    """How many bytes are left, or which bit is flipped."""
    seconds: float = 0.0
    data: bytes = b""

    def __str__(self) -> str:
        told = {
            "check": "wrong check", "cut": f"cut after {self.number} bytes", "flip": f"bit {self.number} flipped",
            "twice": "twice", "late": f"late by {units.show_duration(self.seconds)}", "bytes": "other bytes",
        }  # fmt: skip
        return told[self.kind]


def read_spoiling(text: str) -> Spoiling:
    """Read `check`, `cut=3`, `flip=12`, `twice`, `late=2 ms`, `bytes=07 06`. Raises `WrongError`."""
    kind, equals, value = text.strip().partition("=")
    if kind not in KINDS:
        raise WrongError(PLACE, found=text, expected=LOOKS, nearest=nearest(kind, KINDS))
    if bool(equals) != (kind not in ("check", "twice")):
        raise WrongError(PLACE, found=text, expected=LOOKS)
    if kind in ("check", "twice"):
        return Spoiling(kind=kind)
    if kind == "late":
        seconds = units.parse(value, "s", f"{PLACE}.late")
        if not seconds > 0:
            raise WrongError(f"{PLACE}.late", found=value, expected="more than 0 s")
        return Spoiling(kind=kind, seconds=seconds)
    if kind == "bytes":
        try:
            data = bytes.fromhex(value.replace(",", " "))
        except ValueError as error:
            raise WrongError(f"{PLACE}.bytes", found=value, expected="hex pairs") from error
        if not data:
            raise WrongError(f"{PLACE}.bytes", found="nothing", expected="hex pairs")
        return Spoiling(kind=kind, data=data)
    try:
        number = units.whole_number(value.strip())
    except ValueError:
        number = -1
    if number < 0:
        raise WrongError(f"{PLACE}.{kind}", found=value, expected="a whole number")
    return Spoiling(kind=kind, number=number)


def spoiled(how: Spoiling | None, spoken: Spoken, message: Message, data: bytes, silence: float = 0.0) -> Pieces:
    """What goes out of a message's bytes; `silence` is what parts two of them on the line, in s. Raises `WrongError`
    where it can't be wrong in that way."""
    if how is None:
        return ((0.0, data),)
    if how.kind == "check":
        return ((0.0, _with_wrong_check(spoken, message, data)),)
    if how.kind == "bytes":
        return ((0.0, how.data),)
    if how.kind == "twice":
        return ((0.0, data), (silence, data))
    if how.kind == "late":
        middle = len(data) // 2
        if spoken.is_whole:
            raise WrongError(f"{PLACE}.late", found=message.NAME, expected="another way: the link takes it whole")
        if not middle:
            raise WrongError(f"{PLACE}.late", found=f"{message.NAME}, one byte", expected="a message of two and more")
        return ((0.0, data[:middle]), (how.seconds, data[middle:]))
    if how.kind == "cut":
        if not 1 <= how.number < len(data):
            raise WrongError(f"{PLACE}.cut", found=how.number, expected=f"1 to {len(data) - 1} bytes")
        return ((0.0, data[: how.number]),)
    if not 0 <= how.number < 8 * len(data):
        raise WrongError(f"{PLACE}.flip", found=how.number, expected=f"0 to {8 * len(data) - 1}")
    spans = ((how.number, 1),)
    return ((0.0, with_bits(data, spans, 1 - bits_of(data, spans))),)


def _with_wrong_check(spoken: Spoken, message: Message, data: bytes) -> bytes:
    """The bytes with another check: one that can be read, and is wrong."""
    for field in _checks(spoken, message, data):
        for bit in range(sum(size for _, size in field.spans)):
            wrong = with_bits(data, field.spans, bits_of(data, field.spans) ^ 1 << bit)
            if any(found.problem for found in _checks(spoken, message, wrong)):
                return wrong
    raise WrongError(PLACE, found="check", expected=f"another way: {message.NAME} of {spoken.name} has no check")


def _checks(spoken: Spoken, message: Message, data: bytes) -> list[Field]:
    """The checks in bytes that make one frame."""
    frames = spoken.whole(message, data)
    if len(frames) != 1 or not frames[0].readable:
        return []
    return [field for field in spoken.explained(frames[0], Side.HOST) if field.role is Role.CHECK]


def request_in(spoken: Spoken, message: Message, pieces: Sequence[tuple[float, bytes]]) -> Message | None:
    """The message that these bytes make as they go out: what they were made of, another one, or none."""
    data = b"".join(piece for _, piece in pieces)
    frames = spoken.whole(message, data)
    good = [frame for frame in frames if frame.readable and not frame.problems]
    return good[0].message if good else None
