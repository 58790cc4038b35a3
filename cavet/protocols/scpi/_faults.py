"""The standard's error numbers that a parser can find. Source: SCPI 1999, volume 2, section 21.8.9."""

from __future__ import annotations

TEXTS = {
    -101: "Invalid character",
    -102: "Syntax error",
    -103: "Invalid separator",
    -104: "Data type error",
    -110: "Command header error",
    -111: "Header separator error",
    -112: "Program mnemonic too long",
    -114: "Header suffix out of range",
    -120: "Numeric data error",
    -121: "Invalid character in number",
    -123: "Exponent too large",
    -124: "Too many digits",
    -131: "Invalid suffix",
    -134: "Suffix too long",
    -141: "Invalid character data",
    -144: "Character data too long",
    -151: "Invalid string data",
    -161: "Invalid block data",
    -171: "Invalid expression",
}


class FaultError(Exception):
    """Something that the grammar does not allow, by the standard's number, and what it was."""

    def __init__(self, number: int, what: str = "") -> None:
        self.number = number
        self.what = what
        super().__init__(number, what)

    def __str__(self) -> str:
        return f"{self.number} {TEXTS[self.number]}{f'; {self.what}' if self.what else ''}"
