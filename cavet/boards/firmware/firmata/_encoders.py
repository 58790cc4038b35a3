"""Encoders, as a board counts them over Firmata: every edge of both contacts is a count.

Source: protocol description, "Encoder".
"""

from __future__ import annotations

import msgspec

from cavet.boards._circuit import PinRefusedError
from cavet.boards._pins import Pin, PinMode
from cavet.boards.firmware.firmata._feature import Feature, Handler
from cavet.protocols import Message, firmata

PLACES = {(False, False): 0, (True, False): 1, (True, True): 2, (False, True): 3}
"""Where in a cycle of its contacts A and B an encoder stands."""
MOST = (1 << 28) - 1
"""The greatest count that a message can carry."""


class _Encoder(msgspec.Struct):
    pins: tuple[int, int]
    place: int
    count: int = 0


class FirmataEncoders(Feature):
    """The encoders' part of the firmware."""

    @property
    def handlers(self) -> dict[type[Message], Handler]:
        return {
            firmata.EncoderAttach: self._attach,
            firmata.EncoderReportPosition: self._report_one,
            firmata.EncoderReportPositions: self._report_all,
            firmata.EncoderReset: self._reset,
            firmata.EncoderReportAuto: self._report_always,
            firmata.EncoderDetach: self._detach,
        }

    def forget(self, now: float) -> None:
        self._encoders: dict[int, _Encoder] = {}
        self._always = False

    def quiet(self) -> None:
        self._always = False

    @property
    def samples(self) -> bool:
        return self._always and bool(self._encoders)

    def _attach(self, message: firmata.EncoderAttach, now: float, cause: int) -> None:
        pins = (message.pin_a, message.pin_b)
        if pins[0] == pins[1]:
            raise PinRefusedError(f"encoder {message.encoder}: both contacts on pin {pins[0]}")
        for number, other in self._encoders.items():
            if number != message.encoder and set(pins) & set(other.pins):
                raise PinRefusedError(f"encoder {message.encoder}: encoder {number} is on these pins")
        for pin in pins:
            self._circuit.set_mode(pin, PinMode.ENCODER, now, cause)
        self._encoders[message.encoder] = _Encoder(pins, self._place(pins))

    def _place(self, pins: tuple[int, int]) -> int:
        return PLACES[self._circuit.read_level(pins[0]), self._circuit.read_level(pins[1])]

    def _of(self, number: int) -> _Encoder:
        found = self._encoders.get(number)
        if found is None:
            raise PinRefusedError(f"encoder {number} is not attached")
        return found

    def levels_changed(self, pins: list[Pin], now: float) -> None:
        if not self._encoders:
            return
        numbers = {pin.number for pin in pins}
        for encoder in self._encoders.values():
            if numbers.isdisjoint(encoder.pins):
                continue
            place = self._place(encoder.pins)
            moved = (place - encoder.place) % 4
            encoder.place = place
            if moved != 2:  # both contacts at once: nobody can tell which way
                encoder.count = max(-MOST, min(MOST, encoder.count + (moved - 4 if moved == 3 else moved)))

    def _report_one(self, message: firmata.EncoderReportPosition, now: float, cause: int) -> None:
        count = self._of(message.encoder).count
        self._say(firmata.EncoderPosition(positions=((message.encoder, count),)), now, cause)

    def _report_all(self, message: firmata.EncoderReportPositions, now: float, cause: int) -> None:
        self._say(self._positions(), now, cause)

    def _positions(self) -> firmata.EncoderPosition:
        return firmata.EncoderPosition(
            positions=tuple((number, encoder.count) for number, encoder in self._encoders.items())
        )

    def _reset(self, message: firmata.EncoderReset, now: float, cause: int) -> None:
        self._of(message.encoder).count = 0

    def _report_always(self, message: firmata.EncoderReportAuto, now: float, cause: int) -> None:
        self._always = bool(message.value)

    def sample(self, now: float) -> None:
        if self.samples:
            self._say(self._positions(), now, None)

    def _detach(self, message: firmata.EncoderDetach, now: float, cause: int) -> None:
        encoder = self._of(message.encoder)
        del self._encoders[message.encoder]
        for pin in encoder.pins:
            self._circuit.set_mode(pin, PinMode.INPUT, now, cause)
