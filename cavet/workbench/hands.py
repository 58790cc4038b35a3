"""A person's hands: what is held for a moment, and what is done to the outside world, where inputs sense."""

from __future__ import annotations

from collections.abc import Callable

from cavet.bench import RunningBench, Standings
from cavet.boards.parts import Encoder, Part
from cavet.hosts import Asked, Point, PointKind
from cavet.wording import WrongError
from cavet.workbench.acting import Acting

HOLD_SECONDS = 0.6
"""How long a momentary thing stays held after a key press: a terminal tells of no release, only of repeats."""
NUDGES_A_TURN = 24
NUDGE = 0.1
"""How far a step moves a lever, of its whole way."""


class Hands:
    """Works the inputs of simulated boards, from the outside."""

    def __init__(self, bench: RunningBench, standings: Standings, acting: Acting) -> None:
        self._bench = bench
        self._standings = standings
        self._acting = acting
        self._held: dict[str, tuple[float, Callable[[], None]]] = {}
        """Until when each thing is held, and what lets go of it."""

    @property
    def _now(self) -> float:
        return self._bench.clock.now()

    def hold(self, name: str, press: Callable[[], None], release: Callable[[], None]) -> None:
        """Hold something; again, while it is held, is longer."""
        if name not in self._held:
            press()
        self._held[name] = (self._now + HOLD_SECONDS, release)

    def let_go(self) -> None:
        """Let go of what was held long enough."""
        now = self._now
        for name, (until, release) in list(self._held.items()):
            if now >= until:
                del self._held[name]
                release()

    def forget(self) -> None:
        """What is held is not let go of any more: it goes to rest in another way."""
        self._held.clear()

    def act(self, path: str, do: str, *, seconds: float | None = None, value: float | None = None) -> None:
        """Do something to a part by hand, for so long, or so far."""
        self._acting.do(lambda: self._bench.act(path, do, seconds=seconds, value=value))

    def press(self, point: Point) -> None:
        """Hold a button; turn to its other state what stays where it is put."""
        part = self._standings.part_of(point)
        if part is not None and part.actions and "press" not in part.actions:
            self._act(point, part.actions[bool(part.stands_as(self._now))])
            return
        self.hold(point.name, lambda: self._act(point, "press"), lambda: self._act(point, "release"))

    def nudge(self, point: Point, steps: float) -> None:
        """Move what an input senses by so many steps, from where it stands when that is done: a step before may still
        be on its way to the bench."""
        part = self._standings.part_of(point)
        if part is not None and part.measures:
            quantity = part.measures
            step = self._bench.setup.rig_steps.get(quantity) or abs(point.high - point.low) / 50
            self._place(quantity, lambda: self._bench.world.rig.value(quantity) + steps * step)
        elif isinstance(part, Encoder) and part.actions:
            self._act(point, "turn", round(steps * part.per_turn / NUDGES_A_TURN))
        elif point.kind is PointKind.READING:
            path, moved = self._lever(point)
            self._acting.do(
                lambda: self._bench.act(path, "set", value=_inside(moved.fraction(self._now) + NUDGE * steps))
            )
        else:
            self.press(point)

    def set(self, point: Point, value: Asked) -> None:
        """Put what an input senses at a value."""
        part = self._standings.part_of(point)
        if part is not None and part.measures:
            self._place(part.measures, lambda: float(value))
        elif isinstance(part, Encoder):
            self._act(point, "set", point.to_wire(value))
        elif point.kind is PointKind.READING:
            path, _ = self._lever(point)
            share = (float(value) - point.low) / (point.high - point.low)
            is_turned = point.wire_low > point.wire_high
            self.act(path, "set", value=_inside((1 - 2 * share) if is_turned else 2 * share - 1))
        else:
            first, second = part.actions if part is not None and part.actions else ("press", "release")
            self._act(point, first if value else second)

    def _act(self, point: Point, do: str, value: float | None = None) -> None:
        self.act(self._path(point), do, value=value)

    def _place(self, quantity: str, value: Callable[[], float]) -> None:
        self._acting.do(lambda: self._bench.place(quantity, value()))

    def _lever(self, point: Point) -> tuple[str, Part]:
        """What a reading senses that a hand can put somewhere: at 0 V, for one end of the point's range, at full
        voltage, for the other, and between."""
        path, part = self._sensed(point)
        if "set" not in part.actions:
            raise WrongError(point.name, found="measured by the board itself", expected="an input that a hand can move")
        return path, part

    def _path(self, point: Point) -> str:
        return self._sensed(point)[0]

    def _sensed(self, point: Point) -> tuple[str, Part]:
        board = self._standings.board_of(point)
        part = self._standings.part_of(point)
        if board is None:
            raise WrongError(point.name, found="a real board's input", expected="a simulated one, to work it from here")
        if part is None:
            raise WrongError(point.name, found="measured by the board itself", expected="an input that a hand can move")
        return f"{board.name}.{part.name}", part


def _inside(position: float) -> float:
    """A lever's position, no farther than it goes."""
    return min(1.0, max(-1.0, position))
