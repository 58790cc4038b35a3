"""The standard's error numbers and texts. Source: SCPI 1999, volume 2, sections 21.8.8 to 21.8.11."""

from __future__ import annotations

COMMAND_ERRORS = range(-199, -99)
"""What could not be read, or is not known, and was not done. Source: SCPI-1999, volume 2, 21.8.9."""
TEXTS = {
    0: "No error",
    -100: "Command error",
    -101: "Invalid character",
    -102: "Syntax error",
    -103: "Invalid separator",
    -104: "Data type error",
    -105: "GET not allowed",
    -108: "Parameter not allowed",
    -109: "Missing parameter",
    -110: "Command header error",
    -111: "Header separator error",
    -112: "Program mnemonic too long",
    -113: "Undefined header",
    -114: "Header suffix out of range",
    -115: "Unexpected number of parameters",
    -120: "Numeric data error",
    -121: "Invalid character in number",
    -123: "Exponent too large",
    -124: "Too many digits",
    -128: "Numeric data not allowed",
    -130: "Suffix error",
    -131: "Invalid suffix",
    -134: "Suffix too long",
    -138: "Suffix not allowed",
    -140: "Character data error",
    -141: "Invalid character data",
    -144: "Character data too long",
    -148: "Character data not allowed",
    -150: "String data error",
    -151: "Invalid string data",
    -158: "String data not allowed",
    -160: "Block data error",
    -161: "Invalid block data",
    -168: "Block data not allowed",
    -170: "Expression error",
    -171: "Invalid expression",
    -178: "Expression data not allowed",
    -200: "Execution error",
    -203: "Command protected",
    -213: "Init ignored",
    -220: "Parameter error",
    -221: "Settings conflict",
    -222: "Data out of range",
    -223: "Too much data",
    -224: "Illegal parameter value",
    -230: "Data corrupt or stale",
    -240: "Hardware error",
    -241: "Hardware missing",
    -300: "Device-specific error",
    -310: "System error",
    -330: "Self-test failed",
    -350: "Queue overflow",
    -360: "Communication error",
    -361: "Parity error in program message",
    -362: "Framing error in program message",
    -363: "Input buffer overrun",
    -365: "Time out error",
    -400: "Query error",
    -410: "Query INTERRUPTED",
    -420: "Query UNTERMINATED",
    -430: "Query DEADLOCKED",
    -440: "Query UNTERMINATED after indefinite response",
}


class FaultError(Exception):
    """Something that the grammar does not allow, by the standard's number, and what it was."""

    def __init__(self, number: int, what: str = "") -> None:
        self.number = number
        self.what = what
        super().__init__(number, what)

    def __str__(self) -> str:
        return f"{self.number} {TEXTS[self.number]}{f'; {self.what}' if self.what else ''}"
