"""What the fields of a frame mean on a bench: which point an address, pin, header or topic is, and what a value there
stands for."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any, NamedTuple

import msgspec

from cavet.bench._naming import AddressNames
from cavet.benchfile._setup import Setup
from cavet.boards import PinMode
from cavet.boards.buses import BusSettings
from cavet.colours import CHANNELS
from cavet.hosts import Asked, FieldPoint, HeaderPoint, PinPoint, Point, PointKind, RegisterPoint, TopicPoint
from cavet.messaging import PayloadError
from cavet.protocols import Field, Frame, Role, Side, codec, read_whole
from cavet.protocols.firmata import AnalogMessage, DigitalMessage
from cavet.protocols.modbus import MaskWriteRegister, ModbusMessage
from cavet.protocols.scpi import Datum
from cavet.wording import unknown

MOST_NAMED = 4
"""So many points are named at one field."""
SWITCHES: dict[str | float, int] = {"ON": 1, "OFF": 0, 1: 1, 0: 0}
"""How SCPI says on and off. Source: SCPI 1999, volume 1, section 7.3."""
Told = dict[str, str]
"""What fields mean here, by their names."""


class Meanings:
    """What is meant on a board of a bench. `address` is where the answer to a read begins: it does not tell itself."""

    def __init__(self, setup: Setup, board: str) -> None:
        if board not in setup.boards and board not in setup.hosts:
            known = sorted({*setup.boards, *setup.hosts})
            raise unknown("board", board, known)
        self._setup = setup
        self._board = setup.board_of(board)
        self._points = setup.points_on(board)
        registers = any(isinstance(point, RegisterPoint) for point in self._points)
        self._names = AddressNames(setup, board) if registers else None
        self._headings = [heading for point in self._points for heading in _headings_of(point)]

    def tell(self, frame: Frame, fields: Sequence[Field], side: Side, address: int | None = None) -> list[Field]:
        """Give the fields with what they mean here; what the bench knows nothing of stays as it is."""
        if not frame.readable:
            return list(fields)
        told = self._told(frame, side, address)
        return [
            msgspec.structs.replace(field, meaning=told[field.name])
            if told.get(field.name) and field.role in (Role.VALUE, Role.CONSTANT, Role.COUNT)
            else field
            for field in fields
        ]

    def _told(self, frame: Frame, side: Side, address: int | None) -> Told:
        message = frame.message
        if isinstance(message, ModbusMessage):
            return self._of_modbus(message, address)
        if isinstance(message, AnalogMessage | DigitalMessage) or hasattr(message, "pin"):
            return self._of_pin(message, side)
        if message.NAME in ("command", "query") and hasattr(message, "nodes"):
            return self._of_header(message)
        if message.NAME == "publish" and hasattr(message, "topic"):
            return self._of_topic(message)
        if hasattr(message, "address"):
            return self._of_device(message.address)
        return self._of_plan(message)

    def _of_modbus(self, message: ModbusMessage, address: int | None) -> Told:
        if self._names is None:
            return {}
        named = self._names.of(message, address)
        known = [name for name in named if name in self._setup.points]
        told = {"address": _some(known or list(named))}
        shown = [f"{value} at {name}" for name, value in named.items() if value is not None and name in known]
        if shown and isinstance(message, MaskWriteRegister):
            told["or_mask"] = _some(shown)
        elif shown:
            told["value"] = told["values"] = _some(shown)
        return told

    def _of_pin(self, message: object, side: Side) -> Told:
        if isinstance(message, DigitalMessage):
            first = 8 * message.port
            high = [number for number in range(first, first + 8) if message.value >> number - first & 1]
            names = [self._pin_name(number) for number in high]
            return {
                "port": f"pins {first} to {first + 7}",
                "value": f"high: {_some([name or f'pin {pin}' for pin, name in zip(high, names, strict=True)])}"
                if high else "all low",
            }  # fmt: skip
        number = getattr(message, "pin", None)
        if isinstance(message, AnalogMessage) and side is Side.BOARD:
            number = self._pin_of_channel(message.pin)
        if not isinstance(number, int):
            return {}
        told = {"pin": self._pin_name(number)}
        value = getattr(message, "value", None)
        on_it = [point for point in self._points if isinstance(point, PinPoint) and number in point.modes()]
        if isinstance(value, int) and on_it and type(message).__name__ != "ReportAnalogPin":
            told["value"] = _on_pin(on_it[0], number, value)
        return told

    def _pin_of_channel(self, channel: int) -> int | None:
        board = self._setup.boards.get(self._board)
        pins = board.profile.pins.values() if board is not None else ()
        return next((pin.number for pin in pins if pin.channel == channel and pin.can(PinMode.ANALOG)), None)

    def _pin_name(self, number: int) -> str:
        """What is on a pin: the host's points there, else the part that hangs there."""
        names = [point.name for point in self._points if isinstance(point, PinPoint) and number in point.modes()]
        if names:
            return _some(names)
        board = self._setup.boards.get(self._board)
        parts = board.parts.items() if board is not None else ()
        return _some([name for name, part in parts if part.wires.get("pin") == number])

    def _of_header(self, message: Any) -> Told:
        nodes: list[str] = getattr(message, "nodes", [])
        suffixes = [suffix or 1 for suffix in getattr(message, "suffixes", [])]
        channels = {channel for datum in message.values if datum.type == "channels" for channel in datum.value}
        found = [
            heading for heading in self._headings
            if heading.suffixes == suffixes and _alike(heading.nodes, nodes)
            and not (channels and heading.channels and channels.isdisjoint(heading.channels))
        ]  # fmt: skip
        found = [heading for heading in found if heading.asks == (message.NAME == "query")] or found
        if not found:
            return {}
        told = {"header": _some(list(dict.fromkeys(heading.point.name for heading in found)))}
        values = [_said(heading, message.values) for heading in found]
        return told | {"value": _some(list(dict.fromkeys(words for words in values if words)))}

    def _of_topic(self, message: object) -> Told:
        topic: str = getattr(message, "topic", "")
        found = [
            point for point in self._points if isinstance(point, TopicPoint) and topic in (point.command, point.state)
        ]
        if not found:
            return {}
        told = {"topic": _some([point.name for point in found])}
        shown = []
        for point in found:
            try:
                shown.append(f"{_shown(point, point.unpack(getattr(message, 'payload', b'')))} at {point.name}")
            except PayloadError as error:
                shown.append(f"no value of {point.name}: {error}")
        return told | {"payload": _some(shown)}

    def _of_device(self, address: object) -> Told:
        board = self._setup.boards.get(self._board)
        hosts = [host for name, host in self._setup.hosts.items() if self._setup.board_of(name) == self._board]
        devices = [(name, device) for host in hosts for name, device in host.devices.items()]
        names = [name for name, device in devices if device.address == address]
        parts = board.parts.items() if board is not None else ()
        names = names or [name for name, part in parts if isinstance(part, BusSettings) and part.address == address]
        return {"address": f"0x{address:02X}, {_some(names)}"} if names and isinstance(address, int) else {}

    def _of_plan(self, message: object) -> Told:
        frame = getattr(message, "NAME", "")
        told: Told = {}
        for point in self._points:
            if not isinstance(point, FieldPoint):
                continue
            for name, field in ((point.frame, point.field), (point.state_frame, point.state_field)):
                if name == frame and field and hasattr(message, field):
                    words = self._of_field(point, name, field, getattr(message, field))
                    told[field] = ", ".join(word for word in (told.get(field, ""), words) if word)
        return told

    def _of_field(self, point: FieldPoint, frame: str, field: str, value: object) -> str:
        host = self._setup.hosts.get(point.board)
        if host is None or host.format is None or value is None:
            return point.name
        plan = host.format.codecs[frame].plan.field(field)
        return f"{_shown(point, point.get(value, plan))} at {point.name}"


def _shown(point: Point, value: Asked) -> str:
    return point.show(value)


def _some(names: Sequence[str]) -> str:
    """Names in a row; where there are too many, how many more."""
    kept = [name for name in names if name]
    more = f", and {len(kept) - MOST_NAMED} more" if len(kept) > MOST_NAMED else ""
    return ", ".join(kept[:MOST_NAMED]) + more


def _alike(known: Sequence[str], found: Sequence[str]) -> bool:
    """Whether headers are the same, one in its short and the other in its long form."""
    return len(known) == len(found) and all(
        one.startswith(other) or other.startswith(one) for one, other in zip(known, found, strict=True)
    )


class _Heading(NamedTuple):
    """A header that a point is behind: its nodes with their suffixes, the channels that it names, whether it asks, and
    whether it switches the point on or off by itself."""

    point: HeaderPoint
    nodes: list[str]
    suffixes: list[int]
    channels: frozenset[int]
    asks: bool
    switches: bool | None


def _headings_of(point: Point) -> list[_Heading]:
    """The headers that a point is behind."""
    if not isinstance(point, HeaderPoint):
        return []
    found = []
    texts = ((point.set.replace("{}", "0"), None), (point.turn_on, True), (point.turn_off, False), (point.query, None))
    for text, switches in texts:
        for frame in read_whole(codec("scpi"), f"{text}\n".encode(), Side.HOST) if text else ():
            message: Any = frame.message
            if frame.readable and hasattr(message, "nodes"):
                suffixes = [suffix or 1 for suffix in message.suffixes]
                channels = [number for datum in message.values if datum.type == "channels" for number in datum.value]
                found.append(
                    _Heading(point, message.nodes, suffixes, frozenset(channels), text == point.query, switches)
                )
    return found


def _said(heading: _Heading, values: Sequence[Datum]) -> str:
    """What the values behind a header mean for its point; "" where that can't be said."""
    point = heading.point
    if heading.channels:
        return point.name if heading.switches is None else f"{_shown(point, heading.switches)} at {point.name}"
    value = values[0].value if len(values) == 1 else None
    if not isinstance(value, int | float | str):
        return ""
    number = SWITCHES.get(value) if point.kind.is_switch else value
    if isinstance(number, str | bool | None):
        return ""
    return f"{_shown(point, point.from_wire(float(number)))} at {point.name}"


def _on_pin(point: PinPoint, number: int, value: int) -> str:
    """What a number at a pin means for the point there: of a colour one of its three, of a bridge its power alone."""
    if point.kind is PointKind.COLOUR:
        pins = dict(zip((point.pin, point.green, point.blue), CHANNELS, strict=True))
        return f"{pins[number]} {value} at {point.name}"
    if number != point.pin:
        return point.name
    shown = _shown(point, point.from_wire(float(value)))
    return f"{shown} of power at {point.name}" if point.kind is PointKind.BRIDGE else f"{shown} at {point.name}"


Telling = Callable[[Frame, Sequence[Field], Side], list[Field]]


def meanings(setup: Setup, board: str, address: int | None = None) -> Telling:
    """What tells what fields mean at a board. Raises `WrongError` for one that is not there."""
    return partial(Meanings(setup, board).tell, address=address)
