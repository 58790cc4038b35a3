"""The codec of one frame of a plan, in the shape of all codecs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any

import msgspec

from cavet.protocols._codec import Side
from cavet.protocols._frame import Field, Frame, Role, Span
from cavet.protocols._message import FieldError, Message, Written
from cavet.protocols._reader import ShortError, gaps_filled
from cavet.protocols._ruler import bits_of, with_bits
from cavet.protocols.plans._layout import Layout, field_problem
from cavet.protocols.plans._plan import FieldPlan, FramePlan, Values
from cavet.protocols.plans._spot import Spot, spans_of
from cavet.protocols.plans._stream import PlanDecoder
from cavet.protocols.plans._text import TextLayout
from cavet.protocols.plans._values import Raw, fields_there, from_wire, looks, read_value, show_wire, tags_of, to_wire
from cavet.wording import listed


class PlanCodec:
    """One frame of a plan. Its message has the frame's name, whoever says it."""

    unused: frozenset[str] = frozenset()
    also_called: Mapping[str, str] = {}

    def __init__(self, plan: FramePlan, name: str = "") -> None:
        self.plan = plan
        self.name = name or plan.name
        self.form = form_of(plan)
        self._layout = Layout(plan) if plan.text is None else TextLayout(plan)

    def forms(self, side: Side) -> Mapping[str, type[Message]]:
        return {self.plan.name: self.form}

    def encode(self, message: Message) -> bytes:
        """Give a frame's bytes: fields, delimiters, escapes."""
        if not isinstance(message, self.form):
            raise FieldError("message", found=message.NAME, expected=f"a {self.plan.name} of this plan")
        values = {name: getattr(message, name) for name in message.__struct_fields__}
        return self.plan.start + self._stuffed(self._layout.pack(values)) + self.plan.end

    def _stuffed(self, body: bytes) -> bytes:
        escape = self.plan.escape
        if escape is None:
            return body
        hidden = {*self.plan.start, *self.plan.end, escape.byte}
        out = bytearray()
        for byte in body:
            out += bytes((escape.byte, byte ^ escape.xor)) if byte in hidden else bytes((byte,))
        return bytes(out)

    def bits_of(self, data: bytes, spans: Sequence[Span]) -> int:
        """The number that stands at these places of a frame, behind its escapes."""
        body, inside = self._inside(data, spans)
        return bits_of(body, inside) if inside else bits_of(data, spans)

    def with_bits(self, data: bytes, spans: Sequence[Span], value: int) -> bytes:
        """A frame with other bits at these places, and the escapes that those want; a delimiter or an escape itself is
        changed as it stands."""
        body, inside = self._inside(data, spans)
        if not inside:
            return with_bits(data, spans, value)
        return self.plan.start + self._stuffed(with_bits(body, inside, value)) + self.plan.end

    def _inside(self, data: bytes, spans: Sequence[Span]) -> tuple[bytes, list[Span]]:
        """A frame's body, and where in it these places are, bit by bit; nowhere, where one of them is not in it."""
        body, places, _ = self._unstuffed(data)
        at = {place: number for number, place in enumerate(places)}
        bits = [begin + number for begin, count in spans for number in range(count)]
        inside = [(8 * at[bit // 8] + bit % 8, 1) for bit in bits if bit // 8 in at]
        return body, inside if len(inside) == len(bits) else []

    def message(self, values: Values, wanted: str = "") -> Message:
        """Make a message out of values for all fields; those that are not there are left out.

        Where the field `wanted` depends on a tag, the tag gets a value with which it is there. Raises `FieldError`.
        """
        chosen = dict(values)
        field = self.plan.field(wanted) if wanted else None
        while field is not None and field.choice is not None:
            tag = self.plan.field(field.choice.tag)
            if chosen.get(tag.name) not in field.choice.values:
                chosen[tag.name] = field.choice.values[0]
            field = tag
        here = fields_there(self.plan, tags_of(self.plan, chosen))
        return self.form(**{name: value for name, value in chosen.items() if name in here})

    def decoder(self, side: Side) -> PlanDecoder:
        return PlanDecoder(self.plan, self._layout, self.form)

    def explain(self, frame: Frame, side: Side) -> list[Field]:
        """Take a frame apart, down to the bits of each field."""
        fields: list[Field] = []
        if frame.readable:
            body, places, escapes = self._unstuffed(frame.data)
            fields = self._fields(body, places, frame.message)
            if self.plan.start:
                fields.insert(0, _delimiter("start", 0, self.plan.start))
            if self.plan.end:
                fields.append(_delimiter("end", len(frame.data) - len(self.plan.end), self.plan.end))
            fields += [_escape(at, frame.data[at]) for at in escapes]
            is_text = isinstance(self._layout, TextLayout)
            between = ("text", Role.CONSTANT) if is_text else ("unused", Role.UNUSED)
            fields = gaps_filled(fields, len(frame.data), *between)
        return fields

    def _unstuffed(self, data: bytes) -> tuple[bytes, list[int], list[int]]:
        """A frame's body, where in the frame each of its bytes is, and where the escapes are."""
        body, places, escapes = bytearray(), [], []
        at = len(self.plan.start)
        escape = self.plan.escape
        while at < len(data) - len(self.plan.end):
            hidden = escape is not None and data[at] == escape.byte and at + 1 < len(data)
            if hidden:
                escapes.append(at)
            at += hidden
            body.append(data[at] ^ escape.xor if hidden and escape is not None else data[at])
            places.append(at)
            at += 1
        return bytes(body), places, escapes

    def _fields(self, body: bytes, places: list[int], message: Message) -> list[Field]:
        if isinstance(self._layout, TextLayout):
            match = self._layout.match(body)
            return [
                Field(
                    name=field.name,
                    spans=spans_of([8 * places[at] + bit for at in range(first, last) for bit in range(8)]),
                    raw=body[first:last],
                    value=getattr(message, field.name),
                    unit=field.unit,
                )
                for field, first, last in (match[2] if match else ())
            ]
        fields = []
        try:
            for spot, base in self._layout.places(body, []):
                fields.append(self._field(spot, base, body, places, message))
        except ShortError:
            return []  # the frame itself tells that it is too short
        return fields

    def _field(self, spot: Spot, base: int, body: bytes, places: list[int], message: Message) -> Field:
        raw = spot.get(body, base)
        field = spot.field
        repeats = self.plan.repeats(field)
        return Field(
            name=field.name,
            spans=spans_of([8 * places[base + bit // 8] + bit % 8 for bit in spot.bits()]),
            raw=raw if isinstance(raw, int | bytes) else None,
            value=from_wire(field, raw) if repeats else getattr(message, field.name),
            unit=field.unit,
            meaning=_meaning(field, raw),
            problem=field_problem(field, raw, body, base + spot.first),
            role=_role(field),
            expected=field.check.of(body[: base + spot.first]) if field.check is not None else None,
        )


def _role(field: FieldPlan) -> Role:
    if field.check is not None:
        return Role.CHECK
    if field.const is not None:
        return Role.CONSTANT
    if field.length_of:
        return Role.LENGTH
    return Role.COUNT if field.count_of else Role.VALUE


def _meaning(field: FieldPlan, raw: Raw) -> str:
    if field.check is not None:
        return "over all fields before it"
    if field.length_of:
        return f"length of {listed(field.length_of, 'and')}"
    if field.count_of:
        return f"how many of {field.count_of}"
    return f"{show_wire(field, raw)} on the wire" if field.is_scaled or field.values else ""


def _delimiter(name: str, at: int, data: bytes) -> Field:
    return Field(
        name=name, spans=((8 * at, 8 * len(data)),), raw=data, value=data, meaning=f"the frame's {name}",
        role=Role.CONSTANT,
    )  # fmt: skip


def _escape(at: int, byte: int) -> Field:
    meaning = "what follows stands for a byte that may not be inside a frame"
    return Field(name="escape", spans=((8 * at, 8),), raw=byte, value=byte, meaning=meaning, role=Role.CONSTANT)


def form_of(plan: FramePlan) -> type[Message]:
    """Make the class of a frame's messages. A field that fills itself may be given all the same, and then stands."""
    fields: list[Any] = []
    for field in plan.fields:
        noted = Annotated[Any, _written(plan, field)]
        may_lack = field.fills_itself or field.choice is not None
        fields.append((field.name, noted, None) if may_lack else (field.name, noted))
    form = msgspec.defstruct(
        plan.name,
        fields,
        bases=(PlanMessage,),
        namespace={"NAME": plan.name, "PLAN": plan, "__doc__": f"The frame `{plan.name}` of the plan."},
        frozen=True,
        kw_only=True,
    )
    assert issubclass(form, Message)
    return form


class PlanMessage(Message, frozen=True, kw_only=True):
    """A message of a plan's frame: its fields hold values, not what is on the wire."""

    def __post_init__(self) -> None:
        plan: FramePlan = type(self).PLAN  # type: ignore[attr-defined]
        for field in plan.fields:
            value = getattr(self, field.name)
            if value is None:
                continue
            items = value if plan.repeats(field) else (value,)
            if field.count is not None and len(items) != field.count:
                raise FieldError(field.name, found=f"{len(items)} items", expected=f"{field.count}")
            for item in items:
                try:
                    to_wire(field, item)
                except FieldError as error:
                    raise FieldError(
                        f"{plan.name}.{field.name}", found=error.found, expected=error.expected, nearest=error.nearest
                    ) from error
        self._check_choices(plan)

    def _check_choices(self, plan: FramePlan) -> None:
        """A field that depends on a tag is given when it is there, and only then."""
        if not plan.tags:
            return
        here = fields_there(plan, tags_of(plan, {name: getattr(self, name) for name in plan.tags}))
        for field in plan.fields:
            value = getattr(self, field.name)
            if field.choice is None or (field.name in here) == (value is not None or field.fills_itself):
                continue
            place, tag = f"{plan.name}.{field.name}", getattr(self, field.choice.tag)
            if field.name in here:
                raise FieldError(place, found="nothing", expected=f"{looks(field)}, as {field.choice.tag} is {tag}")
            if value is not None:
                raise FieldError(place, found=value, expected=f"nothing unless {field.choice}")


def _written(plan: FramePlan, field: FieldPlan) -> Written:
    when = f", when {field.choice}" if field.choice is not None else ""
    if not plan.repeats(field):
        return Written(f"{looks(field)}{when}", lambda place, text: read_value(field, place, text))
    count = f"{field.count} of them" if field.count else "any number of them"
    return Written(
        f"{looks(field)}, {count}, with commas{when}",
        lambda place, text: tuple(read_value(field, place, item) for item in text.split(",")) if text else (),
    )
