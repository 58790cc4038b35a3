"""A character display's controller on a bus of four lines: instructions, memory, cursor, custom characters.

It takes a nibble at each falling edge of the enable line. The instruction set, its times and its start are those that
nearly all such controllers have.
"""

from __future__ import annotations

from cavet.record import Kind, Tell, Topic

LONG_SECONDS, SHORT_SECONDS, DATA_SECONDS = 1.52e-3, 37e-6, 41e-6
"""How long it is busy with a clear or home, with any other instruction, with a character."""
LINE_LENGTH = 40
"""Characters a line in its memory; the display shows some of them."""
SECOND_LINE = 0x40
SPECIAL = {0x5C: "¥", 0x7E: "→", 0x7F: "←", 0xA5: "·", 0xB0: "-", 0xDF: "°", 0xE4: "µ", 0xF4: "Ω", 0xFF: "█"}
"""What its own set has in the place of ASCII, and beyond it, as far as text needs it."""


class Controller:
    """The controller. `cells` of the display are read with `shown`, its custom characters with `pattern`."""

    def __init__(self, name: str, tell: Tell, columns: int, rows: int) -> None:
        self.columns = columns
        self.rows = rows
        self._name = name
        self._tell = tell
        self.power_on()

    def power_on(self) -> None:
        """As after power-on: eight data lines, one line of text, display off."""
        self._memory = bytearray(b" " * 0x80)
        self._patterns = bytearray(64)
        self._wide = True
        self._two_lines = False
        self._address = 0
        self._in_patterns = False
        self._right = True
        self._shifts = False
        self.display_on = False
        self.cursor_on = False
        self.blinks = False
        self._shift = 0
        self._high: int | None = None
        self._busy_until = 0.0
        self._read_high = True

    # the lines

    def strobe(self, nibble: int, register_select: bool, at: float, cause: int | None) -> None:
        """The enable line falls while the host writes: take what lies on the four data lines."""
        if self._wide:
            self._execute(nibble << 4, register_select, at, cause)
            return
        if self._high is None:
            self._high = nibble
            return
        byte, self._high = self._high << 4 | nibble, None
        self._execute(byte, register_select, at, cause)

    def present(self, register_select: bool, at: float) -> int:
        """The enable line rises while the host reads: give what the controller puts on the four data lines."""
        if register_select:
            byte = self._patterns[self._address & 63] if self._in_patterns else self._memory[self._address]
        else:
            byte = (0x80 if at < self._busy_until else 0) | self._address
        if self._wide:
            return byte >> 4
        if self._read_high:
            self._read_high = False
            return byte >> 4
        self._read_high = True
        if register_select:
            self._advance()
        return byte & 0xF

    # instructions

    def _execute(self, byte: int, register_select: bool, at: float, cause: int | None) -> None:
        if at < self._busy_until:
            what = f"character 0x{byte:02X}" if register_select else f"instruction 0x{byte:02X}"
            left = round((self._busy_until - at) * 1e6)
            self._tell(Kind.LOST, Topic.PART, self._name, byte, cause, f"{what} came {left} µs too early: it was busy")
            return
        if register_select:
            self._put(byte)
            self._busy_until = at + DATA_SECONDS
            return
        self._busy_until = at + (LONG_SECONDS if byte in (1, 2, 3) else SHORT_SECONDS)
        self._instruct(byte)

    def _instruct(self, byte: int) -> None:
        if byte & 0x80:
            self._address, self._in_patterns = byte & 0x7F, False
        elif byte & 0x40:
            self._address, self._in_patterns = byte & 0x3F, True
        elif byte & 0x20:
            self._set_function(byte)
        elif byte & 0x10:
            self._move(display=bool(byte & 8), right=bool(byte & 4))
        elif byte & 0x08:
            self.display_on, self.cursor_on, self.blinks = bool(byte & 4), bool(byte & 2), bool(byte & 1)
        elif byte & 0x04:
            self._right, self._shifts = bool(byte & 2), bool(byte & 1)
        elif byte & 0x02:
            self._address, self._in_patterns, self._shift = 0, False, 0
        elif byte & 0x01:
            self._memory[:] = b" " * len(self._memory)
            self._address, self._in_patterns, self._shift, self._right = 0, False, 0, True

    def _set_function(self, byte: int) -> None:
        was_wide = self._wide
        self._wide = bool(byte & 0x10)
        if not (was_wide and not self._wide):  # of the change to four lines only the upper half has come
            self._two_lines = bool(byte & 0x08)
        self._high = None

    def _move(self, *, display: bool, right: bool) -> None:
        if display:
            self._shift = (self._shift + (-1 if right else 1)) % self._length
            return
        self._step(1 if right else -1)

    @property
    def _length(self) -> int:
        return LINE_LENGTH if self._two_lines else 2 * LINE_LENGTH

    def _put(self, byte: int) -> None:
        if self._in_patterns:
            self._patterns[self._address & 63] = byte
        else:
            self._memory[self._address] = byte
            if self._shifts:
                self._shift = (self._shift + (1 if self._right else -1)) % self._length
        self._advance()

    def _advance(self) -> None:
        if self._in_patterns:
            self._address = (self._address + (1 if self._right else -1)) & 63
            return
        self._step(1 if self._right else -1)

    def _step(self, by: int) -> None:
        """Move the cursor; behind a line's end comes the other line."""
        if not self._two_lines:
            self._address = (self._address + by) % (2 * LINE_LENGTH) if self._address < 2 * LINE_LENGTH else 0
            return
        line, column = divmod(self._address, SECOND_LINE)
        place = (line * LINE_LENGTH + min(column, LINE_LENGTH - 1) + by) % (2 * LINE_LENGTH)
        line, column = divmod(place, LINE_LENGTH)
        self._address = line * SECOND_LINE + column

    # what is seen

    def codes(self) -> tuple[bytes, ...]:
        """The character codes on the display, line by line."""
        lines = []
        for row in range(self.rows):
            base = SECOND_LINE * (row % 2) if self._two_lines else 0
            start = self._shift + (self.columns if row >= 2 else 0)
            cells = [self._memory[base + (start + column) % self._length] for column in range(self.columns)]
            lines.append(bytes(cells) if self._two_lines or row == 0 else b" " * self.columns)
        return tuple(lines)

    def shown(self) -> str:
        """The text on the display, line by line, without the spaces at the end."""
        if not self.display_on:
            return ""
        lines = ["".join(self.glyph(code) for code in line).rstrip() for line in self.codes()]
        return "\n".join(lines).rstrip("\n")

    def cursor(self) -> tuple[int, int] | None:
        """Column and row of the cursor, where it is on the display and shown."""
        if not (self.display_on and (self.cursor_on or self.blinks)) or self._in_patterns:
            return None
        row, column = divmod(self._address, SECOND_LINE) if self._two_lines else (0, self._address)
        column = (column - self._shift) % self._length
        return (column, row) if column < self.columns and row < self.rows else None

    def pattern(self, number: int) -> tuple[int, ...]:
        """The eight rows of a custom character, five bits each, the left dot in bit 4."""
        return tuple(row & 0x1F for row in self._patterns[8 * number : 8 * number + 8])

    def glyph(self, code: int) -> str:
        """The character that looks most like what is shown for a code."""
        if code < 16:
            return _likeness(self.pattern(code & 7))
        if code in SPECIAL:
            return SPECIAL[code]
        return chr(code) if 0x20 <= code < 0x7F else "▒"


def _likeness(rows: tuple[int, ...]) -> str:
    """A block character for a pattern: bars that rise or run to the right, else a grey one."""
    lit = [row for row in rows if row]
    if not lit:
        return " "
    if all(row == 0x1F for row in lit) and all(rows[8 - len(lit) :]):
        return " ▁▂▃▄▅▆▇█"[len(lit)]
    if len(set(rows)) == 1 and rows[0] in (0x10, 0x18, 0x1C, 0x1E):
        return {0x10: "▎", 0x18: "▍", 0x1C: "▌", 0x1E: "▊"}[rows[0]]
    return "▒"
