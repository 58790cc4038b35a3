"""Converters on a bus: one that measures, and one that gives a voltage."""

from collections.abc import Callable, Mapping
from typing import Annotated, Any

from cavet.boards._pins import PinMode
from cavet.boards._rig import Function, Rig
from cavet.boards.buses._device import MAP, MappedSettings
from cavet.boards.buses._lines import Lines
from cavet.boards.buses._registers import RegisterDevice
from cavet.boards.parts import Around
from cavet.expressions import Expression
from cavet.protocols.registers import Register
from cavet.record import Tell
from cavet.settings import Meaning


class MeasuringSettings(MappedSettings, kw_only=True):
    """The keys of a converter that measures."""

    map: Annotated[str, MAP] = "converters#adc4"
    channels: Annotated[
        dict[str, Any], Meaning("what its registers measure: a register's name and an expression of the rig")
    ]
    range: Annotated[tuple[float, float], Meaning("what reads 0, and what reads full")] = (0.0, 1.0)
    bits: Annotated[int, Meaning("how many bits it has", low=1, high=32)] = 12

    @property
    def expressions(self) -> dict[tuple[str, ...], Expression]:
        return measured(self.channels)


def measured(channels: Mapping[str, Expression]) -> dict[tuple[str, ...], Expression]:
    """What channels measure, by the keys where that stands."""
    return {("channels", name): expression for name, expression in channels.items()}


class Measuring(RegisterDevice):
    """Gives what it measures in its registers: each channel an expression of the rig, over all of its bits."""

    kind = "adc"
    SETTINGS = MeasuringSettings

    def __init__(self, name: str, settings: MeasuringSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        self.channels = settings.channels
        self._low, self._high = settings.range
        self._full = (1 << settings.bits) - 1
        self._functions: dict[str, Function] = {}

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


class GivingSettings(MappedSettings, kw_only=True):
    """The keys of a converter that gives a voltage."""

    map: Annotated[str, MAP] = "converters#dac2"
    bits: Annotated[int, Meaning("how many bits it has", low=1, high=32)] = 10


class Giving(RegisterDevice):
    """Gives a voltage at each of its lines: that of the register which bears the line's name, OUT0 and so on."""

    kind = "dac"
    SETTINGS = GivingSettings

    def __init__(self, name: str, settings: GivingSettings, around: Around) -> None:
        super().__init__(name, settings, around)
        names = [register.name for register in self.map.registers]
        self._outputs = [name for name in names if name.startswith("output_")]
        self.lines: Lines = Lines(len(self._outputs))
        for pin in self.lines.pins:
            pin.mode, pin.full = PinMode.DAC, (1 << settings.bits) - 1

    def was_written(self, register: Register, at: float, cause: int) -> None:
        if register.name in self._outputs:
            self.lines.give(self._outputs.index(register.name), self._held[register.name], at, cause)

    def tells(self, now: float) -> str:
        return ", ".join(str(self._held[name]) for name in self._outputs)
