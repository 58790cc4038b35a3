"""Shafts at a board's pins: steppers that it drives, and encoders that it counts, over Firmata."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from cavet.hosts._awaiting import Awaited, Awaiting, Overtake
from cavet.hosts._base import Wish
from cavet.hosts._point import ENCODER
from cavet.hosts._points import PinPoint, StepperPoint
from cavet.protocols import Message, firmata
from cavet.record import Topic

INTERFACES = {2: firmata.StepperInterface.TWO_WIRE, 3: firmata.StepperInterface.THREE_WIRE,
              4: firmata.StepperInterface.FOUR_WIRE}  # fmt: skip
MOVE_BYTES = 20
"""Of the message that sends a stepper somewhere, and the one that tells that it is there."""
Send = Callable[[Message, "int | None", Topic, str], object]
"""Sends a message: with the event behind it, a topic and a subject."""


class _Going(Awaited):
    """A wish on its way, and the position that it is for."""

    position: int


class Shafts(Awaiting[_Going]):
    """Sets steppers and encoders up, sends wishes to steppers, and waits until they have arrived."""

    def __init__(
        self, points: Iterable[PinPoint], answer_by: Callable[[float, int], float], send: Send, overtake: Overtake
    ) -> None:
        super().__init__(overtake)
        there = list(points)
        self.steppers = [point for point in there if isinstance(point, StepperPoint)]
        self.encoders = [point for point in there if point.mode == ENCODER]
        self._answer_by = answer_by
        self._send = send
        self._asked: dict[str, int] = {}
        """The position that each stepper was sent to last."""
        self._ways: dict[str, int] = {}
        """How far each had to go then."""
        self._zero: dict[str, int] = {}
        """The position at which each stood when the board began to count, from 0."""
        self._astray: set[str] = set()
        """Those that were on their way when nobody could see any more where to."""

    def place(self, name: str) -> int | None:
        """Where a stepper stands when the board begins to count anew: where it was sent last; `None` where it was on
        its way."""
        return None if name in self._astray else self._asked.get(name, 0)

    def lose(self, name: str) -> None:
        """It is not known any more where a stepper stands."""
        self._astray.add(name)

    def abandon(self) -> list[Wish]:
        wishes = super().abandon()
        self._astray.update(wish.point.name for wish in wishes)
        return wishes

    def begin(self, refused: Callable[[PinPoint], bool]) -> None:
        """Set up all that the board can have. It counts from 0 where each stands; one that is astray is said to be at 0
        there."""
        self._zero = {point.name: self.place(point.name) or 0 for point in self.steppers}
        self._asked = dict(self._zero)
        self._astray.clear()
        for device, stepper in enumerate(self.steppers):
            if refused(stepper):
                continue
            driver = stepper.direction is not None
            interface = firmata.StepperInterface.DRIVER if driver else INTERFACES[len(stepper.wires)]
            for message in (
                firmata.StepperConfig(device=device, interface=interface << 4, pins=bytes(stepper.wires)),
                firmata.StepperSetSpeed(device=device, speed=stepper.fastest),
                firmata.StepperSetAcceleration(device=device, acceleration=stepper.acceleration),
            ):
                self._send(message, None, Topic.POINT, stepper.name)
        attached = [point for point in self.encoders if not refused(point)]
        for point in attached:
            assert point.second is not None  # the bench has seen to that
            number = self.encoders.index(point)
            self._send(
                firmata.EncoderAttach(encoder=number, pin_a=point.pin, pin_b=point.second),
                None,
                Topic.POINT,
                point.name,
            )
        if attached:
            self._send(firmata.EncoderReportAuto(value=1), None, Topic.POINT, attached[0].name)

    def was_asked(self, wish: Wish) -> bool:
        """Whether its stepper was sent there already."""
        return int(wish.point.to_wire(wish.value)) == self._asked[wish.point.name]

    def write(self, wish: Wish, now: float) -> None:
        """Send a stepper to where it is wanted."""
        point = wish.point
        assert isinstance(point, StepperPoint)
        position = int(point.to_wire(wish.value))
        way = abs(position - self._asked[point.name])
        if wish.tries:  # the one before may have been lost, or has brought it a part of the way
            way = max(way, self._ways.get(point.name, 0))
        self._ways[point.name] = way
        turns = point.name in self
        if point.confirm:
            deadline = self._answer_by(now, MOVE_BYTES) + self._seconds(point, way, turns=turns)
            self.put(_Going(wish, now, deadline, position))
        self._asked[point.name] = position
        there = position - self._zero[point.name]
        message = firmata.StepperTo(device=self.steppers.index(point), position=there)
        self._send(message, wish.asked, Topic.POINT, point.name)

    @staticmethod
    def _seconds(point: StepperPoint, way: int, *, turns: bool) -> float:
        """How long a way takes at the most: with gain and loss of speed, and twice as long where it must turn round."""
        seconds = way / point.fastest + (2 * point.fastest / point.acceleration if point.acceleration else 0.0)
        return 3 * seconds if turns else seconds

    def arrived(self, device: int, position: int) -> tuple[Wish, bool] | None:
        """A stepper has arrived at a position, as its board counts: the wish that this ends, and whether it is the one
        wanted."""
        if device >= len(self.steppers):
            return None
        name = self.steppers[device].name
        going = self.pop(name)
        return None if going is None else (going.wish, position + self._zero[name] == going.position)
