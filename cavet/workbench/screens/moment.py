"""A moment of a record, as it stood: stepped forth and back, event by event."""

from __future__ import annotations

from collections.abc import Callable
from itertools import groupby

from cavet.drawings.canvas import ASKED, CORAL, GOT, HEATHER, PAPER, QUIET
from cavet.workbench import keymap
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.sheet import Line, Sheet
from cavet.workbench.record.looking import Looking
from cavet.workbench.record.moment import Moment, ThingThen, age_words, moment_at
from cavet.workbench.screens.modal import KeyedModal

NAME_CELLS, VALUE_CELLS = 20, 16
A_ROW = 3
"""So many pins, parts or quantities stand beside each other."""
FAR = 100


class MomentScreen(KeyedModal[None]):
    """How everything stood at the moment under the cursor."""

    CAN = keymap.MOMENT

    def __init__(self, desk: Desk, looking: Looking, moved: Callable[[], None]) -> None:
        super().__init__()
        self._desk = desk
        self._looking = looking
        self._moved = moved
        self._number = max(desk.bench.record.first, desk.bench.record.number_at(looking.t) - 1)
        self._first = 0

    @property
    def first(self) -> int:
        return self._first

    def sheet(self) -> Sheet:
        record = self._desk.bench.record
        if not len(record):
            return Sheet("nothing has happened yet", [])
        moment = moment_at(self._desk.bench, self._looking.lanes, self._number)
        title = f"as it stood at {moment.t:.6f} s, behind event {moment.number}: it is past, and nothing here acts"
        return Sheet(title, list(_lines(moment)))

    def hear(self, key: str, character: str | None) -> None:
        steps = {"right": 1, "left": -1, "shift+right": FAR, "shift+left": -FAR}.get(key, 0)
        steps = {"]": 1, "[": -1}.get(character or "", steps)
        if steps:
            record = self._desk.bench.record
            self._number = min(len(record) - 1, max(record.first, self._number + steps))
            self._looking.go_to(record[self._number].t)
            self._moved()
        elif key in ("up", "down"):
            self._first = max(0, self._first + (1 if key == "down" else -1))
        elif key in ("escape", "enter", "q"):
            self.leave()


def _lines(moment: Moment) -> list[Line]:
    lines: list[Line] = [[("the event     ", QUIET), (moment.event, HEATHER)]]
    links: Line = [("links         ", QUIET)]
    for host, state in moment.links:
        links += [(f"{host} ", PAPER), (f"{state}   ", GOT if state == "ready" else CORAL)]
    lines += [links, [], [(f"{'point':{NAME_CELLS}}{'asked':{VALUE_CELLS}}{'got':{VALUE_CELLS}}heard before", QUIET)]]
    for point in moment.points:
        lines.append(
            [
                (f"{point.name:{NAME_CELLS}}", PAPER), (f"{point.asked:{VALUE_CELLS}}", ASKED),
                (f"{point.got:{VALUE_CELLS}}", GOT if point.agrees else CORAL), (age_words(point.age), QUIET),
            ]
        )  # fmt: skip
    for group, things in groupby(moment.things, key=lambda thing: thing.group):
        lines += [[], [(group, QUIET)]]
        row = list(things)
        lines += [_row(row[at : at + A_ROW]) for at in range(0, len(row), A_ROW)]
    return lines


def _row(things: list[ThingThen]) -> Line:
    row: Line = []
    for thing in things:
        row += [(f"{thing.name[:23]:24}", PAPER), (f"{thing.value[:13]:14}", GOT)]
    return row
