"""What a record says of pins, parts, points and the rig, as courses over time: what each was from when on."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterable, Iterator
from typing import Any

import msgspec

from cavet.benchfile import Setup
from cavet.boards import FULL_DUTY, KINDS
from cavet.protocols.firmata import SERVO_DEGREES_BELOW, SERVO_PULSES
from cavet.record import Event, Kind, Topic

PINS, PARTS, POINTS, RIG = "pins", "parts", "points", "rig"
GROUPS = (PINS, PARTS, POINTS, RIG)
INPUT, RESET = "input", "reset"
"""The mode of all pins of a board that begins anew, and how the record tells of that."""
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
            for pin, value, unit in self._pins.follow(event):
                self._put(PINS, event, value, pin, unit=unit)
            if kind is Kind.LEVEL and isinstance(event.value, bool):
                self._put(PINS, event, event.value)
            elif kind in (Kind.MOVED, Kind.SENSED) and event.topic is Topic.PART:
                self._put(PARTS, event, event.value)
            elif kind in (Kind.CHANGED, Kind.RIG):
                self._put(RIG, event, event.value)
            elif event.topic is Topic.POINT and event.value is not None:
                if kind is Kind.ASKED:
                    self._put(POINTS, event, event.value, side="asked")
                elif kind in (Kind.HEARD, Kind.CONFIRMED):
                    self._put(POINTS, event, event.value, side="got")
        return self

    def _put(self, group: str, event: Event, value: Any, name: str = "", *, side: str = "", unit: str = "") -> None:
        if not isinstance(value, float | int | bool | str):
            return
        name = name or event.subject
        key = (group, event.board, name, side)
        signal = self._found.get(key)
        if signal is None:
            unit = unit or self._unit(group, event)
            signal = self._found[key] = Signal(
                group=group, board=event.board, name=name, side=side, unit=unit, changes=[]
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
    """Follows in which mode each pin is, and to what it is driven: with another mode, and when its board begins anew,
    that ends."""

    def __init__(self) -> None:
        self._modes: dict[tuple[str, str], list[tuple[float, str]]] = {}
        """From when on each pin was in which mode."""
        self._driven: dict[tuple[str, str], tuple[Any, str]] = {}

    def follow(self, event: Event) -> list[tuple[str, Any, str]]:
        """What an event does to pins of its board: which, to what it is driven now, in which unit."""
        if event.kind is Kind.BOARD and event.value == RESET:
            keys = sorted(key for key in self._modes.keys() | self._driven.keys() if key[0] == event.board)
            return [found for key in keys for found in self._begin(key, INPUT, event.t)]
        if event.kind is not Kind.DRIVEN or event.topic is not Topic.PIN:
            return []
        key = (event.board, event.subject)
        if event.note == "mode" and isinstance(event.value, str):
            return self._begin(key, event.value, event.t)
        mode = self._modes[key][-1][1] if key in self._modes else event.note
        self._driven[key] = (pin_value(mode, event.value), PIN_UNITS.get(mode, ""))
        return [(event.subject, *self._driven[key])]

    def mode_at(self, board: str, pin: str, t: float) -> str:
        """The mode that a pin was in at a time; "" where that was not told."""
        told = self._modes.get((board, pin), [])
        place = bisect_right(told, t, key=lambda one: one[0])
        return told[place - 1][1] if place else ""

    def _begin(self, key: tuple[str, str], mode: str, t: float) -> list[tuple[str, Any, str]]:
        """A pin is in a mode from now on, and drives nothing yet."""
        told = self._modes.setdefault(key, [])
        if not told or told[-1][1] != mode:
            told.append((t, mode))
        value, unit = self._driven.pop(key, (None, ""))
        return [(key[1], type(value)(), unit)] if value else []


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
    return [(int(part), "") if part.isdecimal() else (-1, part) for part in re.split(r"(\d+)", name) if part]
