"""The firmware of a board that is a target on another board's bus: it hears and says frames of a plan."""

from __future__ import annotations

from cavet.boards._circuit import PinRefusedError
from cavet.boards._running import Firmware
from cavet.boards.buses import TargetBoard
from cavet.boards.firmware.plans._engine import Engine, PlanBoard
from cavet.protocols import Side, read_whole
from cavet.record import Kind, Tell, Topic


class TargetFirmware(Firmware):
    """Takes a frame out of each write; gives its first answer's frame in each read. It has no link of its own."""

    def __init__(self, plan: PlanBoard, engine: Engine, tell: Tell, target: TargetBoard | None) -> None:
        super().__init__()
        self._plan = plan
        self._engine = engine
        self._tell = tell
        self._target = target

    @property
    def restless(self) -> bool:
        """It is written to and read past the board's link."""
        return True

    def start(self, now: float) -> None:
        """Begin anew, and listen."""
        self._engine.start(now)
        if self._target is not None:
            self._target.attach(self)

    def stop(self, now: float) -> None:
        """It is switched off: nobody answers any more."""
        if self._target is not None:
            self._target.attach(None)

    def written(self, data: bytes, at: float, cause: int | None) -> None:
        """Act on what was written: the first of its frames that fits."""
        number = cause if cause is not None else self._tell(Kind.CARRIED, Topic.BUS, "i2c", data)
        read = [read_whole(self._plan.codecs[name], data, Side.HOST) for name in self._plan.takes]
        frames = next((each for each in read if all(frame.readable for frame in each)), read[0])
        try:
            for frame in frames:
                self._engine.take(frame, at, number)
        except PinRefusedError as refusal:
            self._tell(Kind.REFUSED, Topic.BOARD, "", None, number, str(refusal))

    def read(self, at: float) -> bytes:
        """The frame that tells how it stands; none where it has none."""
        if not self._plan.gives:
            return b""
        return self._engine.make(self._plan.gives[0], at, None) or b""

    def advance(self, now: float) -> float:
        return self._engine.advance(now)
