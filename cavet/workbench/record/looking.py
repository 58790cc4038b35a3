"""Where one is in a record: the stretch of time that is seen, the lane and the moment under the cursor, two marks."""

from __future__ import annotations

import time
from bisect import bisect_right
from collections import deque

from cavet.bench import RunningBench
from cavet.hosts import Point
from cavet.lanes import ASKED, LINK, PARTS, PINS, SENSED, WISHES, Flag, Lane, Lanes
from cavet.record import Kind, Topic, Trail, Trails
from cavet.wording import WrongError, digits
from cavet.workbench.record.over import Over

AT_ONCE, READ_SECONDS = 4096, 0.04
"""So many events, and so many transfers, are read at once, and for so long with each frame."""
FIRST_CELL = 0.05
LEAST_CELL, MOST_CELL = 1e-6, 3600.0
CLOSER = 2.0
BEHIND = 0.9
"""Where the present is in the window while it is followed."""
EDGE = 0.1
AWAY_SECONDS = 2.0
"""Who has not read on for so long was looking at something else."""
PORTION, MOST_PORTIONS = 250_000, 16
"""So many events and transfers are let go of together, and so often that of a bench that runs are kept: some 200 MB."""
Key = tuple[str, str, str]


class Looking:
    """Looks at what a bench has done so far."""

    def __init__(self, bench: RunningBench) -> None:
        self._bench = bench
        self._read_from(bench.record.first, bench.record.transfers.first)
        self._followed_at = 0.0
        self.begin = 0.0
        self.cell = FIRST_CELL
        self.cells = 100
        """How many cells there are for the time."""
        self.follows = True
        self.t = 0.0
        """The moment under the cursor."""
        self.marks: list[float] = []
        self.hidden: set[Key] = set()
        self.shows_still = False
        """Whether lanes are shown on which nothing ever happens."""
        self.taller: dict[Key, int] = {}
        self._order: list[Key] = []
        self._chosen: Key | None = None
        self._gone_to: tuple[float, Key | None, int] = (-1.0, None, -1)
        """The moment and the lane at which a command has ended that was gone to, and its number."""
        self.over: Over | None = None
        """Another record, laid over this one."""
        self.is_read = False
        """Whether all that is there was read."""

    # reading on

    def _read_from(self, event: int, transfer: int) -> None:
        """Begin with an event and a transfer, and with what stood before that."""
        record = self._bench.record
        self.lanes = Lanes(self._bench.setup)
        self._all: list[Lane] = []
        self._made = -1
        self._trail: tuple[int, int, Trail | None] = (-1, -1, None)
        self._events, self._transfers = event, transfer
        self._portions: deque[float] = deque()
        """When each portion was over, of those that are kept."""
        self._kept = event + transfer
        """What was read when the last of them was over."""
        self.since = 0.0
        """From when on it is there."""
        if event:
            (first,) = record.since(event, 1)
            standing = [event for event in record.state_at(first.t).values() if event.number < first.number]
            self.lanes.stand(sorted(standing, key=lambda event: event.number))
            self.since = first.t

    def _catch_up(self, *, was_away: bool) -> None:
        """Begin anew with the oldest that is there; where more comes than can be read with its newer half, or else that
        would have left memory again before it is read."""
        record, transfers = self._bench.record, self._bench.record.transfers
        if was_away:
            self._read_from(record.first, transfers.first)
        else:
            self._read_from((record.first + len(record)) // 2, (transfers.first + transfers.next) // 2)

    def follow(self) -> None:
        """Read on, and go along with the present. What has left memory before it was read leaves no gap in which all
        seems to stand still: then it is begun anew behind that."""
        record, began = self._bench.record, time.monotonic()
        now, before = self._bench.clock.now(), self._followed_at
        self._followed_at = now
        if self._events < record.first:
            self._catch_up(was_away=now - before > AWAY_SECONDS)
        self.is_read = False
        while not self.is_read and time.monotonic() - began < READ_SECONDS:
            events = record.since(self._events, AT_ONCE)
            transfers = record.transfers.since(self._transfers, AT_ONCE)
            self.lanes.read(events, transfers)
            self._events = events[-1].number + 1 if events else self._events
            self._transfers = transfers[-1].number + 1 if transfers else self._transfers
            self.is_read = max(len(events), len(transfers)) < AT_ONCE
            self._let_go()
        if self.follows:
            self.t = self.lanes.end
            self.begin = max(0.0, self.t - BEHIND * self.cells * self.cell)

    def _let_go(self) -> None:
        """Let go of what lies far back, of a bench that runs: its file has it all. A file is kept whole."""
        if self._events + self._transfers - self._kept < PORTION:
            return
        self._kept = self._events + self._transfers
        self._portions.append(self.lanes.end)
        if len(self._portions) > MOST_PORTIONS and self._bench.record.first:
            while len(self._portions) > MOST_PORTIONS:
                self.since = self._portions.popleft()
            self.lanes.forget(self.since)

    @property
    def count(self) -> int:
        """How many events there are."""
        return len(self._bench.record)

    @property
    def end(self) -> float:
        """Until when the record goes."""
        return max(self.lanes.end, self._bench.clock.now() if self.is_read else 0.0)

    # lanes

    def seen(self) -> list[Lane]:
        """The lanes that are shown, in their order."""
        if self._made != self.lanes.version or not self._all:
            self._all, self._made = self.lanes.all(), self.lanes.version
        shown = [lane for lane in self._all if lane.key not in self.hidden and (self.shows_still or lane.stirs)]
        if self._order:
            places = {key: place for place, key in enumerate(self._order)}
            shown.sort(key=lambda lane: places.get(lane.key, len(places)))
        return shown

    @property
    def chosen(self) -> Lane | None:
        """The lane under the cursor."""
        seen = self.seen()
        found = next((lane for lane in seen if lane.key == self._chosen), None)
        return found if found is not None else (seen[0] if seen else None)

    @property
    def point(self) -> Point | None:
        """The point that the lane under the cursor is about."""
        lane, points = self.chosen, self._bench.setup.points
        if lane is None or lane.name in points:
            return points[lane.name] if lane is not None else None
        if lane.group == LINK:
            return next((point for point in points.values() if self._setup_link(point) == lane.name), None)
        return next((point for point in points.values() if point.part == lane.name), None)

    def _setup_link(self, point: Point) -> str:
        host = self._bench.setup.hosts.get(point.board)
        return host.link if host is not None else ""

    def choose(self, steps: int) -> None:
        """Go to another lane."""
        seen = self.seen()
        if seen:
            at = next((place for place, lane in enumerate(seen) if lane.key == self._chosen), 0)
            self._chosen = seen[min(len(seen) - 1, max(0, at + steps))].key

    def choose_place(self, place: int) -> None:
        """Go to the lane at a place."""
        self._chosen = self.seen()[place].key

    def choose_point(self, name: str) -> None:
        """Go to the lane of what was asked of a point."""
        for lane in self.seen():
            if lane.name == name and lane.group in (ASKED, PARTS, SENSED):
                self._chosen = lane.key
                return

    def hide(self) -> None:
        """Show this lane no more."""
        lane = self.chosen
        if lane is not None and len(self.seen()) > 1:
            self.choose(1)
            if self._chosen == lane.key:
                self.choose(-1)
            self.hidden.add(lane.key)

    def show_all(self) -> None:
        """Show every lane, or only those on which something happens."""
        self.shows_still = not self.shows_still or bool(self.hidden)
        self.hidden.clear()

    def grow(self, rows: int) -> None:
        """Make this lane taller, or lower."""
        lane = self.chosen
        if lane is not None:
            self.taller[lane.key] = min(8, max(-1, self.taller.get(lane.key, 0) + rows))

    def move_lane(self, steps: int) -> None:
        """Move this lane up or down."""
        lane, keys = self.chosen, [each.key for each in self.seen()]
        if lane is not None:
            at = keys.index(lane.key)
            keys.insert(min(len(keys), max(0, at + steps)), keys.pop(at))
            self._order, self._chosen = keys, lane.key

    # time

    def move(self, cells: int) -> None:
        """Move the cursor in time."""
        self._go(self.t + cells * self.cell)

    def go_to(self, t: float) -> None:
        """Bring the cursor to a moment."""
        self._go(t)

    def go_to_trail(self, trail: Trail) -> None:
        """Bring the cursor to where a command has come to its end, on the lane of its point; it is the one that is
        shown there, however soon the next one came."""
        self.choose_point(trail.point)
        self._go(max(step.last.t for step in trail.steps.values()))
        self._gone_to = (self.t, self._chosen, trail.number)

    def _go(self, t: float) -> None:
        self.follows = False
        self.t = min(max(0.0, t), max(0.0, self.end))
        span, edge = self.cells * self.cell, EDGE * self.cells * self.cell
        if self.t < self.begin + edge:
            self.begin = max(0.0, self.t - edge)
        elif self.t > self.begin + span - edge and self.end > self.begin + span:
            self.begin = max(0.0, self.t - span + edge)

    def zoom(self, closer: int) -> None:
        """Look closer, or from farther off; the cursor stays where it is."""
        cell = min(MOST_CELL, max(LEAST_CELL, self.cell / CLOSER**closer))
        share = (self.t - self.begin) / self.cell
        self.begin = max(0.0, self.t - share * cell)
        self.cell = cell

    def whole(self) -> None:
        """See all of it."""
        self.follows = False
        self.begin = self.since
        self.cell = max(LEAST_CELL, 1.02 * (self.end - self.since) / max(1, self.cells))

    def next(self, step: int) -> bool:
        """Go to the next change of this lane, or the one before; tell whether there is one."""
        lane = self.chosen
        t = lane.next(self.t, step) if lane is not None else None
        if t is not None:
            self._go(t)
        return t is not None

    def next_flag(self, step: int, *, errors: bool) -> Flag | None:
        """Go to what stands out next."""
        flag = self.lanes.next_flag(self.t, step, errors=errors)
        if flag is not None:
            self._go(flag.t)
        return flag

    def next_difference(self, step: int) -> bool:
        """Go to where the record that is laid over this one differs next; tell whether there is such a place."""
        t = self.over.next(self.t, step) if self.over is not None else None
        if t is not None:
            self._go(t)
        return t is not None

    def mark(self) -> str:
        """Set a mark here: the first, then the second; then they are taken away. Tell which."""
        if len(self.marks) == 2:
            self.marks.clear()
            return "no marks any more"
        self.marks.append(self.t)
        return f"mark {'AB'[len(self.marks) - 1]} at {digits(self.t, 8)} s"

    @property
    def stretch(self) -> tuple[float, float]:
        """What lies between the marks; between one and the cursor; what is seen, where there is none."""
        if not self.marks:
            return self.begin, min(self.begin + self.cells * self.cell, self.end)
        other = self.marks[1] if len(self.marks) == 2 else self.t
        return min(self.marks[0], other), max(self.marks[0], other)

    @property
    def wanted(self) -> tuple[float, float]:
        """What is to be given to another program: what lies between the marks, or all."""
        return self.stretch if self.marks else (0.0, self.end)

    # the trail under the cursor

    def trail(self) -> Trail | None:
        """The latest command before the cursor, of what the lane under it is about; of all where it is about none."""
        number = self._command()
        if number is None:
            return None
        record = self._bench.history
        if self._trail[:2] != (number, self.count):
            made = Trails(parts=self._bench.setup.parts_meant, pins=self._bench.setup.pins_meant)
            try:
                made.follow([record[number], *record.trail(number)])
            except IndexError:
                raise WrongError("trail", found="one that is not in memory any more", expected="a later one") from None
            self._trail = (number, self.count, made.all.get(number))
        return self._trail[2]

    def _command(self) -> int | None:
        *there, number = self._gone_to
        if there == [self.t, self._chosen]:
            return number
        lane = self.chosen
        wishes = [each for each in self._all if each.kind == WISHES]
        if lane is not None and lane.group in (ASKED, PARTS):
            own = [each for each in wishes if self._is_of(each, lane)]
            wishes = own or wishes
        found = []
        for each in wishes:
            place = bisect_right(each.course.t, self.t + self.cell)
            if place:
                found.append((each.course.t[place - 1], each.numbers[place - 1]))
        return max(found)[1] if found else None

    def _is_of(self, wish: Lane, lane: Lane) -> bool:
        point = self._bench.setup.points.get(wish.name)
        return wish.key == lane.key or (point is not None and (point.part or point.name) == lane.name)

    def way(self, trail: Trail) -> list[tuple[Key, float]]:
        """Through which lanes a command went, and when."""
        setup, found = self._bench.setup, []
        point = setup.point_of(trail)
        link = self._setup_link(point) if point is not None else ""
        board = setup.links[link].board if link else trail.root.board
        for kind, step in trail.steps.items():
            event = step.events[0]
            if kind is Kind.ASKED:
                found.append(((ASKED, trail.root.board, trail.point), event.t))
            elif kind is Kind.CARRIED and link:
                found.append(((LINK, board, link), event.t))
            elif kind is Kind.DRIVEN and event.topic is Topic.PIN:
                found.append(((PINS, event.board, event.subject), event.t))
            elif kind is Kind.MOVED and event.topic is Topic.PART:
                found.append(((PARTS, event.board, event.subject), event.t))
        return found
