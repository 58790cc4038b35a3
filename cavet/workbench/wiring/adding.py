"""A new output or input, asked for in the order in which one thinks: what is it, where does it hang, what shall the
host call it, between which values, where does it rest."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from cavet.benchfile import BoardSetup, ModbusDevice, Setup
from cavet.boards import PinMode
from cavet.wiring import Wiring
from cavet.wording import WrongError
from cavet.workbench.wiring.changing import Changes

NAME = re.compile(r"[a-z][a-z0-9_]{0,39}")
SPOKEN = ("firmata", "modbus")
"""What boards must speak, that something new can be hung on them here."""


class Sort(msgspec.Struct, frozen=True, kw_only=True):
    """A sort of thing that can be hung on a board."""

    title: str
    part: str
    name: str
    mode: PinMode
    """The mode that its pin needs."""
    point: dict[str, Any]
    table: str = "coils"
    """Modbus: in which table it is."""
    wants_range: bool = False
    usual_range: str = ""
    words: str = ""
    """What its two values are called, where it has two."""

    @property
    def questions(self) -> list[str]:
        """What has to be asked, in this order."""
        if not self.wants_range:
            return ["what", "where", "name", "words"]
        return ["what", "where", "name", "range", *(["rest"] if self.point["kind"] == "level" else [])]


SORTS = (
    Sort(title="a lamp that can be dimmed", part="lamp", name="lamp", mode=PinMode.PWM,
         point={"kind": "level", "mode": "pwm"}, table="holding-registers", wants_range=True,
         usual_range="0 % to 100 %"),
    Sort(title="a lamp, on and off", part="lamp", name="lamp", mode=PinMode.OUTPUT, point={"kind": "switch"},
         words="off, on"),
    Sort(title="a servo", part="servo", name="servo", mode=PinMode.SERVO, point={"kind": "level", "mode": "servo"},
         wants_range=True, usual_range="0 deg to 180 deg"),
    Sort(title="a relay", part="relay", name="relay", mode=PinMode.OUTPUT, point={"kind": "switch"},
         words="open, closed"),
    Sort(title="a valve", part="valve", name="valve", mode=PinMode.OUTPUT, point={"kind": "switch"},
         words="shut, open"),
    Sort(title="a heater", part="heater", name="heater", mode=PinMode.OUTPUT, point={"kind": "switch"},
         words="off, on"),
    Sort(title="a horn", part="horn", name="horn", mode=PinMode.OUTPUT,
         point={"kind": "switch", "momentary": True}, words="quiet, sounds"),
    Sort(title="a button", part="button", name="button", mode=PinMode.PULL_UP,
         point={"kind": "contact", "mode": "pull-up", "active": "low"}, table="discrete-inputs",
         words="released, pressed"),
    Sort(title="a door's contact", part="door", name="door", mode=PinMode.INPUT, point={"kind": "contact"},
         table="discrete-inputs", words="shut, open"),
    Sort(title="a lever", part="lever", name="lever", mode=PinMode.ANALOG,
         point={"kind": "reading"}, table="input-registers", wants_range=True, usual_range="-1 to 1"),
)  # fmt: skip
"""What is offered, in the order in which it is."""
ONLY_PINS = (PinMode.SERVO, PinMode.ANALOG)
"""Modes that a Modbus map has no plain place for."""


def sorts_for(setup: Setup, board: str) -> list[Sort]:
    """What can be hung on a board: only what one of its free pins can do."""
    found = setup.boards.get(board)
    if found is None or found.firmware not in SPOKEN:
        return []
    fitting = [sort for sort in SORTS if pins_for(setup, board, sort)]
    if found.firmware == "modbus":
        fitting = [sort for sort in fitting if sort.mode not in ONLY_PINS and sort.part != "button"]
    return fitting


def pins_for(setup: Setup, board: str, sort: Sort) -> list[tuple[int, str]]:
    """The free pins that can do it, each with all its numbers."""
    return [(pin, pin_title(setup.boards[board], pin)) for pin in Wiring(setup, board).free_pins(sort.mode)]


def pin_title(board: BoardSetup, number: int) -> str:
    """A pin by all its numbers, and what it can do."""
    pin = board.profile.pins[number]
    names = [str(number), pin.label, f"channel {pin.channel}" if pin.channel is not None else ""]
    can = ", ".join(mode.value for mode in pin.modes)
    return f"{' · '.join(name for name in names if name):20} {can}"


def free_name(setup: Setup, name: str) -> str:
    """A name that nothing has yet."""
    taken = {*setup.points, *(part for board in setup.boards.values() for part in board.parts)}
    number = next(number for number in range(1, 10_000) if (name if number == 1 else f"{name}_{number}") not in taken)
    return name if number == 1 else f"{name}_{number}"


def check_name(setup: Setup, name: str) -> None:
    """Raise `WrongError` for a name that can't be, or that something has."""
    if not NAME.fullmatch(name):
        raise WrongError("name", found=name or "nothing", expected="small letters, digits and _, a letter first")
    if free_name(setup, name) != name:
        raise WrongError("name", found=name, expected="another one: there is one of that name")


def read_range(text: str) -> list[str]:
    """Two ends, as `0 % to 100 %`. Raises `WrongError`."""
    ends = [end.strip() for end in text.split(" to ")]
    if len(ends) != 2 or not all(ends):
        raise WrongError("range", found=text or "nothing", expected='two ends, such as "0 % to 100 %"')
    return ends


def changes_for(setup: Setup, board: str, sort: Sort, pin: int, name: str, given: dict[str, str]) -> Changes:
    """What is to be written into the file. `given` has `range`, `words`, `rest` as they were typed. Raises
    `WrongError`."""
    check_name(setup, name)
    host = next((host for host in setup.hosts.values() if setup.links[host.link].board == board), None)
    if host is None:
        raise WrongError(board, found="nobody who talks to it", expected="a host of this bench")
    found = setup.boards[board]
    part: dict[str, Any] = {"kind": sort.part, "pin": pin}
    point: dict[str, Any] = {"board": host.name, **sort.point}
    changes: list[tuple[tuple[str, ...], Any]] = []
    if sort.wants_range:
        ends = read_range(given.get("range", sort.usual_range))
        point["range"] = [_number(end) for end in ends]
        unit = re.sub(r"^[-+−0-9. ]+", "", ends[1]).strip()
        if unit and unit != "%":
            point["unit"] = unit
        if sort.part == "servo" and unit == "deg":
            part["range"] = ends
    if sort.words:
        point["words"] = [word.strip() for word in given.get("words", sort.words).split(",")]
    if given.get("rest"):
        point["rest"] = _number(given["rest"])
    if isinstance(found.device, ModbusDevice):
        address = found.device.free_address(sort.table)
        cell: dict[str, Any] = {"table": sort.table, "address": address, "pin": pin}
        for key in ("mode", "active"):
            point.pop(key, None)
        if sort.wants_range:
            cell["high"] = 1000
            point["wire"] = [0, 1000]
        point |= {"table": sort.table, "address": address}
        changes.append((("boards", board, "map", name), cell))
    else:
        point["pin"] = pin
    return [(("boards", board, "parts", name), part), *changes, (("points", name), point)]


def _number(text: str) -> object:
    """A bare number as one; with a unit as the text that it is."""
    text = text.replace("−", "-")
    try:
        return int(text)
    except ValueError:
        try:
            return float(text)
        except ValueError:
            return text
