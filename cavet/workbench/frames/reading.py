"""Where one is on the tape: the link, the frame under the cursor, what is seen of it, what is searched for."""

from __future__ import annotations

import re
from collections.abc import Iterable
from time import perf_counter
from typing import NamedTuple

from cavet.bench import LinkTape, Placed, Tape
from cavet.hosts import LONGEST_ANSWER
from cavet.protocols import Frame
from cavet.record import Record
from cavet.workbench.frames.searching import COMPARED, OPERATORS, PROBLEM, bytes_in, matching, number_in

CELLS = (*(step * 10.0**power for power in range(-7, 1) for step in (1, 2, 5)), 10.0, 20.0, 60.0)
"""How many seconds a cell may stand for."""
USUAL_CELL = 0.001
MARGIN_CELLS, LABEL_CELLS = 6, 30
"""So far from the left edge a frame is brought into sight, and so far from the right one, where its label stands."""
FOLLOW_SHARE = 0.92
"""Where the present is while the tape follows it, in its width."""
AT_ONCE, READ_SECONDS = 256, 0.04
"""So many transfers are read at once, and for so long with each frame of the screen."""
SEARCH_SECONDS = 0.4
"""How long a search may take at a key."""
JUST_BEFORE, SOON_SECONDS = 1e-6, 0.5
"""What was said at a time may lie so much before it on the tape, and comes soon, or as late as its line is slow."""


class Awaited(NamedTuple):
    """A frame of the host that is looked for: its bytes are in `data`, it begins between `since` and `until`; up to
    frame `upto` none was it. Where the cursor stood `at` that, it goes there."""

    data: bytes
    since: float
    until: float
    upto: int
    at: tuple[str, int, bool]


class Reading:
    """The tape as one person reads it."""

    def __init__(self, tape: Tape, record: Record) -> None:
        self.tape = tape
        self._record = record
        self.link = next(iter(tape.links))
        self.number = -1
        """The frame under the cursor; -1 for none yet."""
        self.following = True
        self.cell = USUAL_CELL
        self.begin = 0.0
        self.left = 0
        """How many transfers are still to be read."""
        self.wanted = ""
        """What was searched for last."""
        self._awaited: Awaited | None = None

    @property
    def on(self) -> LinkTape:
        """The tape of the chosen link."""
        return self.tape.links[self.link]

    @property
    def placed(self) -> Placed | None:
        """The frame under the cursor."""
        return self.on.placed(self.number) if self.on.first <= self.number < len(self.on) else None

    @property
    def frame(self) -> Frame | None:
        placed = self.placed
        return self.tape.frame(placed) if placed is not None else None

    def follow(self, now: float, cells: int) -> None:
        """Read on; while the present is followed, keep the newest frame under the cursor and in sight, and the present
        as far as that leaves room."""
        began = perf_counter()
        while (left := self.tape.follow(AT_ONCE)) and perf_counter() - began < READ_SECONDS:
            pass
        self.left = left
        if self.following:
            self.number = len(self.on) - 1
            self.begin = max(0.0, self._followed_from(now, cells))
        elif self.number < self.on.first and self.on.kept:
            self.number = self.on.first
        self._look_for_awaited(cells)

    def find(self, data: bytes, t: float, cells: int) -> None:
        """Go to the frame that the host has said at a time, now or once its line has carried it; its bytes are in
        `data`."""
        since = t - JUST_BEFORE
        begin = max(self.on.first, self.on.nearest(since))
        self.go_to(begin, cells)
        until = t + SOON_SECONDS + LONGEST_ANSWER * self.on.byte_seconds
        self._awaited = Awaited(data, since, until, begin - 2, (self.link, begin, False))
        self._look_for_awaited(cells)

    def _look_for_awaited(self, cells: int) -> None:
        """Go to the frame that is looked for, if it has come; no more where another one was chosen meanwhile."""
        awaited, self._awaited = self._awaited, None
        if awaited is None or awaited.at != (self.link, self.number, self.following):
            return
        for number in range(max(self.on.first, awaited.upto), len(self.on)):
            placed = self.on.placed(number)
            if placed.begin > awaited.until:
                return
            frame = self.tape.frame(placed) if placed.above and placed.begin >= awaited.since and placed.size else None
            if frame is not None and self.on.told(number, frame, self._record) in awaited.data:
                self.go_to(number, cells)
                return
        self._awaited = awaited._replace(upto=len(self.on))

    def _followed_from(self, now: float, cells: int) -> float:
        """Where the window begins: so that it ends soon behind the present, but with the newest frame in it, and what
        that answers."""
        room, margin = FOLLOW_SHARE * cells * self.cell, MARGIN_CELLS * self.cell
        placed = self.placed
        if placed is None:
            return now - room
        asked = self.on.placed(placed.partner).begin if placed.partner >= self.on.first else placed.begin
        first = asked if placed.begin - asked < room - 2 * margin else placed.begin
        return min(now - room, first - margin)

    def move(self, by: int, cells: int) -> None:
        """Go to another frame of this link."""
        self.following = False
        if self.on.kept:
            self.go_to(min(len(self.on) - 1, max(self.on.first, self.number + by)), cells)

    def go_to(self, number: int, cells: int) -> None:
        """Bring a frame under the cursor, and into sight."""
        self.number = number
        self.following = False
        placed = self.placed
        if placed is None:
            return
        margin, label = MARGIN_CELLS * self.cell, min(LABEL_CELLS, cells // 3) * self.cell
        if placed.begin < self.begin + margin:
            self.begin = max(0.0, placed.begin - margin)
        elif placed.end > self.begin + cells * self.cell - label:
            self.begin = max(0.0, placed.end - cells * self.cell + label)
            self.begin = min(self.begin, max(0.0, placed.begin - margin))

    def scroll(self, share: float, cells: int) -> None:
        """Move the window by a share of it; the cursor stays."""
        self.following = False
        self.begin = max(0.0, self.begin + share * cells * self.cell)

    def to_link(self, by: int) -> None:
        """Choose another link; the cursor goes to the frame of about the same time."""
        names = list(self.tape.links)
        placed = self.placed
        self.choose(names[(names.index(self.link) + by) % len(names)], placed.end if placed is not None else None)

    def choose(self, link: str, t: float | None = None) -> None:
        """Choose a link by its name."""
        self.link = link
        self.number = self.on.nearest(t) if t is not None and not self.following else len(self.on) - 1

    def beside(self, room: int | None = None) -> list[str]:
        """The other links in their order; where there is not room for all of them, those around the chosen one."""
        names = list(self.tape.links)
        at = names.index(self.link)
        others = names[:at] + names[at + 1 :]
        if room is None or len(others) <= room:
            return others
        begin = max(0, min(at - room // 2, len(others) - room))
        return others[begin : begin + room]

    def to_partner(self, cells: int) -> bool:
        """Go to the answer of a request, or back to it."""
        placed = self.placed
        if placed is None or placed.partner < 0:
            return False
        self.go_to(placed.partner, cells)
        return True

    def zoom(self, steps: int, cells: int) -> None:
        """Closer (below 0) or farther; the frame under the cursor stays where it is."""
        placed = self.placed
        at = (
            placed.begin if placed is not None and not self.following else self.begin + FOLLOW_SHARE * cells * self.cell
        )
        place = min(range(len(CELLS)), key=lambda number: abs(CELLS[number] - self.cell))
        cell = CELLS[min(len(CELLS) - 1, max(0, place + steps))]
        inside = min(max(0.0, (at - self.begin) / self.cell), cells - 1.0)
        self.begin = max(0.0, at - inside * cell)
        self.cell = cell

    # searching

    def search(self, wanted: str, step: int, cells: int) -> str:
        """Go to the next frame that is meant, forth or back; tell what there is to say. Raises `WrongError`."""
        matches = matching(wanted, self.on.tongue)
        self.wanted = wanted
        if wanted.strip() == PROBLEM:
            return self._next_problem(step, cells)
        on, until = self.on, perf_counter() + SEARCH_SECONDS
        number = self.number + step
        fast = self._fast(wanted, number, step)
        if fast is not None:
            found = next(iter(fast), None)
            if found is None:
                return f'no frame {"behind" if step > 0 else "before"} this one has "{wanted}"'
            self.go_to(found, cells)
            return ""
        while on.first <= number < len(on):
            placed = on.placed(number)
            if matches(placed, self.tape.frame(placed)):
                self.go_to(number, cells)
                return ""
            if perf_counter() > until:
                looked = abs(number - self.number)
                self.go_to(number, cells)
                return f"{looked} frames looked at, none of them; once more goes on"
            number += step
        return f'no frame {"behind" if step > 0 else "before"} this one has "{wanted}"'

    def _fast(self, wanted: str, start: int, step: int) -> Iterable[int] | None:
        """The frames that are meant, where they are found without reading each again; `None` where they are not."""
        on = self.on
        names = _fitting_names(on, wanted)
        if names is not None:
            return on.named(names, start, step)
        compared = COMPARED.fullmatch(wanted.strip())
        if compared is not None:
            number = number_in(compared[3]) if compared[1] == "value" and on.tongue.has_values else None
            holds = OPERATORS[compared[2]]
            return on.valued(lambda value: holds(value, number), start, step) if number is not None else None
        data = bytes_in(wanted.strip(), paired=on.tongue.name == "firmata")
        if on.keeps or data is None:
            return None
        found = on.containing(data, start, step, self._record)
        return [found] if found is not None else []

    def _next_problem(self, step: int, cells: int) -> str:
        places = self.on.problems
        later = [place for place in places if (place > self.number if step > 0 else place < self.number)]
        if not later:
            return f"no problem {'behind' if step > 0 else 'before'} this frame"
        self.go_to(later[0] if step > 0 else later[-1], cells)
        return ""


def _fitting_names(on: LinkTape, wanted: str) -> set[int] | None:
    """The messages whose names have the word in them; `None` where it is no part of a name."""
    if not re.fullmatch(r"[a-z][a-z0-9-]*", wanted.strip()):
        return None
    found = {number for number, name in on.names() if wanted.strip() in name}
    return found or None
