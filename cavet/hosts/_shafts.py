"""Shafts at a board's pins: steppers that it drives, and encoders that it counts, over Firmata."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from math import inf

import msgspec

from cavet.hosts._base import Wish
from cavet.hosts._point import ENCODER
from cavet.hosts._points import PinPoint, StepperPoint
from cavet.hosts._session import Manners
from cavet.protocols import Message, firmata
from cavet.record import Kind, Reason, Tell, Topic

INTERFACES = {2: firmata.StepperInterface.TWO_WIRE, 3: firmata.StepperInterface.THREE_WIRE,
              4: firmata.StepperInterface.FOUR_WIRE}  # fmt: skip
Send = Callable[[Message, "int | None", Topic, str], object]
"""Sends a message: with the event behind it, a topic and a subject."""


class _Going(msgspec.Struct):
    """A wish on its way: the position that it is for, and until when the board must have told that it is there."""

    wish: Wish
    position: int
    deadline: float


class Shafts:
    """Sets steppers and encoders up, sends wishes to steppers, and waits until they have arrived."""

    def __init__(self, points: Iterable[PinPoint], manners: Manners, send: Send, tell: Tell) -> None:
        there = list(points)
        self.steppers = [point for point in there if isinstance(point, StepperPoint)]
        self.encoders = [point for point in there if point.mode == ENCODER]
        self._manners = manners
        self._send = send
        self._tell = tell
        self._asked: dict[str, int] = {}
        """The position that each stepper was sent to last, as the board counts."""
        self._going: dict[str, _Going] = {}

    def begin(self, refused: Callable[[PinPoint], bool]) -> None:
        """Set up all that the board can have; its counts begin at 0."""
        self._asked = dict.fromkeys((point.name for point in self.steppers), 0)
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

    @property
    def due(self) -> float:
        """When the first answer will be overdue."""
        return min(going.deadline for going in self._going.values()) if self._going else inf

    def was_asked(self, wish: Wish) -> bool:
        """Whether its stepper was sent there already."""
        return int(wish.point.to_wire(wish.value)) == self._asked[wish.point.name]

    def write(self, wish: Wish, now: float, *, again: bool = False) -> None:
        """Send a stepper to where it is wanted."""
        point = wish.point
        assert isinstance(point, StepperPoint)
        position = int(point.to_wire(wish.value))
        if again:
            self._tell(Kind.RESENT, Topic.POINT, point.name, wish.value, wish.asked, f"try {wish.tries + 1}")
        older = self._going.pop(point.name, None)
        if older is not None and older.wish is not wish:
            why = "a newer wish came"
            self._tell(
                Kind.OVERTAKEN,
                Topic.POINT,
                point.name,
                older.wish.value,
                older.wish.asked,
                why,
                reason=Reason.NEWER_WISH,
            )
        way = abs(position - self._asked[point.name])
        self._asked[point.name] = position
        message = firmata.StepperTo(device=self.steppers.index(point), position=position)
        self._send(message, wish.asked, Topic.POINT, point.name)
        if point.confirm:
            deadline = now + self._seconds(point, way, turns=older is not None) + self._manners.reply_within
            self._going[point.name] = _Going(wish, position, deadline)

    @staticmethod
    def _seconds(point: StepperPoint, way: int, *, turns: bool) -> float:
        """How long a way takes at the most: with gain and loss of speed, and twice as long where it must turn round."""
        seconds = way / point.fastest + (2 * point.fastest / point.acceleration if point.acceleration else 0.0)
        return 3 * seconds if turns else seconds

    def arrived(self, device: int, position: int) -> tuple[Wish, bool] | None:
        """A stepper has arrived at a position: the wish that this ends, and whether it is the one wanted."""
        if device >= len(self.steppers):
            return None
        going = self._going.pop(self.steppers[device].name, None)
        return None if going is None else (going.wish, position == going.position)

    def overdue(self, now: float) -> list[Wish]:
        """The wishes whose steppers should have arrived."""
        late = [name for name, going in self._going.items() if now >= going.deadline]
        return [self._going.pop(name).wish for name in late]

    def abandon(self) -> list[Wish]:
        """Nothing will be heard of them any more; give the wishes that are under way."""
        wishes = [going.wish for going in self._going.values()]
        self._going.clear()
        return wishes
