"""The buses behind a Firmata board, worked by the host: I2C and SPI transactions as messages.

Source: Firmata protocol 2.7, I2C and SPI.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Mapping
from functools import partial

from cavet.hosts._base import Wish
from cavet.hosts._devices import DeviceSession
from cavet.hosts._firmata_owed import Owed, Question
from cavet.hosts._points import DevicePoint, PinPoint
from cavet.hosts._session import SessionSettings
from cavet.hosts.buses import ON_SPI, Call, DeviceSettings
from cavet.protocols import Message, firmata
from cavet.record import Purpose, Tell, Topic

MAX_SPI_BYTES = 64
VERSION = "version"
"""What the answer bears by which it is known that all before it has come."""


class FirmataBuses(DeviceSession[PinPoint | DevicePoint]):
    """Says transactions, and hears what comes of them."""

    def __init__(
        self, board: str, points: Iterable[PinPoint | DevicePoint], settings: SessionSettings, tell: Tell,
        devices: Mapping[str, DeviceSettings],
    ) -> None:  # fmt: skip
        super().__init__(board, points, settings, tell, devices, acknowledged=False)
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

    def _ask_version(self, purpose: Purpose, now: float) -> None:
        self._note_question(VERSION, VERSION, now)
        self._send(firmata.VersionQuery(), None, Topic.BOARD, self.board, purpose=purpose)

    def _will_ask(self, bears: Hashable, asked_for: object, now: float) -> None:
        """Something is asked next; what is late is told apart from it, unless that was asked for the same."""
        if self._owed.is_late and not self._owed.is_last(asked_for):
            self._owed.is_late = False
            self._ask_version(Purpose.POLL, now)
        self._note_question(bears, asked_for, now)

    def _note_question(self, bears: Hashable, asked_for: object, now: float) -> None:
        """It is answered in its order, and no later than one may try."""
        lost_at = self.answer_by(now) + self._settings.patience(self.byte_seconds)
        self._owed.put(Question(now, lost_at, bears, asked_for))

    def _take_answer(self, bears: Hashable, now: float) -> object | None:
        """What an answer was asked for; `None` where nobody has asked. By those to wishes it is told how fast it is."""
        asked_for, took = self._owed.take(bears, now)
        wish = asked_for.wish if isinstance(asked_for, Call) else asked_for
        if took is not None and isinstance(wish, Wish):
            self.round_trip = took
        return asked_for

    def _hear_bus(self, message: firmata.I2cReply, now: float, cause: int | None) -> None:
        call = self._take_answer((message.address, message.register, len(message.data)), now)
        if isinstance(call, Call) and call is self._fleet.open:
            self._fleet.answered(message.data, now, cause)
        self._fleet.advance(now)

    def send_call(self, call: Call, now: float) -> None:
        """Say a transaction: a read of a register in one message, all else as it is."""
        self._owed.is_late = self._owed.is_late or self._owed.holds(Call)  # each is waited for before the next
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
            self._will_ask((call.address, register or 0, call.count), call, now)
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
