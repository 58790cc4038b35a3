"""Plans: frames of the user's own, described by their fields; from that come encoding, decoding and explanation."""

from cavet.protocols.plans._codec import PlanCodec, form_of
from cavet.protocols.plans._layout import Layout, Run, is_loose
from cavet.protocols.plans._plan import CHECKS, KINDS, MAX_FRAME_BYTES, Check, Choice, Escape, FieldPlan, FramePlan
from cavet.protocols.plans._stream import PlanDecoder
from cavet.protocols.plans._text import PLACE, TextLayout

__all__ = [
    "CHECKS",
    "KINDS",
    "MAX_FRAME_BYTES",
    "PLACE",
    "Check",
    "Choice",
    "Escape",
    "FieldPlan",
    "FramePlan",
    "Layout",
    "PlanCodec",
    "PlanDecoder",
    "Run",
    "TextLayout",
    "form_of",
    "is_loose",
]
