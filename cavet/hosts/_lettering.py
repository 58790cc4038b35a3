"""The letters of a character panel: what its controller's own set has in the place of ASCII, and beyond it."""

from __future__ import annotations

CODES = {"¥": 0x5C, "→": 0x7E, "←": 0x7F, "°": 0xDF, "µ": 0xE4, "Ω": 0xF4, "█": 0xFF}
LETTERS = {**{code: chr(code) for code in range(0x20, 0x7F)}, **{code: letter for letter, code in CODES.items()}}
"""What is seen for each code that can be written."""
_CODES = {letter: code for code, letter in LETTERS.items()}


def panel_lines(text: str) -> list[str]:
    """The lines of a text; `\\n` may stand for their end."""
    return text.replace("\\n", "\n").split("\n")


def encode_panel(line: str) -> bytes:
    """The codes of a line's letters; for what the set lacks, the one of `?`."""
    return bytes(_CODES.get(letter, ord("?")) for letter in line)


def decode_panel(codes: bytes) -> str:
    """The letters that are seen for codes."""
    return "".join(LETTERS.get(code, "?") for code in codes)
