"""What a terminal or a pipe of another encoding can't take is spelled out: no command ends in the middle of a line."""

from __future__ import annotations

import codecs
import sys

NAME = "cavet.spelled"
PLAIN = str.maketrans(
    {"─": "-", "━": "-", "│": "|", "┃": "|", "·": ".", "…": "~", "→": ">", "←": "<", "◇": "o", "◆": "*", "◈": "@"}
    | dict.fromkeys("┌┐└┘├┤┬┴┼╭╮╰╯", "+")
    | {"✓": "+", "✕": "x", "µ": "u", "°": "deg", "−": "-", "×": "x", "»": ">", "«": "<", "‹": "<", "›": ">"}
)
"""Drawings and signs of our own, for those who have no better ones; of one column each where they stand in columns."""
JSON = ("{", "[")
"""What a line of JSON begins with: its values have to come out as they are."""


def spell_out() -> None:
    """Let standard output and errors take any character."""
    codecs.register_error(NAME, _spelled)
    for stream in (sys.stdout, sys.stderr):
        stream.reconfigure(errors=NAME)  # type: ignore[union-attr]


def _spelled(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    text = error.object[error.start : error.end]
    text = text if error.object.startswith(JSON) else text.translate(PLAIN)
    return "".join(letter if letter.isascii() else _escaped(letter) for letter in text), error.end


def _escaped(letter: str) -> str:
    """As JSON writes it, so that its lines stay JSON."""
    code = ord(letter)
    if code < 0x10000:
        return f"\\u{code:04x}"
    return f"\\u{0xD7C0 + (code >> 10):04x}\\u{0xDC00 + (code & 0x3FF):04x}"
