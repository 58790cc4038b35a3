"""The host's own buses: each transaction is called for, and answered when it has passed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import partial
from math import inf

from cavet.hosts._base import FindCause, Wish
from cavet.hosts._devices import DeviceSession
from cavet.hosts._points import DevicePoint
from cavet.hosts._session import SessionSettings, SessionState
from cavet.hosts.buses import Call, DeviceSettings
from cavet.protocols.buses import I2C, SPI, BusAnswer, BusCall, BusDecoder
from cavet.record import Kind, Tell, Topic
from cavet.wording import plain


class BusesSession(DeviceSession[DevicePoint]):
    """Works the devices on the host's own buses."""

    protocol = "buses"

    def __init__(
        self,
        board: str,
        points: Iterable[DevicePoint],
        settings: SessionSettings,
        tell: Tell,
        devices: Mapping[str, DeviceSettings],
    ) -> None:
        super().__init__(board, points, settings, tell, devices, acknowledged=True)
        self._decoder = BusDecoder(answers=True)
        self._number = 0

    @property
    def title(self) -> str:
        return "I2C and SPI"

    def opened(self, now: float) -> None:
        self._decoder = BusDecoder(answers=True)
        self._forget_out()
        self._enter(SessionState.READY, inf)
        self._begin_devices(now)

    def lost(self, reason: str) -> None:
        self._end_devices(reason)
        super().lost(reason)

    def feed(self, data: bytes, now: float, find_cause: FindCause) -> None:
        for frame in self._decoder.feed(data):
            message = frame.message
            if self.hears_others and isinstance(message, BusAnswer) and message.number != self._number:
                continue
            if not isinstance(message, BusAnswer) or message.number != self._number:
                self._tell(
                    Kind.LOST, Topic.BYTES, str(len(frame.data)), frame.data, find_cause(frame), "not called for"
                )
            elif message.why:
                self._fleet.refused(plain(message.why, 200), now)
            else:
                call = self._fleet.open
                if call is not None and call.wish is not None:
                    self.round_trip = now - call.sent_at
                self._fleet.answered(message.data, now, find_cause(frame))
        self._fleet.advance(now)

    def advance(self, now: float) -> float:
        return self._advance_devices(now) if self.state is SessionState.READY else inf

    def look(self, name: str, now: float) -> bool:
        return self._look_at_device(self.points[name], now)

    def _write(self, wish: Wish, now: float, *, again: bool = False) -> None:
        self._write_device(wish, now)

    def send_call(self, call: Call, now: float) -> None:
        """Call for a transaction."""
        del now
        self._number = (self._number + 1) & 0xFFFF
        make = partial(BusCall, number=self._number, count=call.count, data=call.data)
        if call.spi is not None:
            wanted = make(bus=SPI, address=call.spi.chip, mode=call.spi.mode, rate=call.spi.rate)
        else:
            wanted = make(bus=I2C, address=call.address, ten_bit=call.ten_bit)
        data = wanted.packed()
        if call.wish is not None:
            self._say(data, call.wish.asked, Topic.POINT, call.wish.point.name, purpose=call.purpose)
        else:
            self._say(data, None, Topic.BOARD, self.board, purpose=call.purpose)
