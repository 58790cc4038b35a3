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


class CommandSettings(msgspec.Struct, frozen=True, kw_only=True):
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

    def __init__(self, commands: Sequence[CommandSettings], circuit: Circuit, tell: Tell) -> None:
        self._commands = commands
        self._headers = Headers((command.header, command) for command in commands)
        self._circuit = circuit
        self._tell = tell
        self._settings: dict[tuple[str, int], Setting] = {}

    def start(self, now: float) -> None:
        """Bring all pins into their modes, and everything to its default."""
        for command in self._commands:
            for pin in command.pins:
                modes = self._circuit.profile.pins[pin].modes
                mode = command.mode or next(mode for mode in BEST_FIRST if mode in modes)
                if self._circuit.pins[pin].mode is not mode:
                    self._circuit.set_mode(pin, mode, now, None)
        for command, place in self._kept():
            self._settings[command.name, place] = command.default
            if command.pins and self._share(command, command.default):
                self._drive(command, place, command.default, now, None)

    def _kept(self) -> list[tuple[CommandSettings, int]]:
        """All settings: a command that keeps one, and the place of its suffix."""
        return [
            (command, place)
            for command in self._commands
            if command.does == "set"
            for place in range(max(1, len(command.pins)))
        ]

    def reset(self, now: float, cause: int | None) -> None:
        """All relays open, all settings at their defaults, as *RST does."""
        for command, place in self._kept():
            self._settings[command.name, place] = command.default
            self._drive(command, place, command.default, now, cause)
        for command in self._commands:
            if command.does == "open-all" or (command.does == "close-all" and not self._opens_all):
                self._switch(command.pins, False, now, cause)

    @property
    def _opens_all(self) -> bool:
        return any(command.does == "open-all" for command in self._commands)

    def find(self, words: Sequence[str], suffixes: Sequence[int | None], *, asks: bool) -> tuple[CommandSettings, int]:
        """Give the command of a header, and the place that its suffix means. Raises `FaultError` −113 or −114."""
        for _, command, found in self._headers.fitting(words, suffixes):
            if self._offers(command, asks):
                return command, (found[0] - 1) if found else 0
        raise FaultError(-113, ":".join(words))

    def _offers(self, command: CommandSettings, asks: bool) -> bool:
        if asks:
            return command.does not in ("open-all", "close-all")
        return command.does != "measure" and not command.header.only_query

    def do(self, command: CommandSettings, place: int, values: Sequence[Datum], now: float, cause: int) -> None:
        """Carry a command out. Raises `FaultError`."""
        if command.does in ("open-all", "close-all"):
            data.require(values, 0, 0)
            self._switch(command.pins, command.does == "close-all", now, cause)
            return
        data.require(values, 1, 1)
        if command.does in ("close", "open"):
            wanted = data.channels(values[0], command.channels)
            self._switch([self._pin_of(command, channel) for channel in wanted], command.does == "close", now, cause)
            return
        setting = self._read(command, values[0])
        self._settings[command.name, place] = setting
        self._drive(command, place, setting, now, cause)

    def _pin_of(self, command: CommandSettings, channel: int) -> int:
        return command.pins[command.channels.index(channel)]

    def _read(self, command: CommandSettings, value: Datum) -> Setting:
        if command.takes == "boolean":
            return data.boolean(value)
        if command.takes == "keyword":
            return data.keyword(value, command.choices)
        if command.takes == "string":
            return data.text(value)
        if command.takes == "block":
            return data.block(value)
        return data.number(value, command.low, command.high, float(command.default), command.unit)

    def _switch(self, pins: Sequence[int], high: bool, now: float, cause: int | None) -> None:
        for pin in pins:
            self._circuit.write_level(pin, high, now, cause)

    def _drive(self, command: CommandSettings, place: int, setting: Setting, now: float, cause: int | None) -> None:
        if not command.pins or isinstance(setting, str):
            self._tell(Kind.DRIVEN, Topic.REGISTER, command.name, setting, cause, f"{command.name} {setting}")
            return
        self._circuit.write_value(command.pins[place], float(setting), (command.low, command.high), now, cause)

    def _share(self, command: CommandSettings, setting: Setting) -> float:
        return (float(setting) - command.low) / (command.high - command.low)

    def answer(self, command: CommandSettings, place: int, values: Sequence[Datum]) -> str:
        """Answer a query. Raises `FaultError`."""
        if command.does == "measure":
            data.require(values, 1, 1)
            wanted = data.channels(values[0], command.channels)
            return ",".join(data.nr3(self._measure(command, channel)) for channel in wanted)
        if command.does in ("close", "open"):
            data.require(values, 1, 1)
            wanted = data.channels(values[0], command.channels)
            closed = [bool(self._circuit.pins[self._pin_of(command, channel)].value) for channel in wanted]
            return ",".join(str(int(is_closed == (command.does == "close"))) for is_closed in closed)
        numeric = command.takes == "number"
        data.require(values, 0, 1 if numeric else 0)
        setting = self._settings[command.name, place]
        if values:
            if values[0].type != "keyword":
                raise FaultError(data.NOT_ALLOWED[values[0].type])
            setting = data.number(values[0], command.low, command.high, float(command.default), command.unit)
        if isinstance(setting, str):
            return ANSWERS.get(command.takes, str)(setting)
        return data.nr3(setting) if numeric else str(int(setting))

    def _measure(self, command: CommandSettings, channel: int) -> float:
        part = self._circuit.parts[command.parts[command.channels.index(channel)]]
        assert isinstance(part, Supply)  # the bench file was checked for it
        return part.measured_volts() if command.measures == "voltage" else part.measured_amps()
