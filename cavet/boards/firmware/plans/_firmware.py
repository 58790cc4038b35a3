"""A board that speaks frames of a plan on a stream: a serial line, or a connection."""

from __future__ import annotations

from math import inf

from cavet.boards._circuit import PinRefusedError
from cavet.boards._pins import Pin
from cavet.boards._running import CauseOf, Client, Firmware, Outgoing, rest_of
from cavet.boards.firmware.plans._engine import Answer, Engine, PlanBoard
from cavet.protocols import Decoder, FieldError, Frame, Side
from cavet.record import Kind, Tell, Topic

LOOK_SECONDS = 0.1
"""How often it is looked whether what is measured has changed."""


class PlanFirmware(Firmware):
    """Hears the frames that it takes, each looked for by itself in the stream; says those that it gives."""

    def __init__(self, plan: PlanBoard, engine: Engine, tell: Tell) -> None:
        super().__init__()
        self._plan = plan
        self._engine = engine
        self._tell = tell
        self._decoders: dict[Client, dict[str, Decoder]] = {}
        self._told: dict[str, bytes] = {}
        self._due: dict[str, float] = {}
        self._changing = [answer for answer in plan.gives if answer.when == "changed"]
        self._measures = any(given.is_measured for answer in self._changing for given in answer.fields)
        """Whether what is told on a change may change without a pin's doing so: it is looked for ever again."""
        self._looks_at = inf

    def start(self, now: float) -> None:
        """Begin anew."""
        self._engine.start(now)
        self._told = {}
        self._due = {answer.frame: now + answer.seconds for answer in self._plan.gives}
        self._looks_at = now + LOOK_SECONDS if self._measures else inf

    def joined(self, client: Client, now: float) -> None:
        """A program is there, to which all is new: it is told how things stand."""
        self._decoders[client] = {name: self._plan.codecs[name].decoder(Side.HOST) for name in self._plan.takes}
        for answer in self._changing:
            self._say(answer, now, None, [client])

    def unfinished(self, client: Client) -> bytes:
        """What none of the kinds that are taken has made a frame of."""
        return min((rest_of(decoder) for decoder in self._decoders.get(client, {}).values()), key=len, default=b"")

    def left(self, client: Client, now: float) -> None:
        """It is gone."""
        self._decoders.pop(client, None)

    def feed(self, client: Client, data: bytes, now: float, cause_of: CauseOf) -> None:
        for frame in self._heard(client, data):
            cause = cause_of(frame)
            try:
                self._engine.take(frame, now, cause)
            except PinRefusedError as refusal:
                self._tell(Kind.REFUSED, Topic.BOARD, "", None, cause, str(refusal))
            for answer in self._plan.gives:
                if answer.when == "taken":
                    self._say(answer, now, cause, [client])
            self._look(now, cause)

    def _heard(self, client: Client, data: bytes) -> list[Frame]:
        """The frames in what came. Where several kinds are taken, what is none of them is let be."""
        decoders = self._decoders.get(client, {})
        frames = [frame for decoder in decoders.values() for frame in decoder.feed(data)]
        if len(decoders) > 1:
            frames = [frame for frame in frames if frame.readable]
        return sorted(frames, key=lambda frame: frame.offset)

    def _say(self, answer: Answer, now: float, cause: int | None, clients: list[Client]) -> None:
        data = self._engine.make(answer, now, cause)
        if data is None:
            return
        self._told[answer.frame] = data
        told = self._tell(Kind.TOLD, Topic.FRAME, answer.frame, data, cause)
        self._out += [Outgoing(client, data, told, now) for client in clients]

    def levels_changed(self, pins: list[Pin], now: float) -> None:
        """Input pins have changed."""
        self._look(now, next((pin.cause for pin in pins), None))

    def pins_driven(self, pins: list[Pin], now: float) -> None:
        """The board's own reflexes have driven pins."""
        self._look(now, next((pin.cause for pin in pins), None))

    def _look(self, now: float, cause: int | None) -> None:
        """Say the frames that are said on a change, where there was one."""
        for answer in self._changing:
            if self._made(answer, now) != self._told.get(answer.frame):
                self._say(answer, now, cause, list(self._decoders))

    def _made(self, answer: Answer, now: float) -> bytes | None:
        try:
            return self._engine.peek(answer, now)
        except FieldError:  # told when it is to be said
            return None

    def advance(self, now: float) -> float:
        due = self._engine.advance(now)
        for answer in self._plan.gives:
            if answer.when == "every":
                if now >= self._due[answer.frame]:
                    self._due[answer.frame] += answer.seconds
                    self._say(answer, now, None, list(self._decoders))
                due = min(due, self._due[answer.frame])
        if now >= self._looks_at:
            self._looks_at = now + LOOK_SECONDS
            self._look(now, None)
        return min(due, self._looks_at)
