"""An instrument's own commands, as its tree in the bench file says."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from cavet.boards._circuit import Circuit
from cavet.boards._pins import PinMode
from cavet.boards.firmware.scpi import _data as data
from cavet.boards.firmware.scpi._tree import Headers, Pattern
from cavet.boards.parts import Supply
from cavet.protocols.scpi import Datum, FaultError
from cavet.record import Kind, Tell, Topic

MEASURES = ("voltage", "current")
ANSWERS = {"string": data.quoted, "block": data.as_block}
"""How a text that is kept is answered; a keyword as it is."""
Setting = float | bool | str
BEST_FIRST = (PinMode.DAC, PinMode.PWM, PinMode.OUTPUT)
"""The modes in which a setting's pin is driven, the best first."""


class CommandPlan(msgspec.Struct, frozen=True, kw_only=True):
    """One header: what it takes, what it does, what its query answers.

    `does` is `set` (keep a value, and drive the pin of the header's suffix with it), `close` and `open` (the pins of
    the channels named), `close-all` and `open-all`, or `measure` (a query of the parts behind the channels).
    """

    name: str
    header: Pattern
    does: str
    takes: str = "none"
    unit: str = ""
    low: float = 0.0
    high: float = 1.0
    default: Setting = 0.0
    choices: tuple[str, ...] = ()
    pins: tuple[int, ...] = ()
    mode: PinMode | None = None
    """How its pins are driven; else as well as they can be."""
    channels: tuple[int, ...] = ()
    parts: tuple[str, ...] = ()
    measures: str = "voltage"
    overlapped: bool = False
    """Whether the next command may begin before this one is done."""


class Commands:
    """Does what the tree says. Its settings are kept by command and suffix."""

    def __init__(self, plans: Sequence[CommandPlan], circuit: Circuit, tell: Tell) -> None:
        self._plans = plans
        self._headers = Headers((plan.header, plan) for plan in plans)
        self._circuit = circuit
        self._tell = tell
        self._settings: dict[tuple[str, int], Setting] = {}

    def start(self, now: float) -> None:
        """Bring all pins into their modes, and everything to its default."""
        for plan in self._plans:
            for pin in plan.pins:
                modes = self._circuit.profile.pins[pin].modes
                mode = plan.mode or next(mode for mode in BEST_FIRST if mode in modes)
                if self._circuit.pins[pin].mode is not mode:
                    self._circuit.set_mode(pin, mode, now, None)
        for plan, place in self._kept():
            self._settings[plan.name, place] = plan.default
            if plan.pins and self._share(plan, plan.default):
                self._drive(plan, place, plan.default, now, None)

    def _kept(self) -> list[tuple[CommandPlan, int]]:
        """All settings: a command that keeps one, and the place of its suffix."""
        return [(plan, place) for plan in self._plans if plan.does == "set" for place in range(max(1, len(plan.pins)))]

    def reset(self, now: float, cause: int | None) -> None:
        """All relays open, all settings at their defaults, as *RST does."""
        for plan, place in self._kept():
            self._settings[plan.name, place] = plan.default
            self._drive(plan, place, plan.default, now, cause)
        for plan in self._plans:
            if plan.does == "open-all" or (plan.does == "close-all" and not self._opens_all):
                self._switch(plan.pins, False, now, cause)

    @property
    def _opens_all(self) -> bool:
        return any(plan.does == "open-all" for plan in self._plans)

    def find(self, words: Sequence[str], suffixes: Sequence[int | None], *, asks: bool) -> tuple[CommandPlan, int]:
        """Give the command of a header, and the place that its suffix means. Raises `FaultError` −113 or −114."""
        for _, plan, found in self._headers.fitting(words, suffixes):
            if self._offers(plan, asks):
                return plan, (found[0] - 1) if found else 0
        raise FaultError(-113, ":".join(words))

    def _offers(self, plan: CommandPlan, asks: bool) -> bool:
        if asks:
            return plan.does not in ("open-all", "close-all")
        return plan.does != "measure" and not plan.header.only_query

    def do(self, plan: CommandPlan, place: int, values: Sequence[Datum], now: float, cause: int) -> None:
        """Carry a command out. Raises `FaultError`."""
        if plan.does in ("open-all", "close-all"):
            data.require(values, 0, 0)
            self._switch(plan.pins, plan.does == "close-all", now, cause)
            return
        data.require(values, 1, 1)
        if plan.does in ("close", "open"):
            wanted = data.channels(values[0], plan.channels)
            self._switch([self._pin_of(plan, channel) for channel in wanted], plan.does == "close", now, cause)
            return
        setting = self._read(plan, values[0])
        self._settings[plan.name, place] = setting
        self._drive(plan, place, setting, now, cause)

    def _pin_of(self, plan: CommandPlan, channel: int) -> int:
        return plan.pins[plan.channels.index(channel)]

    def _read(self, plan: CommandPlan, value: Datum) -> Setting:
        if plan.takes == "boolean":
            return data.boolean(value)
        if plan.takes == "keyword":
            return data.keyword(value, plan.choices)
        if plan.takes == "string":
            return data.text(value)
        if plan.takes == "block":
            return data.block(value)
        return data.number(value, plan.low, plan.high, float(plan.default), plan.unit)

    def _switch(self, pins: Sequence[int], high: bool, now: float, cause: int | None) -> None:
        for pin in pins:
            self._circuit.write_level(pin, high, now, cause)

    def _drive(self, plan: CommandPlan, place: int, setting: Setting, now: float, cause: int | None) -> None:
        if not plan.pins or isinstance(setting, str):
            self._tell(Kind.DRIVEN, Topic.REGISTER, plan.name, setting, cause, f"{plan.name} {setting}")
            return
        self._circuit.write_value(plan.pins[place], float(setting), (plan.low, plan.high), now, cause)

    def _share(self, plan: CommandPlan, setting: Setting) -> float:
        return (float(setting) - plan.low) / (plan.high - plan.low)

    def answer(self, plan: CommandPlan, place: int, values: Sequence[Datum]) -> str:
        """Answer a query. Raises `FaultError`."""
        if plan.does == "measure":
            data.require(values, 1, 1)
            wanted = data.channels(values[0], plan.channels)
            return ",".join(data.nr3(self._measure(plan, channel)) for channel in wanted)
        if plan.does in ("close", "open"):
            data.require(values, 1, 1)
            wanted = data.channels(values[0], plan.channels)
            closed = [bool(self._circuit.pins[self._pin_of(plan, channel)].value) for channel in wanted]
            return ",".join(str(int(is_closed == (plan.does == "close"))) for is_closed in closed)
        numeric = plan.takes == "number"
        data.require(values, 0, 1 if numeric else 0)
        setting = self._settings[plan.name, place]
        if values:
            if values[0].type != "keyword":
                raise FaultError(data.NOT_ALLOWED[values[0].type])
            setting = data.number(values[0], plan.low, plan.high, float(plan.default), plan.unit)
        if isinstance(setting, str):
            return ANSWERS.get(plan.takes, str)(setting)
        return data.nr3(setting) if numeric else str(int(setting))

    def _measure(self, plan: CommandPlan, channel: int) -> float:
        part = self._circuit.parts[plan.parts[plan.channels.index(channel)]]
        assert isinstance(part, Supply)  # the bench file was checked for it
        return part.measured_volts() if plan.measures == "voltage" else part.measured_amps()
