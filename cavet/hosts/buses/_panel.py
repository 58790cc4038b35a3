"""The host's side of a character panel behind an expander of eight lines: nibble by nibble, with a strobe for each."""

from __future__ import annotations

from collections.abc import Iterable
from math import inf

from cavet.hosts._base import Wish
from cavet.hosts._lettering import encode_panel, panel_lines
from cavet.hosts._points import DevicePoint
from cavet.hosts.buses._driver import DeviceSettings, Driver, Owner
from cavet.record import Purpose

REGISTER_SELECT, ENABLE, LIGHT = 0x01, 0x04, 0x08
ROW_ADDRESSES = (0x00, 0x40, 0x14, 0x54)
FOUR_LINES, TWO_ROWS, DISPLAY_ON, TO_THE_RIGHT, CLEAR = 0x2, 0x28, 0x0C, 0x06, 0x01
FIRST_PAUSE, NEXT_PAUSE, CLEAR_PAUSE = 5e-3, 1e-3, 2e-3
"""The pauses of the controller's start."""
MAX_CALL_BYTES = 32
"""So much goes in one transaction: small boards have small buffers."""


class PanelDriver(Driver):
    """Writes only what differs from what stands there. A line that is too long runs through, if it may."""

    def __init__(self, settings: DeviceSettings, points: Iterable[DevicePoint], owner: Owner) -> None:
        super().__init__(settings, points, owner)
        self._shown = [b" " * settings.columns] * settings.rows
        self._lines: list[bytes] = []
        """The present text's lines, as long as they are."""
        self._shift = 0
        self._shift_at = inf
        self._doubtful = False
        """Whether it may not show what it was sent."""

    def doubt(self) -> None:
        self._doubtful = True

    def begin(self, now: float) -> None:
        """Bring its controller into its mode; that clears it."""
        self._set_up()
        self._shift_at = inf
        self._lines = [b""]
        self._owner.call(self._call(count=1, purpose=Purpose.SET_UP, then=self._begun, failed=self._trouble))

    def _set_up(self) -> None:
        """The controller's start, with all pauses: it brings it back from any state, also from half a byte."""
        for nibble, pause in ((3, FIRST_PAUSE), (3, NEXT_PAUSE), (3, NEXT_PAUSE), (FOUR_LINES, NEXT_PAUSE)):
            self._owner.call(self._call(data=_strobed(nibble << 4), pause=pause, purpose=Purpose.SET_UP))
        for byte, pause in ((TWO_ROWS, 0.0), (DISPLAY_ON, 0.0), (TO_THE_RIGHT, 0.0), (CLEAR, CLEAR_PAUSE)):
            self._owner.call(self._call(data=_byte(byte, 0), pause=pause, purpose=Purpose.SET_UP))
        self._shown = [b" " * self.settings.columns] * self.settings.rows
        self._doubtful = False

    def _begun(self, data: bytes, now: float, cause: int | None) -> None:
        for point in self.points:
            self._owner.stands(point, "", now, cause)

    def write(self, wish: Wish, now: float) -> None:
        lines = [encode_panel(line) for line in panel_lines(str(wish.value))]
        self._doubtful |= wish.forced
        if lines == self._lines and not self._doubtful and self._may_stand(wish):
            self._owner.unchanged(wish, now)
            return
        self._lines = lines
        self._shift = 0
        runs = self.settings.scroll and any(len(line) > self.settings.columns for line in self._lines)
        self._shift_at = now + self.settings.scroll if runs else inf
        if self._doubtful:
            self._set_up()
        last = self._draw(wish)
        if wish.point.confirm:
            self._owner.call(self._read_back(wish, last))

    def advance(self, now: float) -> float:
        if now >= self._shift_at:
            self._shift += 1
            self._shift_at = now + self.settings.scroll
            self._draw(None)
        return self._shift_at

    def _window(self, row: int) -> bytes:
        """What of a line is to stand in its row now."""
        line = self._lines[row] if row < len(self._lines) else b""
        if len(line) <= self.settings.columns or not self.settings.scroll:
            return line[: self.settings.columns].ljust(self.settings.columns)
        looped = line + b"   "
        begin = self._shift % len(looped)
        return (looped + looped)[begin : begin + self.settings.columns]

    def _draw(self, wish: Wish | None) -> bytes:
        """Write what differs; give what the expander's lines are left at."""
        data = bytearray()
        purpose = Purpose.NONE if wish else Purpose.SCROLL
        for row in range(self.settings.rows):
            wanted = self._window(row)
            for first, last in _differences(self._shown[row], wanted):
                data += _byte(0x80 | ROW_ADDRESSES[row] + first, 0)
                for code in wanted[first:last]:
                    data += _byte(code, REGISTER_SELECT)
            self._shown[row] = wanted
        if not data:  # it stands there already: a strobe of nothing leaves the lines in order
            data += bytes((LIGHT,))
        for at in range(0, len(data), MAX_CALL_BYTES):
            self._owner.call(self._call(data=bytes(data[at : at + MAX_CALL_BYTES]), wish=wish, purpose=purpose))
        return bytes(data[-1:])


def _strobed(upper: int, select: int = 0) -> bytes:
    """The lines' states that hand a nibble over, which stands in the upper four bits."""
    return bytes((upper | select | LIGHT | ENABLE, upper | select | LIGHT))


def _byte(byte: int, select: int) -> bytes:
    return _strobed(byte & 0xF0, select) + _strobed(byte << 4 & 0xF0, select)


def _differences(one: bytes, other: bytes) -> list[tuple[int, int]]:
    """The runs in which two lines differ; those with a single equal place between them are one."""
    runs: list[list[int]] = []
    for place in range(len(other)):
        if one[place : place + 1] == other[place : place + 1]:
            continue
        if runs and place - runs[-1][1] <= 1:
            runs[-1][1] = place + 1
        else:
            runs.append([place, place + 1])
    return [(first, last) for first, last in runs]
