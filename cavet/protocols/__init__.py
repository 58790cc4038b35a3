"""Bytes to messages and back, for every protocol in one shape: no I/O, no clock, no board."""

from cavet.protocols._answers import is_answer, is_answered, refusal, refuses_anything
from cavet.protocols._codec import PROTOCOLS, Codec, Decoder, Side, codec, read_all
from cavet.protocols._form import (
    as_fields,
    as_text,
    describe,
    find_form,
    fitting_forms,
    kind_of,
    read_bytes,
    read_field,
    read_message,
    summary,
    write_message,
)
from cavet.protocols._frame import Field, Frame, Role, Span, Unreadable, UnreadTail
from cavet.protocols._message import FieldError, Message, Range, Words, Written, as_found, fields_of, words_of
from cavet.protocols._ruler import bits_of, means, read_whole, ruler, ruler_json, set_right, with_bits
from cavet.protocols._seams import Seams

__all__ = [
    "PROTOCOLS",
    "Codec",
    "Decoder",
    "Field",
    "FieldError",
    "Frame",
    "Message",
    "Range",
    "Role",
    "Seams",
    "Side",
    "Span",
    "UnreadTail",
    "Unreadable",
    "Words",
    "Written",
    "as_fields",
    "as_found",
    "as_text",
    "bits_of",
    "codec",
    "describe",
    "fields_of",
    "find_form",
    "fitting_forms",
    "is_answer",
    "is_answered",
    "kind_of",
    "means",
    "read_all",
    "read_bytes",
    "read_field",
    "read_message",
    "read_whole",
    "refusal",
    "refuses_anything",
    "ruler",
    "ruler_json",
    "set_right",
    "summary",
    "with_bits",
    "words_of",
    "write_message",
]
