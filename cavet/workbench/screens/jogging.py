"""Finding the ends of an output by trying: it is moved in small steps, and where it may not go on is marked."""

from __future__ import annotations

from cavet.benchfile import BenchFile
from cavet.drawings.canvas import ASKED, GOT, PAPER, QUIET
from cavet.hosts import DevicePoint, FieldPoint, PinPoint, Point, PointKind, RegisterPoint
from cavet.units import show
from cavet.wording import WrongError, digits
from cavet.workbench import keymap
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.sheet import Line, Sheet
from cavet.workbench.screens.modal import KeyedModal
from cavet.workbench.wiring.changing import Change, Changes, changed

STEPS = {"left": -1.0, "right": 1.0, "shift+left": -5.0, "shift+right": 5.0}
FINE = 100
"""A small step is such a part of the whole range."""
SCALED = (DevicePoint, FieldPoint, PinPoint, RegisterPoint)
"""Points whose values have numbers on the wire."""


def changes_for(point: Point, first: float, second: float, rest: float | None) -> Changes:
    """The range between two marks, and the numbers on the wire that belong to it. In % the marks are the new 0 % and
    100 %; in any other unit they keep their values. Raises `WrongError`."""
    if first == second:
        raise WrongError("range", found="two marks at one place", expected="one at each end")
    is_share = point.unit == "%"
    low, high = (point.low, point.high) if is_share else (first, second)
    changes: list[tuple[tuple[str, ...], object]] = []
    if not is_share or isinstance(point, SCALED):
        changes.append((("points", point.name, "range"), [_written(end, point) for end in (low, high)]))
    if isinstance(point, SCALED):
        wire = [round(point.to_wire(end)) for end in (first, second)]
        if wire[0] == wire[1]:
            raise WrongError("range", found="two marks that are the same on the wire", expected="ends farther apart")
        changes.append((("points", point.name, "wire"), wire))
    elif is_share:
        changes.append((("points", point.name, "range"), [_written(end, point) for end in (first, second)]))
        low, high = first, second
    share = 0.0 if rest is None else min(1.0, max(0.0, (rest - first) / (second - first)))
    stays = isinstance(point.rest, float) and min(low, high) <= point.rest <= max(low, high)
    if rest is not None or not stays:
        changes.append((("points", point.name, "rest"), _written(low + share * (high - low), point)))
    return changes


def _written(value: float, point: Point) -> str:
    return show(round(value, 3), point.unit).replace("−", "-")


def check_jogged(point: Point | None) -> Point:
    """Give an output whose ends can be found so. Raises `WrongError` for any other."""
    if point is None or point.kind is not PointKind.LEVEL:
        found = f"a {point.kind.value}" if point is not None else "no point"
        raise WrongError(point.name if point is not None else "row", found=found, expected="an output with a range")
    return point


class JogScreen(KeyedModal[Change | None]):
    """Moves one output in small steps. It gives back the bench with the range between the marks."""

    CAN = keymap.JOGGING
    IS_LIVE = True

    def __init__(self, desk: Desk, file: BenchFile, point: Point) -> None:
        super().__init__()
        self._desk = desk
        self._file = file
        self._point = point
        standing = desk.standing(point)
        self._at = float(standing.got if standing.got is not None else standing.asked or point.rest or point.low)
        self._ends: dict[str, float] = {}
        self._rest: float | None = None
        self._problem = ""

    def sheet(self) -> Sheet:
        point = self._point
        got = self._desk.standing(point).got
        lines: list[Line] = [
            [("asked   ", QUIET), (point.show(self._at), ASKED), ("      on the wire ", QUIET),
             (digits(point.to_wire(self._at)), PAPER)],
            [("got     ", QUIET), (point.show(got), GOT)],
            [],
            [("[ one end      ", QUIET), (self._shown("first"), PAPER)],
            [("] other end    ", QUIET), (self._shown("second"), PAPER)],
            [("0 rest         ", QUIET), (point.show(self._rest) if self._rest is not None else "as it is", PAPER)],
            [],
            [(self._problem or "small steps, one after the other: stop where it meets its end", QUIET)],
        ]  # fmt: skip
        return Sheet(f"the ends of {point.name}", lines)

    def _shown(self, end: str) -> str:
        return self._point.show(self._ends[end]) if end in self._ends else "not marked yet"

    def hear(self, key: str, character: str | None) -> None:
        self._problem = ""
        if key == "escape":
            self.leave()
        elif key in STEPS:
            self._step(STEPS[key])
        elif character == "[":
            self._ends["first"] = self._at
        elif character == "]":
            self._ends["second"] = self._at
        elif character == "0":
            self._rest = self._at
        elif key == "enter":
            self._end()

    def _step(self, by: float) -> None:
        point = self._point
        low, high = sorted((point.low, point.high))
        at = self._at + by * (high - low) / FINE
        self._at = min(high, max(low, at))
        if at != self._at:
            self._problem = "here its range ends; a wider one in its row goes on"
        self._desk.wishes.ask(point, self._at, by="jogged")

    def _end(self) -> None:
        if len(self._ends) < 2:
            self._problem = "mark both ends first: [ here, ] there"
            return
        try:
            changes = changes_for(self._point, self._ends["first"], self._ends["second"], self._rest)
            made = changed(self._file, changes)
        except WrongError as error:
            self._problem = str(error)
            return
        name = self._point.name
        self.leave(Change(made, f"the ends of {name} are those that were tried", name))
