"""SPI, as a board offers it over Firmata: devices by their numbers. Source: protocol description, "SPI"."""

from __future__ import annotations

from cavet.boards._circuit import Circuit, PinRefusedError
from cavet.boards.buses import SpiChip
from cavet.boards.firmware.firmata._feature import Feature, Handler, Say
from cavet.protocols import Message, firmata
from cavet.protocols.spi import turned
from cavet.wording import listed

MAX_HERTZ = 8_000_000


class FirmataSpi(Feature):
    """SPI's part of the firmware. A device's number is the chip select at which a part hangs."""

    def __init__(self, circuit: Circuit, say: Say) -> None:
        self._chips = {part.chip: part for part in circuit.parts.values() if isinstance(part, SpiChip)}
        super().__init__(circuit, say)

    @property
    def handlers(self) -> dict[type[Message], Handler]:
        return {
            firmata.SpiBegin: self._begin,
            firmata.SpiEnd: self._end,
            firmata.SpiDeviceConfig: self._configure,
            firmata.SpiWrite: self._write,
            firmata.SpiTransfer: self._transfer,
            firmata.SpiRead: self._read,
        }

    def forget(self, now: float) -> None:
        """As at the start: SPI is not begun, no device is known."""
        self._begun: set[int] = set()
        self._devices: dict[tuple[int, int], firmata.SpiDeviceConfig] = {}
        self._held: dict[int, bytes] = {}
        """What went out to a device whose chip select has not ended yet."""

    def _begin(self, message: firmata.SpiBegin, now: float, cause: int) -> None:
        """Begin to use a channel."""
        if not self._chips:
            raise PinRefusedError("this board has no SPI")
        self._begun.add(message.channel)

    def _end(self, message: firmata.SpiEnd, now: float, cause: int) -> None:
        """Use a channel no more."""
        self._begun.discard(message.channel)
        self._devices = {key: kept for key, kept in self._devices.items() if key[0] != message.channel}

    def _configure(self, message: firmata.SpiDeviceConfig, now: float, cause: int) -> None:
        """Take up how a device is spoken with."""
        if message.channel not in self._begun:
            raise PinRefusedError(f"SPI channel {message.channel} is not begun")
        if message.word_size not in (0, 8):
            raise PinRefusedError(f"words of {message.word_size} bits: this board has only those of 8")
        self._devices[message.channel, message.device_id] = message

    def _write(self, message: firmata.SpiWrite, now: float, cause: int) -> None:
        """Send bytes."""
        self._exchange(message, message.data, now, cause)

    def _transfer(self, message: firmata.SpiTransfer, now: float, cause: int) -> None:
        """Send bytes, and tell what came back."""
        self._reply(message, *self._exchange(message, message.data, now, cause), cause)

    def _read(self, message: firmata.SpiRead, now: float, cause: int) -> None:
        """Tell what comes back while zeros are sent."""
        self._reply(message, *self._exchange(message, bytes(message.count), now, cause), cause)

    def _exchange(
        self, message: firmata.SpiTransfer | firmata.SpiRead, data: bytes, now: float, cause: int
    ) -> tuple[bytes, float]:
        """Do a transfer; give what came back, and when it was over. The part takes it when its chip select ends."""
        config = self._devices.get((message.channel, message.device_id))
        if config is None:
            raise PinRefusedError(f"SPI device {message.device_id} is not configured")
        chip = self._chips.get(message.device_id)
        ends_at = now + 8 * len(data) / max(1, min(MAX_HERTZ, config.max_speed))
        if chip is None:
            there = listed(sorted(self._chips), "and") or "none"
            raise PinRefusedError(f"nothing hangs on SPI chip select {message.device_id}: there is {there}")
        outgoing = data if config.bit_order else turned(data)
        held = self._held.pop(message.device_id, b"") + outgoing
        if not message.deselect:
            self._held[message.device_id] = held[-MAX_HELD_BYTES:]
            return bytes(len(data)), ends_at
        came = chip.transfer(held, ends_at, cause, mode=config.mode)[len(held) - len(data) :]
        return came if config.bit_order else turned(came), ends_at

    def _reply(self, message: firmata.SpiTransfer | firmata.SpiRead, data: bytes, ends_at: float, cause: int) -> None:
        reply = firmata.SpiReply(
            device_id=message.device_id, channel=message.channel, request_id=message.request_id, count=len(data),
            data=data,
        )  # fmt: skip
        self._say(reply, ends_at, cause)


MAX_HELD_BYTES = 4096
"""So much is kept of a transfer whose chip select does not end."""
