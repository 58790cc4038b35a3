"""What can be seen on the bus, written down: the specification's marks among hex pairs.

`S 4C A 04 A Sr 4D A 12 N P`: start, repeated start and stop, and after a byte its acknowledge bit, where it is known.
Source: I2C-bus specification 7.0, section 3.1.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from enum import Enum
from typing import NamedTuple

from cavet.wording import WrongError


class Mark(Enum):
    """A condition on the bus; `shown` is how it is written."""

    shown: str

    START = "S"
    RESTART = "Sr"
    STOP = "P"

    def __init__(self, shown: str) -> None:
        self.shown = shown


class Octet(NamedTuple):
    """A byte on the bus, and whether the receiver acknowledged it; `None` where that is not known."""

    value: int
    acknowledged: bool | None = None


Token = Mark | Octet

_MARKS = {mark.value.upper(): mark for mark in Mark}
_ANSWERS = {"A": True, "N": False}
_SHOWN = {
    acknowledged: [f"{value:02X}{answer}" for value in range(256)]
    for acknowledged, answer in ((None, ""), (True, " A"), (False, " N"))
}
"""How each byte is written, by its acknowledge bit."""


def read_marks(text: str, open_end: Octet | None = None) -> list[Token]:
    """Read hex pairs and marks. Raises `WrongError` for anything else.

    `open_end` is the last byte of what was read before, when the text begins behind it; it comes first again then.
    """
    tokens: list[Token] = [] if open_end is None else [open_end]
    for word in re.sub(r"0[xX]|[\s,:]+", " ", text).split():
        upper = word.upper()
        if upper in _MARKS:
            tokens.append(_MARKS[upper])
        elif upper in _ANSWERS:
            last = tokens[-1] if tokens else None
            if not isinstance(last, Octet) or last.acknowledged is not None:
                raise WrongError("decode", found=word, expected="a byte before its acknowledge bit")
            tokens[-1] = Octet(last.value, _ANSWERS[upper])
        else:
            tokens += [Octet(byte) for byte in _pairs(word)]
    return tokens


def _pairs(word: str) -> bytes:
    if not re.fullmatch(r"(?:[0-9a-fA-F]{2})+", word):
        raise WrongError(
            "decode", found=word[:40], expected="hex pairs, and the marks S, Sr, P, A and N between spaces"
        )
    return bytes.fromhex(word)


def show_marks(tokens: Iterable[Token]) -> str:
    """Write what was seen on the bus."""
    return " ".join([token.shown if isinstance(token, Mark) else _SHOWN[token[1]][token[0]] for token in tokens])


def clocks(tokens: Iterable[Token]) -> int:
    """How many clock periods it takes: nine a byte, and one each for start, repeated start and stop."""
    return sum(1 if isinstance(token, Mark) else 9 for token in tokens)
