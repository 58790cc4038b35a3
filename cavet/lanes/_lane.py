"""One lane: something that has a course over time, and what can be said of a stretch of it."""

from __future__ import annotations

from array import array
from bisect import bisect_left, bisect_right

import msgspec

WISHES, TRAFFIC, LEVEL, CURVE = "wishes", "traffic", "level", "curve"
"""What a lane can show: wishes at their times, what passed on a link, high and low, a number."""
PACED = "serial"
"""The kind of link on which it is known how long each piece has taken the wire."""
BLOCK = 128
MOST_STILL = 200
"""A lane whose first so many values are the same is still."""


class Course:
    """A line through points, in the order of their times; where something jumps there are two at one time."""

    def __init__(self) -> None:
        self.t = array("d")
        self.value = array("d")
        self.low = self.high = 0.0
        """Between which values it has ever been."""
        self._lows, self._highs = array("d"), array("d")
        """The least and the greatest of each `BLOCK` values."""

    def __len__(self) -> int:
        return len(self.t)

    def step(self, t: float, value: float) -> None:
        """From here on it stands at another value."""
        if self.value and self.value[-1] != value:
            self._put(t, self.value[-1])
        self._put(t, value)

    def hold(self, t: float, value: float | None = None) -> None:
        """It stood where it was until now (or here, as is told), and sets out."""
        if self.value or value is not None:
            self._put(t, self.value[-1] if value is None else value)

    def reach(self, t: float, value: float) -> None:
        """It has come here on a straight line."""
        self._put(t, value)

    def _put(self, t: float, value: float) -> None:
        if not self.t:
            self.low = self.high = value
        elif t < self.t[-1]:
            t = self.t[-1]
        self.t.append(t)
        self.value.append(value)
        if value < self.low:
            self.low = value
        elif value > self.high:
            self.high = value
        if len(self.value) % BLOCK == 0:
            self._lows.append(min(self.value[-BLOCK:]))
            self._highs.append(max(self.value[-BLOCK:]))

    def forget(self, t: float) -> int:
        """Let go of what lies before a time, but for where it stood then; give how many points were let go."""
        gone = max(0, bisect_right(self.t, t) - 1) // BLOCK * BLOCK
        del self.t[:gone], self.value[:gone], self._lows[: gone // BLOCK], self._highs[: gone // BLOCK]
        return gone

    def at(self, t: float) -> float | None:
        """Where it stood at a time; `None` where that is not known."""
        place = bisect_right(self.t, t)
        if not place:
            return None
        if place == len(self.t) or self.t[place] == self.t[place - 1]:
            return self.value[place - 1]
        share = (t - self.t[place - 1]) / (self.t[place] - self.t[place - 1])
        return self.value[place - 1] + share * (self.value[place] - self.value[place - 1])

    def within(self, begin: float, end: float) -> tuple[float, float] | None:
        """The least and the greatest value in a time; `None` where nothing is known."""
        ends = [value for value in (self.at(begin), self.at(end)) if value is not None]
        first, last = bisect_left(self.t, begin), bisect_right(self.t, end)
        if last - first <= 2 * BLOCK:
            inside = self.value[first:last]
            return (min([*ends, *inside]), max([*ends, *inside])) if ends or inside else None
        begins, over = -(-first // BLOCK), last // BLOCK
        edges = [*ends, *self.value[first : begins * BLOCK], *self.value[over * BLOCK : last]]
        return min([*edges, *self._lows[begins:over]]), max([*edges, *self._highs[begins:over]])

    def next(self, t: float, step: int) -> float | None:
        """When it changes next after a time, or before it."""
        if step > 0:
            place = bisect_right(self.t, t + 1e-9)
            return self.t[place] if place < len(self.t) else None
        place = bisect_left(self.t, t - 1e-9)
        return self.t[place - 1] if place else None


class Lane(msgspec.Struct, kw_only=True, gc=False):
    """Something with a course: `group` is where it stands on a command's way. `course` is what it got to, `asked` what
    it was to be. A level's course is 0 and 1."""

    group: str
    board: str
    name: str
    kind: str
    unit: str = ""
    course: Course = msgspec.field(default_factory=Course)
    asked: Course | None = None
    is_driven: bool = False
    """Whether something has been done to it: then one value says something, too."""
    words: list[str] = []
    """Of wishes: what each was for."""
    numbers: array = msgspec.field(default_factory=lambda: array("q"))  # type: ignore[type-arg]
    """Of wishes: their events."""
    commands: array = msgspec.field(default_factory=lambda: array("d"))  # type: ignore[type-arg]
    """Of traffic: when something was said that carries a wish."""
    out: array = msgspec.field(default_factory=lambda: array("d"))  # type: ignore[type-arg]
    """Of traffic: when what the host said was over."""
    back: array = msgspec.field(default_factory=lambda: array("d"))  # type: ignore[type-arg]
    """The same of what the board said."""
    busy: array = msgspec.field(default_factory=lambda: array("d"))  # type: ignore[type-arg]
    """For how long the wire has been taken until then, with each of both, in their order."""
    ends: array = msgspec.field(default_factory=lambda: array("d"))  # type: ignore[type-arg]
    """When each of both was over, in their order."""

    @property
    def key(self) -> tuple[str, str, str]:
        """What tells it from the others."""
        return self.group, self.board, self.name

    @property
    def stirs(self) -> bool:
        """Whether anything ever happens on it."""
        return self.is_driven or bool(self.ends) or self.kind == WISHES or len(set(self.course.value[:MOST_STILL])) > 1

    def passed(self, begin: float, end: float) -> tuple[int, int]:
        """How much the host and the board have said in a time, in pieces."""
        return tuple(bisect_right(of, end) - bisect_left(of, begin) for of in (self.out, self.back))  # type: ignore[return-value]

    def carries(self, begin: float, end: float) -> bool:
        """Whether a wish was said in a time."""
        return bisect_left(self.commands, end) > bisect_left(self.commands, begin)

    def taken(self, begin: float, end: float) -> float:
        """Which share of a time the wire was taken, as far as pieces ended in it."""
        first, last = bisect_left(self.ends, begin), bisect_right(self.ends, end)
        if last <= first or end <= begin:
            return 0.0
        before: float = self.busy[first - 1] if first else 0.0
        busy: float = self.busy[last - 1] - before
        return min(1.0, busy / (end - begin))

    def forget(self, t: float) -> None:
        """Let go of what lies before a time, but for where it stood then."""
        gone = self.course.forget(t)
        del self.words[:gone], self.numbers[:gone]
        for of in (self.commands, self.out, self.back):
            del of[: bisect_left(of, t)]
        over = bisect_left(self.ends, t)
        before = self.busy[over - 1] if over else 0.0
        self.busy = array("d", (busy - before for busy in self.busy[over:]))
        del self.ends[:over]

    def next(self, t: float, step: int) -> float | None:
        """When something happens on it next after a time, or before it."""
        if self.kind != TRAFFIC:
            return self.course.next(t, step)
        place = bisect_right(self.ends, t + 1e-9) if step > 0 else bisect_left(self.ends, t - 1e-9) - 1
        return self.ends[place] if 0 <= place < len(self.ends) else None


def told_between(lane: Lane, begin: float, end: float) -> list[tuple[str, float, str]]:
    """What can be said of a lane between two times: names, values, units."""
    span = end - begin
    if span <= 0:
        return []
    if lane.kind == TRAFFIC:
        out, back = lane.passed(begin, end)
        taken = [("of the wire", 100 * lane.taken(begin, end), "%")] if lane.unit == PACED else []
        return [("pieces", out + back, ""), *taken]
    if lane.kind == LEVEL:
        return _of_level(lane.course, begin, end)
    if lane.kind == WISHES:
        return [("wishes", bisect_right(lane.course.t, end) - bisect_left(lane.course.t, begin), "")]
    found = lane.course.within(begin, end)
    at_begin, at_end = lane.course.at(begin), lane.course.at(end)
    if found is None or at_begin is None or at_end is None:
        return []
    return [
        ("from", at_begin, lane.unit), ("to", at_end, lane.unit), ("least", found[0], lane.unit),
        ("greatest", found[1], lane.unit), ("slope", (at_end - at_begin) / span, f"{lane.unit}/s"),
    ]  # fmt: skip


def _of_level(course: Course, begin: float, end: float) -> list[tuple[str, float, str]]:
    """Rises, their frequency and period, and for how much of the time it was high."""
    rises = [
        course.t[place]
        for place in range(max(1, bisect_right(course.t, begin)), bisect_right(course.t, end))
        if course.value[place] > course.value[place - 1]
    ]
    high, t, level = 0.0, begin, course.at(begin)
    for place in range(bisect_right(course.t, begin), bisect_right(course.t, end)):
        high += (course.t[place] - t) * bool(level)
        t, level = course.t[place], course.value[place]
    high += (end - t) * bool(level)
    told: list[tuple[str, float, str]] = [("rises", len(rises), ""), ("high", 100 * high / (end - begin), "%")]
    if len(rises) > 1:
        period = (rises[-1] - rises[0]) / (len(rises) - 1)
        told += [("period", period, "s"), ("frequency", 1 / period, "Hz")]
    return told
