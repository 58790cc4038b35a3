"""All devices that a host knows behind one board: their drivers, and the transactions that wait."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from math import inf
from typing import Protocol

from cavet.hosts._base import Wish
from cavet.hosts._point import Asked
from cavet.hosts._points import DevicePoint
from cavet.hosts._session import SessionSettings
from cavet.hosts.buses._calls import Call, Calls
from cavet.hosts.buses._driver import DeviceSettings, Driver, Owner
from cavet.hosts.buses._expander import ExpanderDriver
from cavet.hosts.buses._matrix import ChainDriver, MatrixDriver
from cavet.hosts.buses._panel import PanelDriver
from cavet.hosts.buses._registers import RegistersDriver
from cavet.hosts.buses._shift import ShiftDriver

MakeDriver = Callable[[DeviceSettings, Iterable[DevicePoint], Owner], Driver]
DRIVERS: Mapping[str, MakeDriver] = {
    "expander": ExpanderDriver,
    "panel": PanelDriver,
    "matrix": MatrixDriver,
    "chain": ChainDriver,
    "shift": ShiftDriver,
    "registers": RegistersDriver,
}
ON_SPI = ("chain", "shift")
"""The kinds of device that are on SPI; the others are on I2C."""


class Hooks(Protocol):
    """What a fleet wants of its session."""

    def send_call(self, call: Call, now: float) -> None: ...
    def answer_by(self, now: float) -> float: ...
    def device_stands(self, point: DevicePoint, value: Asked | None, now: float, cause: int | None) -> None: ...
    def wish_done(self, wish: Wish, now: float) -> None: ...
    def wish_unchanged(self, wish: Wish, now: float) -> None: ...
    def wish_failed(self, wish: Wish, why: str, now: float, *, again: Callable[[], None]) -> None: ...
    def device_trouble(self, device: str, why: str) -> None: ...


class Fleet:
    """The devices of one board."""

    def __init__(
        self, devices: Mapping[str, DeviceSettings], points: Iterable[DevicePoint], settings: SessionSettings,
        hooks: Hooks, *, acknowledged: bool = False,
    ) -> None:  # fmt: skip
        self._hooks = hooks
        self._calls = Calls(hooks.send_call, hooks.answer_by, settings, acknowledged=acknowledged)
        on = list(points)
        self.drivers = {
            name: DRIVERS[device.kind](device, [point for point in on if point.device == name], self)
            for name, device in devices.items()
        }
        self._moving = [each for each in self.drivers.values() if type(each).advance is not Driver.advance]
        self._due = 0.0
        """When something is due next; 0 after anything has happened."""

    def begin(self, now: float) -> None:
        """The board is there."""
        self._calls.clear()
        self._due = 0.0
        for driver in self.drivers.values():
            driver.begin(now)

    def extend(self, seconds: float) -> None:
        """Wait so much longer for the answer that is due."""
        self._calls.extend(seconds)
        self._due = 0.0

    def begin_again(self, device: str, now: float) -> None:
        """Try once more to set a device up."""
        self._due = 0.0
        self.drivers[device].begin(now)

    def end(self, why: str, now: float) -> None:
        """The board is gone."""
        self._calls.clear(why, now)

    def write(self, wish: Wish, now: float) -> None:
        """Bring a point to a value."""
        assert isinstance(wish.point, DevicePoint)
        self._due = 0.0
        self.drivers[wish.point.device].write(wish, now)

    def look(self, point: DevicePoint) -> bool:
        """Read a point afresh; `False` where it can't be read."""
        self._due = 0.0
        return self.drivers[point.device].look(point)

    def poll(self, now: float) -> None:
        """Read what is to be read at every interval, unless the last round has not come through."""
        if not self._calls.has_poll:
            for driver in self.drivers.values():
                driver.poll(now)

    def interrupted(self, pin: int, now: float) -> None:
        """An interrupt line has gone low."""
        for driver in self.drivers.values():
            if driver.settings.interrupt == pin:
                driver.interrupted(now)

    def advance(self, now: float) -> float:
        """Do what is due; give when something is due next."""
        if now >= self._due:
            self._due = inf
            found = min([*(driver.advance(now) for driver in self._moving), self._calls.advance(now)])
            self._due = min(found, self._due)  # 0 where something has happened meanwhile
        return self._due

    @property
    def open(self) -> Call | None:
        """The call whose answer is awaited."""
        return self._calls.open

    def before(self, point: str) -> int | None:
        """How many transactions are to pass before those of a wish at a point; `None` where none of it waits."""
        return self._calls.before(point)

    def answered(self, data: bytes, now: float, cause: int | None) -> None:
        """The call that is open has its answer."""
        self._due = 0.0
        self._calls.answered(data, now, cause)

    def refused(self, why: str, now: float) -> None:
        """The call that is open has failed."""
        self._due = 0.0
        self._calls.refused(why, now)

    # what drivers want

    def call(self, *calls: Call) -> None:
        self._due = 0.0
        self._calls.push(*calls)

    def call_first(self, *calls: Call) -> None:
        self._due = 0.0
        self._calls.push_first(*calls)

    def stands(self, point: DevicePoint, value: Asked | None, now: float, cause: int | None) -> None:
        self._hooks.device_stands(point, value, now, cause)

    def done(self, wish: Wish, now: float) -> None:
        self._hooks.wish_done(wish, now)

    def unchanged(self, wish: Wish, now: float) -> None:
        self._hooks.wish_unchanged(wish, now)

    def failed(self, wish: Wish, why: str, now: float) -> None:
        self._hooks.wish_failed(wish, why, now, again=lambda: self.write(wish, now))

    def trouble(self, device: str, why: str) -> None:
        self._hooks.device_trouble(device, why)
