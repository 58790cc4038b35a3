"""A SCPI board: who it is, its commands with their queries."""

import re
from collections.abc import Callable, Iterator, Sequence
from typing import Annotated, Any, ClassVar, Self

from cavet.benchfile._numbers import numbers
from cavet.benchfile._places import Path
from cavet.benchfile.boards._device import (
    BoardTables,
    Device,
    Making,
    PartsAt,
    Place,
    PlaceKey,
    PlaceKind,
    Row,
)
from cavet.benchfile.boards._identity import read_identity
from cavet.boards import Firmware, PinMode, Profile
from cavet.boards.firmware import ScpiFirmware
from cavet.boards.firmware.scpi import MEASURES, Commands, CommandSettings, Pattern
from cavet.hosts import HeaderPoint, Point
from cavet.protocols import FieldError, Message, Side, codec, read_whole
from cavet.protocols.scpi import UNITS, FaultError
from cavet.settings import Meaning, Table, made
from cavet.units import known, parse, parse_switch, spelled
from cavet.wording import WrongError, from_to, hex_pairs, listed

MEASURED_IN = {"voltage": "V", "current": "A"}
CHANNELS = re.compile(r"\(@(\d+)")


DRIVES = ("set", "close", "open", "close-all", "open-all")
SETS, NUMBERS = ("does", ("set",)), ("takes", ("number",))


class CommandTable(Table, kw_only=True):
    """A command of a SCPI board, with its query."""

    TITLE = "[boards.NAME.commands.NAME]"
    header: Annotated[
        str,
        Meaning(
            "such as `SOURce<1-2>:VOLTage[:LEVel]`: short forms in capitals, optional nodes in brackets, ranges of "
            "suffixes in angle brackets; with `?` at the end where there is only the query"
        ),
    ]
    does: Annotated[
        str,
        Meaning(
            "`set` keeps a value and drives a pin with it; `close` and `open` switch the pins of the channels "
            "named; `measure` answers what is measured at the parts behind them",
            (*DRIVES, "measure"),
        ),
    ]
    takes: Annotated[
        str, Meaning("what it takes", ("number", "boolean", "keyword", "string", "block"), beside=SETS)
    ] = "number"
    unit: Annotated[str, Meaning("its unit; a command may bear any that it can be turned into", beside=NUMBERS)] = ""
    range: Annotated[tuple[float, float], Meaning("its limits", unit="=unit", beside=NUMBERS)] = (0.0, 1.0)
    default: Annotated[
        float | str | None,
        Meaning(
            "what it is after *RST, a number may have a unit; else 0, or of a number the limit next to it", beside=SETS
        ),
    ] = None
    choices: Annotated[
        tuple[str, ...], Meaning("the keywords, their short forms in capitals", beside=("takes", ("keyword",)))
    ] = ()
    pins: Annotated[
        str,
        Meaning("those that it works: one for each suffix or channel, in order", beside=("does", DRIVES)),
    ] = ""
    mode: Annotated[
        str | None,
        Meaning(
            "how it drives them; else by voltage, pwm or on and off, whatever they can first; a tone takes hertz",
            ("output", "pwm", "dac", "tone"),
            beside=SETS,
        ),
    ] = None
    channels: Annotated[
        str,
        Meaning("the numbers of the channels, such as `101-108`", beside=("does", ("close", "open", "measure"))),
    ] = ""
    parts: Annotated[
        tuple[str, ...], Meaning("the parts behind the channels", names="part", beside=("does", ("measure",)))
    ] = ()
    measures: Annotated[str, Meaning("what of the parts", MEASURES, beside=("does", ("measure",)))] = "voltage"
    overlapped: Annotated[
        bool, Meaning("whether the next command may begin before what this one moves has arrived")
    ] = False


class ScpiKeys(Table, kw_only=True):
    """What a SCPI board has of its own."""

    ABOUT = "SCPI"
    commands: Annotated[dict[str, Any], Meaning("its own commands, see below")] = {}


class ScpiDevice(Device, frozen=True, kw_only=True):
    """A SCPI board's identity and commands."""

    KEYS: ClassVar[type[Table]] = ScpiKeys
    TABLES: ClassVar[tuple[type[Table], ...]] = (CommandTable,)
    FORM: ClassVar[tuple[str, str, str] | None] = ("a command that it knows", "commands", "command")

    identity: str
    commands: tuple[CommandSettings, ...]

    @classmethod
    def read(cls, tables: BoardTables) -> Self | None:
        own = tables.own(ScpiKeys)
        if own is None:
            return None
        found = tables.read("commands", CommandTable, own.commands)
        read = [_read_command(tables, name, table) for name, table in found.items()]
        commands = [setup for setup in read if setup is not None]
        _check_headers(tables, commands)
        said = read_identity(tables)
        identity = ",".join(said[key].replace(",", " ") for key in ("vendor", "product", "serial", "revision"))
        return cls(identity=identity, commands=tuple(commands))

    def firmware(self, making: Making) -> Firmware:
        commands = Commands(self.commands, making.circuit, making.tell)
        return ScpiFirmware(making.circuit, making.tell, self.identity, commands)

    def places(self, profile: Profile, parts_at: PartsAt) -> Iterator[Place]:
        """One for each suffix of a header that sets a value, and one for each channel that is switched."""
        channels: set[int] = set()
        for command in self.commands:
            table = ("commands", command.name)
            if command.channels and command.pins:
                for channel, pin in zip(command.channels, command.pins, strict=False):
                    if channel not in channels:
                        channels.add(channel)
                        yield Place(
                            kind=PlaceKind.CHANNEL, key=("channel", channel), name=f"(@{channel})", note="channel",
                            pins=(pin,), parts=parts_at(pin), table=table,
                        )  # fmt: skip
            elif command.channels:
                for number, part in zip(command.channels, command.parts, strict=False):
                    yield Place(
                        kind=PlaceKind.HEADER, key=("header", command.name, number), note=command.measures,
                        name=f"{_short(command, None)}? (@{number})", parts=(part,), table=table,
                        unit=MEASURED_IN[command.measures],
                    )  # fmt: skip
            elif command.does == "set":
                for place, works in enumerate(command.pins or (None,)):
                    yield Place(
                        kind=PlaceKind.HEADER, key=("header", command.name, place), name=_short(command, place),
                        note=command.takes, pins=() if works is None else (works,),
                        parts=() if works is None else parts_at(works), table=table, unit=command.unit,
                    )  # fmt: skip

    def places_named(self, point: Point) -> list[PlaceKey]:
        if not isinstance(point, HeaderPoint):
            return []
        texts = [point.set.replace("{}", "0"), point.turn_on] if point.kind.is_output else [point.query]
        return [key for text in texts if text for key in self._behind_header(text)]

    def _behind_header(self, text: str) -> list[PlaceKey]:
        """The places that a program message is about."""
        channels = [int(number) for number in CHANNELS.findall(text)]
        for frame in read_whole(codec("scpi"), f"{text}\n".encode(), Side.HOST):
            if frame.readable:
                return self._of_command(frame.message, channels)
        return []

    def _of_command(self, message: Message, channels: list[int]) -> list[PlaceKey]:
        nodes = [str(node).upper() for node in getattr(message, "nodes", ())]
        suffixes = list(getattr(message, "suffixes", ()))
        for command in self.commands:
            try:
                found = command.header.match(nodes, suffixes)
            except (FaultError, FieldError):
                continue
            if found is None:
                continue
            if command.channels and command.pins:
                return [("channel", number) for number in channels if number in command.channels]
            if command.channels:
                return [("header", command.name, number) for number in channels]
            lows = [node.low for node in command.header.nodes if node.high > 1]
            return [("header", command.name, found[0] - lows[0] if found else 0)]
        return []

    def begins_with(self, point: Point, place: Place) -> float | bool | str | None:
        command = next(command for command in self.commands if ("commands", command.name) == place.table)
        if command.does == "set" and isinstance(command.default, int | float):
            return point.from_wire(float(command.default))
        return point.from_wire(0) if place.kind is PlaceKind.CHANNEL else None

    def rows(self, points: Sequence[Point]) -> dict[str, list[Row]]:
        rows = [
            {
                "header": command.header.text, "does": command.does, "takes": command.takes, "low": command.low,
                "high": command.high, "unit": command.unit,
            }
            for command in self.commands
        ]  # fmt: skip
        return {"headers": rows}


def _check_headers(tables: BoardTables, commands: list[CommandSettings]) -> None:
    """A header means one command: of two, the second one would never be done."""
    before: dict[str, list[CommandSettings]] = {}
    for setup in commands:
        alike = [other for word in setup.header.first_words for other in before.get(word, ())]
        other = next((other for other in alike if setup.header.meets(other.header)), None)
        if other is not None:
            path: Path = (*tables.path, "commands", setup.name, "header")
            expected = f"a header of its own: {other.name} has {other.header.text}"
            tables.checker.wrong(path, found=setup.header.text, expected=expected)
        for word in setup.header.first_words:
            before.setdefault(word, []).append(setup)


def _read_command(tables: BoardTables, name: str, table: CommandTable) -> CommandSettings | None:
    path: Path = (*tables.path, "commands", name)
    try:
        header = tables.checker.placed((*path, "header"), lambda: Pattern.parse(table.header))
    except WrongError as error:
        tables.checker.errors.append(error)
        return None
    if not known(spelled(table.unit)) and table.unit.upper() not in UNITS:
        expected = "a unit that SCPI has, such as V, A, HZ, S, OHM; or none"
        tables.checker.wrong((*path, "unit"), found=table.unit, expected=expected)
    pins = _pins(tables, path, table.pins)
    channels = _channels(tables, path, table.channels)
    low, high = sorted(table.range)
    setup = made(
        CommandSettings, table, name=name, header=header, takes=table.takes if table.does == "set" else "none",
        unit=spelled(table.unit), low=low, high=high, default=_default(tables, path, table, low, high), pins=pins,
        channels=channels, mode=PinMode(table.mode) if table.mode else None,
    )  # fmt: skip
    _check_command(tables, path, setup)
    return setup


def _default(tables: BoardTables, path: Path, table: CommandTable, low: float, high: float) -> float | bool | str:
    usual = min(max(0.0, low), high) if table.takes == "number" else 0.0
    value = table.default if table.default is not None else usual
    if table.takes == "block":
        return _block(tables, path, str(table.default or ""))
    if table.takes in ("keyword", "string"):
        return str(table.default or (table.choices or ("",))[0])
    if table.takes == "boolean":
        return bool(_number(tables, path, value, parse_switch, "on or off"))
    number = _number(
        tables,
        path,
        value,
        lambda text: parse(text, spelled(table.unit)),
        f"a number of {from_to(low, high)}",
    )
    if table.takes == "number" and not low <= number <= high:
        tables.checker.wrong((*path, "default"), found=value, expected=f"a number of {from_to(low, high)}")
    return float(number)


def _number(tables: BoardTables, path: Path, value: float | str, read: Callable[[str], float], expected: str) -> float:
    """A default that may be written as a text: with its unit, or as a word."""
    try:
        return read(value) if isinstance(value, str) else value
    except WrongError:
        tables.checker.wrong((*path, "default"), found=value, expected=expected)
        return 0.0


def _block(tables: BoardTables, path: Path, text: str) -> str:
    try:
        return hex_pairs(bytes.fromhex(text))
    except ValueError:
        tables.checker.wrong((*path, "default"), found=text, expected="hex pairs")
        return ""


def _pins(tables: BoardTables, path: Path, text: str) -> tuple[int, ...]:
    pins = (tables.find_pin((*path, "pins"), pin) for pin in numbers(tables.checker, (*path, "pins"), text))
    return tuple(pin for pin in pins if pin is not None)


def _channels(tables: BoardTables, path: Path, text: str) -> tuple[int, ...]:
    return tuple(numbers(tables.checker, (*path, "channels"), text))


def _check_command(tables: BoardTables, path: Path, setup: CommandSettings) -> None:
    if setup.does in ("close", "open") and len(setup.pins) != len(setup.channels):
        found = f"{len(setup.pins)} pins"
        tables.checker.wrong((*path, "pins"), found=found, expected=f"one for each of {len(setup.channels)} channels")
    if setup.does == "measure" and len(setup.parts) != len(setup.channels):
        found = f"{len(setup.parts)} parts"
        expected = f"one for each of {len(setup.channels)} channels"
        tables.checker.wrong((*path, "parts"), found=found, expected=expected)
    for part in setup.parts:
        supplies = [name for name, settings in tables.parts.items() if settings.kind == "supply"]
        if part not in supplies:
            expected = f"a supply: {listed(supplies) or 'there is none'}"
            tables.checker.wrong((*path, "parts"), found=part, expected=expected)
    suffixes = next((node.high for node in setup.header.nodes if node.high > 1), 1)
    if setup.does == "set" and setup.pins and len(setup.pins) != suffixes:
        found = f"{len(setup.pins)} pins"
        tables.checker.wrong((*path, "pins"), found=found, expected=f"one for each of {suffixes} suffixes")
    drives = {PinMode.OUTPUT, PinMode.PWM, PinMode.DAC}
    for pin in setup.pins:
        if setup.mode is not None:
            tables.drives((*path, "pins"), setup.name, pin, setup.mode, "pins")
        if not drives & tables.profile.pins[pin].modes.keys():
            tables.checker.wrong((*path, "pins"), found=pin, expected="pins that can be driven")


def _short(command: CommandSettings, place: int | None) -> str:
    """A header in its short form, with its suffix."""
    words = []
    for node in command.header.nodes:
        if not node.optional:
            suffix = str(node.low + place) if place is not None and node.high > 1 else ""
            words.append(node.short + suffix)
    return ":".join(words)
