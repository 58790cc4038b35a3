"""What all drivers have in common: a device on a bus, its points, and a way to send transactions."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from math import inf
from typing import Any, Protocol

import msgspec

from cavet.hosts._base import Wish
from cavet.hosts._point import Asked
from cavet.hosts._points import DevicePoint
from cavet.hosts.buses._calls import Call, SpiPlace, Then
from cavet.protocols.registers import RegisterMap
from cavet.record import Purpose


class DeviceSettings(msgspec.Struct, frozen=True, kw_only=True):
    """A device as the host believes it to be. Which fields it uses follows from its kind."""

    name: str
    kind: str
    address: int = 0
    ten_bit: bool = False
    spi: SpiPlace = SpiPlace()
    registers: RegisterMap | None = None
    writes: str = "shadow"
    """How a bit is changed: from what was written last (`shadow`), or from what is read before (`read`)."""
    reads: str = "poll"
    """How inputs are read: at every interval, or when its interrupt line goes low."""
    interrupt: int | None = None
    columns: int = 16
    rows: int = 2
    scroll: float = 0.4
    """How long a text that is too long stands before it moves on, in s; 0 leaves it cut off."""
    modules: int = 1
    """How many matrices, or shift registers, are in its chain."""
    turn: int = 0
    """In quarter turns clockwise, as each matrix is mounted."""
    reversed: bool = False
    """Whether the nearest matrix of a chain is the rightmost."""
    brightness: int = 15


class Owner(Protocol):
    """The session behind a driver: what a driver wants of it."""

    def call(self, *calls: Call) -> None: ...
    def call_first(self, *calls: Call) -> None: ...
    def stands(self, point: DevicePoint, value: Asked | None, now: float, cause: int | None) -> None: ...
    def done(self, wish: Wish, now: float) -> None: ...
    def unchanged(self, wish: Wish, now: float) -> None: ...
    def failed(self, wish: Wish, why: str, now: float) -> None: ...
    def trouble(self, device: str, why: str) -> None: ...


class Driver:
    """Brings a device to where its points are wanted, and tells how they stand."""

    def __init__(self, settings: DeviceSettings, points: Iterable[DevicePoint], owner: Owner) -> None:
        self.settings = settings
        self.points = list(points)
        self._owner = owner

    def begin(self, now: float) -> None:
        """The board is there: find out how the device stands, and set it up."""

    def write(self, wish: Wish, now: float) -> None:
        """Bring a point to a value."""
        raise NotImplementedError

    def doubt(self) -> None:
        """Something was not confirmed: what it was sent before may not have come through either."""

    def look(self, point: DevicePoint) -> bool:
        """Read a point afresh; `False` where it can't be read."""
        return False

    def poll(self, now: float) -> None:
        """Read what is to be read at every interval."""

    def interrupted(self, now: float) -> None:
        """Its interrupt line has gone low."""

    def advance(self, now: float) -> float:
        """Do what is due by itself; give when something is due next."""
        return inf

    def _call(self, **fields: Any) -> Call:
        return Call(address=self.settings.address, ten_bit=self.settings.ten_bit, **fields)

    @staticmethod
    def _may_stand(wish: Wish) -> bool:
        """Whether nothing need be sent where what is wished for stands there."""
        return not wish.forced and not wish.tries

    def _trouble(self, why: str, now: float) -> None:
        """The device does not answer."""
        self._owner.trouble(self.settings.name, why)
        for point in self.points:
            self._owner.stands(point, None, now, None)

    def _read_back(self, wish: Wish, expected: bytes, **fields: Any) -> Call:
        """A call that reads what a wish must have brought about."""

        def compare(data: bytes, now: float, cause: int | None) -> None:
            if data == expected:
                self._owner.done(wish, now)
            else:
                self.doubt()
                found, wanted = data.hex(" ").upper(), expected.hex(" ").upper()
                self._owner.failed(wish, f"read back {found} from {self.settings.name}, expected {wanted}", now)

        return self._call(
            count=len(expected), wish=wish, purpose=Purpose.READ_BACK, then=compare,
            failed=self._failing(wish), **fields,
        )  # fmt: skip

    def _failing(self, wish: Wish) -> Callable[[str, float], None]:
        return lambda why, now: self._fail(wish, why, now)

    def _gone(self, wish: Wish) -> Then:
        """What is not read back is known as soon as it has gone out."""

        def stands(data: bytes, now: float, cause: int | None) -> None:
            assert isinstance(wish.point, DevicePoint)
            self._owner.stands(wish.point, wish.value, now, cause)

        return stands

    def _fail(self, wish: Wish, why: str, now: float) -> None:
        self.doubt()
        self._owner.failed(wish, why, now)
