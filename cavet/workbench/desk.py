"""What the screens have in common: the running bench, and what a person has done with it so far."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec

from cavet.bench import Meanings, RunningBench, Standing, Standings
from cavet.benchfile import Plan
from cavet.boards import Defect
from cavet.hosts import Asked, Point, PointKind
from cavet.record import Event, Kind, Purpose, Topic
from cavet.wiring import Wiring
from cavet.wording import WrongError
from cavet.workbench.acting import Acting, Post
from cavet.workbench.courses import Course
from cavet.workbench.frames.said import Saying
from cavet.workbench.hands import Hands
from cavet.workbench.roster import Roster

if TYPE_CHECKING:
    from cavet.workbench.checks.checking import Checking
    from cavet.workbench.drawing.rails import LineView
    from cavet.workbench.routines.work import Work
    from cavet.workbench.wiring.changing import Changing

PULSE_SHARE = 0.2
"""How much of its range a pulse is when it is asked for the first time, by the key that flips."""
MOST_A_FRAME = 200
LIVELY_SECONDS = 1.0
LIVELY = frozenset((
    Kind.ASKED, Kind.DRIVEN, Kind.MOVING, Kind.MOVED, Kind.CONFIRMED, Kind.LEVEL, Kind.SENSED, Kind.BOARD, Kind.LINK,
    Kind.FAULT, Kind.REFUSED, Kind.UNCONFIRMED, Kind.OVERTAKEN, Kind.DEFECT, Kind.RIG, Kind.LOST, Kind.REFLEX,
))  # fmt: skip
"""Events after which everything is drawn as often as can be for a while; polls and their answers are not among them."""


class Desk:
    """The bench as one person works it. All that a person does passes through here to the head of the chain.

    `post` has something done in the bench's own thread; `record_problem` tells what is wrong with the record, if
    anything.
    """

    def __init__(
        self, bench: RunningBench, post: Post, record_problem: Callable[[], str] = str,
        changing: Changing | None = None, work: Work | None = None, standings: Standings | None = None,
    ) -> None:  # fmt: skip
        self.bench = bench
        self._post = post
        self.made_work = work
        """The text of the bench's routines and its run, as soon as somebody has looked at it."""
        self.made_checking: Checking | None = None
        self.changing = changing
        """The file of the bench, where it can be changed."""
        self.record_problem = record_problem
        self._acting = Acting(post, bench.clock.now)
        self.saying = Saying(bench, self._acting)
        self._call = self._acting.do
        self.come_back = self._acting.come_back
        self.silence = self._acting.silence
        self.standings = standings if standings is not None else Standings(bench)
        self.hands = Hands(bench, self.standings, self._acting)
        self.screens: tuple[str, ...] = ()
        """The names of the screens that there are."""
        self.outputs = [point for point in bench.plan.points.values() if point.kind.is_output]
        self.inputs = [point for point in bench.plan.points.values() if not point.kind.is_output]
        self.roster = Roster(self.outputs + self.inputs)
        self.courses = {point.name: Course() for point in self.inputs}
        self.turns: dict[str, float] = {}
        """How far each moving part has turned, for its picture."""
        self.looked_at: set[int] = set()
        """The broken trails that somebody has looked at."""
        self._meanings: dict[str, Meanings | None] = {}
        self._plan_now: tuple[object, Plan] | None = None
        self.wirings: dict[str, Wiring] = {}
        """How each board is wired, as it was looked at last."""
        self._astray: dict[str, float] = {}
        self._undo: list[tuple[Point, Asked]] = []
        self._on_the_way: dict[str, list[Asked]] = {}
        """What points were asked for that the bench has not taken yet."""
        self._stood: dict[str, Standing] = {}
        self._followed_at = 0.0
        self._lively_until = LIVELY_SECONDS
        self._turn = 0
        self.far_lines: dict[str, LineView] = {}
        """The lines of points that are too far off to be seen, as they were made once, by the names of the points."""

    def plan_now(self) -> Plan:
        """The bench's plan with its defects as they are switched now; the same object while that stays so."""
        switched = tuple(defect.on for defect in self.bench.world.defects.values())
        if self._plan_now is None or self._plan_now[0] != switched:
            plan = self.bench.plan
            defects = {**plan.defects, **{name: _copy(each) for name, each in self.bench.world.defects.items()}}
            self._plan_now = (switched, msgspec.structs.replace(plan, defects=defects))
        return self._plan_now[1]

    def meanings(self, board: str) -> Meanings | None:
        """What tells what frames mean at a board; `None` for what is no board of the bench."""
        if board not in self._meanings:
            known = board in self.bench.plan.boards or board in self.bench.plan.hosts
            self._meanings[board] = Meanings(self.bench.plan, board) if known else None
        return self._meanings[board]

    @property
    def past(self) -> str:
        """What it is, where nothing of the bench runs: a record. "" for a bench that runs."""
        return ""

    @property
    def points(self) -> list[Point]:
        """All points, outputs first, as the rails show them."""
        return self.outputs + self.inputs

    @property
    def now(self) -> float:
        return self.bench.clock.now()

    def follow(self) -> None:
        """Read on in the record, and let go of what is not held any more."""
        now = self.now
        self.stirs()
        self._stood.clear()
        for name, course in self.courses.items():
            course.pass_to(now, tells=self.bench.is_ready(self.bench.plan.points[name].board))
        self.hands.let_go()
        self._turn_wheels(now)
        self._note_differences(now)

    def stirs(self) -> bool:
        """Read on in the record; tell whether something is going on that an eye follows: a wish, a part that moves."""
        for event in self.standings.follow():
            self._note(event)
            if event.kind in LIVELY and event.purpose is Purpose.NONE:
                self._lively_until = event.t + LIVELY_SECONDS
        return self.now < self._lively_until or self._is_moving()

    def _is_moving(self) -> bool:
        now = self.now
        parts = [part for board in self.bench.world.boards.values() for part in board.circuit.parts.values()]
        return any(part.busy(now) or (part.turns and part.fraction(now) != 0.0) for part in parts)

    def _note_differences(self, now: float) -> None:
        """Since when asked and got differ, for each output where nothing is on its way and it is known what was got."""
        for point in self._outputs_in_turn():
            standing = self.standing(point)
            if standing.agrees or standing.got is None or standing.left is not None:
                self._astray.pop(point.name, None)
            else:
                self._astray.setdefault(point.name, now)

    def _outputs_in_turn(self) -> list[Point]:
        """All outputs; where there are very many, some with each frame."""
        begin, self._turn = self._turn, self._turn + MOST_A_FRAME
        if self._turn >= len(self.outputs):
            self._turn = 0
        return self.outputs[begin : begin + MOST_A_FRAME]

    def astray(self, point: Point) -> float:
        """For how long an output has not been where it was asked to be, in seconds; 0 where it is."""
        return self.now - self._astray[point.name] if point.name in self._astray else 0.0

    def _note(self, event: Event) -> None:
        if event.kind == Kind.HEARD and event.subject in self.courses and isinstance(event.value, int | float):
            self.courses[event.subject].note(float(event.value), event.t)

    def _turn_wheels(self, now: float) -> None:
        passed, self._followed_at = now - self._followed_at, now
        for board in self.bench.world.boards.values():
            for part in board.circuit.parts.values():
                if part.turns:
                    path = f"{board.name}.{part.name}"
                    turned = self.turns.get(path, 0.0) + 0.7 * part.fraction(now) * passed
                    self.turns[path] = turned % 1.0

    # what a person wants

    def standing(self, point: Point) -> Standing:
        """How a point stood when it was last followed; reckoned once a frame."""
        if point.name not in self._stood:
            self._stood[point.name] = self.standings.standing(point)
        return self._stood[point.name]

    def ask(self, point: Point, value: Asked, *, by: str = "by hand") -> None:
        """Want an output at a value."""
        before = self._asked(point)
        if before is not None and before != value:
            self._undo.append((point, before))
            del self._undo[:-100]
        self._ask(point, value, by)

    def _ask(self, point: Point, value: Asked, by: str) -> None:
        """Hand a wish over. Until that has come back, it is what the point was asked for last: keys may follow fast."""
        wish = self._on_the_way[point.name] = [point.limited(value)]

        def done() -> None:
            if self._on_the_way.get(point.name) is wish:
                del self._on_the_way[point.name]

        self._call(lambda: self.bench.ask(point, value, by=by), done=done)

    def _asked(self, point: Point) -> Asked | None:
        """What a point was asked for last."""
        if point.name in self._on_the_way:
            return self._on_the_way[point.name][0]
        return self.bench.host_links[point.board].session.readings[point.name].asked

    @property
    def work(self) -> Work:
        """The text of the bench's routines, and its run."""
        if self.made_work is None:
            from cavet.workbench.routines.work import Work  # here, since a bench is looked at without it, too

            self.made_work = Work(self.bench, self._post)
        return self.made_work

    @property
    def checking(self) -> Checking:
        """The checks of the bench, and what came of them."""
        if self.made_checking is None:
            from cavet.workbench.checks.checking import Checking  # here, for the same reason

            self.made_checking = Checking(self.bench, self._post)
        return self.made_checking

    def leave(self) -> None:
        """Nobody looks any more: checks that are run end here."""
        if self.made_checking is not None:
            self.made_checking.leave()

    def flag(self, text: str) -> None:
        """Put a flag into the record, here and now."""
        self._call(lambda: self.bench.record.append(Kind.MARK, "", Topic.TEXT, "", None, None, text))

    def rest(self) -> None:
        """Send every output to its rest value, now. A routine that runs is stopped."""
        if self.made_work is not None:
            self.made_work.stop()
        if self.made_checking is not None:
            self.made_checking.rest()
        self.hands.forget()
        self._on_the_way.clear()
        self._call(lambda: self.bench.rest(by="everything to rest"))

    def switch_defect(self, name: str) -> None:
        """Switch a defect on, or off."""
        on = not self.bench.world.defects[name].on
        self._call(lambda: self.bench.switch_defect(name, on))

    def restart(self, board: str) -> None:
        """Start a board again that a fault has stopped."""
        self._call(lambda: self.bench.restart(board))

    def switch_link(self, board: str) -> None:
        """Let go of a board's link, for another program, or take it up again; how it stands then comes back."""
        link = self.bench.host_links[board]
        self._call(link.let_go if link.held else link.take_up, lambda: f"{board}: {link.words}")

    def undo(self) -> str:
        """Ask for what was asked before; tell for what."""
        if not self._undo:
            return "nothing to take back"
        point, value = self._undo.pop()
        self._ask(point, value, "taken back")
        return f"{point.name} back to {point.show(value)}"

    def nudge(self, point: Point, steps: float) -> None:
        """Move a point by so many steps; an input is moved out there, where it senses."""
        if not point.kind.is_output:
            self.hands.nudge(point, steps)
        elif point.kind.is_text:
            raise WrongError(point.name, found="a nudge", expected=_begin_with_a_quote(point))
        elif point.kind is PointKind.SWITCH:
            self.ask(point, steps > 0)
        else:
            asked = self._asked(point)
            value = asked if asked is not None else self.standings.standing(point).got
            self.ask(point, point.limited(float(value or 0) + steps * point.step))

    def flip(self, point: Point) -> None:
        """Flip a switch; hold what is momentary."""
        if not point.kind.is_output:
            self.hands.press(point)
        elif point.momentary:
            self.hands.hold(point.name, lambda: self.ask(point, True), lambda: self.ask(point, False))
        elif point.kind is PointKind.PULSE:
            again = self._asked(point)
            self.ask(point, again or max(point.low, PULSE_SHARE * point.high))
        elif point.kind is PointKind.SWITCH:
            self.ask(point, not self._asked(point))
        elif point.kind.is_text:
            raise WrongError(point.name, found="a flip", expected=_begin_with_a_quote(point))
        else:
            at_rest = self._asked(point) in (None, point.rest)
            self.ask(point, point.high if at_rest else point.rest)

    def type_in(self, point: Point, text: str) -> None:
        """Set a point to what was typed. Raises `WrongError`."""
        if point.kind.is_output:
            value = point.parse(text)
            self.ask(point, value)
        else:
            self.hands.set(point, point.parse(text))

    # broken trails

    def unseen(self) -> list[int]:
        """The broken trails that nobody has looked at, newest first."""
        return [trail.number for trail, _ in self.standings.broken() if trail.number not in self.looked_at]


def _copy(defect: Defect) -> Defect:
    """A copy that stays as it is when the defect is switched."""
    return type(defect)(**{name: getattr(defect, name) for name in defect.__struct_fields__})


def _begin_with_a_quote(point: Point) -> str:
    """How a text is asked for, or a picture."""
    what = {PointKind.PIXELS: "a picture", PointKind.COLOUR: "a colour"}.get(point.kind, "a text")
    return f'{what}: begin with {"#, or with " if point.kind is PointKind.COLOUR else ""}"'
