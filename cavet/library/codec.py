"""Messages to bytes and back, for every protocol and for frames of plans."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from cavet.protocols import (
    Codec,
    Field,
    Frame,
    Side,
    as_fields,
    as_text,
    codec,
    find_form,
    read_message,
    read_whole,
    ruler,
)
from cavet.wording import WrongError, listed


class Decoded:
    """A message as it was found in a stream.

    `name` is the message's, `fields` its values as JSON has them, `wire` its bytes, `offset` where they begin in the
    stream, `problems` what is wrong with it, in words.
    """

    def __init__(
        self, chosen: Codec, frame: Frame, side: Side, fields: Callable[[], list[Field]] | None = None
    ) -> None:
        self._fields = fields if fields is not None else lambda: ruler(chosen, frame, side)
        self._found = (frame, side)
        self.protocol = chosen.name
        self.name = frame.message.NAME
        self.fields: dict[str, Any] = as_fields(frame.message, chosen.unused) if frame.readable else {}
        self.wire = frame.data
        self.offset = frame.offset
        self.problems = list(frame.problems)

    @property
    def frame(self) -> Frame:
        """The frame as the codecs have it."""
        return self._found[0]

    def explain(self, columns: int = 80) -> str:
        """The ruler of its frame as text, as `cavet explain` prints it: bytes, bits, fields, what they mean."""
        from cavet.drawings.explained import draw_explained

        frame, side = self._found
        return draw_explained(frame, self._fields(), side, columns).text()

    def __repr__(self) -> str:
        fields = "".join(f" {name}={value}" for name, value in self.fields.items())
        return f"<{self.protocol} {self.name}{fields}>"


def is_plan(name: str) -> bool:
    """Whether a frame of a plan is meant, not a protocol."""
    return "#" in name or name.endswith(".plan.toml")


def find_codec(name: str) -> Codec:
    """Give the codec of a protocol, or of a frame of a plan, `FILE#FRAME`. Raises `WrongError`."""
    if not is_plan(name):
        return codec(name)
    from cavet.benchfile import load_plan

    file, _, frame = name.partition("#")
    plan = load_plan(Path(file))
    if not frame:
        raise WrongError(name, found="no frame", expected=f"FILE#FRAME with a frame: {listed(plan.frames)}")
    return plan.codec(frame, name)


def encode(protocol: str, message: str, *, response: bool = False, **fields: Any) -> bytes:
    """Give the bytes of a message.

    `protocol` is a name such as "modbus-rtu", or `FILE#FRAME` for a frame of a plan; `message` and `fields` have the
    names of `cavet encode`. Fields are numbers, bytes, lists of them, or words as that command takes them; a tuple in a
    list is a pair, a list in a list a group. `response` means the board's message, where request and response differ.
    Raises `WrongError`, and `FieldError` with the field's place.
    """
    chosen = find_codec(protocol)
    form = find_form(chosen, message, list(fields), response)
    given = {name: as_text(value) for name, value in fields.items()}
    return chosen.encode(read_message(form, given, chosen.unused))


def decode(protocol: str, data: bytes, *, side: str = "host") -> list[Decoded]:
    """Take a stream of bytes apart: all that one side has said, "host" or "board". Every byte is in one message."""
    chosen = find_codec(protocol)
    talker = side_named(side, "decode.side")
    if isinstance(data, int | str):
        raise WrongError("decode.data", found=data, expected="bytes, such as bytes.fromhex('E9 5C 00')")
    return [Decoded(chosen, frame, talker) for frame in read_whole(chosen, data, talker)]


def side_named(word: str, place: str) -> Side:
    """The side that a word names. Raises `WrongError`."""
    sides = [known.value for known in Side]
    if word not in sides:
        raise WrongError(place, found=word, expected=listed(sides))
    return Side(word)
