"""What a person wants of the points: values, nudges, flips, and taking back what was asked before."""

from __future__ import annotations

from cavet.bench import RunningBench
from cavet.hosts import Asked, Point, PointKind
from cavet.wording import WrongError
from cavet.workbench.acting import Acting
from cavet.workbench.hands import Hands

PULSE_SHARE = 0.2
"""How much of its range a pulse is when it is asked for the first time, by the key that flips."""
MOST_TAKEN_BACK = 100


class Wishes:
    """Hands wishes over to the bench, and remembers them until they are taken. Inputs are moved out there."""

    def __init__(self, bench: RunningBench, hands: Hands, acting: Acting) -> None:
        self._bench = bench
        self._hands = hands
        self._acting = acting
        self._undo: list[tuple[Point, Asked]] = []
        self._on_the_way: dict[str, list[Asked]] = {}
        """What points were asked for that the bench has not taken yet."""

    def ask(self, point: Point, value: Asked, *, by: str = "by hand") -> None:
        """Want an output at a value."""
        before = self._asked(point)
        if before is not None and before != value:
            self._undo.append((point, before))
            del self._undo[:-MOST_TAKEN_BACK]
        self._ask(point, value, by)

    def _ask(self, point: Point, value: Asked, by: str) -> None:
        """Hand a wish over. Until that has come back, it is what the point was asked for last: keys may follow fast."""
        wish = self._on_the_way[point.name] = [point.limited(value)]

        def done() -> None:
            if self._on_the_way.get(point.name) is wish:
                del self._on_the_way[point.name]

        self._acting.do(lambda: self._bench.ask(point, value, by=by), done=done)

    def _asked(self, point: Point) -> Asked | None:
        """What a point was asked for last."""
        if point.name in self._on_the_way:
            return self._on_the_way[point.name][0]
        return self._bench.reading(point).asked

    def rest(self) -> None:
        """Send every output to its rest value, now."""
        self._on_the_way.clear()
        self._acting.do(lambda: self._bench.rest(by="everything to rest"))

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
            self._hands.nudge(point, steps)
        elif point.kind.is_text:
            raise WrongError(point.name, found="a nudge", expected=_begin_with_a_quote(point))
        elif point.kind is PointKind.SWITCH:
            self.ask(point, steps > 0)
        else:
            asked, reading = self._asked(point), self._bench.reading(point)
            value = asked if asked is not None else reading.stands
            self.ask(point, point.limited(float(value or 0) + steps * point.step))

    def flip(self, point: Point) -> None:
        """Flip a switch; hold what is momentary."""
        if not point.kind.is_output:
            self._hands.press(point)
        elif point.momentary:
            self._hands.hold(point.name, lambda: self.ask(point, True), lambda: self.ask(point, False))
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
        value = point.parse(text)
        if point.kind.is_output:
            self.ask(point, value)
        else:
            self._hands.set(point, value)


def _begin_with_a_quote(point: Point) -> str:
    """How a text is asked for, or a picture."""
    what = {PointKind.PIXELS: "a picture", PointKind.COLOUR: "a colour"}.get(point.kind, "a text")
    return f'{what}: begin with {"#, or with " if point.kind is PointKind.COLOUR else ""}"'
