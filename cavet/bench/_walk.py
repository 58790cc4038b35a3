"""The walk: each output in turn, alone, to its far end and back to rest; exactly its own part must move.

What moved is what follows from the wish in the record: parts that set out or arrived, by its cause. So nothing is taken
for it that moves at the same time for another reason.
"""

from __future__ import annotations

from collections.abc import AsyncIterator, Collection, Iterable, Mapping, Sequence

import msgspec

from cavet.bench._asking import LOOK_SECONDS, MOVE_SECONDS, ask_and_follow, until_ready
from cavet.bench._diagnosis import Diagnosis
from cavet.bench._running import RunningBench
from cavet.bench._standing import Standings, shows_itself
from cavet.boards.parts import Part
from cavet.clock import until
from cavet.colours import BLACK, WHITE
from cavet.hosts import Asked, Point, PointKind
from cavet.record import Kind, Topic, Trail
from cavet.wording import UnreachableError, WrongError, digits, listed

BY = "walk"
TEXT = "8"
"""What is shown on what shows texts."""
PICTURE = '"8'
PULSE_SHARE = 0.1
"""A pulse lasts this share of the longest that there is."""
NEAR = 1e-6
TOLD_NEAR = 0.1
"""Parts tell where they are with one decimal."""
BACK_SHARE = 0.02
Stood = float | bool | str
Standing = tuple[Stood, Stood]
"""How a part stands: in what the host would have to send to bring it there, and by its own state."""


class Walked(msgspec.Struct, frozen=True, kw_only=True):
    """What came of one output: `names` is the part that it names, "" for none; `moved` those that did, by
    `BOARD.PART`; `held` is `None` where it can't move alone; `trail` the number of its wish, `None` where none was
    made."""

    output: str
    names: str
    moved: tuple[str, ...]
    held: bool | None
    why: str = ""
    trail: int | None = None


class Walk:
    """Walks outputs of a bench that runs."""

    def __init__(self, bench: RunningBench, standings: Standings | None = None) -> None:
        self._bench = bench
        self._standings = standings or Standings(bench)
        self._shared = _shared_parts(bench.setup.points.values())

    def outputs(self, names: Sequence[str] = ()) -> list[Point]:
        """All outputs, or those of these names, in the bench's order. Raises `WrongError`."""
        wanted = {self._bench.setup.point(name).name for name in names}
        for name in sorted(wanted):
            if not self._bench.setup.points[name].kind.is_output:
                raise WrongError("walk", found=f"{name}, an input", expected="outputs")
        points = [point for point in self._bench.setup.points.values() if point.kind.is_output]
        return [point for point in points if not names or point.name in wanted]

    async def walk(self, outputs: Sequence[str] = ()) -> AsyncIterator[Walked]:
        """Walk them, one after the other. However it ends, what was touched goes to rest."""
        try:
            for point in self.outputs(outputs):
                yield await self.one(point)
        finally:
            self._bench.rest(by=BY)

    async def one(self, point: Point) -> Walked:
        """Walk one output."""
        names = self._names(point)
        try:
            await until_ready(self._bench.link_of(point))
            for name, value in self._bench.setup.needs.get(point.name, ()):
                if why := await self.bring(self._bench.setup.points[name], value):
                    return Walked(output=point.name, names=names, moved=(), held=False, why=f"it needs {name}: {why}")
            found = await self._there_and_back(point, names)
            for name, _ in reversed(self._bench.setup.needs.get(point.name, ())):
                need = self._bench.setup.points[name]
                await self.bring(need, _rest_of(need))
            return found
        except UnreachableError as error:
            return Walked(output=point.name, names=names, moved=(), held=False, why=str(error))

    async def bring(self, point: Point, value: Asked) -> str:
        """Set an output; tell why that did not go, "" where it did."""
        _, diagnosis = await self._ask(point, value)
        return diagnosis.reason if diagnosis.broken is not None else ""

    def is_away(self, point: Point, before: Mapping[str, Standing]) -> bool:
        """Whether the part of an output is not at rest: where both count in the same, by where it stands, else by where
        it stood at rest `before`. Of one that is not seen nothing is said."""
        names = self._names(point)
        if not names:
            return False
        self._bench.board_side.turn()
        part, now = self._bench.world.part(names), self._bench.clock.now()
        if part.busy(now):
            return True
        if shows_itself(point, part):
            return not point.same(point.from_wire(part.stands_as(now)), _rest_of(point))
        return any(map(_differs, before[names], (part.stands_as(now), part.state(now))))

    def parts_away(self, boards: Collection[str], before: Mapping[str, Standing]) -> list[str]:
        """The parts of boards that are moved and do not stand as `before`, whether a point leads to them or not."""
        self._bench.board_side.turn()
        now = self._bench.clock.now()
        return [
            path for path, part in self._parts()
            if path.partition(".")[0] in boards and not part.senses
            and (part.busy(now) or any(map(_differs, before[path], (part.stands_as(now), part.state(now)))))
        ]  # fmt: skip

    async def _ask(self, point: Point, value: Asked) -> tuple[Trail, Diagnosis]:
        return await ask_and_follow(self._bench, self._standings, point, value, BY)

    async def _there_and_back(self, point: Point, names: str) -> Walked:
        far, rest = _far_of(point), _rest_of(point)
        if not self._is_at_rest(point, names):
            begun, _ = await self._ask(point, rest)
            await self._come_to_rest(begun.number, named=names)
        before = self.stand()
        trail, diagnosis = await self._ask(point, far)
        await self._come_to_rest(trail.number, named=names)
        there, is_held = self.stand(), self._is_held(names)
        moved = self._moved(trail.number, before, there)
        back, _ = await self._ask(point, rest)
        await self._come_to_rest(back.number, named=names)
        held, why = self._judge(point, names, moved, diagnosis, (before, there, self.stand()))
        if is_held and held is False and diagnosis.broken is not None:
            held = None
        return Walked(
            output=point.name, names=names, moved=tuple(sorted(moved)), held=held, why=why, trail=trail.number
        )

    def _is_at_rest(self, point: Point, names: str) -> bool:
        """Whether an output stands at rest as far as the host knows; where nobody has told, and nobody has asked for
        anything, whether its part does, as far as that tells."""
        reading = self._bench.reading(point)
        stands = reading.asked if reading.got is None else reading.got
        if stands is None and names and shows_itself(point, part := self._bench.world.part(names)):
            stands = point.from_wire(part.stands_as(self._bench.clock.now()))
        return stands is None or point.kind is PointKind.PULSE or point.same(stands, _rest_of(point))

    # the truth

    def _parts(self) -> Iterable[tuple[str, Part]]:
        for board in self._bench.world.boards.values():
            for part in board.circuit.parts.values():
                if not part.senses:
                    yield f"{board.name}.{part.name}", part

    def stand(self) -> dict[str, Standing]:
        """How each part stands now."""
        self._bench.board_side.turn()
        now = self._bench.clock.now()
        return {path: (part.stands_as(now), part.state(now)) for path, part in self._parts()}

    async def _come_to_rest(self, number: int, *, named: str) -> None:
        """Wait until nothing is on its way that follows from a wish: what it has driven has arrived."""
        began = self._bench.clock.now()

        def look() -> bool | None:
            if self._bench.clock.spent_since(began) >= MOVE_SECONDS:
                return True
            self._bench.board_side.turn()
            now = self._bench.clock.now()
            touched = self._touched(number) | {named}
            return not any(part.busy(now) for path, part in self._parts() if path in touched) or None

        await until(look, LOOK_SECONDS)

    def _touched(self, number: int) -> set[str]:
        """The parts that a wish has moved, and those at the pins that it has driven: what glows on or off tells only
        when it is there."""
        touched = set()
        for event in self._bench.record.trail(number):
            if event.topic is Topic.PART and event.kind in (Kind.MOVED, Kind.MOVING):
                touched.add(f"{event.board}.{event.subject}")
            elif event.topic is Topic.PIN and event.kind is Kind.DRIVEN:
                circuit = self._bench.world.boards[event.board].circuit
                touched |= {f"{event.board}.{part.name}" for part in circuit.parts_at(int(event.subject))}
        return touched

    def _moved(self, number: int, before: dict[str, Standing], there: dict[str, Standing]) -> set[str]:
        """What has moved by a wish: it stands elsewhere now, or went away and came back, be it by something else."""
        touched = self._touched(number) & before.keys()
        went = {
            f"{event.board}.{event.subject}"
            for event in self._bench.record.trail(number)
            if event.kind is Kind.MOVING and event.topic is Topic.PART
        }
        values: dict[str, set[Stood]] = {}
        for event in self._bench.record.trail(number):
            if event.kind is Kind.MOVED and event.topic is Topic.PART and not isinstance(event.value, bytes | None):
                values.setdefault(f"{event.board}.{event.subject}", set()).add(event.value)
        return {
            path for path in touched
            if path in went or any(_is_news(value, before[path]) for value in values.get(path, ()))
            or any(map(_differs, before[path], there[path]))
        }  # fmt: skip

    # what is to be said of it

    def _names(self, point: Point) -> str:
        """The part that an output names, by its board; "" where that board is not simulated here, or has none such."""
        host = self._bench.setup.hosts[point.board]
        board = self._bench.setup.links[host.link].board
        name = point.part or point.name
        setup = self._bench.setup.boards.get(board) if board in self._bench.world.boards else None
        return f"{board}.{name}" if setup is not None and name in setup.parts else ""

    def _is_seen(self, point: Point) -> bool:
        host = self._bench.setup.hosts[point.board]
        return self._bench.setup.links[host.link].board in self._bench.world.boards

    def _is_held(self, names: str) -> bool:
        """Whether a part is held where it is by the world around it."""
        return bool(names) and getattr(self._bench.world.part(names), "stalled", False) is True

    def _judge(
        self, point: Point, names: str, moved: set[str], diagnosis: Diagnosis, stood: Sequence[dict[str, Standing]]
    ) -> tuple[bool | None, str]:
        others = sorted(moved - {names})
        reason = diagnosis.reason if diagnosis.broken is not None else ""
        if not self._is_seen(point):
            return (False, reason) if reason else (True, "read back; its parts can't be seen")
        if others:
            also = f"moved {listed(others, 'and')}" + ("" if names in moved else f", not {names}" if names else "")
            return False, also
        if reason:
            return False, reason
        if not names:
            return None, "it names no part of its board; it was confirmed, and nothing else moved"
        if names not in moved:
            if point.name not in self._bench.setup.needs and names in self._shared:
                return None, f"it sets something of {names} that does not move it alone"
            return False, f"{names} has not moved"
        before, there, after = (each[names][0] for each in stood)
        if shows_itself(point, self._bench.world.part(names)) and _is_elsewhere(point, there):
            return False, f"{names} moved the wrong way, or not so far: {_told(before)} at rest, then {_told(there)}"
        if point.kind is not PointKind.PULSE and not _is_back(before, there, after):
            return False, f"{names} did not go back to rest: {_told(after)}, before it {_told(before)}"
        return True, ""


def _shared_parts(points: Iterable[Point]) -> set[str]:
    """The parts that several outputs of one board name."""
    counts: dict[str, int] = {}
    for point in points:
        if point.kind.is_output:
            path = f"{point.board}.{point.part or point.name}"
            counts[path] = counts.get(path, 0) + 1
    return {path for path, count in counts.items() if count > 1}


def _far_of(point: Point) -> Asked:
    """The far end: as far from rest as it goes."""
    if point.kind is PointKind.SWITCH:
        return not point.rest
    if point.kind is PointKind.PIXELS:
        return point.parse(PICTURE)
    if point.kind is PointKind.COLOUR:
        return BLACK if point.rest == WHITE else WHITE
    if point.kind.is_text:
        return TEXT
    if point.kind is PointKind.PULSE:
        return max(point.low, PULSE_SHARE * point.high)
    rest = float(point.rest)
    return point.high if abs(point.high - rest) >= abs(point.low - rest) else point.low


def _rest_of(point: Point) -> Asked:
    return bool(point.rest) if point.kind is PointKind.SWITCH else point.rest


def _differs(one: Stood, other: Stood) -> bool:
    if isinstance(one, str) or isinstance(other, str):
        return one != other
    return abs(float(one) - float(other)) > NEAR


def _is_news(told: Stood, before: Standing) -> bool:
    """Whether what a part tells of itself is something else than how it stood: numbers are told as its state has them,
    what is on or off as it stands."""
    stands, state = before
    was = stands if isinstance(state, str) and not isinstance(told, str) else state
    if isinstance(told, str) or isinstance(was, str):
        return told != was
    return abs(float(told) - float(was)) > TOLD_NEAR


def _told(stood: Stood) -> str:
    if isinstance(stood, bool):
        return "on" if stood else "off"
    return stood if isinstance(stood, str) else digits(stood, 6)


def _is_elsewhere(point: Point, there: Stood) -> bool:
    """Whether a part that shows itself stands somewhere else than its output was asked to be."""
    return not isinstance(there, str) and not point.same(point.from_wire(there), _far_of(point))


def _is_back(before: Stood, there: Stood, after: Stood) -> bool:
    """Whether a part is where it was before, but for a small share of its way: what begins between two steps of its
    wire goes to one of them."""
    if isinstance(before, str) or isinstance(there, str) or isinstance(after, str):
        return before == after
    return abs(float(before) - float(after)) <= max(NEAR, BACK_SHARE * abs(float(there) - float(before)))
