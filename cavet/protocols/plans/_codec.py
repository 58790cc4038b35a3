"""The codec of one frame of a plan, in the shape of all codecs."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

import msgspec

from cavet.protocols._codec import Side
from cavet.protocols._frame import Field, Frame
from cavet.protocols._message import FieldError, Message, Written
from cavet.protocols.plans._layout import Layout, ShortError, field_problem
from cavet.protocols.plans._plan import FieldPlan, FramePlan
from cavet.protocols.plans._spot import spans_of
from cavet.protocols.plans._stream import PlanDecoder
from cavet.protocols.plans._text import TextLayout
from cavet.protocols.plans._values import looks, read_value, to_wire


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

    def decoder(self, side: Side) -> PlanDecoder:
        return PlanDecoder(self.plan, self._layout, self.form)

    def explain(self, frame: Frame, side: Side) -> Field:
        """Take a frame apart, down to the bits of each field."""
        fields: list[Field] = []
        if frame.readable:
            body, places = self._unstuffed(frame.data)
            fields = self._fields(body, places, frame.message)
            if self.plan.start:
                fields.insert(0, _delimiter("start", 0, self.plan.start))
            if self.plan.end:
                fields.append(_delimiter("end", len(frame.data) - len(self.plan.end), self.plan.end))
        return Field(
            name=frame.message.NAME,
            spans=((0, 8 * len(frame.data)),),
            raw=frame.data,
            problem="; ".join(frame.problems),
            fields=tuple(fields),
        )

    def _unstuffed(self, data: bytes) -> tuple[bytes, list[int]]:
        """A frame's body, and where in the frame each of its bytes is."""
        body, places = bytearray(), []
        at = len(self.plan.start)
        escape = self.plan.escape
        while at < len(data) - len(self.plan.end):
            hidden = escape is not None and data[at] == escape.byte
            at += hidden
            body.append(data[at] ^ escape.xor if hidden and escape is not None else data[at])
            places.append(at)
            at += 1
        return bytes(body), places

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
                raw = spot.get(body, base)
                bits = [8 * places[base + bit // 8] + bit % 8 for bit in spot.bits()]
                value = getattr(message, spot.field.name)
                fields.append(
                    Field(
                        name=spot.field.name,
                        spans=spans_of(bits),
                        raw=raw if isinstance(raw, int | bytes) else None,
                        value=raw if self.plan.repeats(spot.field) else value,
                        unit=spot.field.unit,
                        problem=field_problem(spot.field, raw, body, base + spot.first),
                    )
                )
        except ShortError:
            return []  # the frame itself tells that it is too short
        return fields


def _delimiter(name: str, at: int, data: bytes) -> Field:
    return Field(name=name, spans=((8 * at, 8 * len(data)),), raw=data, meaning=f"the frame's {name}")


def form_of(plan: FramePlan) -> type[Message]:
    """Make the class of a frame's messages. A field that fills itself may be given all the same, and then stands."""
    fields: list[Any] = []
    for field in plan.fields:
        noted = Annotated[Any, _written(plan, field)]
        fields.append((field.name, noted, None) if field.fills_itself else (field.name, noted))
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


def _written(plan: FramePlan, field: FieldPlan) -> Written:
    if not plan.repeats(field):
        return Written(looks(field), lambda place, text: read_value(field, place, text))
    count = f"{field.count} of them" if field.count else "any number of them"
    return Written(
        f"{looks(field)}, {count}, with commas",
        lambda place, text: tuple(read_value(field, place, item) for item in text.split(",")) if text else (),
    )
