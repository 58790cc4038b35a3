"""A frame under change: the cursor over its fields and bits, what was changed, what follows from it."""

from __future__ import annotations

import msgspec

from cavet.bench import Spoken
from cavet.protocols import (
    Field,
    Frame,
    Role,
    Side,
    Unreadable,
    bits_of,
    read_message,
    read_whole,
    set_right,
    with_bits,
    write_message,
)
from cavet.wording import WrongError, hex_pairs

MOST_KEPT = 100


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
        self._take(with_bits(self.frame.data, ((at, 1),), 1 - bits_of(self.frame.data, ((at, 1),))))

    def nudge(self, by: int) -> None:
        """Make the number in the field under the cursor greater, or less."""
        field = self.field
        if field is None or not field.spans:
            return
        size = sum(count for _, count in field.spans)
        number = (bits_of(self.frame.data, field.spans) + by) % (1 << size)
        self._take(with_bits(self.frame.data, field.spans, number))

    def set(self, text: str) -> None:
        """Give the field under the cursor another value, as a person writes it. Raises `WrongError`."""
        field = self.field
        if field is None:
            return
        by_message = self._by_message(field, text)
        if by_message is not None:
            self._take(by_message)
            return
        size = sum(count for _, count in field.spans)
        try:
            number = int(text, 0)
        except ValueError as error:
            raise WrongError(field.name, found=text, expected=f"0 to {(1 << size) - 1}") from error
        if not 0 <= number < 1 << size:
            raise WrongError(field.name, found=number, expected=f"0 to {(1 << size) - 1}")
        self._take(with_bits(self.frame.data, field.spans, number))

    def _by_message(self, field: Field, text: str) -> bytes | None:
        """The bytes of the message with another value in a field; `None` where it is not one of the message's."""
        message = self.frame.message
        form = self.tongue.forms(self.side).get(message.NAME)
        if not self.frame.readable or form is None or field.name not in form.__struct_fields__:
            return None
        if field.role not in (Role.VALUE, Role.COUNT):
            return None
        sent = message.to_send(self.frame.data)
        given = write_message(form, sent)
        needed = {each.name: given[each.name] for each in msgspec.structs.fields(form) if each.required}
        changed = getattr(read_message(form, {**needed, field.name: text}), field.name)
        return self.tongue.encode(msgspec.structs.replace(sent, **{field.name: changed}))

    def _take(self, data: bytes) -> None:
        self._before = [*self._before[-MOST_KEPT:], self.frame.data]
        self._show(data if self.leaves_wrong else self._right(data))

    def _right(self, data: bytes) -> bytes:
        return set_right(self.tongue.codec_of(self.origin.message.NAME), data, self.side)

    def _show(self, data: bytes) -> None:
        frames = read_whole(self.tongue.codec_of(self.origin.message.NAME), data, self.side)
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
