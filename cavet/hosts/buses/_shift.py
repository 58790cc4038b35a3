"""The host's side of shift registers on SPI: all their bits are sent each time."""

from __future__ import annotations

from collections.abc import Iterable

from cavet.hosts._base import Wish
from cavet.hosts._points import DevicePoint
from cavet.hosts.buses._calls import Then
from cavet.hosts.buses._driver import DeviceSettings, Driver, Owner
from cavet.protocols.spi import chained
from cavet.record import Purpose


class ShiftDriver(Driver):
    """Keeps a shadow of all outputs. They can't be read back."""

    def __init__(self, settings: DeviceSettings, points: Iterable[DevicePoint], owner: Owner) -> None:
        super().__init__(settings, points, owner)
        self._shadow = [0] * settings.modules

    def begin(self, now: float) -> None:
        self._shadow = [0] * self.settings.modules
        for point in self.points:
            if point.active_low:
                self._set(point, False)
        self._transfer(None, Purpose.SET_UP, None)
        for point in self.points:
            self._owner.stands(point, False, now, None)

    def _set(self, point: DevicePoint, on: bool) -> None:
        place, bit = divmod(point.line, 8)
        high = point.to_wire(on)
        self._shadow[place] = self._shadow[place] & ~(1 << bit) | int(high) << bit

    def write(self, wish: Wish, now: float) -> None:
        point = wish.point
        assert isinstance(point, DevicePoint)
        before = list(self._shadow)
        self._set(point, bool(wish.value))
        if self._shadow == before and self._may_stand(wish):
            self._owner.unchanged(wish, now)
            return
        self._transfer(wish, Purpose.NONE, self._gone(wish))

    def _transfer(self, wish: Wish | None, purpose: Purpose, then: Then | None) -> None:
        data = chained(self._shadow, bits=8)
        self._owner.call(self._call(spi=self.settings.spi, data=data, wish=wish, purpose=purpose, then=then))
