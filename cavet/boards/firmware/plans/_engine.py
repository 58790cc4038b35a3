"""What a board does with the frames of a plan: fields to pins, and pins to fields."""

from __future__ import annotations

from collections.abc import Callable
from math import inf
from typing import Any

import msgspec

from cavet.boards._circuit import Circuit
from cavet.boards._pins import FULL_DUTY, PinMode
from cavet.boards._signal import Signal
from cavet.protocols import FieldError, Frame, Message
from cavet.protocols.plans import PlanCodec
from cavet.record import Kind, Tell, Topic

BLINK_SECONDS = 0.25
"""How long a blinking output is on, and how long off."""
FAULT_LENGTH, FAULT_CHECK, FAULT_VALUE = 1, 2, 4
"""What a `faults` field tells of the last frame that was bad, each once."""


class Taken(msgspec.Struct, frozen=True, kw_only=True):
    """What a field of a frame that the board hears does.

    `does` is `set` (drive pins: each with its bit of the field, or its byte where they are
    PWM, or one with the field's value) or `blink` (let those
    pins blink whose bit is set, while they are on). Where `mask` names a field, only pins with a 1 in it are meant.
    """

    field: str
    does: str
    pins: tuple[int, ...]
    mask: str = ""
    mode: PinMode = PinMode.OUTPUT
    full: float = 1.0
    """The value that means full duty, for PWM."""


class Given(msgspec.Struct, frozen=True, kw_only=True):
    """Where a field of a frame that the board says comes from: `levels` of pins (a bit each; one pin of PWM or
    converter as a number), `blinks`, `faults`, or an expression of the rig."""

    field: str
    of: str
    pins: tuple[int, ...] = ()
    full: float = 1.0
    mode: PinMode = PinMode.INPUT
    """How pins are read that no frame drives."""

    @property
    def is_measured(self) -> bool:
        """Whether it may change without a level's doing so."""
        return self.of == "expression" or self.mode is PinMode.ANALOG


class Answer(msgspec.Struct, frozen=True, kw_only=True):
    """A frame that the board says: after each frame that it takes, when something in it has changed, or ever again."""

    frame: str
    when: str
    seconds: float = inf
    fields: tuple[Given, ...] = ()


class PlanBoard(msgspec.Struct, frozen=True, kw_only=True):
    """A board that speaks frames of a plan."""

    codecs: dict[str, PlanCodec]
    takes: dict[str, tuple[Taken, ...]]
    gives: tuple[Answer, ...] = ()

    @property
    def uses(self) -> list[tuple[int, PinMode]]:
        """The pins that fields drive, each with the mode in which they do."""
        return [(pin, taken.mode) for fields in self.takes.values() for taken in fields for pin in taken.pins]

    @property
    def modes(self) -> dict[int, PinMode]:
        """The mode that each pin needs."""
        modes = dict(self.uses)
        for answer in self.gives:
            for given in answer.fields:
                for pin in given.pins:
                    modes.setdefault(pin, given.mode)
        return modes


class Engine:
    """Acts on the frames that come, and makes those that go."""

    def __init__(self, plan: PlanBoard, circuit: Circuit, tell: Tell, read: dict[str, Callable[[], float]]) -> None:
        self.plan = plan
        self._circuit = circuit
        self._tell = tell
        self._read = read
        """Gives the expressions that fields tell, by `FRAME.FIELD`."""
        self._levels: dict[int, bool] = {}
        self._signals = {(pin, mode): Signal(circuit, pin, mode=mode) for pin, mode in plan.uses}
        """Each pin as a share, or as what its mode has, by that: it is driven in no other."""
        self._blinking: set[int] = set()
        self._faults = 0
        self._lit = True
        self._next_blink = inf

    def start(self, now: float) -> None:
        """Begin anew: pins in their modes, nothing blinks."""
        for pin, mode in self.plan.modes.items():
            self._circuit.set_mode(pin, mode, now, None)
        for signal in self._signals.values():
            signal.forget()
        self._levels = {}
        self._blinking = set()
        self._faults = 0
        self._next_blink = inf

    # frames that come

    def take(self, frame: Frame, now: float, cause: int) -> None:
        """Act on a frame; one that is wrong changes nothing, and is told."""
        if not frame.readable:
            self.fault(FAULT_LENGTH, frame.problems[0], frame.data, cause)
            return
        name = frame.message.NAME
        taken = self._tell(Kind.TAKEN, Topic.FRAME, name, frame.data, cause, _words(frame.message))
        if frame.problems:
            is_check = any(field.check is not None for field in self.plan.codecs[name].plan.fields)
            self.fault(FAULT_CHECK if is_check else FAULT_VALUE, "; ".join(frame.problems), None, taken)
            return
        for field in self.plan.takes[name]:
            self._act(field, frame.message, now, taken)

    def fault(self, kind: int, why: str, data: bytes | None, cause: int) -> None:
        """Something came that is no good: what is wrong in its length or its check is bytes, and no frame."""
        self._faults = kind
        self._tell(Kind.REFUSED, Topic.FRAME if kind == FAULT_VALUE else Topic.BYTES, "", data, cause, why)

    def _act(self, taken: Taken, message: Message, now: float, cause: int) -> None:
        plan = self.plan.codecs[message.NAME].plan
        said = getattr(message, taken.field)
        if said is None:  # it depends on another field, and is not there
            return
        value = _number(plan.field(taken.field).values, said)
        mask = _number({}, getattr(message, taken.mask)) if taken.mask else -1
        for bit, pin in enumerate(taken.pins):
            if not int(mask) >> bit & 1:
                continue
            if taken.does == "blink":
                self._set_blinking(pin, bool(int(value) >> bit & 1), now, cause)
            elif taken.mode is PinMode.PWM:
                own, full = (_byte_of(int(value), bit, len(taken.pins)), FULL_DUTY) if len(taken.pins) > 1 else (
                    value, taken.full
                )  # fmt: skip
                self._signals[pin, taken.mode].write(min(1.0, max(0.0, own / full)), now, cause)
            elif taken.mode is PinMode.TONE:
                self._signals[pin, taken.mode].write(value * taken.full, now, cause)
            else:
                level = bool(int(value) >> bit & 1) if len(taken.pins) > 1 else value != 0
                self._set_level(pin, level, now, cause)

    def _set_level(self, pin: int, level: bool, now: float, cause: int | None) -> None:
        self._levels[pin] = level
        self._circuit.write_level(pin, level and (self._lit or pin not in self._blinking), now, cause)

    def _set_blinking(self, pin: int, blinks: bool, now: float, cause: int) -> None:
        if blinks == (pin in self._blinking):
            return
        self._tell(Kind.DRIVEN, Topic.PIN, str(pin), blinks, cause, "blinks" if blinks else "blinks no more")
        if blinks:
            self._blinking.add(pin)
            self._next_blink = min(self._next_blink, now + BLINK_SECONDS)
            return
        self._blinking.discard(pin)
        if self._levels.get(pin) and not self._lit:
            self._circuit.write_level(pin, True, now, cause)

    def advance(self, now: float) -> float:
        """Let blink what blinks; give when it next does."""
        if now < self._next_blink:
            return self._next_blink
        self._lit = not self._lit or not self._blinking
        for pin in self._blinking:
            if self._levels.get(pin):
                self._circuit.write_level(pin, self._lit, now, None)
        self._next_blink = self._next_blink + BLINK_SECONDS if self._blinking else inf
        return self._next_blink

    # frames that go

    def make(self, answer: Answer, now: float, cause: int | None) -> bytes | None:
        """Make a frame of how the board stands; it takes the faults with it. `None` where its fields can't hold that,
        which is told."""
        try:
            data = self.peek(answer, now)
        except FieldError as error:
            self._tell(Kind.REFUSED, Topic.FRAME, answer.frame, None, cause, f"can't be said: {error}")
            return None
        if any(given.of == "faults" for given in answer.fields):
            self._faults = 0
        return data

    def peek(self, answer: Answer, now: float) -> bytes:
        """Make a frame of how the board stands, and change nothing. Raises `FieldError`."""
        codec = self.plan.codecs[answer.frame]
        values: dict[str, Any] = {}
        for given in answer.fields:
            raw = self._given(answer, given, now)
            words = codec.plan.field(given.field).values
            values[given.field] = next((word for word, number in words.items() if number == raw), raw)
        return codec.encode(codec.message(values))

    def _given(self, answer: Answer, given: Given, now: float) -> float:
        if given.of == "faults":
            return self._faults
        if given.of == "blinks":
            return sum((pin in self._blinking) << bit for bit, pin in enumerate(given.pins))
        if given.of == "expression":
            return self._read[f"{answer.frame}.{given.field}"]()
        if len(given.pins) > 1 and self._circuit.pins[given.pins[0]].mode is PinMode.PWM:
            return int.from_bytes(bytes(self._circuit.pins[pin].value for pin in given.pins), "big")
        if len(given.pins) > 1:
            return sum(self._level(pin) << bit for bit, pin in enumerate(given.pins))
        pin = self._circuit.pins[given.pins[0]]
        if pin.mode is PinMode.PWM:
            return self._signals[pin.number, pin.mode].read(now) * given.full
        if pin.mode is PinMode.TONE:
            return self._signals[pin.number, pin.mode].read(now) / given.full
        return self._circuit.read_counts(pin.number, now) if pin.mode is PinMode.ANALOG else self._level(pin.number)

    def _level(self, pin: int) -> bool:
        """What an output was told to be, whether it is dark just now or not; what an input reads."""
        return self._levels.get(pin, False) if self._circuit.pins[pin].mode.drives else self._circuit.read_level(pin)


def _byte_of(value: int, place: int, count: int) -> int:
    """What of a number is meant for one of several PWM pins: a byte for each, the highest for the first."""
    return value >> 8 * (count - 1 - place) & 0xFF


def _number(values: Any, value: Any) -> float:
    if isinstance(value, str):
        return float(values.get(value, 0))
    return float(value)


def _words(message: Message) -> str:
    return ", ".join(f"{name} {getattr(message, name)}" for name in message.__struct_fields__)[:120]
