"""The host's side of lamp matrices: one behind a driver on a bus, and a chain of them on SPI."""

from __future__ import annotations

from collections.abc import Iterable
from math import inf

from cavet.hosts._base import Wish
from cavet.hosts._picture import Picture, as_rows, turned
from cavet.hosts._points import DevicePoint
from cavet.hosts.buses._calls import Then
from cavet.hosts.buses._driver import DeviceSettings, Driver, Owner
from cavet.protocols.registers import RegisterMap
from cavet.protocols.spi import chained
from cavet.record import Purpose

SIDE = 8
GAP = 4
"""Dark columns between the end of a text that runs through and its next beginning."""
RUN, BRIGHTNESS, TEST, FIRST_COLUMN = 0x20, 0x21, 0x22, 0x01
"""The registers of a matrix in a chain."""


class PictureDriver(Driver):
    """Shows pictures; those that are too wide run through."""

    def __init__(self, settings: DeviceSettings, points: Iterable[DevicePoint], owner: Owner) -> None:
        super().__init__(settings, points, owner)
        self._picture: Picture = ()
        self._shift = 0
        self._shift_at = inf
        self._sure = False
        """Whether it runs, and shows the picture that it was sent last."""

    def doubt(self) -> None:
        self._sure = False

    @property
    def width(self) -> int:
        """How many columns it has."""
        return SIDE * self.settings.modules

    def write(self, wish: Wish, now: float) -> None:
        point = wish.point
        assert isinstance(point, DevicePoint)
        picture = point.picture(wish.value)
        if picture == self._picture and self._sure and self._may_stand(wish):
            self._owner.unchanged(wish, now)
            return
        self._picture = picture
        self._shift = 0
        runs = self.settings.scroll and len(self._picture) > self.width
        self._shift_at = now + self.settings.scroll if runs else inf
        self._show(self._window(), wish)

    def advance(self, now: float) -> float:
        if now >= self._shift_at:
            self._shift += 1
            self._shift_at = now + self.settings.scroll
            self._show(self._window(), None)
        return self._shift_at

    def _window(self) -> Picture:
        if len(self._picture) <= self.width:
            return self._picture
        looped = (*self._picture, *(0,) * GAP)
        begin = self._shift % len(looped)
        return (looped + looped)[begin : begin + self.width]

    def _show(self, picture: Picture, wish: Wish | None) -> None:
        raise NotImplementedError


class MatrixDriver(PictureDriver):
    """One matrix: row r of a column is bit (r + 1) mod 8 of its register."""

    def __init__(self, settings: DeviceSettings, points: Iterable[DevicePoint], owner: Owner) -> None:
        super().__init__(settings, points, owner)
        assert settings.registers is not None
        self._map: RegisterMap = settings.registers

    def begin(self, now: float) -> None:
        self._shift_at = inf
        self._sure = False
        self._read(Purpose.SET_UP)
        self._switch_on()

    def _read(self, purpose: Purpose) -> None:
        first = self._map.register("column_0").at
        self._owner.call(
            self._call(data=bytes((first,)), count=SIDE, purpose=purpose, then=self._learn, failed=self._trouble)
        )

    def look(self, point: DevicePoint) -> bool:
        if self._shift_at == inf:  # what runs through is always another picture
            self._read(Purpose.POLL)
        return self._shift_at == inf

    def _switch_on(self) -> None:
        self._owner.call(
            self._call(
                data=bytes((self._map.register("brightness").at, self.settings.brightness)), purpose=Purpose.SET_UP
            ),
            self._call(data=bytes((self._map.register("run").at, 1)), purpose=Purpose.SET_UP),
        )

    def _learn(self, data: bytes, now: float, cause: int | None) -> None:
        columns = tuple((column >> 1 | column << 7) & 0xFF for column in data)
        self._picture = picture = turned(columns, -self.settings.turn)
        self._sure = True
        for point in self.points:
            self._owner.stands(point, as_rows(picture) if any(picture) else "clear", now, cause)

    def _show(self, picture: Picture, wish: Wish | None) -> None:
        if not self._sure:
            self._switch_on()
            self._sure = True
        columns = bytes((column << 1 | column >> 7) & 0xFF for column in turned(picture, self.settings.turn))
        first = bytes((self._map.register("column_0").at,))
        self._owner.call(self._call(data=first + columns, wish=wish, purpose=Purpose.NONE if wish else Purpose.SCROLL))
        if wish is not None and wish.point.confirm:
            self._owner.call(self._read_back(wish, columns, data=first))


class ChainDriver(PictureDriver):
    """Matrices in a chain on SPI: each transfer has a word for each. What they show can't be read back."""

    def begin(self, now: float) -> None:
        modules = self.settings.modules
        self._shift_at = inf
        for register, value in ((TEST, 0), (BRIGHTNESS, self.settings.brightness), (RUN, 1)):
            self._transfer([register << 8 | value] * modules, None, Purpose.SET_UP)
        self._picture, self._sure = (0,) * self.width, True
        self._show(self._picture, None)
        for point in self.points:
            self._owner.stands(point, "clear", now, None)

    def _transfer(self, words: list[int], wish: Wish | None, purpose: Purpose, then: Then | None = None) -> None:
        self._owner.call(self._call(spi=self.settings.spi, data=chained(words), wish=wish, purpose=purpose, then=then))

    def _show(self, picture: Picture, wish: Wish | None) -> None:
        modules = [turned(picture[at : at + SIDE], self.settings.turn) for at in range(0, self.width, SIDE)]
        if self.settings.reversed:
            modules.reverse()
        for column in range(SIDE):
            words = [FIRST_COLUMN + column << 8 | module[column] for module in modules]
            gone = self._gone(wish) if wish is not None and column == SIDE - 1 else None
            self._transfer(words, wish, Purpose.NONE if wish else Purpose.SCROLL, gone)
