"""A frame under change: the cursor over its fields and bits, what was changed, what follows from it."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from decimal import Decimal

import msgspec

from cavet import units
from cavet.bench import Spoken
from cavet.protocols import (
    Codec,
    Field,
    Frame,
    Role,
    Side,
    Span,
    Unreadable,
    bits_of,
    read_field,
    read_whole,
    set_right,
    with_bits,
)
from cavet.protocols.plans import PlanCodec
from cavet.wording import WrongError, hex_pairs

MOST_KEPT = 100
WRITTEN_OUT = "scpi"
"""What is spoken in words."""


class Editing:
    """One frame, as it was and as it is changed."""

    def __init__(self, tongue: Spoken, frame: Frame, side: Side) -> None:
        self.tongue = tongue
        self.side = side
        self.origin = frame
        self.frame = frame
        self.fields: list[Field] = tongue.explained(frame, side)
        self.cursor = _first_value(self.fields)
        self.bit: int | None = None
        """The bit under the cursor; `None` while it is over fields."""
        self.leaves_wrong = False
        """Whether lengths and checks stay as they are, on purpose."""
        self._before: list[bytes] = []

    @property
    def is_changed(self) -> bool:
        return self.frame.data != self.origin.data

    @property
    def field(self) -> Field | None:
        return self.fields[self.cursor] if self.fields else None

    @property
    def changed_bits(self) -> frozenset[int]:
        """The bits that are not as they were; those behind the shorter one all count."""
        new, old = self.frame.data, self.origin.data
        if new == old:
            return frozenset()
        changed = [(at, one ^ other) for at, (one, other) in enumerate(zip(new, old, strict=False)) if one != other]
        found = {8 * at + bit for at, bits in changed for bit in range(8) if bits >> 7 - bit & 1}
        return frozenset(found | set(range(8 * len(old), 8 * len(new))))

    # the cursor

    def move(self, by: int) -> None:
        """To another field; over bits, to another bit."""
        if self.bit is not None:
            self.bit = min(8 * len(self.frame.data) - 1, max(0, self.bit + by))
            self.cursor = self._field_at(self.bit)
            return
        places = [place for place, field in enumerate(self.fields) if field.spans]
        if not places:
            return
        here = places.index(self.cursor) if self.cursor in places else 0
        self.cursor = places[min(len(places) - 1, max(0, here + by))]

    def into_bits(self) -> None:
        """Over the bits of the field under the cursor, or back over fields."""
        field = self.field
        if self.bit is not None or field is None or not field.spans:
            self.bit = None
            return
        self.bit = min(begin for begin, _ in field.spans)

    def point_at(self, bit: int) -> None:
        """To the field that has a bit."""
        self.bit = None
        self.cursor = self._field_at(bit)

    def _field_at(self, bit: int) -> int:
        for place, field in enumerate(self.fields):
            if any(begin <= bit < begin + size for begin, size in field.spans):
                return place
        return self.cursor

    # changing

    def flip(self) -> None:
        """Flip the bit under the cursor; over fields, the lowest bit of the one under it."""
        field = self.field
        if field is None or not field.spans:
            return
        begin, size = field.spans[-1]
        at = self.bit if self.bit is not None else begin + size - 1
        self._take(self._put(self.frame.data, ((at, 1),), 1 - self._bits(((at, 1),))))

    def nudge(self, by: int) -> None:
        """Make the number in the field under the cursor greater, or less; one that is written out in its last place."""
        field = self.field
        if field is None or not field.spans:
            return
        if self._is_text:
            text = self._text_of(field)
            if (stepped := _stepped(text, by)) != text:
                self._take(self._spliced(field, stepped))
            return
        size = sum(count for _, count in field.spans)
        self._take(self._put(self.frame.data, field.spans, (self._bits(field.spans) + by) % (1 << size)))

    def set(self, text: str) -> None:
        """Give the field under the cursor another value, as a person writes it. Raises `WrongError`."""
        field = self.field
        if field is None:
            return
        data = None if self._is_text else self._by_message(field, text)
        if data is None and (self._is_text or isinstance(field.value, str)):
            data = self._spliced(field, text)
        self._take(data if data is not None else self._put(self.frame.data, field.spans, _number(field, text)))

    def _by_message(self, field: Field, text: str) -> bytes | None:
        """The bytes of the message with another value in a field; `None` where what is under the cursor is not a whole
        field of the message's, but a byte of one."""
        message = self.frame.message
        form = self.tongue.forms(self.side).get(message.NAME)
        if not self.frame.readable or form is None or field.role not in (Role.VALUE, Role.COUNT):
            return None
        if getattr(message, field.name, None) != field.value:
            return None
        changed = read_field(form, field.name, text)
        return self.tongue.encode(msgspec.structs.replace(message, **{field.name: changed}))

    @property
    def _codec(self) -> Codec:
        return self.tongue.codec_of(self.origin.message.NAME)

    def _bits(self, spans: tuple[Span, ...]) -> int:
        chosen, data = self._codec, self.frame.data
        return chosen.bits_of(data, spans) if isinstance(chosen, PlanCodec) else bits_of(data, spans)

    @property
    def _put(self) -> Callable[[bytes, Sequence[Span], int], bytes]:
        """What puts other bits into a frame: a format of one's own may hide some behind escapes."""
        chosen = self._codec
        return chosen.with_bits if isinstance(chosen, PlanCodec) else with_bits

    @property
    def _is_text(self) -> bool:
        """Whether frames are written out, so that no number stands in bits of its own."""
        chosen = self._codec
        return self.tongue.name == WRITTEN_OUT or (isinstance(chosen, PlanCodec) and chosen.plan.text is not None)

    def _text_of(self, field: Field) -> str:
        begin, end = _bytes_of(field)
        return self.frame.data[begin:end].decode("latin-1")

    def _spliced(self, field: Field, text: str) -> bytes:
        """The frame with other letters in a field; where a length tells of them, as many."""
        begin, end = _bytes_of(field)
        letters = text.encode("latin-1", "replace") if self._is_text else text.encode()
        if not self._is_text and len(letters) != end - begin:
            expected = f"as many as there are, {end - begin}"
            raise WrongError(field.name, found=f"{len(letters)} bytes", expected=expected)
        return self.frame.data[:begin] + letters + self.frame.data[end:]

    def _take(self, data: bytes) -> None:
        self._before = [*self._before[-MOST_KEPT:], self.frame.data]
        self._show(data if self.leaves_wrong else self._right(data))

    def _right(self, data: bytes) -> bytes:
        return set_right(self._codec, data, self.side, self._put)

    def _show(self, data: bytes) -> None:
        frames = read_whole(self._codec, data, self.side)
        if len(frames) == 1:
            self.frame = frames[0]
        else:
            problem = f"no longer one frame: {len(frames)} of them"
            self.frame = Frame(Unreadable(reason=problem), data, 0, (problem,))
        self.fields = self.tongue.explained(self.frame, self.side)
        self.cursor = min(self.cursor, max(0, len(self.fields) - 1))

    def leave_wrong(self) -> None:
        """Leave lengths and checks as they are from now on; or make them right again, at once."""
        self.leaves_wrong = not self.leaves_wrong
        if not self.leaves_wrong and (data := self._right(self.frame.data)) != self.frame.data:
            self._take(data)

    def undo(self) -> bool:
        """Take the last change back."""
        if not self._before:
            return False
        self._show(self._before.pop())
        return True

    @property
    def shown(self) -> str:
        return hex_pairs(self.frame.data)


def _first_value(fields: list[Field]) -> int:
    """The field that says what is wanted: the last that is a value of its own; of several of one name the first."""
    places = [place for place, field in enumerate(fields) if field.role is Role.VALUE and field.spans]
    return next((place for place in places if fields[place].name == fields[places[-1]].name), 0)


def _bytes_of(field: Field) -> tuple[int, int]:
    """From which byte to which a field's letters stand."""
    bits = [bit for begin, count in field.spans for bit in (begin, begin + count)]
    return (min(bits) // 8, -(-max(bits) // 8)) if bits else (0, 0)


def _number(field: Field, text: str) -> int:
    """A number of as many bits as a field has; a word for a single bit. Raises `WrongError`."""
    size = sum(count for _, count in field.spans)
    if size == 1:
        return units.parse_switch(text, field.name)
    try:
        number = units.whole_number(text)
    except ValueError as error:
        raise WrongError(field.name, found=text, expected=f"0 to {(1 << size) - 1}") from error
    if not 0 <= number < 1 << size:
        raise WrongError(field.name, found=number, expected=f"0 to {(1 << size) - 1}")
    return number


def _stepped(text: str, by: int) -> str:
    """A text with the first decimal number in it greater or less by so many of its last places."""
    found = re.search(r"(?:(?<!\w)[-+])?\d+(?:\.(\d+))?", text)
    if found is None or text.lstrip().startswith("#"):
        return text
    places = len(found[1] or "")
    number = Decimal(found[0]) + by * Decimal(1).scaleb(-places)
    return f"{text[: found.start()]}{number:.{places}f}{text[found.end() :]}"
