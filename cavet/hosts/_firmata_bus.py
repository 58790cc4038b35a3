"""The buses behind a Firmata board, worked by the host: I2C and SPI transactions as messages.

An answer tells of which device and register it is, not to which question; and one that is late comes when the next was
asked. But a board answers in the order in which it is asked. So what it owes stands in a row, and an answer is for the
first in that that it fits; what was before that is lost. Where something is still owed when the next is asked, the
version is asked for between them: what has not come before that will not come.
Source: Firmata protocol 2.7, I2C and SPI.
"""

from __future__ import annotations

from collections import deque
from functools import partial
from typing import Any

from cavet.hosts._devices import DeviceSession
from cavet.hosts._points import DevicePoint, PinPoint
from cavet.hosts.buses import ON_SPI, Call
from cavet.protocols import Message, firmata
from cavet.record import Purpose, Topic

MAX_SPI_BYTES = 64
MOST_OWED = 256
Fits = tuple[int, int, int]
"""What an answer bears: its device's address, the register, how many bytes were read."""


class Owed:
    """What a board still owes answers to, in the order in which it was asked: reads, and its version."""

    def __init__(self) -> None:
        self._row: deque[tuple[Fits | None, Call | None]] = deque(maxlen=MOST_OWED)

    def __bool__(self) -> bool:
        return bool(self._row)

    def clear(self) -> None:
        """It owes nothing any more."""
        self._row.clear()

    def put(self, fits: Fits | None = None, call: Call | None = None) -> None:
        """It was asked: for a read, or for its version."""
        self._row.append((fits, call))

    def take(self, fits: Fits | None = None) -> Call | None:
        """It has answered: give the call whose answer that is, `None` where nobody has asked for it."""
        if all(each != fits for each, _ in self._row):
            return None
        while True:
            each, call = self._row.popleft()
            if each == fits:
                return call


class FirmataBuses(DeviceSession[PinPoint | DevicePoint]):
    """Says transactions, and hears what comes of them."""

    def __init__(self, *arguments: Any, **settings: Any) -> None:
        super().__init__(*arguments, **settings)
        self._owed = Owed()

    def _send(
        self, message: Message, cause: int | None, topic: Topic, subject: str, *, purpose: Purpose = Purpose.NONE
    ) -> int:
        """Say a message; give its event."""
        return self._say(firmata.encode(message), cause, topic, subject, purpose=purpose)

    def _set_up(self, message: Message) -> None:
        self._send(message, None, Topic.BOARD, self.board, purpose=Purpose.SET_UP)

    def _begin_bus(self, now: float) -> None:
        every = [driver.settings for driver in self._fleet.drivers.values()]
        on_spi = {device.spi.chip: device.spi for device in every if device.kind in ON_SPI}
        if any(device.kind not in ON_SPI for device in every):
            self._set_up(firmata.I2cConfig())
        if on_spi:
            self._set_up(firmata.SpiBegin())
        for chip, spi in sorted(on_spi.items()):
            self._set_up(firmata.SpiDeviceConfig(device_id=chip, mode=spi.mode, max_speed=spi.rate))
        self._begin_devices(now)

    def _ask_version(self, purpose: Purpose) -> None:
        self._owed.put()
        self._send(firmata.VersionQuery(), None, Topic.BOARD, self.board, purpose=purpose)

    def _hear_bus(self, message: firmata.I2cReply, now: float, cause: int | None) -> None:
        call = self._owed.take((message.address, message.register, len(message.data)))
        if call is not None and call is self._fleet.open:
            self._fleet.answered(message.data, now, cause)
        self._fleet.advance(now)

    def send_call(self, call: Call, now: float) -> None:
        """Say a transaction: a read of a register in one message, all else as it is."""
        del now
        if call.spi is not None:
            self._send_spi(call, call.spi.chip)
            return
        request = partial(firmata.I2cRequest, address=call.address, ten_bit=call.ten_bit)
        messages: list[Message] = []
        register = None
        if call.count and len(call.data) == 1:
            register = call.data[0]
        elif call.data:
            messages.append(request(mode=firmata.I2cAction.WRITE, data=call.data))
        if call.count:
            if self._owed:
                self._ask_version(Purpose.POLL)
            self._owed.put((call.address, register or 0, call.count), call)
            restart = register is not None
            messages.append(request(mode=firmata.I2cAction.READ, register=register, count=call.count, restart=restart))
        for message in messages:
            self._send_message(call, message)

    def _send_spi(self, call: Call, chip: int) -> None:
        """Say a transfer, in pieces where it is longer than a message can be; the last one ends the chip select."""
        pieces = [call.data[at : at + MAX_SPI_BYTES] for at in range(0, len(call.data), MAX_SPI_BYTES)]
        for number, piece in enumerate(pieces, 1):
            message = firmata.SpiWrite(
                device_id=chip, deselect=int(number == len(pieces)), count=len(piece), data=piece
            )  # fmt: skip
            self._send_message(call, message)

    def _send_message(self, call: Call, message: Message) -> None:
        if call.wish is not None:
            self._send(message, call.wish.asked, Topic.POINT, call.wish.point.name, purpose=call.purpose)
        else:
            self._send(message, None, Topic.BOARD, self.board, purpose=call.purpose)
