"""What registers stand for: whole numbers, floats and text over one to many of them, in any order of words and bytes.

The standard settles only the single register, its high byte first (application protocol 1.1b3, section 4.2); how a
longer value is spread over several is each device's own choice, so all four ways are here.
"""

from __future__ import annotations

import math
import struct
from typing import Final, Literal

import msgspec

from cavet.protocols._message import FieldError

_NUMBERS: Final = {
    "int16": "h", "uint16": "H", "int32": "i", "uint32": "I", "int64": "q", "uint64": "Q",
    "float32": "f", "float64": "d",
}  # fmt: skip
COILS: Final = "coils"
DISCRETE: Final = "discrete-inputs"
HOLDING: Final = "holding-registers"
INPUT: Final = "input-registers"
TABLES: Final = (COILS, DISCRETE, HOLDING, INPUT)
"""The tables of a device. Source: Modbus application protocol 1.1b3, section 4.3."""
BITS: Final = (COILS, DISCRETE)
"""Those that hold single bits, not registers."""
WRITABLE: Final = (COILS, HOLDING)
"""Those that a host can write."""
KINDS: Final = (*_NUMBERS, "text", "bit")
ORDERS: Final = ("high-first", "low-first")


def _shortest(number: float, data: bytes) -> float:
    """Of the numbers that are laid down in these four bytes the one with the fewest digits: 1450.7, not
    1450.699951171875. Nine tell any of them. Source: IEEE 754, section 5.12.2."""
    if not math.isfinite(number):
        return number
    for digits in (6, 7, 8):
        short = float(f"{number:.{digits}g}")
        try:
            if struct.pack(">f", short) == data:
                return short
        except OverflowError:  # the greatest ones, rounded up
            continue
    return float(f"{number:.9g}")


class ValueForm(msgspec.Struct, frozen=True):
    """How one value lies in registers. `length` is in registers, for text; `bit` counts from the lowest, 0 to 15."""

    kind: str = "uint16"
    word_order: str = "high-first"
    byte_order: str = "high-first"
    length: int = 1
    bit: int = 0

    @property
    def size(self) -> int:
        """How many registers it takes."""
        code = _NUMBERS.get(self.kind)
        return struct.calcsize(f">{code}") // 2 if code else self.length if self.kind == "text" else 1

    @property
    def is_whole(self) -> bool:
        return self.kind not in ("float32", "float64", "text")

    @property
    def limits(self) -> tuple[float, float]:
        """The least and the greatest number that it can hold."""
        if not self.is_whole:
            return -float("inf"), float("inf")
        bits = 16 * self.size if self.kind != "bit" else 1
        low = -(1 << bits - 1) if self.kind.startswith("int") else 0
        return low, low + (1 << bits) - 1

    def pack(self, value: float | str) -> tuple[int, ...]:
        """Lay a value down in registers. Raises `FieldError` for one that does not fit."""
        if self.kind == "text":
            data = str(value).encode("latin-1", "replace")
            if len(data) > 2 * self.length:
                raise FieldError("text", found=f"{len(data)} characters", expected=f"at most {2 * self.length}")
            return self._ordered(data.ljust(2 * self.length, b"\0"), text=True)
        if self.kind == "bit":
            return (int(bool(value)) << self.bit,)
        try:
            number = value if isinstance(value, int) else round(float(value)) if self.is_whole else float(value)
            return self._ordered(struct.pack(f">{_NUMBERS[self.kind]}", number))
        except (struct.error, OverflowError, ValueError) as error:
            low, high = self.limits
            expected = f"{low} to {high}" if self.is_whole else f"a number that {self.kind} can hold"
            raise FieldError(self.kind, found=value, expected=expected) from error

    def fitted(self, text: str) -> str:
        """What of a text its registers can hold: letters of Latin-1, as many as there is room for; NULs at the end are
        no part of it."""
        return text.encode("latin-1", "replace")[: 2 * self.length].rstrip(b"\0").decode("latin-1")

    def unpack(self, registers: tuple[int, ...]) -> float | str:
        """Read a value out of its registers."""
        if self.kind == "bit":
            return registers[0] >> self.bit & 1
        data = b"".join(word.to_bytes(2, "big") for word in registers)
        data = b"".join(word.to_bytes(2, "big") for word in self._ordered(data, text=self.kind == "text"))
        if self.kind == "text":
            return data.rstrip(b"\0").decode("latin-1")
        number: float = struct.unpack(f">{_NUMBERS[self.kind]}", data)[0]
        return _shortest(number, data) if self.kind == "float32" else number

    def _ordered(self, data: bytes, *, text: bool = False) -> tuple[int, ...]:
        """Words and bytes put into their order; doing it twice gives the first one back. Text has no order of words."""
        order: Literal["big", "little"] = "big" if self.byte_order == "high-first" else "little"
        words = [int.from_bytes(data[at : at + 2], order) for at in range(0, len(data), 2)]
        return tuple(words if text or self.word_order == "high-first" else reversed(words))
