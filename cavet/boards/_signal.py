"""A value at a pin, for all firmware that keeps one there: in a map, behind a topic, in the field of a frame."""

from __future__ import annotations

from cavet.boards._circuit import Circuit
from cavet.boards._pins import FULL_DUTY, PinMode


class Signal:
    """A pin as a value: a share of `span` where it is driven by a duty, hertz of a tone, counts of a converter, else 1
    for a high level and 0 for a low one. Where a `mode` is named it is driven in no other.

    A duty is coarser than what was told; so that is given back, while the pin still stands as it was driven by it.
    """

    def __init__(
        self, circuit: Circuit, pin: int, span: tuple[float, float] = (0.0, 1.0), mode: PinMode | None = None
    ) -> None:
        self._circuit = circuit
        self._pin = pin
        self._span = span
        self._mode = mode
        self._told: tuple[float, int] | None = None
        """What was told last, and the number that the pin was driven with by that."""

    def forget(self) -> None:
        """As after power-on: nothing was told yet."""
        self._told = None

    def write(self, value: float, now: float, cause: int | None) -> None:
        """Drive it. Raises `PinRefusedError`."""
        self._circuit.write_value(self._pin, value, self._span, now, cause, self._mode)
        self._told = (value, self._circuit.pins[self._pin].value)

    def level(self) -> bool:
        """Whether it is high: as it is driven, also by a reflex; an input as it is read."""
        pin = self._circuit.pins[self._pin]
        return bool(pin.value) if pin.mode.drives else self._circuit.read_level(self._pin)

    def read(self, now: float) -> float:
        """How it stands, as a value."""
        pin = self._circuit.pins[self._pin]
        if pin.mode is PinMode.ANALOG:
            return self._circuit.read_counts(self._pin, now)
        if pin.mode is PinMode.TONE:
            return pin.value
        if pin.mode is not PinMode.PWM:
            return self.level()
        if self._told is not None and self._told[1] == pin.value:
            return self._told[0]
        low, high = self._span
        return low + (high - low) * pin.value / FULL_DUTY
