"""A driver of 8 × 8 lamps on a bus, and a chain of such on SPI."""

from typing import Annotated

from cavet.boards.buses._chips import ChipSettings, SpiChip
from cavet.boards.buses._device import MAP, MappedSettings
from cavet.boards.buses._registers import RegisterDevice
from cavet.boards.buses._settling import Settling
from cavet.boards.parts import Around
from cavet.protocols.registers import Register
from cavet.record import Kind, Topic
from cavet.settings import Meaning
from cavet.wording import counted

BLINK_HERTZ = (0.0, 2.0, 1.0, 0.5)
SETTLE_SECONDS = 1e-3
"""The dots count as set when so long nothing has changed them."""
COLUMNS = tuple(f"column_{number}" for number in range(8))
NEEDED = (*COLUMNS, "run", "brightness", "blink")
"""What a map of a matrix driver must have."""


class MatrixSettings(MappedSettings, kw_only=True):
    """The keys of a matrix."""

    map: Annotated[str, MAP] = "matrix8"


class Matrix(RegisterDevice):
    """Eight columns of eight lamps: row r, 0 at the top, is bit (r + 1) mod 8 of its column."""

    kind = "matrix"
    SETTINGS = MatrixSettings

    def __init__(self, name: str, settings: MatrixSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self._lit = Settling(SETTLE_SECONDS, bytes(8))

    def was_written(self, register: Register, at: float, cause: int) -> None:
        self._lit.written(at)
        self._lit.cause = cause
        self.call_by(at)

    def rows(self, now: float, *, blinking: bool = True) -> bytes:
        """What is lit: a byte a row from the top, the left lamp in bit 7. With `blinking` as it is at this moment."""
        blink = BLINK_HERTZ[self._held["blink"] & 3] if blinking else 0.0
        dark = blink and (now * blink) % 1.0 >= 0.5
        if not self._held["run"] & 1 or dark:
            return bytes(8)
        columns = [self._held[name] for name in COLUMNS]
        return bytes(
            sum((columns[column] >> (row + 1) % 8 & 1) << 7 - column for column in range(8)) for row in range(8)
        )

    @property
    def brightness(self) -> float:
        """0 to 1; the lowest step is not dark."""
        return ((self._held["brightness"] & 15) + 1) / 16

    def advance(self, now: float) -> float:
        return self._lit.advance(now, lambda: self.rows(now, blinking=False), self._tell_rows)

    def _tell_rows(self, rows: bytes) -> None:
        self._tell(Kind.MOVED, Topic.PART, self.name, rows, self._lit.cause, counted(rows_lit(rows), "dot"))

    def busy(self, now: float) -> bool:
        return self._lit.is_under_way

    def fraction(self, now: float) -> float:
        return rows_lit(self.rows(now)) / 64

    def tells(self, now: float) -> str:
        if not self._held["run"] & 1:
            return "does not run"
        return counted(rows_lit(self.rows(now, blinking=False)), "dot")


def rows_lit(rows: bytes) -> int:
    """How many dots are lit."""
    return sum(row.bit_count() for row in rows)


NOTHING, FIRST_COLUMN, RUN, BRIGHTNESS, TEST = 0x00, 0x01, 0x20, 0x21, 0x22
"""The registers of a matrix in a chain: the upper byte of its word."""


class MatrixChainSettings(ChipSettings, kw_only=True):
    """The keys of a chain of matrices."""

    modules: Annotated[int, Meaning("how many matrices it has", low=1, high=64)] = 4


class MatrixChain(SpiChip):
    """Matrices on SPI, one behind the other: bits go in at the nearest one and on from there to the farthest.

    The end of the chip select makes each take the last 16 bits that went into it. Row r is bit r of its column.
    """

    kind = "chain"
    SETTINGS = MatrixChainSettings

    def __init__(self, name: str, settings: MatrixChainSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.modules = settings.modules
        self._shifted = bytes(2 * settings.modules)
        self._columns = [bytearray(8) for _ in range(settings.modules)]
        self._runs = [False] * settings.modules
        self._brightness = [0] * settings.modules
        self._tests = [False] * settings.modules
        self._lit = Settling(SETTLE_SECONDS, b"")

    def shift(self, data: bytes, at: float, cause: int | None) -> bytes:
        stream = self._shifted + data
        self._shifted = stream[-2 * self.modules :]
        for place in range(self.modules):
            end = len(self._shifted) - 2 * place  # the nearest holds what came last
            self._take(place, *self._shifted[end - 2 : end])
        self._tell(Kind.DRIVEN, Topic.REGISTER, self.name, self._shifted, cause, "words, the farthest matrix first")
        self._lit.cause = cause
        self._lit.written(at)
        self.touch(at)
        return stream[: len(data)]

    def _take(self, place: int, register: int, value: int) -> None:
        if FIRST_COLUMN <= register < FIRST_COLUMN + 8:
            self._columns[place][register - FIRST_COLUMN] = value
        elif register == RUN:
            self._runs[place] = bool(value & 1)
        elif register == BRIGHTNESS:
            self._brightness[place] = value & 15
        elif register == TEST:
            self._tests[place] = bool(value & 1)

    def rows(self, now: float) -> tuple[bytes, ...]:
        """What is lit on each matrix, the nearest first: a byte a row from the top, the left lamp in bit 7."""
        return tuple(self._module_rows(place) for place in range(self.modules))

    def _module_rows(self, place: int) -> bytes:
        if self._tests[place]:
            return b"\xff" * 8
        if not self._runs[place]:
            return bytes(8)
        columns = self._columns[place]
        return bytes(sum((columns[column] >> row & 1) << 7 - column for column in range(8)) for row in range(8))

    @property
    def brightness(self) -> float:
        """That of the brightest, 0 to 1."""
        return (max(self._brightness) + 1) / 16

    def advance(self, now: float) -> float:
        return self._lit.advance(now, lambda: b"".join(self.rows(now)), self._tell_rows)

    def _tell_rows(self, rows: bytes) -> None:
        self._tell(Kind.MOVED, Topic.PART, self.name, rows, self._lit.cause, counted(rows_lit(rows), "dot"))

    def busy(self, now: float) -> bool:
        return self._lit.is_under_way

    def fraction(self, now: float) -> float:
        return rows_lit(b"".join(self.rows(now))) / (64 * self.modules)

    def tells(self, now: float) -> str:
        return counted(rows_lit(b"".join(self.rows(now))), "dot") if any(self._runs) else "does not run"
