"""What a record says of pins, parts, points and the rig, as courses over time: what each was from when on."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any

import msgspec

from cavet.benchfile import Setup
from cavet.boards import FULL_DUTY, KINDS
from cavet.protocols.firmata import SERVO_DEGREES_BELOW, SERVO_PULSES
from cavet.record import Event, Kind, Topic

PINS, PARTS, POINTS, RIG = "pins", "parts", "points", "rig"
GROUPS = (PINS, PARTS, POINTS, RIG)
NUMBER = re.compile(r"\d+")

Worth = float | bool | str


class Signal(msgspec.Struct, kw_only=True):
    """One course: `group` is one of `GROUPS`; `side` is `asked` or `got` for a point, "" for the others."""

    group: str
    board: str
    name: str
    side: str = ""
    unit: str = ""
    changes: list[tuple[float, Worth]] = []
    """From when on, in s, it was what: numbers in `unit`, true or false for a level, texts."""

    @property
    def is_level(self) -> bool:
        """Whether it is ever only high or low."""
        return all(isinstance(value, bool) for _, value in self.changes)

    @property
    def is_text(self) -> bool:
        """Whether it is a text at some time."""
        return any(isinstance(value, str) for _, value in self.changes)


class Signals:
    """Reads events, and sorts what they say into courses."""

    def __init__(self, setup: Setup | None) -> None:
        self._setup = setup
        self._found: dict[tuple[str, str, str, str], Signal] = {}
        self._pins = PinModes()

    def read(self, events: Iterable[Event]) -> Signals:
        """Read on."""
        for event in events:
            kind = event.kind
            if kind is Kind.DRIVEN and event.topic is Topic.PIN:
                self._drive(event)
            elif kind is Kind.LEVEL and isinstance(event.value, bool):
                self._put(PINS, event, event.value)
            elif kind in (Kind.MOVED, Kind.SENSED) and event.topic is Topic.PART:
                self._put(PARTS, event, event.value)
            elif kind in (Kind.CHANGED, Kind.RIG):
                self._put(RIG, event, event.value)
            elif event.topic is Topic.POINT and event.value is not None:
                if kind is Kind.ASKED:
                    self._put(POINTS, event, event.value, "asked")
                elif kind in (Kind.HEARD, Kind.CONFIRMED):
                    self._put(POINTS, event, event.value, "got")
        return self

    def _drive(self, event: Event) -> None:
        driven = self._pins.driven(event)
        if driven is not None:
            self._put(PINS, event, driven[0], unit=driven[1])

    def _put(self, group: str, event: Event, value: Any, side: str = "", unit: str = "") -> None:
        if not isinstance(value, float | int | bool | str):
            return
        key = (group, event.board, event.subject, side)
        signal = self._found.get(key)
        if signal is None:
            unit = unit or self._unit(group, event)
            signal = self._found[key] = Signal(
                group=group, board=event.board, name=event.subject, side=side, unit=unit, changes=[]
            )
        if isinstance(value, int) and not isinstance(value, bool):
            value = float(value)
        if not signal.changes or signal.changes[-1][1] != value or type(signal.changes[-1][1]) is not type(value):
            signal.changes.append((event.t, value))

    def _unit(self, group: str, event: Event) -> str:
        setup = self._setup
        if setup is None:
            return ""
        if group == POINTS:
            point = setup.points.get(event.subject)
            return point.unit if point is not None and not point.kind.is_switch and not point.kind.is_text else ""
        if group == RIG:
            return setup.rig[event.subject].unit if event.subject in setup.rig else ""
        board = setup.boards.get(event.board)
        if group == PARTS and board is not None and event.subject in board.parts:
            return KINDS[board.parts[event.subject].kind].unit
        return ""

    def __iter__(self) -> Iterator[Signal]:
        """All of them: by board as the bench has them, by group, by name."""
        boards = list(self._setup.boards) if self._setup is not None else []
        points = list(self._setup.points) if self._setup is not None else []

        def place(signal: Signal) -> tuple[object, ...]:
            board = boards.index(signal.board) if signal.board in boards else len(boards)
            of_point = points.index(signal.name) if signal.group == POINTS and signal.name in points else -1
            return (board, signal.board, GROUPS.index(signal.group), of_point, natural(signal.name), signal.side)

        return iter(sorted(self._found.values(), key=place))


class PinModes:
    """Follows in which mode each pin is, so that what it is driven to can be told."""

    def __init__(self) -> None:
        self._modes: dict[tuple[str, str], str] = {}

    def driven(self, event: Event) -> tuple[Any, str] | None:
        """To what a pin was driven, and the unit of that; `None` where it was only given a mode."""
        key = (event.board, event.subject)
        if event.note == "mode" and isinstance(event.value, str):
            self._modes[key] = event.value
            return None
        mode = self._modes.get(key, event.note)
        return pin_value(mode, event.value), PIN_UNITS.get(mode, "")


def pin_value(mode: str, value: Any) -> Any:
    """What a pin was driven to, as its mode has it: a level, percent, degrees, volts' share in percent, hertz."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        return value
    if mode == "output":
        return value != 0
    if mode == "pwm":
        return round(100 * value / FULL_DUTY, 3)
    if mode == "servo" and value >= SERVO_DEGREES_BELOW:
        shortest, longest = SERVO_PULSES
        return round(180 * (value - shortest) / (longest - shortest), 3)
    return float(value)


PIN_UNITS = {"pwm": "%", "servo": "deg", "tone": "Hz"}


def natural(name: str) -> list[tuple[int, str]]:
    """A name by which 9 comes before 10."""
    return [(int(part), "") if part.isdigit() else (-1, part) for part in re.split(r"(\d+)", name) if part]
