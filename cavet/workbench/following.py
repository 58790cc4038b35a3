"""What is remembered of the bench from look to look, whatever screen is shown: courses, turning wheels, differences.

It is called with each frame, and reads on in the record. Of the bench itself it reads what the bench's thread replaces
whole: numbers, frozen values. A picture of everything made on the bench's side was weighed: the views of the demo take
3 to 5 ms a frame, by which boards would answer late, where a read-back over their line takes 0.6 ms.
"""

from __future__ import annotations

from collections.abc import Sequence

from cavet.bench import RunningBench, Standing, Standings
from cavet.hosts import Point
from cavet.record import Event, Kind, Purpose
from cavet.workbench.courses import Course

MOST_A_FRAME = 200
LIVELY_SECONDS = 1.0
LIVELY = frozenset((
    Kind.ASKED, Kind.DRIVEN, Kind.MOVING, Kind.MOVED, Kind.CONFIRMED, Kind.LEVEL, Kind.SENSED, Kind.BOARD, Kind.LINK,
    Kind.FAULT, Kind.REFUSED, Kind.UNCONFIRMED, Kind.OVERTAKEN, Kind.DEFECT, Kind.RIG, Kind.LOST, Kind.REFLEX,
))  # fmt: skip
"""Events after which everything is drawn as often as can be for a while; polls and their answers are not among them."""
TURNS_A_SECOND = 0.7
"""How fast the picture of a moving part turns at its full speed."""

FAILSAFE = "failsafe"
"""What the event of a board says whose failsafe has tripped."""


class Following:
    """Follows a bench: how its points stand, and what has come of them since it was begun."""

    def __init__(
        self, bench: RunningBench, standings: Standings, outputs: Sequence[Point], inputs: Sequence[Point]
    ) -> None:
        self._bench = bench
        self._standings = standings
        self._outputs = outputs
        self.courses = {point.name: Course() for point in inputs}
        self.turns: dict[str, float] = {}
        """How far each moving part has turned, for its picture."""
        self.tripped: dict[str, int] = {}
        """The boards whose failsafe has put their outputs to rest, with its event, until something is driven again."""
        self._astray: dict[str, float] = {}
        self._stood: dict[str, Standing] = {}
        self._followed_at = 0.0
        self._lively_until = LIVELY_SECONDS
        self._turn = 0

    def follow(self) -> None:
        """Read on in the record, and look at everything once."""
        now = self._bench.clock.now()
        self.stirs()
        self._stood.clear()
        for name, course in self.courses.items():
            course.pass_to(now, tells=self._bench.is_ready(self._bench.setup.points[name].board))
        self._turn_wheels(now)
        self._note_differences(now)

    def stirs(self) -> bool:
        """Read on in the record; tell whether something is going on that an eye follows: a wish, a part that moves."""
        for event in self._standings.follow():
            self._note(event)
            if event.kind in LIVELY and event.purpose is Purpose.NONE:
                self._lively_until = event.t + LIVELY_SECONDS
        return self._bench.clock.now() < self._lively_until or self._is_moving()

    def _is_moving(self) -> bool:
        now = self._bench.clock.now()
        parts = [part for board in self._bench.world.boards.values() for part in board.circuit.parts.values()]
        return any(part.busy(now) or (part.turns and part.fraction(now) != 0.0) for part in parts)

    def _note(self, event: Event) -> None:
        if event.kind == Kind.HEARD and event.subject in self.courses and isinstance(event.value, int | float):
            self.courses[event.subject].note(float(event.value), event.t)
        elif event.kind == Kind.BOARD and event.value == FAILSAFE:
            self.tripped[event.board] = event.number
        elif event.kind in (Kind.BOARD, Kind.DRIVEN) and event.cause != self.tripped.get(event.board):
            self.tripped.pop(event.board, None)

    def _turn_wheels(self, now: float) -> None:
        passed, self._followed_at = now - self._followed_at, now
        for board in self._bench.world.boards.values():
            for part in board.circuit.parts.values():
                if part.turns:
                    path = f"{board.name}.{part.name}"
                    turned = self.turns.get(path, 0.0) + TURNS_A_SECOND * part.fraction(now) * passed
                    self.turns[path] = turned % 1.0

    def standing(self, point: Point) -> Standing:
        """How a point stood when it was last followed; reckoned once a frame."""
        if point.name not in self._stood:
            self._stood[point.name] = self._standings.standing(point)
        return self._stood[point.name]

    def _note_differences(self, now: float) -> None:
        """Since when asked and got differ, for each output where nothing is on its way and it is known what was got."""
        for point in self._outputs_in_turn():
            standing = self.standing(point)
            if standing.agrees or standing.got is None or standing.left is not None:
                self._astray.pop(point.name, None)
            else:
                self._astray.setdefault(point.name, now)

    def _outputs_in_turn(self) -> Sequence[Point]:
        """All outputs; where there are very many, some with each frame."""
        begin, self._turn = self._turn, self._turn + MOST_A_FRAME
        if self._turn >= len(self._outputs):
            self._turn = 0
        return self._outputs[begin : begin + MOST_A_FRAME]

    def astray(self, point: Point) -> float:
        """For how long an output has not been where it was asked to be, in seconds; 0 where it is."""
        return self._bench.clock.now() - self._astray[point.name] if point.name in self._astray else 0.0
