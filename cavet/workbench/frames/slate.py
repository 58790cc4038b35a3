"""The slate: a line for the sums of the trade, which knows the frame and the field under the cursor."""

from __future__ import annotations

from collections import deque

import msgspec

from cavet.protocols import Field, Role, bits_of
from cavet.reckoning import SUMS, Reckoned, reckon_line
from cavet.wording import WrongError, digits, hex_pairs

MOST_KEPT = 20
NUMBER_BEGINS = "0123456789-"


class SlateLine(msgspec.Struct, frozen=True):
    """What was asked, and what came out."""

    asked: str
    found: str
    is_bad: bool


class Slate:
    """The lines so far, newest first."""

    def __init__(self) -> None:
        self.lines: deque[SlateLine] = deque(maxlen=MOST_KEPT)

    def reckon(self, text: str, data: bytes = b"", field: Field | None = None) -> None:
        """Reckon a line; a sum that lacks a value takes it from the frame or from the field under the cursor."""
        line = text.strip()
        if line[:1] in NUMBER_BEGINS and line:
            line = f"number value={line}"
        try:
            found = reckon_line(line, known_of(data, field))
        except WrongError as error:
            self.lines.appendleft(SlateLine(text.strip(), str(error), True))
            return
        self.lines.appendleft(SlateLine(text.strip(), _told(found), bool(found.problems)))


def _told(found: Reckoned) -> str:
    words = found.way or ", ".join(f"{name} {value}" for name, value in found.values.items())
    return "; ".join((*found.problems, words)) if found.problems else words


def known_of(data: bytes, field: Field | None) -> dict[str, str]:
    """What the sums may take from the frame: its bytes, those before a check; the value under the cursor."""
    known: dict[str, str] = {}
    if data:
        known["data"] = hex_pairs(data)
        known["bytes"] = str(len(data))
    if field is None or not field.spans:
        return known
    if field.role is Role.CHECK and data:
        first = min(begin for begin, _ in field.spans) // 8
        known["data"] = hex_pairs(data[:first])
    if isinstance(field.value, int | float) and not isinstance(field.value, bool):
        known["value"] = digits(field.value, 15)
    elif data:
        known["value"] = str(bits_of(data, field.spans))
    return known


def completions(text: str) -> str:
    """What a line that is being written may become: the sums, or the names of the one that is begun."""
    what, space, _ = text.partition(" ")
    if not space:
        fitting = [name for name in SUMS if name.startswith(what)]
        return " · ".join(fitting) if fitting else ""
    return SUMS[what].summary if what in SUMS else ""
