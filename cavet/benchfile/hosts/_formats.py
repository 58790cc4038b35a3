"""Formats of the user's own: points in the fields of frames."""

from collections.abc import Sequence
from math import inf
from typing import Annotated, Any, ClassVar

import msgspec

from cavet.benchfile._plan_file import load_frames
from cavet.benchfile._point_tables import ColourTable
from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.benchfile.hosts._protocol import Constant, HostProtocol, HostTables, PointTables
from cavet.hosts import FieldPoint, Format, FormatSession, Point, PointKind
from cavet.protocols import FieldError
from cavet.protocols.plans import FieldPlan, PlanCodec
from cavet.record import Tell
from cavet.settings import Meaning, Table
from cavet.wording import listed

COLOUR_BITS = 24
TEXTS = (PointKind.TEXT, PointKind.WORDS)


class FormatHost(Table, kw_only=True):
    """What a host speaks, where that is a format of the user's own."""

    ABOUT = "plan"
    plan: Annotated[
        str, Meaning("the plan file beside the bench whose frames are spoken, or the name of one that ships")
    ] = ""
    asks: Annotated[
        str,
        Meaning("the frame that, with its fields 0 or as near as they come, asks the board how it stands"),
    ] = ""


class FormatPlace(Table, kw_only=True):
    """Where a point is, in frames."""

    ABOUT = "plan"
    field: Annotated[str, Meaning("`FRAME.FIELD` that carries it")] = ""
    line: Annotated[int | None, Meaning("the bit of the field, where it is one of several", low=0, high=63)] = None
    mask: Annotated[str, Meaning("the field that has a 1 for what is meant")] = ""
    state: Annotated[str, Meaning("the FRAME.FIELD that tells it")] = ""


class FormatProtocol(HostProtocol):
    """Frames of a plan, on a stream or as the reports of a USB device."""

    name: ClassVar[str] = "plan"
    HOST: ClassVar[type[Table]] = FormatHost
    POINT: ClassVar[type[Table]] = FormatPlace

    def read_host(self, tables: HostTables) -> dict[str, Any]:
        checker, path, own = tables.checker, tables.path, tables.own(FormatHost)
        plan = load_frames(checker, (*path, "plan"), own.plan, tables.folder) if own is not None else None
        if own is None or plan is None:
            return {}
        asks = own.asks
        if asks and asks not in plan.frames:
            near = checker.nearest(asks, plan.frames)
            checker.wrong((*path, "asks"), found=asks, expected=f"a frame: {listed(plan.frames)}", nearest=near)
            return {}
        spoken = Format(codecs={name: PlanCodec(frame) for name, frame in plan.frames.items()}, asks=asks)
        try:
            if asks:
                spoken.question()
        except FieldError as error:
            expected = f"a frame that can be said with all of its fields 0; {error}"
            checker.wrong((*path, "asks"), found=asks, expected=expected)
        return {"format": spoken}

    def session(self, host: HostSetup, link: LinkSetup, points: Sequence[FieldPoint], tell: Tell) -> FormatSession:
        assert host.format is not None  # else nothing runs: it was told when the file was read
        return FormatSession(host.name, points, host.settings, tell, host.format)

    def read_point(self, tables: PointTables) -> Point | None:
        kind, own = tables.kind, tables.own(FormatPlace)
        if kind is PointKind.BRIDGE:
            tables.wrong("kind", found="a bridge", expected="level, switch, contact or reading")
            return None
        if own is None:
            return None
        needed, doc = ("field", "the FRAME.FIELD that carries it") if kind.is_output else ("state", "where it is told")
        tables.refuse_of_inputs(own, "field", "mask")
        if not tables.has(needed, getattr(own, needed), doc):
            return None
        plan = tables.host.format
        if plan is None:
            return None  # told at its host
        places: dict[str, Any] = {}
        for key, text, names in (
            ("field", own.field, ("frame", "field")), ("state", own.state, ("state_frame", "state_field"))
        ):  # fmt: skip
            found = _field_of(tables, key, text, plan) if text else ("", "")
            if found is None or (text and not _has_line(tables, own.line, found, plan)):
                return None
            places |= dict(zip(names, found, strict=True))
        frame = plan.codecs[places["frame"]].plan if places["frame"] else None
        known = [field.name for field in frame.fields if field.is_whole and not frame.repeats(field)] if frame else []
        if own.mask and own.mask not in known:
            expected = f"a whole number of the frame: {listed(known) or 'it has none'}"
            tables.wrong("mask", found=own.mask, expected=expected, nearest=tables.checker.nearest(own.mask, known))
            return None
        if isinstance(tables.table, ColourTable) and not tables.has_colours(tables.table):
            return None
        common = tables.common()
        common["confirm"] = bool(places["state_frame"]) and common.get("confirm", False)
        point = FieldPoint(**common, **places, bit=own.line, mask=own.mask)
        fields = _fields_of(point, plan)
        steps = max(abs(field.scale) if field.is_whole else 0.0 for field in fields)
        room = min((field.bits // 8 for field in fields if field.bits), default=None)
        return msgspec.structs.replace(point, steps=steps, room=room)

    def limits(self, point: Point, host: HostSetup) -> tuple[float, float]:
        assert isinstance(point, FieldPoint) and host.format is not None
        least, most = -inf, inf
        for field in _fields_of(point, host.format):
            ends = sorted(end * field.scale + field.offset for end in field.wire_limits)
            least = max(least, ends[0] if field.low is None else field.low)
            most = min(most, ends[1] if field.high is None else field.high)
        return least, most

    def constants_of(self, point: FieldPoint, about: str) -> list[Constant]:
        bit = f"; bit {point.bit}" if point.bit is not None else ""
        place = f"{point.frame or point.state_frame}.{point.field or point.state_field}"
        return [Constant("FIELD", place, f"{about}{bit}")]


def _fields_of(point: FieldPoint, plan: Format) -> list[FieldPlan]:
    """The fields that carry a point: where it is set, and where it is told."""
    used = ((point.frame, point.field), (point.state_frame, point.state_field))
    return [plan.codecs[frame].plan.field(field) for frame, field in used if frame]


def _field_of(tables: PointTables, key: str, text: str, plan: Format) -> tuple[str, str] | None:
    """Take FRAME.FIELD apart: one number, or for a text one text or bytes."""
    kind = tables.kind
    frame, _, field = text.partition(".")
    known = [
        f"{name}.{each.name}"
        for name, codec in plan.codecs.items()
        for each in codec.plan.fields
        if _carries(each, kind) and not codec.plan.repeats(each)
    ]
    if text not in known:
        what = f"a whole number of {COLOUR_BITS} bits" if kind is PointKind.COLOUR else "one number"
        expected = f"{'a text' if kind in TEXTS else what}: {listed(known) or 'there is none'}"
        tables.wrong(key, found=text, expected=expected, nearest=tables.checker.nearest(text, known))
        return None
    return frame, field


def _has_line(tables: PointTables, line: int | None, place: tuple[str, str], plan: Format) -> bool:
    """Whether a field has the bit that is meant, where one is."""
    if line is None:
        return True
    field = plan.codecs[place[0]].plan.field(place[1])
    if field.is_whole and (field.bits is None or line < field.bits):
        return True
    bits = f"0 to {field.bits - 1}" if field.is_whole and field.bits else "a field that is a whole number"
    tables.wrong("line", found=line, expected=f"{bits}, the bits of {'.'.join(place)}")
    return False


def _carries(field: FieldPlan, kind: PointKind) -> bool:
    """Whether a field can carry a point of a kind: a colour is a whole number, a text a text, all else a number."""
    if kind is PointKind.COLOUR:
        return field.is_whole and not field.is_scaled and not field.values and field.bits == COLOUR_BITS
    return field.is_number is not kind.is_text
