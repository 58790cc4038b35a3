"""Frames as levels on a line, in time: UART, I2C and SPI, with what each bit is.

Sources: TIA-232-F for the order of start, data, parity and stop bits; I2C-bus specification 7.0, section 3.1; the four
modes of SPI by clock polarity (idle level) and clock phase (the edge that samples), as all makers have them.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import msgspec

from cavet.protocols.i2c import Mark, Octet, Token
from cavet.wording import digits

HIGH, LOW = 1, 0
Level = int | None
"""`None` where nobody knows what stood there."""


class Trace(msgspec.Struct, frozen=True):
    """One line: its name, and the level from each time on, in s. It begins at 0, and holds to the end of all."""

    name: str
    levels: tuple[tuple[float, Level], ...]

    def at(self, t: float) -> Level:
        """The level at a time."""
        level: Level = self.levels[0][1]
        for begin, found in self.levels:
            if begin > t:
                break
            level = found
        return level


class Stretch(msgspec.Struct, frozen=True):
    """A stretch of time that means something: a bit of the frame (`bit` counts as in `explain`), or a mark."""

    begin: float
    end: float
    text: str
    tells: str
    bit: int | None = None


class Waveform(msgspec.Struct, frozen=True):
    """All traces of a frame, and what their stretches are; `end` is how much is drawn of it, in s."""

    traces: tuple[Trace, ...]
    stretches: tuple[Stretch, ...]
    end: float
    period: float
    """How long a bit takes."""
    duration: float
    """How long the frame takes, in s, from its first bit or mark to its last: not what is drawn before and behind."""


class _Pen:
    """Draws one line; a level that is there already makes no edge."""

    def __init__(self, name: str, level: Level) -> None:
        self.name = name
        self.levels: list[tuple[float, Level]] = [(0.0, level)]

    def to(self, t: float, level: Level) -> None:
        if self.levels[-1][1] != level:
            self.levels.append((t, level))

    def trace(self) -> Trace:
        return Trace(self.name, tuple(self.levels))


PARITIES = {"N": "none", "E": "even", "O": "odd", "M": "mark", "S": "space"}
IDLE_BITS = 1
"""How long an idle line is drawn before and behind."""


def uart(data: bytes, rate: float, *, bits: int = 8, parity: str = "N", stops: float = 1) -> Waveform:
    """Bytes on an asynchronous line at `rate` bits a second, the lowest bit first; idle is high."""
    period = 1 / rate
    pen, stretches = _Pen("TXD", HIGH), []
    t = IDLE_BITS * period

    def put(level: int, length: float, text: str, tells: str, bit: int | None = None) -> None:
        nonlocal t
        pen.to(t, level)
        stretches.append(Stretch(t, t + length, text, tells, bit))
        t += length

    for place, byte in enumerate(data):
        put(LOW, period, "S", "start bit")
        ones = 0
        for number in range(bits):
            level = byte >> number & 1
            ones += level
            at = 8 * place + 7 - number
            put(level, period, str(level), f"bit {number} of byte {place}", at)
        if parity != "N":
            level = {"E": ones & 1, "O": 1 - (ones & 1), "M": 1, "S": 0}[parity]
            put(level, period, "par", f"parity bit, {PARITIES[parity]}")
        put(HIGH, stops * period, "P", "stop bit" if stops == 1 else f"stop, {digits(stops)} bits")
    idle = IDLE_BITS * period
    return Waveform((pen.trace(),), tuple(stretches), t + idle, period, t - idle)


QUARTER = 0.25
"""Of a clock period: the data line changes so long behind the falling clock."""


def bus(tokens: Iterable[Token], rate: float, held: float = 0.0) -> Waveform:
    """What passed on an I2C bus at `rate` clocks a second. `held` is the time in s for which the device holds the clock
    low behind each byte. An acknowledge that nobody has seen has no known level. Source: I2C-bus specification 7.0,
    sections 3.1 and 3.1.9 (clock stretching)."""
    period = 1 / rate
    clock, line = _Pen("SCL", HIGH), _Pen("SDA", HIGH)
    stretches: list[Stretch] = []
    t = period
    place = 0
    reads, is_address = False, False

    def bit(level: Level, text: str, tells: str, number: int | None = None) -> None:
        nonlocal t
        clock.to(t, LOW)
        line.to(t + QUARTER * period, level)
        clock.to(t + period / 2, HIGH)
        stretches.append(Stretch(t, t + period, text, tells, number))
        t += period

    for token in tokens:
        if token is Mark.START or token is Mark.RESTART:
            if token is Mark.RESTART:
                clock.to(t, LOW)
                line.to(t + QUARTER * period, HIGH)
                clock.to(t + period / 2, HIGH)
                t += period
            line.to(t, LOW)
            name = "start" if token is Mark.START else "repeated start"
            stretches.append(
                Stretch(t - period / 2, t + period / 2, token.value, f"{name}: SDA falls while SCL is high")
            )
            t += period / 2
            is_address = True
        elif token is Mark.STOP:
            clock.to(t, LOW)
            line.to(t + QUARTER * period, LOW)
            clock.to(t + period / 2, HIGH)
            t += period
            line.to(t, HIGH)
            stretches.append(Stretch(t - period, t + period / 2, "P", "stop: SDA rises while SCL is high"))
            t += period / 2
        elif isinstance(token, Octet):
            for number in range(8):
                level = token.value >> 7 - number & 1
                tells = "read or write" if is_address and number == 7 else f"bit {7 - number} of byte {place}"
                bit(level, str(level), tells, 8 * place + number)
            who = "the device" if is_address or not reads else "the controller"
            known: dict[bool | None, tuple[Level, str, str]] = {
                True: (LOW, "A", f"acknowledged by {who}"), False: (HIGH, "N", f"not acknowledged by {who}"),
                None: (None, "?", "whether it was acknowledged is not known"),
            }  # fmt: skip
            level_of, text, told = known[token.acknowledged]
            bit(level_of, text, told)
            reads, is_address = (bool(token.value & 1), False) if is_address else (reads, False)
            place += 1
            if held:
                clock.to(t, LOW)
                stretches.append(Stretch(t, t + held, "…", "the device holds the clock low"))
                t += held
    return Waveform((clock.trace(), line.trace()), tuple(stretches), t + period, period, t - period)


def spi(out: bytes, rate: float, *, mode: int = 0, lowest_first: bool = False, back: bytes | None = None) -> Waveform:
    """Bytes on SPI at `rate` clocks a second: `mode` bit 1 is the clock's idle level, bit 0 the phase. `out` are the
    bytes in the order of their bits on the wire; `back` what came in, where that is known."""
    period = 1 / rate
    idle, late = mode >> 1 & 1, mode & 1
    select, clock = _Pen("CS", HIGH), _Pen("SCLK", idle)
    ways = [("MOSI", out)] if back is None else [("MOSI", out), ("MISO", back)]
    pens = [_Pen(name, None) for name, _ in ways]
    stretches: list[Stretch] = []
    t = period
    select.to(t, LOW)
    stretches.append(Stretch(t - period / 2, t + period / 2, "CS", "the device is selected"))
    t += period / 2
    for place in range(len(out)):
        for number in range(8):
            begin = t if late else t - period / 2
            for pen, (_, data) in zip(pens, ways, strict=True):
                pen.to(begin, data[place] >> 7 - number & 1)
            clock.to(t, 1 - idle)
            clock.to(t + period / 2, idle)
            level = out[place] >> 7 - number & 1
            counted = number if lowest_first else 7 - number
            told = f"bit {counted} of byte {place}"
            stretches.append(Stretch(begin, begin + period, str(level), told, 8 * place + number))
            t += period
    for pen in pens:
        pen.to(t + period / 2, None)
    t += period / 2
    select.to(t, HIGH)
    stretches.append(Stretch(t - period / 4, t + period / 2, "", "the device is let go"))
    traces = (select.trace(), clock.trace(), *(pen.trace() for pen in pens))
    return Waveform(traces, tuple(stretches), t + period, period, 8 * len(out) * period)


def edges(trace: Trace) -> Sequence[float]:
    """The times at which a line changes."""
    return [t for t, _ in trace.levels[1:]]
