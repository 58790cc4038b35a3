"""How values are written in a routine, so that reading it gives them back."""

from __future__ import annotations

from cavet import units
from cavet.hosts import Point
from cavet.routines._lexing import NAME

DIGITS = 14
"""So many digits of a number are exact."""
ESCAPES = str.maketrans({"\\": "\\\\", '"': '\\"', "\n": "\\n", "\t": "\\t", "{": "\\{", "}": "\\}"})


def written_text(text: str) -> str:
    """A text in quotes."""
    return f'"{text.translate(ESCAPES)}"'


def written_word(word: str) -> str:
    """What a value of a switch is called: as it is where it is one word of plain letters, else in quotes."""
    return word if NAME.fullmatch(word) else written_text(word)


def written_value(point: Point, value: bool | float | str) -> str:
    """What is asked of a point."""
    if point.kind.is_text:
        return written_text(str(value))
    if point.kind.is_switch:
        return written_word(point.words[bool(value)])
    number = float(value)
    return units.show(number, point.unit, max(0, DIGITS - len(str(int(abs(number)))))).replace("−", "-")
