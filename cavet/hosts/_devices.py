"""What sessions have in common that work devices on a bus: the fleet, and what becomes of its wishes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from math import inf
from typing import Generic

from cavet.hosts._base import NEWER_CAME, P, Session, Wish
from cavet.hosts._point import Asked, Point
from cavet.hosts._points import DevicePoint
from cavet.hosts._session import SessionSettings
from cavet.hosts.buses import NO_ANSWER, Call, DeviceSettings, Fleet
from cavet.record import Kind, Reason, Tell, Topic
from cavet.wording import counted


class DeviceSession(Session[P], Generic[P]):
    """Keeps a fleet of devices. A protocol's own session says how a transaction is sent, and what answers it."""

    def __init__(
        self, board: str, points: Iterable[P], settings: SessionSettings, tell: Tell,
        devices: Mapping[str, DeviceSettings], *, acknowledged: bool,
    ) -> None:  # fmt: skip
        super().__init__(board, points, settings, tell)
        at_devices = [point for point in self.points.values() if isinstance(point, DevicePoint)]
        self._fleet = Fleet(devices, at_devices, settings, self, acknowledged=acknowledged)
        self._waits.append(self._fleet)
        self._poll_at = inf
        self._reachable = False
        self._troubled: dict[str, str] = {}
        """Devices that could not be set up, or did not answer, and why."""
        self._known: set[str] = set()
        """Points at devices whose first value was read."""

    def send_call(self, call: Call, now: float) -> None:
        """Send a transaction."""
        raise NotImplementedError

    def _begin_devices(self, now: float) -> None:
        self._known.clear()
        self._troubled.clear()
        self._reachable = True
        if self._fleet.drivers:
            self._fleet.begin(now)
            self._fleet.advance(now)
            self._poll_at = now + self._settings.poll

    def _end_devices(self, reason: str) -> None:
        self._reachable = False
        self._fleet.end(f"the link was lost: {reason}", 0.0)
        self._poll_at = inf

    def _advance_devices(self, now: float) -> float:
        if now >= self._poll_at:
            self._poll_at = now + self._settings.poll
            self._fleet.poll(now)
        return min(self._poll_at, self._fleet.advance(now))

    def _write_device(self, wish: Wish, now: float) -> None:
        point = wish.point
        assert isinstance(point, DevicePoint)
        if point.name not in self._known:  # its device is still being set up
            older = self._pending.get(point.name)
            if older is not None and older is not wish:
                self._overtake(older, "a newer wish came before it was sent")
            self._pending[point.name] = wish
            if point.device in self._troubled:  # it may be there by now
                del self._troubled[point.device]
                self._fleet.begin_again(point.device, now)
                self._fleet.advance(now)
            return
        self._fleet.write(wish, now)
        self._fleet.advance(now)

    def _look_at_device(self, point: DevicePoint, now: float) -> bool:
        asks = self._fleet.look(point)
        self._fleet.advance(now)
        return asks

    def device_stands(self, point: DevicePoint, value: Asked | None, now: float, cause: int | None) -> None:
        """A device's point was read; with `None` it can't be."""
        if value is not None:
            self._troubled.pop(point.device, None)
        if point.kind.is_output and point.name not in self._known and value is not None:
            self._known.add(point.name)
            self._compare_start(point, value, now, cause)
            wish = self._pending.pop(point.name, None)
            if wish is not None:
                self._fleet.write(wish, now)
        elif value is not None or not point.kind.is_output:
            self._known.add(point.name)
            self._heard(point, value, now, cause)

    def wish_done(self, wish: Wish, now: float) -> None:
        """What was wanted at a device was read back."""
        self._confirm(wish, now, None)

    def wish_unchanged(self, wish: Wish, now: float) -> None:
        """What is wanted at a device stands there already."""
        self.readings[wish.point.name].hear(wish.value, now)
        self._leave(wish)

    def wish_failed(self, wish: Wish, why: str, now: float, *, again: Callable[[], None]) -> None:
        """Something else was read back, or nothing."""
        if self._is_old(wish):
            self._overtake(wish, NEWER_CAME)
        elif wish.tries < self._settings.retries and self._reachable:
            wish.tries += 1
            self._tell_again(wish)
            again()
        else:
            self._give_up(wish, why, self._reason_of(why))

    def _reason_of(self, why: str) -> Reason:
        if not self._reachable:
            return Reason.LINK_LOST
        return Reason.NO_ANSWER if why.startswith(NO_ANSWER) else Reason.OTHER_VALUE

    def device_trouble(self, device: str, why: str) -> None:
        """A device does not answer: what waits for it ends here."""
        self._tell(Kind.REMARK, Topic.DEVICE, device, None, None, why)
        self._troubled[device] = why
        for name in [name for name, wish in self._pending.items() if _is_at(wish.point, device)]:
            self._give_up(self._pending.pop(name), why, self._reason_of(why))

    @property
    def answering(self) -> list[str]:
        """The devices that have answered since the link was opened."""
        at = [point for point in self.points.values() if isinstance(point, DevicePoint) and point.name in self._known]
        return sorted({point.device for point in at} - self._troubled.keys())

    def what_holds(self, point: DevicePoint) -> str:
        """What a wish at a device waits for, before it is said."""
        before = self._fleet.before(point.name)
        if before is not None:
            behind = f", behind {counted(before, 'transaction')}" if before else ""
            return f"it waits for its turn on the bus{behind}"
        if point.name not in self._known:
            return f"{point.device} has not been set up yet"
        why = self._troubled.get(point.device)
        return f"{point.device} is being set up once more" + (f": {why}" if why else ", since it was in doubt")


def _is_at(point: Point, device: str) -> bool:
    return isinstance(point, DevicePoint) and point.device == device
