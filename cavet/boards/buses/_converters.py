"""Converters on a bus: one that measures, and one that gives a voltage."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from cavet.boards._pins import PinMode
from cavet.boards._rig import Function, Rig
from cavet.boards.buses._device import ADDRESS, STRETCH, map_key
from cavet.boards.buses._lines import Lines
from cavet.boards.buses._registers import RegisterDevice
from cavet.boards.parts import Around, Settings, Wires
from cavet.expressions import Expression
from cavet.protocols.registers import Register, RegisterMap
from cavet.record import Tell
from cavet.settings import Key


class Measuring(RegisterDevice):
    """Gives what it measures in its registers: each channel an expression of the rig, over all of its bits."""

    kind = "adc"
    SETTINGS = (
        ADDRESS,
        STRETCH,
        map_key("converters#adc4"),
        Key(
            "channels",
            "table",
            "what its registers measure: a register's name and an expression of the rig",
            required=True,
        ),
        Key("range", "range", "what reads 0, and what reads full", unit="", default=(0.0, 1.0)),
        Key("bits", "whole", "how many bits it has", default=12, low=1, high=32),
    )

    def __init__(
        self, name: str, wires: Wires, registers: RegisterMap, *, address: int, channels: Mapping[str, Expression],
        low: float, high: float, bits: int, stretch: float = 0.0,
    ) -> None:  # fmt: skip
        super().__init__(name, wires, registers, address=address, stretch=stretch)
        self.channels = channels
        self._low = low
        self._high = high
        self._full = (1 << bits) - 1
        self._functions: dict[str, Function] = {}

    @classmethod
    def arguments(cls, settings: Settings, around: Around) -> dict[str, Any]:
        found = super().arguments(settings, around)
        low, high = found.pop("range")
        return {**found, "low": low, "high": high}

    def join(self, rig: Rig, tell: Tell, stir: Callable[[], None]) -> None:
        super().join(rig, tell, stir)
        self._functions = {name: rig.bind(sum_) for name, sum_ in self.channels.items()}

    def look(self, register: Register, at: float) -> int | None:
        function = self._functions.get(register.name)
        if function is None:
            return None
        share = (float(function(self._rig.row)) - self._low) / (self._high - self._low)
        return round(self._full * min(1.0, max(0.0, share)))

    def tells(self, now: float) -> str:
        return ", ".join(f"{name} {self.value(name, now)}" for name in self.channels)


class Giving(RegisterDevice):
    """Gives a voltage at each of its lines: that of the register which bears the line's name, OUT0 and so on."""

    kind = "dac"
    SETTINGS = (
        ADDRESS,
        STRETCH,
        map_key("converters#dac2"),
        Key("bits", "whole", "how many bits it has", default=10, low=1, high=32),
    )

    def __init__(
        self, name: str, wires: Wires, registers: RegisterMap, *, address: int, bits: int, stretch: float = 0.0
    ) -> None:
        super().__init__(name, wires, registers, address=address, stretch=stretch)
        self._outputs = [register.name for register in registers.registers if register.name.startswith("output_")]
        self.lines: Lines = Lines(len(self._outputs))
        for pin in self.lines.pins:
            pin.mode, pin.full = PinMode.DAC, (1 << bits) - 1

    def was_written(self, register: Register, at: float, cause: int) -> None:
        if register.name in self._outputs:
            self.lines.give(self._outputs.index(register.name), self._held[register.name], at, cause)

    def tells(self, now: float) -> str:
        return ", ".join(str(self._held[name]) for name in self._outputs)
